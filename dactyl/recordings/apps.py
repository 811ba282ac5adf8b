from django.apps import AppConfig


class RecordingsConfig(AppConfig):
    name = "dactyl.recordings"
    default_auto_field = "django.db.models.BigAutoField"
