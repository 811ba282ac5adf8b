from django.apps import AppConfig


class DemoConfig(AppConfig):
    name = "dactyl.demo"
    default_auto_field = "django.db.models.BigAutoField"
