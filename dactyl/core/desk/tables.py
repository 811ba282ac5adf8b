"""The desk as tables of numbers, which the bounce and the page apply alike (design rule 16).

What is done to the two sides of a channel is linear: one matrix [[LL, LR], [RL, RR]] of what each side becomes of both.
"""

import math
from dataclasses import dataclass

import numpy as np

from dactyl.core.kit import HALL, Kit, Parallel
from dactyl.core.units import db_to_gain, pan_gains

SILENT_DB = -96.0  # and below: silence
PIECE_FRAMES = 16_384  # of one sound worked on at once: what is made of it on the way stays near the processor
STRETCH_FRAMES = 65_536  # worth a job of its own
STEP_FRAMES = 32  # in which the parallel bus's detector looks, from frame 0
LEAST_DB = -120.0  # of what it sees
PARALLEL = "Parallel"  # what its stem is called

Matrix = tuple[float, float, float, float]
"""LL, LR, RL, RR: the left side becomes LL left + LR right."""
AS_IT_IS: Matrix = (1.0, 0.0, 0.0, 1.0)


@dataclass(frozen=True, slots=True)
class Channel:
    """One output on its way out: level, then width about the middle, then balance by the law of rule 6, then the side."""

    level: float = 1.0  # linear: its own, its group's and the master's
    width: float = 1.0
    balance: float = 0.0
    is_hall: bool = False  # its sides change places
    sent: float | None = None  # linear, to its bus: amount and level without the master; None: nothing
    is_muted: bool = False  # also where it is dry: a mute is no level
    bus: int = 0  # index into Desk.compressors: which parallel bus it is
    behind: "Channel | None" = (
        None  # in a lineup, what its desk makes of what leaves here, where that is more than a level
    )

    @property
    def matrix(self) -> Matrix:
        """To its stem."""
        return self.own_matrix if self.behind is None else product(self.behind.matrix, self.own_matrix)

    @property
    def own_matrix(self) -> Matrix:
        """To what is behind it."""
        return _matrix(self, self.level, is_hall=self.is_hall)

    @property
    def sends(self) -> dict[int, Matrix]:
        """To the parallel buses, by their index."""
        found = {} if self.to_bus is None else {self.bus: self.to_bus}
        if self.behind is not None and self.behind.to_bus is not None:
            found[self.behind.bus] = product(self.behind.to_bus, self.own_matrix)
        return found

    @property
    def strip(self) -> tuple[float, float, float, float, float]:
        """Level, what goes to the bus, width, and what balance makes of left and right: what the matrices are made of."""
        return self.level, self.sent or 0.0, self.width, *(pan_gains(self.balance) if self.balance else (1.0, 1.0))

    @property
    def to_bus(self) -> Matrix | None:
        """To its own kit's parallel bus."""
        return None if self.sent is None else _matrix(self, self.sent, is_hall=False)


@dataclass(frozen=True, slots=True)
class Compressor:
    """The parallel bus (Giannoulis, Massberg and Reiss, JAES 60(6), 2012), in steps of ``STEP_FRAMES``."""

    threshold_db: float
    slope: float  # 1/ratio - 1
    knee_db: float
    attack: float  # what stays of the gain's distance to the wanted one in a step, where it falls ...
    release: float  # ... and where it rises
    matrix: Matrix  # its level, the master, the side
    name: str = PARALLEL


@dataclass(frozen=True, slots=True)
class Desk:
    channels: tuple[Channel, ...]  # of the outputs, in their order
    compressors: tuple[Compressor, ...] = ()  # one for each kit that has a parallel bus, and last that of a lineup


