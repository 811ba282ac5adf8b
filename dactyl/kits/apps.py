from django.apps import AppConfig
from django.db.models.signals import post_migrate, pre_migrate


class KitsConfig(AppConfig):
    name = "dactyl.kits"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.history.tables import register
        from dactyl.kits import guards, tables

        register(tables.TABLES, tables.CHILDREN)
        pre_migrate.connect(guards.remove, sender=self)
        post_migrate.connect(guards.install, sender=self)
