from django.apps import AppConfig


class DeskConfig(AppConfig):
    name = "dactyl.desk"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.desk.mics import mics_context
        from dactyl.desk.picture import desk_context
        from dactyl.kits.views.pictures import PICTURES, Picture

        PICTURES["desk"] = Picture("desk", "desk/_desk_view.html", lambda kit, _: desk_context(kit))
        PICTURES["mics"] = Picture("desk", "desk/_mics_view.html", lambda kit, _: mics_context(kit))
