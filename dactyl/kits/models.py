"""Rows of a kit. Layers store only their highest velocity, so a gap or an overlap cannot be written."""

from django.db import models
from django.db.models import Q
from django.utils import timezone

from dactyl.core.fields import DRAWN
from dactyl.core.kinds import KINDS
from dactyl.core.kit import (
    CLOSING_MS,
    CURVE_EXPONENTS,
    FADE_MS,
    FILTERS,
    FOLLOWS,
    GRAB_MS,
    MAIN,
    PLAYED_BY,
    ROTATIONS,
    SHARED_BY,
    STAYS,
    STOOL,
    VOICES,
)
from dactyl.core.maps.surfaces import SurfaceGrid
from dactyl.history.models import Document
from dactyl.jobs.models import Job
from dactyl.shelf.models import Sample

SILENCES, SILENCED_BY = "silences", "silenced_by"  # what a pad is to a mute group


class Kit(Document):
    name = models.CharField(max_length=80)
    seed = models.PositiveIntegerField(default=0)
    is_put_away = models.BooleanField(default=False)
    master_db = models.FloatField(default=0.0)
    side = models.CharField(max_length=5, default=STOOL)
    parallel_is_on = models.BooleanField(default=False)
    parallel_threshold_db = models.FloatField(default=-24.0)
    parallel_ratio = models.FloatField(default=4.0)
    parallel_attack_ms = models.FloatField(default=10.0)
    parallel_release_ms = models.FloatField(default=120.0)
    parallel_knee_db = models.FloatField(default=6.0)
    parallel_gain_db = models.FloatField(default=0.0)
    created_at = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        return self.name


class Handle(models.Model):
    """What groups of outputs have, of a kit and of a lineup."""

    name = models.CharField(max_length=40)
    position = models.PositiveIntegerField()
    gain_db = models.FloatField(default=0.0)
    muted = models.BooleanField(default=False)
    colour = models.CharField(max_length=1, blank=True)

    class Meta:
        abstract = True
        ordering = ["position"]

    def __str__(self) -> str:
        return self.name


class Channel(models.Model):
    """What a desk sets of an output, that of a kit and that of a lineup."""

    name = models.CharField(max_length=40)
    gain_db = models.FloatField(default=0.0)
    width = models.FloatField(default=100.0)  # percent
    balance = models.FloatField(default=0.0)
    muted = models.BooleanField(default=False)
    parallel_db = models.FloatField(null=True, blank=True)  # to the parallel bus; null: nothing

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return self.name


class OutputGroup(Handle):
    """One handle for several outputs."""

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="output_groups")

    class Meta(Handle.Meta):
        abstract = False
        constraints = [models.UniqueConstraint(fields=["kit", "name"], name="output_group_name_once")]


class Output(Channel):
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="outputs")
    position = models.PositiveIntegerField()
    group = models.ForeignKey(OutputGroup, models.SET_NULL, null=True, blank=True, related_name="outputs")

    class Meta:
        ordering = ["position"]
        constraints = [models.UniqueConstraint(fields=["kit", "name"], name="output_name_once")]

    @property
    def is_main(self) -> bool:
        return self.name == MAIN


class Mic(models.Model):
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="mics")
    name = models.CharField(max_length=40)
    position = models.PositiveIntegerField()
    gain_db = models.FloatField(default=0.0)
    follows_pan = models.BooleanField(default=False)
    is_ambience = models.BooleanField(default=False)
    output = models.ForeignKey(Output, models.SET_NULL, null=True, blank=True)

    class Meta:
        ordering = ["position"]
        constraints = [models.UniqueConstraint(fields=["kit", "name"], name="mic_name_once")]

    def __str__(self) -> str:
        return self.name


class ChokeGroup(models.Model):
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="choke_groups")
    letter = models.CharField(max_length=1)
    fade_ms = models.FloatField(default=FADE_MS)

    class Meta:
        ordering = ["letter"]
        constraints = [models.UniqueConstraint(fields=["kit", "letter"], name="choke_letter_once")]

    def __str__(self) -> str:
        return self.letter


class MuteGroup(models.Model):
    """One-way: the pads that silence it are not silenced by it."""

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="mute_groups")
    number = models.PositiveSmallIntegerField()
    fade_ms = models.FloatField(default=FADE_MS)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["kit", "number"], name="mute_number_once")]

    def __str__(self) -> str:
        return str(self.number)


