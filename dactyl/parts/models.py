"""Parts: hits in time. They hold notes, never pads."""

from django.db import models
from django.utils import timezone


class Part(models.Model):
    name = models.CharField(max_length=80)
    ticks_per_beat = models.PositiveIntegerField()
    tempos = models.JSONField()  # [[tick, microseconds per beat], ...]
    notes = models.JSONField()  # [[tick, note, velocity, channel, length in ticks], ...] in time order
    offs = models.JSONField(default=list)  # [[notes before it, tick, note, channel], ...]
    end_tick = models.PositiveBigIntegerField()
    beats_per_bar = models.PositiveSmallIntegerField(default=4)
    beat_unit = models.PositiveSmallIntegerField(default=4)
    added_at = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name
