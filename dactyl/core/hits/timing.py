"""Where a stroke begins, to the frame: where it first passes -34 dB of its own peak in its own microphone."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dactyl.core.hits.envelopes import HOP_SECONDS, Track

STARTS_DB = -34.0
BEFORE_MS, PEAK_MS = 16.0, 12.0  # looked at before the place of the rise, and behind it for the peak
FLOOR_MS = (14.0, 5.0)  # before the rise: what was there already
OVER_FLOOR = 1.6  # a stroke is not seen below what was there
HIGH_DB = -11.0  # near enough to the peak that spill does not reach it
SPILL_MS = 1.2  # by which a rise must be longer than usual, for spill to have come first
TOLD_MS = 1.0  # by which what the sound shows and what the picture tells may differ, for the first to be believed
BEFORE_ATTACK_MS, ATTACK_MS, REACH_MS = 0.5, 6.0, 3.0  # of what is compared, and how far from a time it is looked for
FEWEST_ATTACKS, MOST_ATTACKS, SHAPES, LIKE = 3, 12, 3, 0.6  # strokes that tell; of them taken; the least correlation
LIKELY_MS, NEARER = 1.5, 0.15  # what lies nearer to the time is likelier
TINY = 1e-12
QUIET_MS = 0.9  # of stillness before a stroke: a crossing of zero does not end the walk back


@dataclass(frozen=True, slots=True)
class Begin:
    frame: int  # at which a stroke begins
    high: int  # at which it stands ``HIGH_DB`` below its peak
    is_clear: bool  # what was there before did not hide its first part


def begins(track: Track, hop: int) -> Begin:
    """Of the stroke that rises at ``hop``."""
    rate = track.rate_hz
    rise = round(hop * HOP_SECONDS * rate)
    start = max(0, rise - round(BEFORE_MS * rate / 1000))
    sound = track.read(start, min(track.frames, rise + round(PEAK_MS * rate / 1000))).mean(axis=0, dtype=np.float64)
    if len(sound) < 8:
        return Begin(rise, rise, False)
    at = rise - start
    before = sound[max(0, at - round(FLOOR_MS[0] * rate / 1000)) : max(1, at - round(FLOOR_MS[1] * rate / 1000))]
    offset = _at_share(before, 0.5)
    size = np.abs(sound - offset)
    first = max(0, at - round(4.0 * rate / 1000))
    top = first + int(np.argmax(size[first:]))
    peak = float(size[top])
    floor = _at_share(np.abs(before - offset), 0.98)
    lowest = peak * 10 ** (STARTS_DB / 20)
    least = max(lowest, min(OVER_FLOOR * floor, 0.5 * peak))
    quiet = QUIET_MS * rate / 1000
    started = _passed(size[: top + 1], least, quiet)
    high = _passed(size[: top + 1], peak * 10 ** (HIGH_DB / 20), quiet)
    return Begin(start + started, start + max(started, high), least <= lowest)


def _at_share(values: np.ndarray, share: float) -> float:
    """The value that this share of ``values`` does not pass: a tenth of the time of numpy's quantile for so few."""
    place = round(share * (len(values) - 1))
    return float(np.partition(values, place)[place])


def of_itself(begin: Begin, attack: float, rate_hz: int, *, is_alone: bool) -> int:
    """Where a stroke begins among others, whose spill may come first or hide its first part: it takes as long to rise as
    it does alone.

    attack : frames from the beginning to ``HIGH_DB``, as the drum's strokes take that are alone
    """
    takes, usual = begin.high - begin.frame, SPILL_MS * rate_hz / 1000
    is_spill_first = not is_alone and takes > attack + usual
    is_hidden = not begin.is_clear and takes < attack - usual
    return round(begin.high - attack) if is_spill_first or is_hidden else begin.frame


def near_told(frame: int, seconds: float, rate_hz: int) -> int:
    """The frame where the sound shows that a stroke begins; where its picture tells quite another time, that."""
    told = round(seconds * rate_hz)
    return frame if abs(frame - told) <= TOLD_MS * rate_hz / 1000 else told


@dataclass(frozen=True)
class Attacks:
    """How a drum's strokes begin, as they sound by themselves: what is like it tells where another of them begins."""

    shapes: tuple[np.ndarray, ...]  # without offset, of unit length; each stands ``BEFORE_ATTACK_MS`` before its stroke

    @classmethod
    def of(cls, track: Track, frames: Sequence[int]) -> "Attacks":
        """frames : where strokes surely begin, in time order"""
        before, length = _frames(BEFORE_ATTACK_MS, track), _frames(BEFORE_ATTACK_MS + ATTACK_MS, track)
        parts = [_mono(track, frame - before, frame - before + length) for frame in frames if frame >= before]
        rows = np.array([_normal(part) for part in parts if len(part) == length])
        if len(rows) < FEWEST_ATTACKS:
            return cls(())
        usual = np.argsort(-(rows @ rows.T).sum(axis=1), kind="stable")[:SHAPES]
        return cls(tuple(rows[usual]))

    def near(self, track: Track, seconds: float) -> int | None:
        """The frame near a time from which on the track sounds most like a beginning; None where nothing does."""
        if not self.shapes:
            return None
        told, reach, length = round(seconds * track.rate_hz), _frames(REACH_MS, track), len(self.shapes[0])
        first = max(0, told - reach - _frames(BEFORE_ATTACK_MS, track))
        sound = _mono(track, first, first + 2 * reach + length)
        if len(sound) < length:
            return None
        sums, squares = (np.cumsum(np.concatenate([[0.0], values])) for values in (sound, np.square(sound)))
        sizes = squares[length:] - squares[:-length] - np.square(sums[length:] - sums[:-length]) / length
        like = np.max([np.correlate(sound, shape) for shape in self.shapes], axis=0) / np.sqrt(np.maximum(sizes, TINY))
        at = first + np.arange(len(like)) + _frames(BEFORE_ATTACK_MS, track)
        away = (at - told) / _frames(LIKELY_MS, track)
        best = int(np.argmax(like * np.exp(-NEARER * np.square(away))))
        return int(at[best]) if like[best] >= LIKE else None


def _frames(ms: float, track: Track) -> int:
    return round(ms * track.rate_hz / 1000)


def _mono(track: Track, first: int, stop: int) -> np.ndarray:
    return track.read(first, min(stop, track.frames)).mean(axis=0, dtype=np.float64)


def _normal(part: np.ndarray) -> np.ndarray:
    part = part - part.mean()
    return part / max(float(np.linalg.norm(part)), TINY)


def _passed(size: np.ndarray, level: float, quiet: float) -> int:
    """Where ``size`` passes ``level`` for the last time out of stillness, on its way to its end."""
    over = np.flatnonzero(size >= level)
    if not len(over):
        return len(size) - 1
    gaps = np.flatnonzero(np.diff(over) > quiet)
    return int(over[gaps[-1] + 1] if len(gaps) else over[0])