class Piece(models.Model):
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="pieces")
    name = models.CharField(max_length=60, blank=True)
    position = models.PositiveIntegerField()
    gain_db = models.FloatField(default=0.0)
    pan = models.FloatField(default=0.0)
    output = models.ForeignKey(Output, models.SET_NULL, null=True, blank=True)
    place_x = models.FloatField(null=True, blank=True)  # on the floor plan; null: where its kind usually stands
    place_y = models.FloatField(null=True, blank=True)
    colour = models.CharField(max_length=1, blank=True)

    # Pedals and hands
    shared_by = models.CharField(max_length=5, choices=list(SHARED_BY.items()), blank=True)
    controller = models.PositiveSmallIntegerField(default=4)
    is_turned = models.BooleanField(default=False)
    blend = models.PositiveSmallIntegerField(default=0)
    closing_ms = models.FloatField(default=CLOSING_MS)
    grab_from = models.PositiveSmallIntegerField(null=True, blank=True)
    grab_note = models.PositiveSmallIntegerField(null=True, blank=True)
    grab_ms = models.FloatField(default=GRAB_MS)

    class Meta:
        ordering = ["position"]

    def __str__(self) -> str:
        return self.name


class PieceMic(models.Model):
    """What one piece says of a mic: its level, its polarity, and where it stands."""

    piece = models.ForeignKey(Piece, models.CASCADE, related_name="mic_gains")
    mic = models.ForeignKey(Mic, models.CASCADE)
    gain_db = models.FloatField(default=0.0)
    is_flipped = models.BooleanField(default=False)
    way = models.CharField(
        max_length=7, blank=True, choices=[(FOLLOWS, FOLLOWS), (STAYS, STAYS)]
    )  # empty: as the mic says
    pan = models.FloatField(null=True, blank=True)  # a place of its own, -100 to 100

    class Meta:
        constraints = [models.UniqueConstraint(fields=["piece", "mic"], name="piece_mic_once")]

    def __str__(self) -> str:
        return f"{self.gain_db} dB"


class Pad(models.Model):
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="pads")
    piece = models.ForeignKey(Piece, models.CASCADE, related_name="pads")
    name = models.CharField(max_length=60, blank=True)  # the articulation, where a piece has several
    kind = models.CharField(max_length=20, choices=[(kind.slug, kind.label) for kind in KINDS], default="other")
    position = models.PositiveIntegerField()  # in the kit; a piece's pads stand together
    gain_db = models.FloatField(default=0.0)
    pan = models.FloatField(default=0.0)
    muted = models.BooleanField(default=False)
    output = models.ForeignKey(Output, models.SET_NULL, null=True, blank=True)

    # What follows what, and what cuts what
    max_voices = models.PositiveSmallIntegerField(default=VOICES)
    rotation = models.CharField(max_length=10, choices=list(ROTATIONS.items()), default="in_turn")
    shared_counter = models.BooleanField(default=False)
    choke = models.ForeignKey(ChokeGroup, models.SET_NULL, null=True, blank=True)
    cuts_itself = models.BooleanField(default=False)
    delay_ms = models.FloatField(default=0.0)

    # Velocity
    dynamics = models.FloatField(default=1.0)
    curve = models.CharField(
        max_length=10, choices=[(name, name) for name in (*CURVE_EXPONENTS, DRAWN)], default="even"
    )
    curve_points = models.JSONField(null=True, blank=True)  # [[velocity in, velocity out], ...] of a drawn curve
    crossfade = models.PositiveSmallIntegerField(default=0)

    # Pitch
    tune_cents = models.FloatField(default=0.0)
    cents_per_key = models.FloatField(default=0.0)
    root = models.PositiveSmallIntegerField(null=True, blank=True)

    # Envelope; without a decay the sound runs to its end
    is_held = models.BooleanField(default=False)
    attack_ms = models.FloatField(default=0.0)
    hold_ms = models.FloatField(default=0.0)
    decay_ms = models.FloatField(null=True, blank=True)
    sustain = models.FloatField(default=0.0)
    release_ms = models.FloatField(default=50.0)

    # Pedals and hands
    open_to = models.PositiveSmallIntegerField(null=True, blank=True)  # of openness; null: it is not shared out
    played_by = models.CharField(max_length=6, choices=list(PLAYED_BY.items()), blank=True)

    # Tone
    filter_kind = models.CharField(max_length=4, choices=list(FILTERS.items()), default="off")
    cutoff_hz = models.FloatField(default=8000.0)
    filter_q = models.FloatField(default=0.7071)
    filter_octaves = models.FloatField(default=0.0)
    weight_db = models.FloatField(default=0.0)
    snap_db = models.FloatField(default=0.0)

    # Variation from hit to hit
    vary_tune_cents = models.FloatField(default=0.0)
    vary_gain_db = models.FloatField(default=0.0)
    vary_pan = models.FloatField(default=0.0)
    vary_delay_ms = models.FloatField(default=0.0)
    random_stream = models.PositiveBigIntegerField(
        null=True, blank=True
    )  # of its variation; its key where nothing is set

    class Meta:
        ordering = ["position"]

    def __str__(self) -> str:
        return self.full_name

    @property
    def full_name(self) -> str:
        return " ".join(filter(None, [self.piece.name, self.name])) or f"Pad {self.position // 10 + 1}"

    @property
    def silences(self) -> list[MuteGroup]:
        return self._mute_groups(SILENCES)

    @property
    def silenced_by(self) -> list[MuteGroup]:
        return self._mute_groups(SILENCED_BY)

    def _mute_groups(self, role: str) -> list[MuteGroup]:
        return sorted((one.group for one in self.mutes.all() if one.role == role), key=lambda group: group.number)


