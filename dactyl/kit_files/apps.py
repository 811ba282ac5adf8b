from django.apps import AppConfig


class KitFilesConfig(AppConfig):
    name = "dactyl.kit_files"
    default_auto_field = "django.db.models.BigAutoField"