def compile_desk(kit: Kit, rate_hz: int) -> Desk:
    is_hall = kit.side == HALL
    groups = {name: group for group in kit.groups for name in group.outputs}
    is_on = kit.parallel.is_on
    channels = []
    for output in kit.outputs:
        group = groups.get(output.name)
        own_db = (output.gain_db, group.gain_db if group else 0.0)
        is_muted = output.muted or (group is not None and group.muted)
        amount_db = output.parallel_db if is_on else None
        channels.append(Channel(
            level=level(*own_db, kit.master_db, is_muted=is_muted),
            width=output.width,
            balance=output.balance,
            is_hall=is_hall,
            is_muted=is_muted,
            sent=None if amount_db is None else level(*own_db, is_muted=is_muted) * level(amount_db),
        ))  # fmt: skip
    compressors = (compressor_of(kit.parallel, kit.master_db, rate_hz, is_hall=is_hall),) if is_on else ()
    return Desk(tuple(channels), compressors)


def plain_desk(outputs: int) -> Desk:
    """Return a desk that does nothing."""
    return Desk(tuple(Channel() for _ in range(outputs)))


def dry_desk(desk: Desk) -> Desk:
    """Return the desk of a dry bounce: each output as it leaves the kit, and muted ones silent (design rules 12 and 18)."""
    return Desk(tuple(Channel(level=0.0 if one.is_muted else 1.0, is_muted=one.is_muted) for one in desk.channels))


def level(*levels_db: float, is_muted: bool = False) -> float:
    """Return the linear gain of some levels added: silence where one of them, or their sum, is -96 dB or less (rule 16)."""
    total_db = sum(levels_db)
    return 0.0 if is_muted or min(*levels_db, total_db) <= SILENT_DB else db_to_gain(total_db)


def _matrix(channel: Channel, gain: float, *, is_hall: bool) -> Matrix:
    near, far = (1 + channel.width) / 2, (1 - channel.width) / 2
    left, right = pan_gains(channel.balance) if channel.balance else (1.0, 1.0)
    matrix = (gain * left * near, gain * left * far, gain * right * far, gain * right * near)
    return (*matrix[2:], *matrix[:2]) if is_hall else matrix


def compressor_of(asked: Parallel, master_db: float, rate_hz: int, *, is_hall: bool) -> Compressor:
    gain = level(asked.gain_db, master_db)
    return Compressor(
        threshold_db=asked.threshold_db,
        slope=1 / asked.ratio - 1,
        knee_db=asked.knee_db,
        attack=_staying(asked.attack_ms, rate_hz),
        release=_staying(asked.release_ms, rate_hz),
        matrix=(0.0, gain, gain, 0.0) if is_hall else (gain, 0.0, 0.0, gain),
    )


def _staying(time_ms: float, rate_hz: int) -> float:
    """exp(-32 / (time x rate)); 0 for no time."""
    return math.exp(-STEP_FRAMES / (time_ms / 1000 * rate_hz)) if time_ms > 0 else 0.0


def product(after: Matrix, before: Matrix) -> Matrix:
    """Return what both do, one after the other."""
    made = np.reshape(after, (2, 2)) @ np.reshape(before, (2, 2))
    return tuple(float(value) for value in made.ravel())


def is_even(matrix: Matrix) -> bool:
    """Whether what is the same on both sides stays so."""
    left_left, left_right, right_left, right_right = matrix
    return left_left + left_right == right_left + right_right


def become(audio: np.ndarray, matrix: Matrix) -> None:
    """audio : float32, (2, frames), changed in place. A level alone is one product."""
    if matrix != AS_IT_IS:
        audio[0], audio[1] = _combine(audio, matrix[:2]), _combine(audio, matrix[2:])


def _combine(sides: np.ndarray, row: tuple[float, float]) -> np.ndarray:
    """What one side becomes of both."""
    (left, right), (of_left, of_right) = sides, map(np.float32, row)
    if not of_right:
        return left * of_left
    if not of_left:
        return right * of_right
    made = left * of_left
    made += right * of_right
    return made


def pieces_of(first: int, last: int, longest: int) -> list[slice]:
    """Of frames ``first..last``."""
    return [slice(start, min(last, start + longest)) for start in range(first, last, longest)]


def steps_of(frames: int) -> int:
    """The last one may be cut short."""
    return -(-frames // STEP_FRAMES)
