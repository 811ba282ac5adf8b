from django.apps import AppConfig


class LineupsConfig(AppConfig):
    name = "dactyl.lineups"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.history.tables import register
        from dactyl.kits import tasks
        from dactyl.kits.edits import kits
        from dactyl.lineups.edits import put_together
        from dactyl.lineups.models import Alongside

        register({"alongside": Alongside})
        tasks.TOGETHER.append(put_together)
        kits.WHAT_HANGS.append(
            lambda kit: (Alongside.objects.filter(other=kit).count(), "kit that it sounds alongside")
        )
