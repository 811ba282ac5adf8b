"""Rows of a kit. Layers store only their highest velocity, so a gap or an overlap cannot be written."""

from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q
from django.utils import timezone

from dactyl.core.kinds import KINDS
from dactyl.core.kit import CURVE_EXPONENTS, MAIN, ROTATIONS
from dactyl.shelf.models import Sample

GAIN = [
    MinValueValidator(-96.0, "The softest level is −96 dB."),
    MaxValueValidator(24.0, "The highest level is +24 dB."),
]
PAN = [
    MinValueValidator(-100.0, "Pan ends at −100, hard left."),
    MaxValueValidator(100.0, "Pan ends at 100, hard right."),
]


class Kit(models.Model):
    name = models.CharField(max_length=80)
    seed = models.PositiveIntegerField(default=0)
    version = models.PositiveBigIntegerField(default=1)  # rises with every edit, undo and redo
    is_put_away = models.BooleanField(default=False)
    created_at = models.DateTimeField(default=timezone.now)
    changed_at = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        return self.name


class Output(models.Model):
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="outputs")
    name = models.CharField(max_length=40)
    position = models.PositiveIntegerField()
    gain_db = models.FloatField(default=0.0, validators=GAIN)

    class Meta:
        ordering = ["position"]
        constraints = [models.UniqueConstraint(fields=["kit", "name"], name="output_name_once")]

    def __str__(self) -> str:
        return self.name

    @property
    def is_main(self) -> bool:
        return self.name == MAIN


class Mic(models.Model):
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="mics")
    name = models.CharField(max_length=40)
    position = models.PositiveIntegerField()
    gain_db = models.FloatField(default=0.0, validators=GAIN)
    follows_pan = models.BooleanField(default=False)
    output = models.ForeignKey(Output, models.SET_NULL, null=True, blank=True)

    class Meta:
        ordering = ["position"]
        constraints = [models.UniqueConstraint(fields=["kit", "name"], name="mic_name_once")]

    def __str__(self) -> str:
        return self.name


class ChokeGroup(models.Model):
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="choke_groups")
    letter = models.CharField(max_length=1)
    fade_ms = models.FloatField(default=8.0, validators=[MinValueValidator(0.0), MaxValueValidator(5000.0)])

    class Meta:
        ordering = ["letter"]
        constraints = [models.UniqueConstraint(fields=["kit", "letter"], name="choke_letter_once")]

    def __str__(self) -> str:
        return self.letter


class Piece(models.Model):
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="pieces")
    name = models.CharField(max_length=60, blank=True)
    position = models.PositiveIntegerField()
    gain_db = models.FloatField(default=0.0, validators=GAIN)
    pan = models.FloatField(default=0.0, validators=PAN)
    output = models.ForeignKey(Output, models.SET_NULL, null=True, blank=True)

    class Meta:
        ordering = ["position"]

    def __str__(self) -> str:
        return self.name


class Pad(models.Model):
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="pads")
    piece = models.ForeignKey(Piece, models.CASCADE, related_name="pads")
    name = models.CharField(max_length=60, blank=True)  # the articulation, where a piece has several
    kind = models.CharField(max_length=20, choices=[(kind.slug, kind.label) for kind in KINDS], default="other")
    position = models.PositiveIntegerField()  # in the kit; a piece's pads stand together
    gain_db = models.FloatField(default=0.0, validators=GAIN)
    pan = models.FloatField(default=0.0, validators=PAN)
    muted = models.BooleanField(default=False)
    choke = models.ForeignKey(ChokeGroup, models.SET_NULL, null=True, blank=True)
    cuts_itself = models.BooleanField(default=False)
    max_voices = models.PositiveSmallIntegerField(default=16, validators=[MinValueValidator(1), MaxValueValidator(64)])
    rotation = models.CharField(max_length=10, choices=list(ROTATIONS.items()), default="in_turn")
    dynamics = models.FloatField(default=1.0, validators=[MinValueValidator(0.0), MaxValueValidator(1.0)])
    curve = models.CharField(max_length=10, choices=[(name, name) for name in CURVE_EXPONENTS], default="even")
    crossfade = models.PositiveSmallIntegerField(default=0, validators=[MaxValueValidator(64)])
    shared_counter = models.BooleanField(default=False)
    output = models.ForeignKey(Output, models.SET_NULL, null=True, blank=True)

    class Meta:
        ordering = ["position"]

    def __str__(self) -> str:
        return self.full_name

    @property
    def full_name(self) -> str:
        return " ".join(filter(None, [self.piece.name, self.name])) or f"Pad {self.position + 1}"


class Map(models.Model):
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="maps")
    name = models.CharField(max_length=60)
    is_default = models.BooleanField(default=False)

    def __str__(self) -> str:
        return self.name


class MapNote(models.Model):
    map = models.ForeignKey(Map, models.CASCADE, related_name="notes")
    note = models.PositiveSmallIntegerField(validators=[MaxValueValidator(127)])
    pad = models.ForeignKey(Pad, models.CASCADE, related_name="notes")

    class Meta:
        ordering = ["note"]
        constraints = [models.UniqueConstraint(fields=["map", "note", "pad"], name="note_strikes_pad_once")]

    def __str__(self) -> str:
        return str(self.note)


class Layer(models.Model):
    pad = models.ForeignKey(Pad, models.CASCADE, related_name="layers")
    high = models.PositiveSmallIntegerField()
    gain_db = models.FloatField(default=0.0, validators=GAIN)

    class Meta:
        ordering = ["high"]
        constraints = [
            models.UniqueConstraint(fields=["pad", "high"], name="layer_high_once"),
            models.CheckConstraint(name="layer_high_is_velocity", condition=Q(high__gte=1, high__lte=127)),
        ]

    def __str__(self) -> str:
        return f"up to {self.high}"


class Take(models.Model):
    layer = models.ForeignKey(Layer, models.CASCADE, related_name="takes")
    position = models.PositiveIntegerField()
    is_enabled = models.BooleanField(default=True)
    gain_db = models.FloatField(default=0.0, validators=GAIN)
    pan = models.FloatField(default=0.0, validators=PAN)
    start_frame = models.PositiveBigIntegerField(default=0)

    class Meta:
        ordering = ["position"]

    def __str__(self) -> str:
        return f"take {self.position + 1}"


class TakeSample(models.Model):
    take = models.ForeignKey(Take, models.CASCADE, related_name="samples")
    mic = models.ForeignKey(Mic, models.CASCADE)
    sample = models.ForeignKey(Sample, models.PROTECT, related_name="uses")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["take", "mic"], name="mic_hears_take_once")]

    def __str__(self) -> str:
        return f"{self.sample_id}"


class Revision(models.Model):
    """One edit: a sentence a person can read, and the rows it changed, before and after."""

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="revisions")
    sentence = models.CharField(max_length=200)
    rows = models.JSONField()  # [table, primary key, fields before or null, fields after or null]
    pads = models.JSONField()  # the pads it touches
    changes_order = models.BooleanField(default=False)  # pads came, went or moved
    is_undone = models.BooleanField(default=False)
    made_at = models.DateTimeField(default=timezone.now)

    class Meta:
        indexes = [models.Index(fields=["kit", "is_undone"])]

    def __str__(self) -> str:
        return self.sentence
