from django.apps import AppConfig


class PlayingConfig(AppConfig):
    name = "dactyl.playing"
    default_auto_field = "django.db.models.BigAutoField"
