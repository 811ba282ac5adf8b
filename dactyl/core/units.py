"""Conversions between the units that stand in names: frames, ms, dB, pan, gain."""

import math
from collections.abc import Sequence


def ms_to_frames(time_ms: float, rate_hz: int) -> int:
    return math.floor(time_ms * rate_hz / 1000 + 0.5)


def frames_to_ms(frames: int, rate_hz: int) -> float:
    return frames * 1000 / rate_hz


def resampled_frames(frames: int, from_hz: int, to_hz: int) -> int:
    """Frames that ``frames`` at one rate become at another: floor(n * to / from + 1/2), in integers."""
    return (2 * frames * to_hz + from_hz) // (2 * from_hz)


def db_to_gain(level_db: float) -> float:
    return 10 ** (level_db / 20)


def gain_to_db(gain: float, *, floor_db: float = -144.0) -> float:
    """dB of a linear gain; ``floor_db`` for silence (24 bits span 144 dB)."""
    return max(floor_db, 20 * math.log10(gain)) if gain > 0 else floor_db


def pan_gains(pan: float) -> tuple[float, float]:
    """Left and right gain for ``pan`` in -1..1; unity in the centre (design rule 6: the sine law, scaled by sqrt 2)."""
    if pan == 0:
        return 1.0, 1.0
    theta = (min(1.0, max(-1.0, pan)) + 1) * math.pi / 4
    return math.sqrt(2) * math.cos(theta), math.sqrt(2) * math.sin(theta)


DEPTHS = ("16", "24", "32f")
"""Bits of a sound file's values; 32f are floats."""
DYNAMICS = (("pp", 1, 24), ("p", 25, 44), ("mp", 45, 64), ("mf", 65, 84), ("f", 85, 108), ("ff", 109, 127))
"""Musical dynamics and the velocities they span, inclusive."""


def told_apart(names: Sequence[str]) -> list[str]:
    """Return names of which no two are alike, whatever their case: "Tom", "Tom 2". Each keeps its own where it is free."""
    taken = {name.lower() for name in names}
    given: set[str] = set()
    result = []
    for name in names:
        number, free = 1, name
        while free.lower() in given or (number > 1 and free.lower() in taken):
            number += 1
            free = f"{name} {number}"
        given.add(free.lower())
        result.append(free)
    return result


def counted(count: int, noun: str) -> str:
    """``"1 pad"``, ``"3 pads"``, ``"60,000 hits"``"""
    return f"{count} {noun}" if count == 1 else f"{count:,} {noun}s"
