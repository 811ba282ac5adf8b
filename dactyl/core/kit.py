"""A kit as frozen values. The database makes them; playing, bouncing and checking take nothing else."""

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field

from dactyl.core.errors import KitError
from dactyl.core.kinds import BY_SLUG

MAX_VELOCITY = 127
CURVE_EXPONENTS = {"soft": 0.6, "even": 1.0, "hard": 1.6}
ROTATIONS = {"in_turn": "in turn", "random": "random", "no_repeat": "random, no repeat", "all": "all together"}
FILTERS = {"off": "off", "low": "low pass", "high": "high pass", "band": "band pass"}
MAIN = "Main"
STOOL, HALL = "stool", "hall"
SIDES = {STOOL: "the stool", HALL: "the hall"}
FOLLOWS, STAYS = "follows", "stays"  # what a piece may say of a mic's pan
NOTES = 128
FADE_MS = 8.0  # of a cut, where no group says otherwise
MAX_SIDE, MAX_BANKS = 32, 16  # rows or columns, and banks, of a surface
SHARED_BY = {"": "Nothing", "pedal": "A pedal", "place": "Where it was hit"}  # what chooses among the pads of a piece
PLAYED_BY = {"": "Strokes only", "chick": "A quick close", "splash": "A quick open", "grab": "A grab"}
CLOSING_MS, GRAB_MS = 60.0, 80.0
VOICES = 16  # of a pad, where nothing else is set
STRENGTHS = (0.01, 2.0)  # of a companion
MOST_ID = 1 << 63  # what databases and readers of JSON hold

Curve = str | tuple[tuple[float, float], ...]
"""A key of CURVE_EXPONENTS, or points (velocity in, velocity out) that lines join, both 1..127 and rising in the first."""


@dataclass(frozen=True, slots=True)
class Sample:
    """What a take needs to know of a sample; its sound is fetched by ``sha256``."""

    sha256: str
    frames: int
    rate_hz: int
    channels: int  # 1 or 2


@dataclass(frozen=True, slots=True, kw_only=True)
class Take:
    id: int
    samples: tuple[
        tuple[str, Sample], ...
    ]  # (mic, sample): start and end count in the first; the others as the kit's mics
    start_frame: int = 0  # in the first sample; the others start at the same time
    end_frame: int | None = None  # in the first sample, exclusive; None: where each sample ends
    fade_in_ms: float = 0.0
    fade_out_ms: float = 0.0
    is_reversed: bool = False
    is_flipped: bool = False  # polarity
    tune_cents: float = 0.0
    gain_db: float = 0.0
    pan: float = 0.0  # -1..1
    enabled: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class Layer:
    """Answers velocities ``low..high``, inclusive."""

    id: int
    low: int
    high: int
    takes: tuple[Take, ...]
    gain_db: float = 0.0
    random_stream: int | None = None  # of its cycle; its id where nothing is set

    @property
    def stream(self) -> int:
        return self.id if self.random_stream is None else self.random_stream

    def __post_init__(self) -> None:
        if not 1 <= self.low <= self.high <= MAX_VELOCITY:
            raise KitError(f"A layer cannot run from velocity {self.low} to {self.high}.")


@dataclass(frozen=True, slots=True, kw_only=True)
class ChokeGroup:
    letter: str
    fade_ms: float = FADE_MS


@dataclass(frozen=True, slots=True, kw_only=True)
class MuteGroup:
    """One-way: some pads silence its members and are not silenced by them."""

    number: int
    fade_ms: float = FADE_MS


@dataclass(frozen=True, slots=True, kw_only=True)
class Envelope:
    """Linear, in ms (design rule 8). ``decay_ms`` None: no decay, the sound runs to its end."""

    attack_ms: float = 0.0
    hold_ms: float = 0.0
    decay_ms: float | None = None
    sustain: float = 0.0  # 0..1; 0 for a one-shot
    release_ms: float = 0.0  # after a note-off, where the pad is held


