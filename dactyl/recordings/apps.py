from django.apps import AppConfig


class RecordingsConfig(AppConfig):
    name = "dactyl.recordings"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.history.tables import register
        from dactyl.parts import shown
        from dactyl.recordings.models import RecordedPart, RecordedTrack, Recording, TrackMend

        register({
            "recording": Recording, "recorded_track": RecordedTrack, "track_mend": TrackMend,
            "recorded_part": RecordedPart,
        })  # fmt: skip
        shown.ALONG["recordedZero"] = lambda part: (
            RecordedPart.objects.filter(part=part).values_list("zero_seconds", flat=True).first()
        )
