from django.apps import AppConfig


class KitsConfig(AppConfig):
    name = "dactyl.kits"
    default_auto_field = "django.db.models.BigAutoField"