@dataclass(frozen=True, slots=True, kw_only=True)
class Filter:
    """``cutoff_hz`` is what velocity 127 opens to; softer hits close by ``octaves`` at most (design rule 9)."""

    kind: str = "off"  # a key of FILTERS
    cutoff_hz: float = 20_000.0
    q: float = 0.7071
    octaves: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Variation:
    """How far each hit strays (design rule 10): the delay from 0 to its amount, the others to either side."""

    tune_cents: float = 0.0
    gain_db: float = 0.0
    pan: float = 0.0  # 0..1
    delay_ms: float = 0.0

    @property
    def is_off(self) -> bool:
        return not (self.tune_cents or self.gain_db or self.pan or self.delay_ms)


@dataclass(frozen=True, slots=True, kw_only=True)
class Pad:
    id: int
    name: str
    layers: tuple[Layer, ...]  # softest first, without gap or overlap
    kind: str = "other"  # a key of kinds.BY_SLUG
    root: int | None = None  # the note at which a pad on a key range is not shifted; None: its lowest
    cents_per_key: float = 0.0
    tune_cents: float = 0.0
    gain_db: float = 0.0
    pan: float = 0.0
    muted: bool = False
    choke: ChokeGroup | None = None
    cuts_itself: bool = False
    silences: tuple[MuteGroup, ...] = ()
    silenced_by: tuple[MuteGroup, ...] = ()
    companions: tuple[tuple[int, float], ...] = ()  # (pad id, one of STRENGTHS)
    max_voices: int = VOICES
    delay_ms: float = 0.0  # by which it sounds behind its hits
    rotation: str = "in_turn"
    shared_counter: bool = False
    dynamics: float = 1.0  # 0: every velocity as loud; 1: the full square law
    curve: Curve = "even"
    crossfade: int = 0  # velocities over which neighbouring layers blend
    is_held: bool = False  # a note-off releases it; else it is a one-shot
    envelope: Envelope = Envelope()
    filter: Filter = Filter()
    weight_db: float = 0.0  # of the low end
    snap_db: float = 0.0  # of the transient
    variation: Variation = Variation()
    random_stream: int | None = None  # of its variation; its id where nothing is set
    output: str | None = None
    open_to: int | None = None  # the openness up to which it stands for its piece; None: it is not shared out
    played_by: str = ""  # a key of PLAYED_BY: what plays it besides strokes

    def __post_init__(self) -> None:
        self._check_values()
        lows = [layer.low for layer in self.layers]
        follows = [1, *(layer.high + 1 for layer in self.layers)]
        if self.layers and lows + [MAX_VELOCITY + 1] != follows:
            raise KitError(f"The layers of {self.name} leave a gap or overlap: they must cover 1 to 127 once.")

    @property
    def stream(self) -> int:
        return self.id if self.random_stream is None else self.random_stream

    def _check_values(self) -> None:
        """What has a form of its own; numbers have their limits in core/fields.py."""
        wrong = [
            ("kind", self.kind, self.kind in BY_SLUG),
            ("rotation", self.rotation, self.rotation in ROTATIONS),
            ("velocity curve", self.curve, not isinstance(self.curve, str) or self.curve in CURVE_EXPONENTS),
            ("drawn curve", self.curve, isinstance(self.curve, str) or is_drawn(self.curve)),
            ("filter", self.filter.kind, self.filter.kind in FILTERS),
            ("way to be played", self.played_by, self.played_by in PLAYED_BY),
        ]
        for name, value, is_right in wrong:
            if not is_right:
                raise KitError(f"{str(value)[:40]} is not a {name} that {self.name} can have.")


