"""The check of a kit: what was heard of each stretch that takes play, what was found last, what is left as it is."""

from django.db import models
from django.utils import timezone

from dactyl.kits.models import Kit
from dactyl.shelf.models import Sample


class HeardStretch(models.Model):
    """A stretch of a sample as a take plays it, heard by the check. It is known by what it is, so it never grows old."""

    sample = models.ForeignKey(Sample, models.CASCADE, related_name="+")
    start_frame = models.PositiveBigIntegerField()  # as it is heard: backwards they count from the end
    end_frame = models.PositiveBigIntegerField()
    is_reversed = models.BooleanField()
    with_timbre = models.BooleanField()  # whether its timbre was heard: that of first mics is
    measures = models.PositiveSmallIntegerField()  # core.check.sound.MEASURES, by which it was heard
    packed = models.BinaryField()  # core.check.sound.Sound

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["sample", "start_frame", "end_frame", "is_reversed"], name="stretch_heard_once"
            )
        ]

    def __str__(self) -> str:
        return f"{self.start_frame} to {self.end_frame} of {self.sample_id}"


class KitCheck(models.Model):
    """What was found in a kit last."""

    kit = models.OneToOneField(Kit, models.CASCADE, related_name="check_found")
    version = models.PositiveBigIntegerField()  # of the kit that was looked at
    takes = models.PositiveIntegerField()
    findings = models.JSONField()  # rows of ``queries.as_row``
    made_at = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        return f"Check of {self.kit_id} at version {self.version}"


class LeftFinding(models.Model):
    """A finding that is meant so: it is told again only if it changes. Part of the kit's history."""

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="left_findings")
    key = models.CharField(max_length=24)  # core.check.finding.Finding.key

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kit", "key"], name="finding_left_once")]

    def __str__(self) -> str:
        return self.key
