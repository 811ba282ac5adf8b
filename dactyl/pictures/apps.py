from django.apps import AppConfig


class PicturesConfig(AppConfig):
    name = "dactyl.pictures"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.kits.views.pictures import PICTURES, Picture
        from dactyl.pictures.cuts import cuts_context
        from dactyl.pictures.plan import plan_context

        PICTURES["cuts"] = Picture("kit", "pictures/_cut_matrix.html", lambda kit, _: cuts_context(kit))
        PICTURES["plan"] = Picture("kit", "pictures/_plan.html", lambda kit, _: plan_context(kit))