def is_drawn(points: tuple[tuple[float, float], ...]) -> bool:
    """Whether they make a curve of velocities."""
    rising = [x for x, _ in points]
    return len(points) >= 2 and all(a < b for a, b in zip(rising, rising[1:], strict=False))


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    id: int = 0  # 0: it has none, and nothing points at it
    name: str
    pads: tuple[Pad, ...]
    gain_db: float = 0.0
    pan: float = 0.0
    output: str | None = None
    place_x: float | None = (
        None  # on the floor plan, -100 the player's left to 100; None: where its kind usually stands
    )
    place_y: float | None = None  # 0 the front to 100 the player
    colour: str = ""  # a key of fields.COLOURS
    mic_gains_db: tuple[tuple[str, float], ...] = ()  # of some mics, for this piece only
    mic_pans: tuple[tuple[str, float | str], ...] = ()  # of some mics: FOLLOWS, STAYS, or a place of its own, -1..1
    mic_flips: tuple[str, ...] = ()  # mics whose polarity is turned for this piece
    shared_by: str = ""  # a key of SHARED_BY: what chooses among its pads (design rule 20)
    controller: int = 4  # that says how open it is, or where it was struck; 4 is the foot controller
    is_turned: bool = False  # 127 is closed
    blend: int = 0  # openness over which neighbouring pads blend
    closing_ms: float = CLOSING_MS
    grab_from: int | None = None  # aftertouch of one of its keys from which on it is grabbed
    grab_note: int | None = None  # a note that grabs it
    grab_ms: float = GRAB_MS


@dataclass(frozen=True, slots=True, kw_only=True)
class Mic:
    name: str
    gain_db: float = 0.0
    follows_pan: bool = True
    is_ambience: bool = False  # an overhead or a room: left out where the kit is wanted dry
    output: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Output:
    """A way out of the kit, and its channel on the desk (design rule 16)."""

    name: str
    gain_db: float = 0.0
    width: float = 1.0  # 0 mono, 1 as it is, 2 twice as wide
    balance: float = 0.0  # -1..1
    muted: bool = False
    parallel_db: float | None = None  # how much of it goes to the parallel bus; None: nothing


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputGroup:
    """One handle for several outputs; an output is in one group at most."""

    name: str
    gain_db: float = 0.0
    muted: bool = False
    outputs: tuple[str, ...] = ()
    colour: str = ""  # a key of fields.COLOURS


@dataclass(frozen=True, slots=True, kw_only=True)
class Parallel:
    """The parallel bus: a compressed copy of what the outputs send to it."""

    is_on: bool = False
    threshold_db: float = -24.0
    ratio: float = 4.0
    attack_ms: float = 10.0
    release_ms: float = 120.0
    knee_db: float = 6.0
    gain_db: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Surface:
    """A grid of cells that pads stand in, to play; core.maps.surfaces counts its places."""

    name: str
    rows: int
    columns: int
    banks: int = 1
    cells: tuple[tuple[int, int], ...] = ()  # (place, pad id)


@dataclass(frozen=True, slots=True, kw_only=True)
class NoteMap:
    """Which notes strike which pads; a note may strike several, and a pad have several."""

    name: str = "Notes"
    notes: tuple[tuple[int, int], ...] = ()  # (note, pad id)

    def __post_init__(self) -> None:
        wrong = next((note for note, _ in self.notes if not 0 <= note < NOTES), None)
        if wrong is not None:
            raise KitError(f"Map {self.name[:60]} holds the note {wrong}; notes are numbers from 0 to {NOTES - 1}.")

    def by_pad(self) -> dict[int, tuple[int, ...]]:
        """The notes of each pad that has some, by its id."""
        found: dict[int, list[int]] = {}
        for note, pad in self.notes:
            found.setdefault(pad, []).append(note)
        return {pad: tuple(notes) for pad, notes in found.items()}


