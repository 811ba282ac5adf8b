"""A kit as frozen values. The database makes them; playing, bouncing and checking take nothing else."""

from collections.abc import Iterator
from dataclasses import dataclass, field

from dactyl.core.errors import KitError

MAX_VELOCITY = 127
CURVE_EXPONENTS = {"soft": 0.6, "even": 1.0, "hard": 1.6}
ROTATIONS = {"in_turn": "in turn", "random": "random", "no_repeat": "random, no repeat", "all": "all together"}
MAIN = "Main"


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
    fade_ms: float = 8.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Pad:
    id: int
    name: str
    layers: tuple[Layer, ...]  # softest first, without gap or overlap
    notes: tuple[int, ...] = ()
    gain_db: float = 0.0
    pan: float = 0.0
    muted: bool = False
    choke: ChokeGroup | None = None
    cuts_itself: bool = False
    max_voices: int = 16
    rotation: str = "in_turn"
    dynamics: float = 1.0  # 0: every velocity as loud; 1: the full square law
    curve: str = "even"
    crossfade: int = 0  # velocities over which neighbouring layers blend
    shared_counter: bool = False
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
