"""Strokes of close microphones, told with all other tracks as evidence.

A stroke is a rise of the levels of a track. What another track explains is spill: a drum arrives in its own microphone
earlier and louder than anywhere else, so each track's level just before, less what is usually lost on the way to this
track, is what is to be expected here of the others. What rises above that is the track's own.
"""

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
import scipy

from dactyl.core.hits.envelopes import BANDS, Track

WEIGHTS = {  # of the bands in which a drum is told from its neighbours
    "kick": (1.0, 0.5, 0.15), "snare": (0.15, 1.0, 0.8), "tom": (0.7, 1.0, 0.3), "hat": (0.0, 0.25, 1.0),
    "ride": (0.0, 0.35, 1.0), "overhead": (0.2, 0.8, 1.0), "room": (0.3, 1.0, 0.6), "other": (0.5, 1.0, 0.7),
}  # fmt: skip
CLOSE = ("kick", "snare", "tom", "hat", "ride", "other")  # roles that stand at one drum
RISE_HOPS = 6  # over which a rise is measured, in ms
BEFORE_HOPS = (9, 2)  # what it is measured against: the quietest of these ms before
LEAST_RISE_DB = 4.5
GAP_HOPS = 14  # between two strokes of one drum
PEAK_HOPS = 8  # in which a stroke reaches its height
ARRIVES_HOPS = (10, 2)  # how much earlier, and later, a drum is in its own microphone
LEAST_LOSS_DB = 7.0  # on the way to another microphone, both measured against their own loudest
WEIGHTS_FILE = Path(__file__).with_name("strokes_by_evidence.json")
CLEARLY_OWN_DB, FEWEST_OWN = 9.0, 4
DROWNED_DB = 12.0  # a drum so much softer in its own microphone than others are there is not struck
ROUNDS = 3
ECHO_HOPS, ECHO_WITHIN, ECHO_SHARE, ECHO_SURE, FEWEST_ECHOES = (15, 200), 3, 0.5, 0.3, 8
RINGS_HOPS = 350  # that a drum explains what is heard elsewhere
NEAR_HOPS = 12  # between a drum's stroke and its arrival elsewhere
RIPPLE_HOPS = (13, 5, 3)  # over which the power of each band is averaged: a low note swings slowly
RANGE_DB = 45.0  # below a track's loud strokes nothing is one


@dataclass(frozen=True, slots=True)
class Candidate:
    """A rise of a track, and what speaks for its being a stroke of its own drum."""

    hop: int
    level_db: float  # its height, against the track's loud strokes
    rise_db: float
    over_db: float  # above what the other tracks explain
    confidence: float  # 0 to 1
    by: str = ""  # the track that explains most of it
    height_db: float = 0.0  # dBFS, in the bands of its drum


def kind_of(role: str) -> str:
    """``"tom 2" -> "tom"``"""
    return role.split()[0] if role.split() and role.split()[0] in WEIGHTS else "other"


def weighted(levels: np.ndarray, role: str) -> np.ndarray:
    """One level for each millisecond, in the bands of the role. levels : (3, hops), dB; returns dB"""
    weights = np.array(WEIGHTS[kind_of(role)])[: len(BANDS), None]
    bands = 10 ** (levels.astype(np.float32) / 10)
    power = sum(
        weight * scipy.ndimage.uniform_filter1d(band, hops)
        for weight, band, hops in zip(weights[:, 0], bands, RIPPLE_HOPS, strict=True)
    )
    return 10 * np.log10(np.maximum(power, 1e-10))


