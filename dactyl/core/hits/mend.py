"""What a person decides over what was found: thresholds, hits taken, left, moved and added; and how loud each is."""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from dactyl.core.errors import PartError

SOFT_VELOCITY, HARD_VELOCITY = 28, 112  # what the two levels of a curve become
USUAL_SPAN_DB = 24.0  # between them: a velocity goes down by half with 12 dB
LOUD_PERCENTILE = 75  # of the levels of a track: robust against a few that stand out
MOST_BARS = 4000


@dataclass(frozen=True, slots=True)
class TrackHit:
    """A candidate as it was found, or a hit that a person put in."""

    time: float  # seconds from the recording's zero
    level_db: float
    confidence: float
    why: str = ""
    velocity: int | None = None  # where a person has set it; else its level and the curve say


@dataclass(frozen=True, slots=True)
class Mend:
    """One decision: over the candidate at ``place``, or about a hit of its own where that is None."""

    is_hit: bool
    place: int | None = None
    time: float | None = None  # where a person put it
    level_db: float | None = None  # of the sound there
    velocity: int | None = None


def mended(
    found: Sequence[TrackHit], mends: Iterable[Mend], *, softest_db: float | None = None, least_sure: float = 0.5
) -> list[TrackHit]:
    """The hits that are taken, in time order: over both thresholds, unless a person has decided."""
    decided = {mend.place: mend for mend in mends if mend.place is not None}
    least = -np.inf if softest_db is None else softest_db
    taken = []
    for place, hit in enumerate(found):
        mend = decided.get(place)
        if mend.is_hit if mend else hit.confidence >= least_sure and hit.level_db >= least:
            taken.append(_as_mended(hit, mend) if mend else hit)
    taken += [_as_mended(TrackHit(0.0, 0.0, 1.0, "put in by hand"), mend) for mend in mends if mend.place is None and mend.is_hit]  # fmt: skip
    return sorted(taken, key=lambda hit: hit.time)


def _as_mended(hit: TrackHit, mend: Mend) -> TrackHit:
    set_values = {"time": mend.time, "level_db": mend.level_db, "velocity": mend.velocity}
    return replace(hit, confidence=1.0, **{name: value for name, value in set_values.items() if value is not None})


def usual_curve(found: Sequence[TrackHit], least_sure: float = 0.5) -> tuple[float, float]:
    """(soft, hard) in dBFS from the levels of a track itself."""
    levels = [hit.level_db for hit in found if hit.confidence >= least_sure] or [hit.level_db for hit in found]
    hard = float(np.percentile(levels, LOUD_PERCENTILE)) if levels else -12.0
    return hard - USUAL_SPAN_DB, hard


def velocity_of(level_db: float, soft_db: float, hard_db: float) -> int:
    """As loud as it was: ``SOFT_VELOCITY`` at ``soft_db``, ``HARD_VELOCITY`` at ``hard_db``, by equal ratios between and beyond."""
    share = (hard_db - level_db) / max(hard_db - soft_db, 0.1)
    return int(np.clip(round(HARD_VELOCITY * (SOFT_VELOCITY / HARD_VELOCITY) ** share), 1, 127))


def bar_lines(anchors: Mapping[int, float], seconds: float) -> list[float]:
    """The time of the first beat of each bar, from one at or before 0 to one at or behind ``seconds``.

    Straight between what a person set, and beyond it as at its ends. anchors : seconds by number of the bar, at least two,
    rising in both
    """
    numbers, times = zip(*sorted(anchors.items()), strict=True)
    first_bar = (times[1] - times[0]) / (numbers[1] - numbers[0])
    last_bar = (times[-1] - times[-2]) / (numbers[-1] - numbers[-2])
    before = max(0, math.ceil(times[0] / first_bar))
    behind = max(0, math.ceil((seconds - times[-1]) / last_bar))
    if before + behind + numbers[-1] - numbers[0] > MOST_BARS:
        raise PartError(f"These bars would be more than {MOST_BARS:,}. Set the bar lines further apart.")
    between = np.interp(range(numbers[0], numbers[-1] + 1), numbers, times)
    lines = [times[0] - n * first_bar for n in range(before, 0, -1)]
    lines += [*map(float, between), *(times[-1] + n * last_bar for n in range(1, behind + 1))]
    begins = max(n for n, line in enumerate(lines) if line <= 0 or n == 0)
    return lines[begins:]