@dataclass(frozen=True, slots=True, kw_only=True)
class Kit:
    name: str
    pieces: tuple[Piece, ...]
    outputs: tuple[Output, ...] = (Output(name=MAIN),)
    mics: tuple[Mic, ...] = field(default=(Mic(name="close"),))
    seed: int = 0
    surfaces: tuple[Surface, ...] = ()
    maps: tuple[NoteMap, ...] = (NoteMap(),)  # the first is the default one, which parts and files use
    groups: tuple[OutputGroup, ...] = ()
    parallel: Parallel = Parallel()
    master_db: float = 0.0
    side: str = STOOL  # a key of SIDES: from where it is heard

    def __post_init__(self) -> None:
        outputs, mics = {output.name for output in self.outputs}, {mic.name for mic in self.mics}
        if not self.outputs or self.outputs[0].name != MAIN or len(outputs) < len(self.outputs):
            raise KitError(f"The first output of a kit is {MAIN}, and no two share a name.")
        if not mics or len(mics) < len(self.mics):
            raise KitError("A kit has a mic, and no two share a name.")
        if not self.maps:
            raise KitError("A kit has a map of its notes.")
        asked = [self.mics, self.pieces, *(piece.pads for piece in self.pieces)]
        for row in (row for rows in asked for row in rows):
            if row.output is not None and row.output not in outputs:
                raise KitError(f"{row.name} goes to output {row.output}, which the kit does not have.")
        self._check_groups(outputs)
        self._check_identity()
        for piece in self.pieces:
            _check_mics_of(piece, mics)
        for _, pad in self.pads():
            for layer in pad.layers:
                for take in layer.takes:
                    _check_take(pad, take, mics)

    def _check_groups(self, outputs: set[str]) -> None:
        members = [name for group in self.groups for name in group.outputs]
        if len({group.name for group in self.groups}) < len(self.groups):
            raise KitError("No two groups of outputs share a name.")
        if len(set(members)) < len(members):
            twice = next(name for name, count in Counter(members).items() if count > 1)
            raise KitError(f"Output {twice[:40]} is in two groups; one at most can hold it.")
        if strange := next((name for name in members if name not in outputs), None):
            raise KitError(f"A group names output {strange[:40]}, which the kit does not have.")
        if self.side not in SIDES:
            raise KitError(f"{self.side[:40]} is no side that a kit is heard from; stool and hall are.")

    def _check_identity(self) -> None:
        """Pads and layers are told apart by id, and a group has one fade, whoever cuts (design rule 3)."""
        pads = [pad for _, pad in self.pads()]
        pieces = [piece.id for piece in self.pieces if piece.id]
        layers = [layer.id for pad in pads for layer in pad.layers]
        for what, ids in (("pieces", pieces), ("pads", [p.id for p in pads]), ("layers", layers)):
            if len(set(ids)) < len(ids):
                twice = next(number for number, count in Counter(ids).items() if count > 1)
                raise KitError(f"Two {what} of {self.name[:40]} have the id {twice}; each needs its own.")
        if strange := next((number for number in pieces if not 0 < number < MOST_ID), None):
            raise KitError(f"A piece of {self.name[:40]} has the number {str(strange)[:40]}, which none can have.")
        for row in (row for pad in pads for row in (pad, *pad.layers)):
            if not (abs(row.id) < MOST_ID and 0 <= row.stream < MOST_ID):
                number = str(row.id if abs(row.id) >= MOST_ID else row.stream)[:40]
                raise KitError(f"A pad or layer of {self.name[:40]} has the number {number}, which none can have.")
        fades: dict[tuple[str, str | int], float] = {}
        for pad in pads:
            groups = [("Choke group", pad.choke.letter, pad.choke.fade_ms)] if pad.choke else []
            groups += [("Mute group", group.number, group.fade_ms) for group in (*pad.silences, *pad.silenced_by)]
            for kind, name, fade_ms in groups:
                if fades.setdefault((kind, name), fade_ms) != fade_ms:
                    raise KitError(
                        f"{kind} {name} has two fades, {fades[kind, name]:g} and {fade_ms:g} ms; a group has one."
                    )

    @property
    def has_plain_desk(self) -> bool:
        """Whether its desk is nothing but levels of outputs."""
        outputs = all((o.width, o.balance, o.muted) == (1.0, 0.0, False) for o in self.outputs)
        return outputs and not (self.groups or self.parallel.is_on or self.master_db) and self.side != HALL

    def pads(self) -> Iterator[tuple[Piece, Pad]]:
        for piece in self.pieces:
            for pad in piece.pads:
                yield piece, pad

    def notes(self) -> dict[int, tuple[int, ...]]:
        """The notes of each pad that has some in the default map, by its id."""
        return self.maps[0].by_pad()


