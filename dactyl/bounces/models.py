"""Bounces: a part through a kit, as stems."""

from django.db import models
from django.utils import timezone

from dactyl.core.bounce.stems import STEM, WHOLE
from dactyl.jobs.models import Job
from dactyl.kits.models import Kit
from dactyl.parts.models import Part


class Bounce(models.Model):
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="bounces")
    kit_version = models.PositiveBigIntegerField()
    version_name = models.CharField(
        max_length=80, blank=True
    )  # of the kit's version that it was made from, where it was one
    samples = models.JSONField(default=list)  # keys of those it plays: they can't be deleted
    part = models.ForeignKey(Part, models.SET_NULL, null=True)  # where it is still there
    part_name = models.CharField(max_length=80)
    rate_hz = models.PositiveIntegerField()
    order = models.JSONField()  # core.bounce.stems.BounceOrder, by field
    with_part = models.BooleanField(default=False)  # whether the MIDI part lies beside the stems ...
    with_kit = models.BooleanField(default=False)  # ... and the kit package
    with_recording = models.BooleanField(default=False)  # ... and the tracks that the part was found in
    with_blend = models.BooleanField(default=False)  # ... and both together in one file
    hits_done = models.JSONField(default=list)  # while it runs, of each stem: [name, hits begun, all its hits]
    report = models.JSONField(null=True)  # once it is made: what it came from, and its sum test
    kit_snapshot = models.BinaryField()  # kit and part as they were when asked for: begun again, it ends the same
    part_snapshot = models.BinaryField()
    lineup_snapshot = models.BinaryField(null=True)  # the kit and what sounded alongside it, where something did
    job = models.ForeignKey(Job, models.SET_NULL, null=True)
    measuring = models.ForeignKey(Job, models.SET_NULL, null=True, related_name="+")  # how loud it is, once it is made
    created_at = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        return f"{self.part_name} on {self.kit}"

    @property
    def is_awaited(self) -> bool:
        """Whether it is still made or measured."""
        return any(job is not None and not job.is_over for job in (self.job, self.measuring))

    @property
    def mix_lufs(self) -> float | None:
        """How loud its mix is, once that is measured."""
        return next((stem.loudness_lufs for stem in self.stems.all() if stem.kind == WHOLE), None)

    @property
    def bits(self) -> str:
        return self.order["bits"]


class Stem(models.Model):
    bounce = models.ForeignKey(Bounce, models.CASCADE, related_name="stems")
    position = models.PositiveSmallIntegerField()
    name = models.CharField(max_length=60)
    output = models.CharField(max_length=200, blank=True)
    file = models.CharField(max_length=160)
    channels = models.PositiveSmallIntegerField(default=2)
    frames = models.PositiveBigIntegerField()
    peak_db = models.FloatField()
    overview = models.BinaryField()
    kind = models.CharField(
        max_length=10, default=STEM
    )  # of core.bounce.stems: a stem, a parallel bus, the mix, what lies beside
    loudness_lufs = models.FloatField(null=True)  # null: not measured yet, or silent
    true_peak_db = models.FloatField(null=True)

    class Meta:
        ordering = ["position"]

    def __str__(self) -> str:
        return self.name

    @property
    def is_over(self) -> bool:
        return self.peak_db > 0

    @property
    def is_mix(self) -> bool:
        return self.kind == WHOLE
