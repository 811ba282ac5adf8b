from django.apps import AppConfig


class SetsConfig(AppConfig):
    name = "dactyl.sets"
    default_auto_field = "django.db.models.BigAutoField"
