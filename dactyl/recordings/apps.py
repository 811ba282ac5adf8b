from django.apps import AppConfig


class RecordingsConfig(AppConfig):
    name = "dactyl.recordings"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.history.tables import register
        from dactyl.recordings.models import RecordedTrack, Recording, TrackMend

        register({"recording": Recording, "recorded_track": RecordedTrack, "track_mend": TrackMend})
