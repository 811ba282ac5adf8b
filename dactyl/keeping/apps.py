from django.apps import AppConfig


class KeepingConfig(AppConfig):
    name = "dactyl.keeping"

    def ready(self) -> None:
        from django.conf import settings

        from dactyl.web.machine_time import give_back

        give_back(settings.MACHINE_ZONE)
