from django.apps import AppConfig


class PartsConfig(AppConfig):
    name = "dactyl.parts"
    default_auto_field = "django.db.models.BigAutoField"
