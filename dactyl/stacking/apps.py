from django.apps import AppConfig


class StackingConfig(AppConfig):
    name = "dactyl.stacking"
    default_auto_field = "django.db.models.BigAutoField"
