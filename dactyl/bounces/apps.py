from django.apps import AppConfig


class BouncesConfig(AppConfig):
    name = "dactyl.bounces"
    default_auto_field = "django.db.models.BigAutoField"