class PadMute(models.Model):
    """What a pad is to a mute group: it silences its members, or is one of them."""

    pad = models.ForeignKey(Pad, models.CASCADE, related_name="mutes")
    group = models.ForeignKey(MuteGroup, models.CASCADE, related_name="+")
    role = models.CharField(max_length=11, choices=[(SILENCES, SILENCES), (SILENCED_BY, SILENCED_BY)])

    class Meta:
        constraints = [models.UniqueConstraint(fields=["pad", "group", "role"], name="pad_mute_once")]

    def __str__(self) -> str:
        return f"{self.role} {self.group}"


class Companion(models.Model):
    """A pad that sounds along when another is struck."""

    pad = models.ForeignKey(Pad, models.CASCADE, related_name="companions")
    other = models.ForeignKey(Pad, models.CASCADE, related_name="+")
    strength = models.FloatField(default=1.0)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["pad", "other"], name="companion_once"),
            models.CheckConstraint(name="companion_is_another", condition=~Q(pad=models.F("other"))),
        ]

    def __str__(self) -> str:
        return f"{self.other} at {self.strength}"


class Map(models.Model):
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="maps")
    name = models.CharField(max_length=60)
    is_default = models.BooleanField(default=False)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["kit"], condition=Q(is_default=True), name="one_default_map_of_a_kit")
        ]

    def __str__(self) -> str:
        return self.name


class MapNote(models.Model):
    map = models.ForeignKey(Map, models.CASCADE, related_name="notes")
    note = models.PositiveSmallIntegerField()
    pad = models.ForeignKey(Pad, models.CASCADE, related_name="notes")

    class Meta:
        ordering = ["note"]
        constraints = [models.UniqueConstraint(fields=["map", "note", "pad"], name="note_strikes_pad_once")]

    def __str__(self) -> str:
        return str(self.note)


class Surface(models.Model):
    """A grid of cells that pads stand in, to play."""

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="surfaces")
    name = models.CharField(max_length=60)
    rows = models.PositiveSmallIntegerField()
    columns = models.PositiveSmallIntegerField()
    banks = models.PositiveSmallIntegerField(default=1)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name

    @property
    def grid(self) -> SurfaceGrid:
        return SurfaceGrid(self.rows, self.columns, self.banks)


class Cell(models.Model):
    """Where a pad stands on a surface; it may stand in several cells."""

    surface = models.ForeignKey(Surface, models.CASCADE, related_name="cells")
    place = models.PositiveSmallIntegerField()  # core.maps.surfaces counts them
    pad = models.ForeignKey(Pad, models.CASCADE, related_name="cells")

    class Meta:
        ordering = ["place"]
        constraints = [models.UniqueConstraint(fields=["surface", "place"], name="cell_holds_one_pad")]

    def __str__(self) -> str:
        return str(self.place)


class DeviceUse(models.Model):
    """What a device plays in this kit; where there is none, the first surface of its shape, else the default map."""

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="device_uses")
    device_id = models.BigIntegerField()  # devices are of no kit, and may be gone
    surface = models.ForeignKey(Surface, models.CASCADE, null=True)  # null: a map is played
    map = models.ForeignKey(Map, models.CASCADE, null=True)  # null with no surface: the default map

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kit", "device_id"], name="device_plays_one_thing")]

    def __str__(self) -> str:
        return f"device {self.device_id}"


class Translation(models.Model):
    """A table from the notes that parts were written for to this kit's pads."""

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="translations")
    name = models.CharField(max_length=80)
    source = models.CharField(max_length=40)  # maps.ways.sources tells what it names

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["kit", "source"], name="source_translated_once")]

    def __str__(self) -> str:
        return self.name


