from django.apps import AppConfig


class SwapsConfig(AppConfig):
    name = "dactyl.swaps"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.playing.views import AUDITIONS
        from dactyl.swaps.views import auditioned_drum, auditioned_with

        AUDITIONS.update({"swap": auditioned_drum, "with": auditioned_with})
