from django.apps import AppConfig


class VersionsConfig(AppConfig):
    name = "dactyl.versions"
    default_auto_field = "django.db.models.BigAutoField"
