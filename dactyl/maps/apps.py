from django.apps import AppConfig


class MapsConfig(AppConfig):
    name = "dactyl.maps"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.history.tables import register
        from dactyl.kits.views import pictures as kit_pictures
        from dactyl.maps.models import Device
        from dactyl.maps.views.pictures import PICTURES

        register({"device": Device})
        kit_pictures.PICTURES |= PICTURES
