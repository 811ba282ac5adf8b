from django.apps import AppConfig


class ShelfConfig(AppConfig):
    name = "dactyl.shelf"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.shelf import queries, store

        store.HOLDERS.append(queries.held_files)
