"""Where the bars of a free recording stand, proposed from its strokes: their period, their beats, the first of each bar.

The period is where the strokes' strength is most like itself, weighted about 120 beats a minute; the beats follow it by
dynamic programming (D. Ellis, "Beat Tracking by Dynamic Programming", Journal of New Music Research 36(1), 2007), so that a
drummer who speeds up is followed; the first of each bar is where kicks stand and snares don't.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

STEP_SECONDS = 0.01
BLUR_SECONDS = 0.02
SLOWEST_SECONDS, FASTEST_SECONDS = 1.2, 0.26  # a beat: 50 to 230 a minute
USUAL_SECONDS, SPREAD_OCTAVES = 0.5, 1.1
TIGHTNESS = 300.0
WINDOW_SECONDS = 30.0  # over which the period is looked for
FEWEST_STROKES, FEWEST_BARS = 12, 2
SNAP_SECONDS = 0.04
METERS = (4, 3)
THREES_NEED = 1.25  # times what fours fit
SURE, LIKELY = 0.6, 0.45

WEIGHTS = {"kick": 1.0, "snare": 1.0, "hat": 0.4, "ride": 0.4}  # by the role of the track, as rises.WEIGHTS has them
OTHER_WEIGHT = 0.5
# What each says of a stroke on the first beat of a bar, on every second one after it, and on the others
OPENING = {"kick": (1.0, 0.3, -0.3), "snare": (-0.8, -0.4, 0.5)}


class Struck(NamedTuple):
    seconds: float
    strength: float  # 0..1
    kind: str  # a key of WEIGHTS, or any other


@dataclass(frozen=True, slots=True)
class Bars:
    """bars : (number, seconds of its first beat), rising."""

    bars: tuple[tuple[int, float], ...]
    beats: int
    beats_a_minute: float  # the middle one
    certainty: float  # 0..1

    @property
    def words(self) -> str:
        return "sure" if self.certainty >= SURE else "likely" if self.certainty >= LIKELY else "a guess"


def propose_bars(strokes: Sequence[Struck], seconds: float) -> Bars | None:
    """None where there are too few strokes to tell. seconds : of the whole recording"""
    strokes = sorted(strokes)
    if len(strokes) < FEWEST_STROKES:
        return None
    strength = _strength(strokes, seconds)
    ways = [way for period in _periods(strength) if (way := _way(strength, period, strokes)) is not None]
    if not ways:
        return None
    ways.sort(key=lambda way: way.score)
    best = ways[-1]
    others = [way.score for way in ways[:-1]]
    clear = 1 - max(0.0, max(others, default=0.0)) / best.score if best.score > 0 else 0.0
    certainty = _evenness(best.beats, strokes) * (0.4 + 0.3 * best.clear + 0.3 * min(1.0, 3 * clear))
    firsts = [
        float(time) for time in best.beats[best.first :: best.meter] if time <= strokes[-1].seconds + SNAP_SECONDS
    ]
    if len(firsts) < FEWEST_BARS:
        return None
    bars = tuple((number, round(time, 4)) for number, time in enumerate(firsts))
    return Bars(bars, best.meter, 60 / float(np.median(np.diff(best.beats))), round(certainty, 3))


@dataclass(frozen=True, slots=True)
class _Way:
    """One way to hear it: beats of one period, in bars of so many."""

    beats: np.ndarray  # seconds
    meter: int
    first: int  # the beat that is the first of a bar
    clear: float  # 0..1
    score: float


def _way(strength: np.ndarray, period: float, strokes: Sequence[Struck]) -> _Way | None:
    beats = _snapped(_beats(strength, period), strokes)
    if len(beats) < 4 * FEWEST_BARS:
        return None
    fits = {meter: _first_of_bar(beats, strokes, meter) for meter in METERS}
    meter = 3 if fits[3][1] > THREES_NEED * max(fits[4][1], 0.0) and fits[3][1] > 0 else 4
    first, fit, clear = fits[meter]
    struck = _share_struck(beats, strokes)
    opened = _share_struck(beats[first::meter], [stroke for stroke in strokes if stroke.kind == "kick"])
    return _Way(beats, meter, first, clear, max(fit, 0.01) * _usual(period) * struck * (1 + opened) / 2)


def _share_struck(beats: np.ndarray, strokes: Sequence[Struck]) -> float:
    """How many of the beats have a stroke on them: a period too short has beats that nobody plays."""
    times = np.array([stroke.seconds for stroke in strokes])
    near = np.searchsorted(times, beats + SNAP_SECONDS) - np.searchsorted(times, beats - SNAP_SECONDS)
    return float((near > 0).mean())


def _strength(strokes: Sequence[Struck], seconds: float) -> np.ndarray:
    """How much is struck in each step, blurred."""
    steps = np.zeros(int(max(seconds, strokes[-1].seconds) / STEP_SECONDS) + 2)
    at = np.array([round(stroke.seconds / STEP_SECONDS) for stroke in strokes])
    weights = [WEIGHTS.get(stroke.kind, OTHER_WEIGHT) * (0.3 + 0.7 * stroke.strength) for stroke in strokes]
    np.add.at(steps, np.clip(at, 0, len(steps) - 1), weights)
    reach = np.arange(-8, 9) * STEP_SECONDS
    return np.convolve(steps, np.exp(-0.5 * np.square(reach / BLUR_SECONDS)), "same")


def _usual(period: float) -> float:
    """How usual a beat of so many steps is."""
    return float(np.exp(-0.5 * np.square(np.log2(period * STEP_SECONDS / USUAL_SECONDS) / SPREAD_OCTAVES)))


def _periods(strength: np.ndarray) -> list[float]:
    """The period of a beat, in steps, and others that it may be heard as."""
    heard = _period(strength)
    least, most = FASTEST_SECONDS / STEP_SECONDS, SLOWEST_SECONDS / STEP_SECONDS
    return [heard * by for by in (1.0, 2.0, 0.5, 1.5, 2 / 3) if least <= heard * by <= most]


def _period(strength: np.ndarray) -> float:
    """Of a beat, in steps: the likeness to itself of all windows together, with that of twice and four times the period."""
    longest = int(4 * SLOWEST_SECONDS / STEP_SECONDS) + 2
    size = int(WINDOW_SECONDS / STEP_SECONDS)
    likeness = np.zeros(longest)
    for begin in range(0, max(1, len(strength) - size // 2), size):
        window = strength[begin : begin + size]
        spectrum = np.fft.rfft(window - window.mean(), 2 * size)
        alike = np.fft.irfft(np.square(np.abs(spectrum)))[:longest]
        likeness += alike / max(float(alike[0]), 1e-9)
    lags = np.arange(int(FASTEST_SECONDS / STEP_SECONDS), int(SLOWEST_SECONDS / STEP_SECONDS) + 1)
    usual = np.exp(-0.5 * np.square(np.log2(lags * STEP_SECONDS / USUAL_SECONDS) / SPREAD_OCTAVES))
    blurred = np.convolve(likeness, [0.25, 0.5, 0.25], "same")
    score = usual * (blurred[lags] + 0.5 * blurred[2 * lags] + 0.5 * blurred[4 * lags])
    best = int(np.argmax(score))
    if 0 < best < len(lags) - 1:  # between the steps, by a parabola
        before, here, behind = score[best - 1 : best + 2]
        bend = before - 2 * here + behind
        return float(lags[best] + (0.5 * (before - behind) / bend if bend else 0.0))
    return float(lags[best])


def _beats(strength: np.ndarray, period: float) -> np.ndarray:
    """Seconds of the beats: the way through the steps that gathers most, at distances near to the period."""
    lags = np.arange(round(period / 2), round(2 * period) + 1)
    cost = -TIGHTNESS * np.square(np.log(lags / period))
    local = strength / max(float(strength.std()), 1e-9)
    total, before = local.copy(), np.full(len(local), -1)
    least = int(lags[0])
    for begin in range(least, len(local), least):  # so many at once look back at what stands already
        steps = np.arange(begin, min(len(local), begin + least))
        back = steps[:, np.newaxis] - lags
        ways = np.where(back >= 0, total[np.maximum(back, 0)] + cost, -np.inf)
        best = ways.argmax(axis=1)
        most = ways[np.arange(len(steps)), best]
        goes_on = most > 0
        total[steps[goes_on]] += most[goes_on]
        before[steps[goes_on]] = (steps - lags[best])[goes_on]
    last = len(total) - 1 - int(np.argmax(total[::-1][: int(lags[-1]) + 1]))
    way = [last]
    while before[way[-1]] >= 0:
        way.append(int(before[way[-1]]))
    return np.array(way[::-1]) * STEP_SECONDS


def _snapped(beats: np.ndarray, strokes: Sequence[Struck]) -> np.ndarray:
    """Each beat at the strongest stroke that is near to it: a step is coarser than a stroke."""
    times = np.array([stroke.seconds for stroke in strokes])
    weights = np.array([WEIGHTS.get(stroke.kind, OTHER_WEIGHT) * (0.3 + stroke.strength) for stroke in strokes])
    found = beats.copy()
    for number, beat in enumerate(beats):
        near = slice(np.searchsorted(times, beat - SNAP_SECONDS), np.searchsorted(times, beat + SNAP_SECONDS))
        if near.start < near.stop:
            found[number] = times[near][int(np.argmax(weights[near]))]
    return found


def _first_of_bar(beats: np.ndarray, strokes: Sequence[Struck], meter: int) -> tuple[int, float, float]:
    """Which beat is the first of a bar, how well that fits (1: each stroke says so), and how clearly better than the others (0..1)."""
    said = np.zeros(
        (meter, 3)
    )  # of a stroke's beat within the bar -> what kinds say of it as first, every second, other
    times = np.array([stroke.seconds for stroke in strokes])
    at = np.clip(np.searchsorted(beats, times - SNAP_SECONDS), 0, len(beats) - 1)
    for stroke, beat in zip(strokes, at, strict=True):
        if stroke.kind in OPENING and abs(beats[beat] - stroke.seconds) <= SNAP_SECONDS:
            said[beat % meter] += np.array(OPENING[stroke.kind]) * (0.3 + 0.7 * stroke.strength)
    most = sum(max(OPENING[s.kind]) * (0.3 + 0.7 * s.strength) for s in strokes if s.kind in OPENING) or 1.0
    fits = []
    for first in range(meter):
        fit = 0.0
        for place in range(meter):
            within = (place - first) % meter
            role = 0 if within == 0 else 1 if meter == 4 and within == 2 else 2
            fit += said[place, role]
        fits.append(fit / most)
    best = int(np.argmax(fits))
    others = max(fit for first, fit in enumerate(fits) if first != best)
    clear = (fits[best] - others) / (abs(fits[best]) + abs(others) + 1e-9)
    return best, fits[best], float(np.clip(2 * clear, 0, 1))


def _evenness(beats: np.ndarray, strokes: Sequence[Struck]) -> float:
    """How near strokes stand to quarters and thirds of beats, against chance; 0..1."""
    times = np.array([stroke.seconds for stroke in strokes])
    times = times[(times >= beats[0]) & (times < beats[-1])]
    if not len(times):
        return 0.0
    places = np.interp(times, beats, np.arange(len(beats))) % 1
    away = min(
        float(np.abs(np.round(places * parts) / parts - places).mean()) * 4 * parts for parts in (4, 3)
    )  # 1 by chance: the mean distance to a grid of that many parts is a quarter of its step
    return float(np.clip(1.3 - 1.3 * away, 0.0, 1.0))
