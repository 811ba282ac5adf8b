"""Parts: hits in time. They hold notes, never pads."""

from django.db import models
from django.utils import timezone

from dactyl.history.models import Document


class Part(Document):
    name = models.CharField(max_length=80)
    ticks_per_beat = models.PositiveIntegerField()
    tempos = models.JSONField()  # [[tick, microseconds per beat], ...], the first at tick 0
    meters = models.JSONField()  # [[tick, beats in a bar, beat unit], ...], the first at tick 0
    sections = models.JSONField(default=list)  # [[first tick, tick after the last, name], ...] in time order
    curves = models.JSONField(default=list)  # [[of, what, [[tick, value], ...]], ...], as core.parts.curves has them
    controls = models.JSONField(
        default=list
    )  # [[tick, kind, number, value, channel], ...], as core.parts.controls has them
    end_tick = models.PositiveBigIntegerField()
    next_key = models.PositiveBigIntegerField(
        default=1
    )  # of a hit that comes; in no history, so that none is given twice
    written_for = models.CharField(max_length=40, blank=True)  # what its notes mean; empty: what the kit's own mean
    added_at = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name


class Score(models.Model):
    """A long part as a score that was written, or is being written, with the names of a kit's pads."""

    part = models.ForeignKey(Part, models.CASCADE, related_name="scores")
    kit_id = models.BigIntegerField()  # it may be gone
    state = models.CharField(max_length=40, blank=True)  # versions of both when it was written; empty: it is not

    class Meta:
        constraints = [models.UniqueConstraint(fields=["part", "kit_id"], name="score_written_once")]

    def __str__(self) -> str:
        return f"score of part {self.part_id}"

    @property
    def file(self) -> str:
        """Its name among the incoming files."""
        return f"score-{self.pk}.musicxml"


class Pass(models.Model):
    """One time round while playing in."""

    part = models.ForeignKey(Part, models.CASCADE, related_name="passes")
    number = models.PositiveIntegerField()
    is_muted = models.BooleanField(default=False)
    recorded_as = models.CharField(max_length=40)  # the page's own name of it: sent twice, it is written once

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["part", "recorded_as"], name="pass_written_once")]

    def __str__(self) -> str:
        return f"pass {self.number}"


class Block(models.Model):
    """Some hits of a part, those of neighbouring keys, packed as ``core.parts.packed`` does. ``blocks`` reads and writes them."""

    part = models.ForeignKey(Part, models.CASCADE, related_name="blocks")
    number = models.PositiveBigIntegerField()  # their keys, divided by blocks.KEYS
    data = models.TextField()
    count = models.PositiveIntegerField()  # hits
    most_order = models.IntegerField(default=0)  # the last of their places among the events of a tick

    class Meta:
        constraints = [models.UniqueConstraint(fields=["part", "number"], name="block_of_keys_once")]

    def __str__(self) -> str:
        return f"block {self.number} of part {self.part_id}"