def rises(level: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Places, heights and rises in dB of all that rises in ``level`` (dB, by hop), in time order."""
    if len(level) < PEAK_HOPS:
        return np.zeros(0, int), np.zeros(0), np.zeros(0)
    rise = _rise_of(level)
    best = scipy.ndimage.maximum_filter1d(rise, GAP_HOPS)
    places = np.flatnonzero((rise >= best) & (rise >= LEAST_RISE_DB))
    kept: list[int] = []
    for place in places.tolist():
        if not kept or place - kept[-1] >= GAP_HOPS // 2:
            kept.append(place)
    found = np.array(kept, int)
    tops = highest(level, 0, PEAK_HOPS)
    return found, tops[found] if len(found) else np.zeros(0), rise[found] if len(found) else np.zeros(0)


def _rise_of(level: np.ndarray) -> np.ndarray:
    """How much the level rises at each hop, in dB."""
    smooth = np.convolve(level, np.ones(3) / 3, "same")
    return highest(smooth, 0, RISE_HOPS) + highest(-smooth, -BEFORE_HOPS[0], -BEFORE_HOPS[1])


def highest(level: np.ndarray, first: int, last: int) -> np.ndarray:
    """At each hop the highest of the hops ``first..last`` from it."""
    if not len(level):
        return level
    padded = np.pad(level, (max(0, -first), max(0, last)), mode="edge")
    width = last - first + 1
    return scipy.ndimage.maximum_filter1d(padded, width, origin=-(width // 2))[max(0, first) :][: len(level)]


@dataclass(frozen=True)
class _Rises:
    """What rises in one track, in the bands of its own drum."""

    name: str
    level: np.ndarray  # dB, by hop
    places: np.ndarray
    heights: np.ndarray
    rise_db: np.ndarray
    noise_db: float
    colour: np.ndarray  # of each rise: how much louder its high band is than the rest, in dB
    attack_db: (
        np.ndarray
    )  # of each rise: how much its middle and its high band rise, (2, rises); a ripple of a low note has none

    @classmethod
    def of(cls, track: Track, levels: np.ndarray) -> "_Rises":
        level = weighted(levels, track.role)
        places, heights, rise_db = rises(level)
        noise = float(np.percentile(level, 20)) if len(level) else -100.0
        tops = np.array([highest(band.astype(np.float32), 0, PEAK_HOPS)[places] for band in levels])
        colour = tops[2] - tops[:2].max(axis=0) if len(places) else np.zeros(0)
        attack = (
            np.array([_rise_of(band.astype(np.float32))[places] for band in levels[1:]])
            if len(places)
            else np.zeros((2, 0))
        )
        return cls(track.name, level, places, heights, rise_db, noise, colour, attack)

    @property
    def loud(self) -> np.ndarray:
        """Which of its rises are loud, whatever made them."""
        clear = self.heights[self.rise_db >= 10.0]
        top = np.percentile(clear if len(clear) >= 4 else self.heights, 90) if len(self.heights) else 0.0
        return self.heights > top - 10


def candidates(tracks: Sequence[Track], all_levels: Sequence[np.ndarray]) -> dict[int, list[Candidate]]:
    """All rises of each close track, by its number, with what the others explain of them.

    Twice over: a drum explains what is heard elsewhere only where it was struck by what is known so far.
    all_levels : of every track, from ``envelopes.levels``
    """
    close = [number for number, track in enumerate(tracks) if kind_of(track.role) in CLOSE]
    found = {number: _Rises.of(tracks[number], all_levels[number]) for number in close}
    struck = {number: rise.loud for number, rise in found.items()}
    everywhere = {number: np.ones(len(rise.level), bool) for number, rise in found.items()}
    ringing = everywhere
    weighed: dict[int, tuple[np.ndarray, float, list[str]]] = {}
    for _ in range(ROUNDS):
        weighed = {number: _weighed(number, found, struck, ringing) for number in close}
        struck = {number: found[number].heights - weighed[number][0] > CLEARLY_OWN_DB for number in close}
        ringing = {number: _rings(found[number], struck[number]) for number in close}
    told = {}
    for number in close:
        others = {found[n].name: (found[n], struck[n]) for n in close if n != number}
        told[number] = list(_told(found[number], *weighed[number], others, kind_of(tracks[number].role)))
    return told


def _weighed(
    own: int, found: dict[int, _Rises], struck: dict[int, np.ndarray], ringing: dict[int, np.ndarray]
) -> tuple[np.ndarray, float, list[str]]:
    """What noise and the other drums make be heard at each rise of a track, its own loudness, and what explains most."""
    rise = found[own]
    if not len(rise.places):
        return np.zeros(0), 0.0, []
    others = [_Arrival.of(rise, found[n], struck[n], ringing[n]) for n in found if n != own and struck[n].any()]
    clear, loudest = rise.heights[struck[own]], float(np.percentile(rise.heights, 95))
    top = float(np.percentile(clear, 75)) if len(clear) >= FEWEST_OWN else loudest
    if top < loudest - DROWNED_DB:
        top = loudest
    explained, by = _explained(rise, others, top - LEAST_LOSS_DB)
    return explained, top, by


@dataclass(frozen=True)
class _Arrival:
    """What another drum makes be heard in a track."""

    name: str
    level_db: np.ndarray  # its own, at each rise of the track; -100 where it does not ring
    usual_db: float
    loss_db: float  # on the way here; -100 where it is not heard

    @classmethod
    def of(cls, here: _Rises, other: _Rises, struck: np.ndarray, ringing: np.ndarray) -> "_Arrival":
        arriving = highest(other.level, -ARRIVES_HOPS[0], ARRIVES_HOPS[1])
        at = np.minimum(here.places, len(arriving) - 1)
        heights = other.heights[struck]
        usual = float(np.percentile(heights, 50))
        return cls(other.name, np.where(ringing[at], arriving[at], -100.0), usual, _loss(here, other, struck))


def _explained(rise: _Rises, others: Sequence[_Arrival], most_db: float) -> tuple[np.ndarray, list[str]]:
    """What noise and other drums make be heard at each rise, and which of them most; none's usual stroke over ``most_db``."""
    parts = np.array([
        np.full(len(rise.places), rise.noise_db),
        *(other.level_db + min(other.loss_db, most_db - other.usual_db) for other in others),
    ])  # fmt: skip
    names = ["", *(other.name for other in others)]
    return 10 * np.log10((10 ** (parts / 10)).sum(axis=0)), [names[source] for source in parts.argmax(axis=0)]


def _loss(here: _Rises, other: _Rises, struck: np.ndarray) -> float:
    """What a drum loses on its way here, in dB: of its strokes the quarter in which least is heard, since in the others
    this drum may have been struck too. -100 where a quarter is not heard at all: spill is heard every time."""
    places, heights = other.places[struck], other.heights[struck]
    near = np.clip(np.searchsorted(here.places, places), 1, max(1, len(here.places) - 1))
    heard = []
    for shift in (-1, 0):
        rows = np.clip(near + shift, 0, len(here.places) - 1)
        gap = here.places[rows] - places
        heard.append(np.where((gap >= -2) & (gap <= NEAR_HOPS), here.heights[rows] - heights, -100.0))
    best = np.maximum(*heard)
    best = best[best > -100.0]
    return float(np.percentile(best, 25)) if len(best) >= 3 else -100.0


def _rings(rise: _Rises, struck: np.ndarray) -> np.ndarray:
    """The hops in which a drum that was struck may be heard."""
    rings = np.zeros(len(rise.level) + RINGS_HOPS + 1, np.int32)
    places = rise.places[struck]
    np.add.at(rings, np.maximum(places - ARRIVES_HOPS[0], 0), 1)
    np.add.at(rings, places + RINGS_HOPS, -1)
    return np.cumsum(rings)[: len(rise.level)] > 0


def _told(
    rise: _Rises,
    explained: np.ndarray,
    top: float,
    by: list[str],
    found: dict[str, tuple[_Rises, np.ndarray]],
    kind: str,
) -> Iterator[Candidate]:
    shown = evidence(rise, explained, top, found, kind)
    sure = confidences(shown)
    sure[_own_echoes(rise, sure)] *= ECHO_SURE
    for n in np.flatnonzero(rise.heights > top - RANGE_DB):
        yield Candidate(
            int(rise.places[n]), float(rise.heights[n] - top), float(rise.rise_db[n]),
            float(rise.heights[n] - explained[n]), float(sure[n]), by[n], float(rise.heights[n]),
        )  # fmt: skip


def _own_echoes(rise: _Rises, sure: np.ndarray) -> np.ndarray:
    """Rises that follow most strokes of a track at one distance, softer: the drum's own second breath, no stroke."""
    strokes_ = np.flatnonzero(sure > 0.5)
    if len(strokes_) < FEWEST_ECHOES:
        return np.zeros(0, int)
    places, heights = rise.places[strokes_], rise.heights[strokes_]
    found = []
    for ahead in (1, 2):
        gaps, falls = places[ahead:] - places[:-ahead], heights[:-ahead] - heights[ahead:]
        is_near = (gaps >= ECHO_HOPS[0]) & (gaps <= ECHO_HOPS[1]) & (falls > 1.5)
        found += [(gap, first, first + ahead) for first, gap in enumerate(gaps) if is_near[first]]
    if not found:
        return np.zeros(0, int)
    gaps = np.array([gap for gap, _, _ in found])
    usual = max(gaps, key=lambda gap: int((np.abs(gaps - gap) <= ECHO_WITHIN).sum()))
    echoes = {second for gap, _, second in found if abs(gap - usual) <= ECHO_WITHIN}
    if len(echoes) < ECHO_SHARE * (len(strokes_) - len(echoes)):
        return np.zeros(0, int)
    return strokes_[sorted(echoes)]


# What speaks for a stroke ---------------------------------------------------------------------------------------------

KINDS = ("kick", "snare", "tom", "hat")
NEAREST_HOPS = 16  # to a stroke of another drum, for it to matter


def evidence(
    rise: _Rises, explained: np.ndarray, top: float, found: dict[str, tuple[_Rises, np.ndarray]], kind: str
) -> np.ndarray:
    """What is known of each rise of a track, in tens of dB or of ms: (rises, 10 + kinds).

    found : the other close tracks by name, with which of their rises were strokes
    """
    places, level = rise.places, rise.level
    lag = np.full(len(places), 2.0)
    beside = np.full(len(places), -4.5)  # how loud the nearest stroke of another drum is, against its loud ones
    for other, struck in found.values():
        its = other.places[struck]
        if not len(its):
            continue
        loud = np.percentile(other.heights[struck], 75)
        for shift in (-1, 0):
            rows = np.clip(np.searchsorted(its, places) + shift, 0, len(its) - 1)
            gap = places - its[rows]
            strength = (other.heights[struck][rows] - loud) / 10
            nearer = (np.abs(gap) <= NEAREST_HOPS) & (strength > beside)
            lag, beside = np.where(nearer, gap / 10, lag), np.where(nearer, strength, beside)
    later = np.minimum(places + 30, max(0, len(level) - 1))
    rows = [
        np.clip(rise.rise_db, 0, 40) / 10,
        np.clip(rise.heights - explained, -10, 30) / 10,
        np.clip(rise.heights - top, -45, 10) / 10,
        np.clip(rise.heights - rise.noise_db, 0, 60) / 10,
        lag,
        np.maximum(beside, -4.5),
        np.clip(rise.heights - level[later], -5, 40) / 10 if len(places) else np.zeros(0),
        np.clip(rise.colour - np.median(rise.colour[rise.heights > top - 12] if (rise.heights > top - 12).any() else rise.colour), -25, 25) / 10
        if len(places) else np.zeros(0),
        *(np.clip(attack, 0, 40) / 10 for attack in rise.attack_db),
        *(np.full(len(places), float(kind == each)) for each in KINDS),
    ]  # fmt: skip
    return np.array(rows).T.reshape(len(places), len(rows))


def spread_out(shown: np.ndarray) -> np.ndarray:
    """The evidence, one, and the products of each two."""
    first, second = np.triu_indices(shown.shape[1])
    return np.concatenate([np.ones((len(shown), 1)), shown, shown[:, first] * shown[:, second]], axis=1)


def confidences(shown: np.ndarray) -> np.ndarray:
    """A logistic regression over the evidence, taught by benchmarks/train_strokes.py."""
    return 1 / (1 + np.exp(-np.clip(spread_out(shown) @ _weights(), -30, 30)))


@cache
def _weights() -> np.ndarray:
    return np.array(json.loads(WEIGHTS_FILE.read_text("utf-8"))["weights"])
