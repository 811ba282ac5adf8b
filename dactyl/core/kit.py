"""A kit as frozen values. The database makes them; playing, bouncing and checking take nothing else."""

from collections.abc import Iterator
from dataclasses import dataclass, field

from dactyl.core.errors import KitError

MAX_VELOCITY = 127
CURVE_EXPONENTS = {"soft": 0.6, "even": 1.0, "hard": 1.6}
ROTATIONS = {"in_turn": "in turn", "random": "random", "no_repeat": "random, no repeat", "all": "all together"}
FILTERS = {"off": "off", "low": "low pass", "high": "high pass", "band": "band pass"}
MAIN = "Main"
FADE_MS = 8.0  # of a cut, where no group says otherwise
VOICES = 16  # of a pad, where nothing else is set

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
    samples: tuple[tuple[str, Sample], ...]  # (mic, sample), in the order of the kit's mics
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
    notes: tuple[int, ...] = ()
    root: int | None = None  # the note at which a pad on a key range is not shifted
    cents_per_key: float = 0.0
    tune_cents: float = 0.0
    gain_db: float = 0.0
    pan: float = 0.0
    muted: bool = False
    choke: ChokeGroup | None = None
    cuts_itself: bool = False
    silences: tuple[MuteGroup, ...] = ()
    silenced_by: tuple[MuteGroup, ...] = ()
    companions: tuple[tuple[int, float], ...] = ()  # (pad id, strength 0..1)
    max_voices: int = VOICES
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
    output: str | None = None

    def __post_init__(self) -> None:
        lows = [layer.low for layer in self.layers]
        follows = [1, *(layer.high + 1 for layer in self.layers)]
        if self.layers and lows + [MAX_VELOCITY + 1] != follows:
            raise KitError(f"The layers of {self.name} leave a gap or overlap: they must cover 1 to 127 once.")


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    name: str
    kind: str
    pads: tuple[Pad, ...]
    gain_db: float = 0.0
    pan: float = 0.0
    output: str | None = None
    mic_gains_db: tuple[tuple[str, float], ...] = ()  # of some mics, for this piece only


@dataclass(frozen=True, slots=True, kw_only=True)
class Mic:
    name: str
    gain_db: float = 0.0
    follows_pan: bool = True
    output: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Output:
    name: str
    gain_db: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Kit:
    name: str
    pieces: tuple[Piece, ...]
    outputs: tuple[Output, ...] = (Output(name=MAIN),)
    mics: tuple[Mic, ...] = field(default=(Mic(name="close"),))
    seed: int = 0

    def pads(self) -> Iterator[tuple[Piece, Pad]]:
        for piece in self.pieces:
            for pad in piece.pads:
                yield piece, pad
