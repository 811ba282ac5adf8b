"""Recordings: sound files of one performance that start together, what was found in them, and what a person decided."""

import shutil
from functools import cached_property
from pathlib import Path

from django.conf import settings
from django.db import models
from django.utils import timezone

from dactyl.core.hits.mend import Mend, TrackHit, mended, usual_curve
from dactyl.history.models import Document
from dactyl.jobs.models import Job
from dactyl.parts.models import Part


class Recording(Document):
    name = models.CharField(max_length=80)
    job = models.ForeignKey(Job, models.SET_NULL, null=True)
    made_at = models.DateTimeField(default=timezone.now)
    bars = models.JSONField(default=list)  # [[number of the bar, seconds of its first beat], ...], rising; two or none
    beats = models.PositiveSmallIntegerField(default=4)  # of a bar
    played_rate_hz = models.PositiveIntegerField(null=True)  # of what the page plays; null until it is prepared

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return self.name

    @property
    def folder(self) -> Path:
        return settings.DATA / "recordings" / str(self.pk)

    def forget(self) -> None:
        """With its files; parts that were made of it stay."""
        folder = self.folder
        self.delete()
        shutil.rmtree(folder, ignore_errors=True)


class RecordedTrack(models.Model):
    """One microphone: its file, its role, and the hits that were found, sure ones and others."""

    recording = models.ForeignKey(Recording, models.CASCADE, related_name="tracks")
    name = models.CharField(max_length=255)
    position = models.PositiveSmallIntegerField()
    role = models.CharField(max_length=20)
    is_role_heard = models.BooleanField(default=False)  # its name said nothing: its sound did
    frames = models.PositiveBigIntegerField()
    rate_hz = models.PositiveIntegerField()
    channels = models.PositiveSmallIntegerField(default=1)
    hits = models.JSONField(default=list)  # [[seconds, level dB, velocity, confidence, why], ...] in time order
    softest_db = models.FloatField(null=True)  # what is softer is no hit
    least_sure = models.FloatField(default=0.5)  # 0 to 1: what is less sure is none
    soft_db = models.FloatField(
        null=True
    )  # the level of a soft stroke, and of a hard one; null: as the track's own say
    hard_db = models.FloatField(null=True)
    velocity = models.PositiveSmallIntegerField(null=True)  # of all hits, where they shall be all the same
    pads = models.JSONField(default=dict)  # by key of a kit the pad that its hits go to; 0: none

    class Meta:
        ordering = ["position"]

    def __str__(self) -> str:
        return self.name

    @property
    def path(self) -> Path:
        return self.recording.folder / str(self.position)

    @property
    def sound_path(self) -> Path:
        return self.path.with_suffix(".sound")

    @property
    def peaks_path(self) -> Path:
        return self.path.with_suffix(".peaks")

    @property
    def seconds(self) -> float:
        return self.frames / self.rate_hz

    @cached_property
    def found(self) -> list[TrackHit]:
        return [TrackHit(time, level_db, sure, why) for time, level_db, _, sure, why in self.hits]

    def taken(self) -> list[TrackHit]:
        """The hits over both thresholds, and as a person mended them."""
        mends = [mend.value for mend in self.mends.all()]
        return mended(self.found, mends, softest_db=self.softest_db, least_sure=self.least_sure)

    def curve(self) -> tuple[float, float]:
        """Levels of a soft and of a hard stroke, dBFS."""
        soft, hard = usual_curve(self.found)
        return soft if self.soft_db is None else self.soft_db, hard if self.hard_db is None else self.hard_db


class TrackMend(models.Model):
    """A person's decision over a candidate, or a hit that a person put in."""

    track = models.ForeignKey(RecordedTrack, models.CASCADE, related_name="mends")
    place = models.PositiveIntegerField(null=True)  # of the candidate among those found; null: a hit of its own
    is_hit = models.BooleanField()
    time = models.FloatField(null=True)
    level_db = models.FloatField(null=True)
    velocity = models.PositiveSmallIntegerField(null=True)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["track", "place"], name="one_mend_of_a_candidate"),
            models.CheckConstraint(
                name="own_hit_has_a_time", condition=models.Q(place__isnull=False) | models.Q(time__isnull=False)
            ),
        ]

    def __str__(self) -> str:
        return f"{'hit' if self.is_hit else 'no hit'} of {self.track_id}"

    @property
    def value(self) -> Mend:
        return Mend(self.is_hit, self.place, self.time, self.level_db, self.velocity)


class RecordedPart(models.Model):
    """A part that was made of a recording, and where the recording's zero stands in it."""

    recording = models.ForeignKey(Recording, models.CASCADE, related_name="parts")
    part = models.OneToOneField(Part, models.CASCADE, related_name="recorded")
    zero_seconds = models.FloatField(default=0.0)

    def __str__(self) -> str:
        return f"{self.part_id} of {self.recording_id}"
