"""Kits that sound along with a kit: each hears the part on its channels and notes (design rule 19)."""

from django.db import models

from dactyl.kits.models import Kit


class Alongside(models.Model):
    """A further kit of a kit's lineup, whose first member is the kit itself. It is part of that kit's history.

    A row of which the other kit is the kit itself says what that one hears, while others sound alongside it.
    """

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="alongside")
    # No constraint: an undo may bring back a row whose kit was deleted since; it then names nobody.
    other = models.ForeignKey(Kit, models.DO_NOTHING, related_name="+", db_constraint=False)
    position = models.PositiveIntegerField()
    channels = models.JSONField(null=True, blank=True)  # 0..15; null: all
    low = models.PositiveSmallIntegerField(default=0)
    high = models.PositiveSmallIntegerField(default=127)
    gain_db = models.FloatField(default=0.0)
    muted = models.BooleanField(default=False)
    delay_ms = models.FloatField(default=0.0)
    curve = models.CharField(max_length=4, default="even")
    pieces = models.JSONField(null=True, blank=True)  # names of those that take part; null: all
    is_met = models.BooleanField(default=True)  # its pads are found by what notes mean; else by the notes themselves

    class Meta:
        ordering = ["position"]

    def __str__(self) -> str:
        return f"{self.other_id} alongside {self.kit_id}"
