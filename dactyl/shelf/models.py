"""The shelf: every sample once, the names it came under, and how it came in."""

from django.db import models
from django.utils import timezone

from dactyl.core.kinds import BY_SLUG, KINDS
from dactyl.jobs.models import Job


class Sample(models.Model):
    sha256 = models.CharField(max_length=64, unique=True)
    sound_hash = models.CharField(max_length=32, db_index=True)  # of the decoded sound: equal under other bytes
    size_bytes = models.PositiveBigIntegerField()
    format = models.CharField(max_length=40)
    frames = models.PositiveBigIntegerField()
    rate_hz = models.PositiveIntegerField()
    channels = models.PositiveSmallIntegerField()
    onset_frame = models.PositiveBigIntegerField()
    peak_db = models.FloatField()
    level_db = models.FloatField()
    brightness_hz = models.FloatField()
    pitch_hz = models.FloatField(default=0.0)
    low_share = models.FloatField(default=0.0)
    decay_seconds = models.FloatField(default=0.0)
    tonality = models.FloatField(default=0.0)
    bursts = models.PositiveSmallIntegerField(default=1)
    attack_ms = models.FloatField(default=0.0)
    polarity = models.SmallIntegerField(default=0)
    strikes = models.PositiveSmallIntegerField(default=1)
    timbre = models.BinaryField(default=b"")  # core.audio.timbre, float16; nothing where it was never heard so
    root = models.PositiveSmallIntegerField(null=True)  # what its own chunks say: note, and velocities
    low_velocity = models.PositiveSmallIntegerField(null=True)
    high_velocity = models.PositiveSmallIntegerField(null=True)
    seconds = models.FloatField(db_index=True)
    kind = models.CharField(max_length=20, choices=[(kind.slug, kind.label) for kind in KINDS], db_index=True)
    is_guessed = models.BooleanField(default=False)  # only its sound says the kind
    overview = models.BinaryField()
    name = models.CharField(max_length=255)  # the first it came under
    folder = models.CharField(max_length=500, blank=True)
    added_at = models.DateTimeField(default=timezone.now, db_index=True)
    damage = models.CharField(max_length=80, blank=True)  # what is wrong with its file, as last looked at
    is_away = models.BooleanField(default=False, db_index=True)  # off the shelf; kits that use it keep it

    class Meta:
        constraints = [models.CheckConstraint(name="sample_has_frames", condition=models.Q(frames__gt=0))]

    def __str__(self) -> str:
        return self.name

    @property
    def kind_label(self) -> str:
        return BY_SLUG[self.kind].label


class Span(models.Model):
    """A stretch of a sample as takes play it, measured. It is known by what it is, so it never grows old."""

    sample = models.ForeignKey(Sample, models.CASCADE, related_name="spans")
    start_frame = models.PositiveBigIntegerField()  # as it is heard: backwards they count from the end
    end_frame = models.PositiveBigIntegerField()
    is_reversed = models.BooleanField()
    level_db = models.FloatField()
    peak_db = models.FloatField()
    onset_frame = models.PositiveBigIntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["sample", "start_frame", "end_frame", "is_reversed"], name="stretch_measured_once"
            )
        ]

    def __str__(self) -> str:
        return f"{self.start_frame} to {self.end_frame} of {self.sample_id}"


class SampleName(models.Model):
    """A further name of a sample that came in more than once."""

    sample = models.ForeignKey(Sample, models.CASCADE, related_name="other_names")
    name = models.CharField(max_length=255)
    folder = models.CharField(max_length=500, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["sample", "folder", "name"], name="sample_name_once")]

    def __str__(self) -> str:
        return self.name


class Import(models.Model):
    """Files brought in together."""

    job = models.ForeignKey(Job, models.SET_NULL, null=True)
    created_at = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        return f"Import {self.pk}"


class ImportFile(models.Model):
    class State(models.TextChoices):
        WAITING = "waiting"
        IN = "in"
        SAME = "same"  # the same bytes were here already
        UNPACKED = "unpacked"  # an archive whose files stand in rows of their own
        REFUSED = "refused"

    batch = models.ForeignKey(Import, models.CASCADE, related_name="files")
    archive = models.ForeignKey("self", models.CASCADE, null=True)
    name = models.CharField(max_length=255)
    folder = models.CharField(max_length=500, blank=True)  # evidence, never a path
    stored_as = models.CharField(max_length=60)  # below the incoming folder
    state = models.CharField(max_length=10, choices=State, default=State.WAITING)
    reason = models.TextField(blank=True)
    sample = models.ForeignKey(Sample, models.SET_NULL, null=True)

    class Meta:
        indexes = [models.Index(fields=["batch", "state"])]

    def __str__(self) -> str:
        return self.name
