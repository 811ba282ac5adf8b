from django.apps import AppConfig


class ChecksConfig(AppConfig):
    name = "dactyl.checks"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.checks.models import LeftFinding
        from dactyl.checks.queries import check_context, tried_mend
        from dactyl.history.tables import register
        from dactyl.kits.views import pictures as kit_pictures
        from dactyl.playing.views import TRIED

        register({"left_finding": LeftFinding})
        kit_pictures.PICTURES["check"] = kit_pictures.Picture(
            "kit", "checks/_check.html", lambda kit, _: check_context(kit)
        )
        TRIED["mend"] = tried_mend
