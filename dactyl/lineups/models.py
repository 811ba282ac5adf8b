"""Kits that sound along with a kit: each hears the part on its channels and notes (design rule 19).

A lineup is a kit without pads of its own: all that sounds in it are the kits alongside.
"""

from django.db import models

from dactyl.kits.models import Channel, Handle, Kit, Version


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
    curve = models.CharField(max_length=5, default="even")
    curve_points = models.JSONField(null=True, blank=True)  # where the curve is drawn
    pieces = models.JSONField(null=True, blank=True)  # keys of those that take part (rows of before: names); null: all
    is_met = models.BooleanField(default=True)  # its pads are found by what notes mean; else by the notes themselves
    notes = models.JSONField(null=True, blank=True)  # [[note of the part, own note], ...] in the place of that
    # No constraint, as above; null, or one that is gone: the kit as it is now.
    version = models.ForeignKey(Version, models.DO_NOTHING, related_name="+", db_constraint=False, null=True)
    device_id = models.BigIntegerField(null=True)  # what this device plays reaches this kit alone; it may be gone

    class Meta:
        ordering = ["position"]

    def __str__(self) -> str:
        return f"{self.other_id} alongside {self.kit_id}"


class Link(models.Model):
    """A pad of one kit that sounds along where a pad of another is struck; null stands for the kit itself."""

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="links")
    one = models.ForeignKey(Alongside, models.CASCADE, related_name="leads", null=True)
    pad_id = models.BigIntegerField()  # of another kit, and may be gone
    other = models.ForeignKey(Alongside, models.CASCADE, related_name="follows", null=True)
    other_pad_id = models.BigIntegerField()
    strength = models.FloatField(default=1.0)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"pad {self.pad_id} sounds pad {self.other_pad_id}"


class SharedChoke(models.Model):
    """Choke groups of two kits that cut each other; null stands for the kit itself."""

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="shared_chokes")
    one = models.ForeignKey(Alongside, models.CASCADE, related_name="+", null=True)
    letter = models.CharField(max_length=1)
    other = models.ForeignKey(Alongside, models.CASCADE, related_name="+", null=True)
    other_letter = models.CharField(max_length=1)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"group {self.letter} and group {self.other_letter}"


class LineupGroup(Handle):
    """One handle for outputs of several kits of a lineup."""

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="lineup_groups")

    class Meta(Handle.Meta):
        abstract = False
        constraints = [models.UniqueConstraint(fields=["kit", "name"], name="lineup_group_name_once")]


class LineupOutput(Channel):
    """What the desk of a lineup makes of an output of one of its kits; an output without a row leaves as it is.

    Its name is what the output was called when this was set: versions of a kit have no keys of outputs.
    """

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="lineup_outputs")
    one = models.ForeignKey(Alongside, models.CASCADE, related_name="outputs_here")
    output_id = models.BigIntegerField()  # of another kit, and may be gone
    group = models.ForeignKey(LineupGroup, models.SET_NULL, null=True, blank=True, related_name="outputs")

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["one", "output_id"], name="lineup_output_once")]
