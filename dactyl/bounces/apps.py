from django.apps import AppConfig


class BouncesConfig(AppConfig):
    name = "dactyl.bounces"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.bounces.edits import used_samples
        from dactyl.kits.edits import kits, shelf

        shelf.ALSO_USED.append(used_samples)
        kits.WHAT_HANGS.append(lambda kit: (kit.bounces.count(), "bounce"))