class TranslationNote(models.Model):
    translation = models.ForeignKey(Translation, models.CASCADE, related_name="notes")
    note = models.PositiveSmallIntegerField()
    pad = models.ForeignKey(Pad, models.CASCADE, related_name="translated_notes")
    why = models.CharField(max_length=60)
    is_sure = models.BooleanField()

    class Meta:
        ordering = ["note"]
        constraints = [models.UniqueConstraint(fields=["translation", "note"], name="note_translated_once")]

    def __str__(self) -> str:
        return str(self.note)


class Layer(models.Model):
    pad = models.ForeignKey(Pad, models.CASCADE, related_name="layers")
    high = models.PositiveSmallIntegerField()
    gain_db = models.FloatField(default=0.0)
    random_stream = models.PositiveBigIntegerField(
        null=True, blank=True
    )  # of its random cycle; its key where nothing is set

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
    gain_db = models.FloatField(default=0.0)
    pan = models.FloatField(default=0.0)
    tune_cents = models.FloatField(default=0.0)
    start_frame = models.PositiveBigIntegerField(default=0)  # in its first sample; the other mics start with it
    end_frame = models.PositiveBigIntegerField(null=True, blank=True)  # exclusive; null: to the end
    fade_in_ms = models.FloatField(default=0.0)
    fade_out_ms = models.FloatField(default=0.0)
    is_reversed = models.BooleanField(default=False)
    is_flipped = models.BooleanField(default=False)

    class Meta:
        ordering = ["position"]
        constraints = [
            models.CheckConstraint(
                name="take_ends_after_it_begins",
                condition=Q(end_frame__isnull=True) | Q(end_frame__gt=models.F("start_frame")),
            )
        ]

    def __str__(self) -> str:
        return f"take {self.position + 1}"


class TakeSample(models.Model):
    take = models.ForeignKey(Take, models.CASCADE, related_name="samples")
    mic = models.ForeignKey(Mic, models.CASCADE)
    sample = models.ForeignKey(Sample, models.PROTECT, related_name="uses")
    is_counted_in = models.BooleanField(
        default=False
    )  # start and end of the take count in its frames, whatever its place

    FIRST = ("-is_counted_in", "mic__position")
    """Order of a take's samples: the first is the one that start and end are counted in, then as the kit's mics stand."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["take", "mic"], name="mic_hears_take_once")]

    def __str__(self) -> str:
        return f"{self.sample_id}"


class Version(models.Model):
    """A kit kept by name: a whole snapshot beside its history."""

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=80, blank=True)
    snapshot = models.BinaryField()  # core.kit.Kit as JSON, zlib
    beside = models.JSONField(default=dict)  # what apps above keep with it, by name
    samples = models.JSONField()  # keys of those it plays: they can't be deleted
    changes = models.PositiveIntegerField()  # edits done since the version before it, or since the beginning
    made_at = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["kit", "number"], name="version_number_once")]

    def __str__(self) -> str:
        return self.name or f"Version {self.number}"


class Proposal(Document):
    """Samples on their way to pads: how names and sound would stack them, as changed by hand. Not yet an edit."""

    kit = models.ForeignKey(Kit, models.CASCADE, related_name="proposals")
    pad_id = models.BigIntegerField(null=True)  # the pad it is meant for; null, or a pad that is gone: free pads
    state = models.JSONField()  # core.stack.arrange.to_state, with sample keys in the place of files
    made_at = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        return f"Proposal {self.pk}"

    @property
    def pad(self) -> Pad | None:
        """A pad may go, and come back by undo, while a proposal waits for it."""
        return Pad.objects.filter(pk=self.pad_id, kit=self.kit_id).select_related("piece").first()


class KitFile(models.Model):
    """A kit file on its way in: a package, or a zip of an SFZ and its samples."""

    name = models.CharField(max_length=255)
    stored_as = models.CharField(max_length=60)  # below the incoming folder
    job = models.ForeignKey(Job, models.SET_NULL, null=True)
    kit = models.ForeignKey(Kit, models.CASCADE, null=True)  # once it is open
    notes = models.JSONField(default=list)  # what was not understood, and what will sound different
    became = models.CharField(max_length=120, default="")  # how many kits, pads and samples
    choices = models.JSONField(default=list)  # names of the kits in it, where it holds several
    chosen = models.JSONField(null=True)  # numbers of those that are to be opened, from 0; None: nobody was asked yet
    made_at = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        return self.name
