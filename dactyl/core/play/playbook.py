"""The playbook: flat tables that every player reads, the bounce in Python and the page in JavaScript.

A player matches, counts and looks up; everything that can be known before the hit stands here. A kit's pad is one
``PadTable`` with a region for each take; a region of an SFZ file is a ``PadTable`` of its own.
"""

from dataclasses import dataclass, field

import numpy as np

from dactyl.core.audio.filter import FilterTable
from dactyl.core.audio.prepare import Recipe
from dactyl.core.desk.tables import Desk, plain_desk

ALL_CHANNELS = (0, 15)
EVEN = tuple(range(1, 128))


@dataclass(frozen=True, slots=True)
class MicSound:
    """What one mic heard of a take, and where it goes."""

    recipe: Recipe
    gain: float  # linear, of everything but velocity
    pan: float | None  # of take, pad and piece added, clipped with what a hit adds; None: its image stays as it is
    left: float  # gain times the pan law, for a hit that stays in its place
    right: float
    output: int  # index into Playbook.outputs
    mic: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Region:
    """One take: when it answers, and what then sounds."""

    sounds: tuple[MicSound, ...]
    gains: tuple[float | None, ...]  # [struck velocity - 1]; None where it does not answer
    counter: int | None  # regions with the same counter count together; None: the set of pads that match the hit does
    length: int = 1  # of the counter's cycle ...
    places: tuple[int, ...] = (0,)  # ... and the places in it at which this take sounds
    random: tuple[float, float] = (0.0, 1.0)  # sounds if low <= the hit's draw < high


@dataclass(frozen=True, slots=True)
class EnvelopeTable:
    """In frames, linear. ``decay`` None: full level to the end."""

    attack: int = 0
    hold: int = 0
    decay: int | None = None
    sustain: float = 0.0
    release: int = 0

    @property
    def end(self) -> int | None:
        """The frame from which it is silent, if it ever is."""
        return self.attack + self.hold + self.decay if self.decay is not None and self.sustain <= 0 else None

    @property
    def is_flat(self) -> bool:
        return not self.attack and (self.decay is None or self.sustain >= 1)

    def gains(self, frames: np.ndarray) -> np.ndarray:
        """Level at these frames from the voice's start: float64, 0..1."""
        level = np.ones(len(frames))
        if self.decay is not None:
            fallen = (
                (frames - self.attack - self.hold) / self.decay if self.decay else (frames >= self.attack + self.hold)
            )
            level -= (1 - self.sustain) * np.clip(fallen, 0.0, 1.0)
        if self.attack:
            level = np.where(frames < self.attack, frames / self.attack, level)
        return level


@dataclass(frozen=True, slots=True)
class VariationTable:
    """Cycles of 64 values, one for each strike of a pad (design rule 10)."""

    ratios: tuple[float, ...]
    gains: tuple[float, ...]
    pans: tuple[float, ...]
    delays: tuple[int, ...]  # frames


@dataclass(frozen=True, slots=True, kw_only=True)
class PadTable:
    id: int
    name: str
    piece: str = ""
    piece_id: int | None = (
        None  # of a piece without an id its place in the kit, below 0; None: of an SFZ file, where names tell
    )
    kind: str = "other"
    member: int = 0  # index into Playbook.members
    muted: bool = False
    regions: tuple[Region, ...] = ()
    channels: tuple[int, int] = ALL_CHANNELS  # 0..15, inclusive
    curve: tuple[int, ...] = EVEN  # [struck velocity - 1] -> the velocity that the filter follows
    companions: tuple[tuple[int, float], ...] = ()  # (pad id, strength)
    emits: tuple[str, ...] = ()  # signals that a strike of this pad sends ...
    listens: tuple[tuple[str, int], ...] = ()  # ... and those that cut its voices, with the frames of the fade
    cuts_itself: bool = True  # whether its own signals cut it
    emits_if_sounding: bool = False  # only a strike that makes a voice sends signals
    pool: str = ""  # voices with the same pool count together
    max_voices: int | None = None
    max_note_voices: int | None = None  # of one note
    limit_fade: int = 0  # frames
    envelope: EnvelopeTable = EnvelopeTable()
    is_held: bool = False
    filter: FilterTable | None = None
    delay: int = 0  # frames
    cents_per_key: float = 0.0
    root: int = 60
    variation: VariationTable | None = None


