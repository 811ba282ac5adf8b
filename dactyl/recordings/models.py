"""Recordings: sound files of one performance that start together, and what was found in them."""

import shutil
from pathlib import Path

from django.conf import settings
from django.db import models
from django.utils import timezone

from dactyl.jobs.models import Job


class Recording(models.Model):
    name = models.CharField(max_length=80)
    job = models.ForeignKey(Job, models.SET_NULL, null=True)
    made_at = models.DateTimeField(default=timezone.now)

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
    frames = models.PositiveBigIntegerField()
    rate_hz = models.PositiveIntegerField()
    hits = models.JSONField(default=list)  # [[seconds, level dB, velocity, confidence, why], ...] in time order
    softest_db = models.FloatField(null=True)  # what is softer is no hit
    least_sure = models.FloatField(default=0.5)  # 0 to 1: what is less sure is none

    class Meta:
        ordering = ["position"]

    def __str__(self) -> str:
        return self.name

    @property
    def path(self) -> Path:
        return self.recording.folder / str(self.position)

    @property
    def seconds(self) -> float:
        return self.frames / self.rate_hz

    def taken(self) -> list[list]:
        """The hits over both thresholds."""
        least = -1000.0 if self.softest_db is None else self.softest_db
        return [hit for hit in self.hits if hit[3] >= self.least_sure and hit[1] >= least]
