from django.apps import AppConfig


class HistoryConfig(AppConfig):
    name = "dactyl.history"
    default_auto_field = "django.db.models.BigAutoField"