@dataclass(frozen=True, slots=True)
class OutputTable:
    name: str
    group: str = ""  # of outputs, where it is in one
    member: int = 0  # index into Playbook.members
    merged: str = ""  # its name in its own kit, where several sound together
    merged_group: str = ""  # and its group's
    handle: str = ""  # of the lineup: its group there


@dataclass(frozen=True, slots=True, kw_only=True)
class Shares:
    """Pads of a piece that a controller chooses among, from closed to open or from one end to the other (design rule 20)."""

    number: int  # of the controller
    pads: tuple[int, ...]  # indexes into Playbook.pads
    highs: tuple[int, ...]  # the openness that each stretch goes up to; the last 127
    is_turned: bool = False  # 127 is closed
    width: int = 0  # openness over which neighbours blend
    is_pedal: bool = True  # closing cuts what rings more open; else it is where a stroke landed
    fade: int = 0  # frames of that cut
    chick: int | None = None  # the pad that a quick close plays
    splash: int | None = None  # the pad that a quick open behind it plays


@dataclass(frozen=True, slots=True, kw_only=True)
class Grip:
    """How a piece is grabbed."""

    pads: tuple[int, ...]  # all of the piece, indexes into Playbook.pads
    limit: int | None = None  # aftertouch of one of its keys from which on it is
    note: int | None = None  # a note that grabs it
    fade: int = 0  # frames
    sounds: int | None = None  # the pad that is then heard


@dataclass(frozen=True, slots=True, kw_only=True)
class MemberTable:
    """One kit of those that sound together: which hits reach it, and as what (design rule 19)."""

    notes: dict[int, tuple[int, ...]]  # as the part has them -> indexes into Playbook.pads
    name: str = ""
    channels: frozenset[int] | None = None  # 0..15; None: all
    played_as: dict[int, int] = field(default_factory=dict)  # the note that one is for this kit, where it is another
    curve: tuple[int, ...] = EVEN  # [struck velocity - 1] -> the velocity that reaches its pads
    delay: int = 0  # frames
    low: int = 0  # of the part's notes that reach it
    high: int = 127
    seed: int = 0
    draws: bool = False  # whether any of its regions draws a random number
    shares: tuple[Shares, ...] = ()
    grips: tuple[Grip, ...] = ()

    def hears(self, note: int, channel: int) -> bool:
        return self.low <= note <= self.high and (self.channels is None or channel in self.channels)


@dataclass(frozen=True, slots=True)
class Playbook:
    rate_hz: int
    pads: tuple[PadTable, ...]
    notes: dict[int, tuple[int, ...]]  # of a kit by itself: note -> indexes into pads
    outputs: tuple[OutputTable, ...]
    seed: int = 0
    desk: Desk = Desk(())  # a channel for each output; nothing: each leaves as it is
    ambience: frozenset[str] = frozenset()  # mics that are left out where the kit is wanted dry
    name: str = ""  # of a kit by itself
    groups: tuple[str, ...] = ()  # names of the groups of outputs, empty ones too, as their kits have them
    members: tuple[MemberTable, ...] = ()  # kits that sound together, in their order; a kit by itself is one
    shares: tuple[Shares, ...] = ()  # of a kit by itself, as its member has them
    grips: tuple[Grip, ...] = ()
    by_id: dict[int, int] = field(default_factory=dict, compare=False)  # pad id -> index into pads

    def __post_init__(self) -> None:
        self.by_id.update((pad.id, index) for index, pad in enumerate(self.pads))
        if not self.desk.channels:
            object.__setattr__(self, "desk", plain_desk(len(self.outputs)))
        if not self.members:
            alone = MemberTable(
                notes=self.notes, name=self.name, seed=self.seed, draws=self._draws,
                shares=self.shares, grips=self.grips,
            )  # fmt: skip
            object.__setattr__(self, "members", (alone,))

    @property
    def _draws(self) -> bool:
        return any(region.random != (0.0, 1.0) for pad in self.pads for region in pad.regions)

    def struck(self, note: int, channel: int) -> list[int]:
        """Indexes of the pads that a note of this channel strikes."""
        return [
            index
            for member in self.members
            if member.hears(note, channel)
            for index in member.notes.get(note, ())
            if self.pads[index].channels[0] <= channel <= self.pads[index].channels[1]
        ]