@dataclass(frozen=True)
class SomePads:
    """Some pads of a kit, with the desk, mics and groups that they need: read where the other pads make no difference.

    It is not a kit: a bounce, a check or a package of it would lack the other pads in silence. Who needs nothing but these pads
    (their tables, their answer to a velocity, their sounds for another kit) says so by taking ``alone``.
    """

    alone: Kit
    """The kit as if it had no other pads. Companions may name pads that are not in it."""


def _check_mics_of(piece: Piece, mics: set[str]) -> None:
    """What a piece says of some mics."""
    said = ([name for name, _ in piece.mic_gains_db], [name for name, _ in piece.mic_pans], piece.mic_flips)
    for names in said:
        if len(set(names)) < len(names) or not set(names) <= mics:
            strange = next((name for name in names if name not in mics), names[0] if names else "")
            raise KitError(
                f"Piece {piece.name[:40]} says something of mic {strange[:40]} twice, or the kit has no such mic."
            )
    for name, pan in piece.mic_pans:
        if pan not in (FOLLOWS, STAYS) if isinstance(pan, str) else not -1 <= pan <= 1:
            raise KitError(
                f"Mic {name[:40]} of piece {piece.name[:40]} stands at {str(pan)[:20]}; {FOLLOWS}, {STAYS} or -1 to 1 can be."
            )


def _check_take(pad: Pad, take: Take, mics: set[str]) -> None:
    heard = {mic for mic, _ in take.samples}
    if not heard or len(heard) < len(take.samples) or not heard <= mics:
        named = ", ".join(mic for mic, _ in take.samples)
        raise KitError(f"A take of {pad.name} names its mics wrongly: {named[:60] or 'none'}.")
    for _, sample in take.samples:
        if sample.frames < 1 or sample.channels not in (1, 2) or not 1000 <= sample.rate_hz <= 768_000:
            raise KitError(f"A take of {pad.name} has a sample without sound, or at a rate no file has.")
    if take.start_frame < 0 or (take.end_frame is not None and take.end_frame <= take.start_frame):
        raise KitError(f"A take of {pad.name} ends before it begins.")


def pan_of(piece: Piece, pad: Pad, take: Take, mic: Mic) -> tuple[float | None, float]:
    """Return the sum of pans that a hit's own is added to, before the clip of rule 6 (None where the mic stands by itself),
    and where the mic stands while nothing is added."""
    own = dict(piece.mic_pans).get(mic.name)
    if isinstance(own, float | int):
        return None, own
    if own == STAYS or (own is None and not mic.follows_pan):
        return None, 0.0
    pan = take.pan + pad.pan + piece.pan
    return pan, min(1.0, max(-1.0, pan))


def check_whole(kit: Kit) -> None:
    """What a kit that came whole, as in a package, must hold besides: nothing in it may point outside. raises : KitError"""
    known, (low, high) = {pad.id for _, pad in kit.pads()}, STRENGTHS
    for _, pad in kit.pads():
        for other, strength in pad.companions:
            if other not in known or other == pad.id:
                raise KitError(f"{pad.name} names a companion that is no other pad of the kit ({other}).")
            if not low <= strength <= high:
                raise KitError(f"A companion of {pad.name} has strength {strength:g}; {low:g} to {high:g} can be.")
    for surface in kit.surfaces:
        if any(not 0 <= place < surface.rows * surface.columns * surface.banks for place, _ in surface.cells):
            raise KitError(f"Surface {surface.name[:60]} has a pad outside its cells.")
    for name, pads in [(s.name, s.cells) for s in kit.surfaces] + [(m.name, m.notes) for m in kit.maps]:
        if any(pad not in known for _, pad in pads):
            raise KitError(f"{name[:60]} names a pad that the kit does not have.")
    for _, pad in kit.pads():
        for take in (take for layer in pad.layers for take in layer.takes):
            frames = take.samples[0][1].frames
            if take.start_frame >= frames or (take.end_frame or 0) > frames:
                raise KitError(f"A take of {pad.name} starts or ends behind its sample, which has {frames} frames.")
