from django.apps import AppConfig


class PartsConfig(AppConfig):
    name = "dactyl.parts"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.history.tables import register
        from dactyl.parts.models import Event, Part, Pass

        register({"part": Part, "pass": Pass, "event": Event}, {Pass: [(Event, "of_pass_id")]})
