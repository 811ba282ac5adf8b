from django.apps import AppConfig


class ChecksConfig(AppConfig):
    name = "dactyl.checks"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.checks.models import LeftFinding
        from dactyl.checks.queries import check_context
        from dactyl.history.tables import register
        from dactyl.kits.views import kit_pictures

        register({"left_finding": LeftFinding})
        kit_pictures.PICTURES["check"] = ("checks/_check.html", check_context)
