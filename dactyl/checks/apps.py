from django.apps import AppConfig


class ChecksConfig(AppConfig):
    name = "dactyl.checks"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.checks.models import LeftFinding
        from dactyl.checks.queries import auditioned_mend, check_context
        from dactyl.history.tables import register
        from dactyl.kits.views import pictures as kit_pictures
        from dactyl.playing.views import AUDITIONS

        register({"left_finding": LeftFinding})
        kit_pictures.PICTURES["check"] = kit_pictures.Picture(
            "kit", "checks/_check.html", lambda kit, _: check_context(kit)
        )
        AUDITIONS["mend"] = auditioned_mend
