from django.apps import AppConfig


class PartsConfig(AppConfig):
    name = "dactyl.parts"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.history.tables import FOLLOWERS, register
        from dactyl.parts import edits, scores
        from dactyl.parts.models import Block, Part, Pass
        from dactyl.shelf import store

        register({"part": Part, "pass": Pass, "block": Block})
        FOLLOWERS.append(edits.follow_renamed)
        store.HOLDERS.append(scores.held_files)
