from django.apps import AppConfig


class SwapsConfig(AppConfig):
    name = "dactyl.swaps"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.playing.views import TRIED
        from dactyl.swaps.views import tried_drum, tried_with

        TRIED.update({"swap": tried_drum, "with": tried_with})
