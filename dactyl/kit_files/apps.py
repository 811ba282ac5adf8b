from django.apps import AppConfig


class KitFilesConfig(AppConfig):
    name = "dactyl.kit_files"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.kit_files.queries import held_files
        from dactyl.shelf import store

        store.HOLDERS.append(held_files)
