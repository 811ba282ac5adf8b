from django.apps import AppConfig


class PartsConfig(AppConfig):
    name = "dactyl.parts"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from django.db.models.signals import post_migrate, pre_migrate

        from dactyl.history.tables import FOLLOWERS, register
        from dactyl.parts import edits, guards, scores
        from dactyl.parts.models import Event, Part, Pass
        from dactyl.shelf import store

        register({"part": Part, "pass": Pass, "event": Event}, {Pass: [(Event, "of_pass_id")]})
        FOLLOWERS.append(edits.follow_renamed)
        store.HOLDERS.append(scores.held_files)
        pre_migrate.connect(guards.remove, sender=self)
        post_migrate.connect(guards.install, sender=self)
