"""What rises in a track: places, heights and beginnings of everything that may be a stroke, in the bands of its drum."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy

from dactyl.core.hits.envelopes import BANDS, SPECTRA_HOPS, Track
from dactyl.core.hits.spectra import FLOOR_DB, LOW, SHORT

WEIGHTS = {  # of the bands in which a drum is told from its neighbours
    "kick": (1.0, 0.5, 0.15), "snare": (0.15, 1.0, 0.8), "tom": (0.7, 1.0, 0.3), "hat": (0.0, 0.25, 1.0),
    "ride": (0.0, 0.35, 1.0), "overhead": (0.2, 0.8, 1.0), "room": (0.3, 1.0, 0.6), "other": (0.5, 1.0, 0.7),
}  # fmt: skip
CLOSE = ("kick", "snare", "tom", "hat", "ride", "other")  # roles that stand at one drum
RISE_HOPS = 6  # over which a rise is measured, in ms
BEFORE_HOPS = (9, 2)  # what it is measured against: the quietest of these ms before
LEAST_RISE_DB = 3.0
GAP_HOPS = 12  # between two strokes of one drum
PEAK_HOPS = 8  # in which a stroke reaches its height
RIPPLE_HOPS = (13, 5, 3)  # over which the power of each band is averaged: a low note swings slowly
OWN_HOPS, AROUND_HOPS = 2, 10  # about a rise, in which its own track and others rise by the same strokes
BEGINS_HOPS, AT_SHARE = (10, 7), 0.5  # around a rise, and of it in dB: where it begins
QUICK = (0.2, 1.0, 1.0)  # of the bands, in which what begins first is told
FEWEST_OWN = 4  # strokes that tell how loud a drum's own are
NOISE_SHARE = 20  # percentile of a track's level that is its noise
# What rises in the mean of fifteen bands, where the level of all doesn't; in hops of spectra
OVER_QUIET_DB, QUIET_SHARE = 9.0, 10  # above the quiet of each band, that is told apart from noise
BANDS_RISE_DB, BANDS_BEFORE_HOPS, BANDS_RISE_HOPS, BANDS_GAP_HOPS = 3.0, (3, 1), 1, 3
APART_HOPS, MOVED_HOPS = 10, 5  # of levels: nearer to another it is the same; how far its place is looked for


def kind_of(role: str) -> str:
    """``"tom 2" -> "tom"``"""
    return role.split()[0] if role.split() and role.split()[0] in WEIGHTS else "other"


def power_of(levels: np.ndarray) -> np.ndarray:
    """levels : (3, hops), dB; returns float32 of the same shape"""
    return 10 ** (levels.astype(np.float32) / 10)


def evened(bands: np.ndarray) -> np.ndarray:
    """Power of each band, averaged over its ``RIPPLE_HOPS``, (3, hops)."""
    return np.array([scipy.ndimage.uniform_filter1d(band, n) for band, n in zip(bands, RIPPLE_HOPS, strict=True)])


def weights_of(role: str) -> np.ndarray:
    return np.array(WEIGHTS[kind_of(role)], np.float32)[: len(BANDS)]


def weighted(levels: np.ndarray, role: str) -> np.ndarray:
    """One level for each millisecond, in the bands of the role. levels : (3, hops), dB; returns dB"""
    return _in_bands_of(role, evened(power_of(levels)))


def _in_bands_of(role: str, power: np.ndarray) -> np.ndarray:
    return 10 * np.log10(np.maximum(weights_of(role) @ power, 1e-10))


def rises(level: np.ndarray, least_db: float = LEAST_RISE_DB) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Places, heights and rises in dB of all that rises so much in ``level`` (dB, by hop), in time order."""
    if len(level) < PEAK_HOPS:
        return np.zeros(0, int), np.zeros(0), np.zeros(0)
    rise = rise_of(level)
    best = scipy.ndimage.maximum_filter1d(rise, GAP_HOPS)
    places = np.flatnonzero((rise >= best) & (rise >= least_db))
    kept: list[int] = []
    for place in places.tolist():
        if not kept or place - kept[-1] >= GAP_HOPS // 2:
            kept.append(place)
    found = np.array(kept, int)
    tops = highest(level, 0, PEAK_HOPS)
    return found, tops[found] if len(found) else np.zeros(0), rise[found] if len(found) else np.zeros(0)


def _with_more(places: np.ndarray, level: np.ndarray, spectra: np.ndarray) -> np.ndarray:
    """Also the places where most bands rise, and what rings in one hides it in the level of all."""
    if len(spectra) < BANDS_GAP_HOPS or len(level) < PEAK_HOPS:
        return places
    bands = spectra[:, :SHORT].T.astype(np.float32)
    bands = np.maximum(bands, np.percentile(bands, QUIET_SHARE, axis=1, keepdims=True) + OVER_QUIET_DB)
    first, last = BANDS_BEFORE_HOPS
    risen = np.mean(
        [np.maximum(0, highest(band, 0, BANDS_RISE_HOPS) + highest(-band, -first, -last)) for band in bands], axis=0
    )
    found = np.flatnonzero((risen >= scipy.ndimage.maximum_filter1d(risen, BANDS_GAP_HOPS)) & (risen >= BANDS_RISE_DB))
    rise = rise_of(level)
    known = np.concatenate([[-APART_HOPS], places, [len(level) + APART_HOPS]])
    more = []
    for place in (found * SPECTRA_HOPS).tolist():
        at = np.searchsorted(known, place)
        first, last = max(0, place - MOVED_HOPS), min(len(rise), place + MOVED_HOPS + 1)
        if min(known[at] - place, place - known[at - 1]) >= APART_HOPS and first < last:
            more.append(first + int(np.argmax(rise[first:last])))
    kept: list[int] = []
    for place in np.unique(np.concatenate([places, more]).astype(int)).tolist():
        if not kept or place - kept[-1] >= GAP_HOPS // 2:
            kept.append(place)
    return np.array(kept, int)


def rise_of(level: np.ndarray) -> np.ndarray:
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
class Rises:
    """What rises in one track."""

    name: str
    role: str
    power: np.ndarray  # (3, hops), evened
    quick: np.ndarray  # dB, by hop, of all bands alike in every track: what begins first
    level: np.ndarray  # dB, by hop, in the bands of its drum
    places: np.ndarray
    heights: np.ndarray
    rise_db: np.ndarray
    noise_db: float
    bands: np.ndarray  # power, (3, hops), as it was measured
    spectra: np.ndarray  # dB, (hops of spectra, bands)

    @classmethod
    def of(cls, track: Track, levels: np.ndarray, spectra: np.ndarray) -> "Rises":
        spectra = spectra if len(spectra) else np.full((1, SHORT + LOW), FLOOR_DB, np.float16)  # a track of no length
        bands = power_of(levels)
        power = evened(bands)
        level = _in_bands_of(track.role, power)
        places = _with_more(rises(level)[0], level, spectra)
        heights, rise_db = highest(level, 0, PEAK_HOPS)[places], rise_of(level)[places] if len(places) else np.zeros(0)
        noise = float(np.percentile(level, NOISE_SHARE)) if len(level) else -100.0
        raw = np.array(QUICK, np.float32) @ bands
        quick = 10 * np.log10(np.maximum(scipy.ndimage.uniform_filter1d(raw, 2), 1e-10))
        return cls(track.name, track.role, power, quick, level, places, heights, rise_db, noise, bands, spectra)

    @property
    def kind(self) -> str:
        return kind_of(self.role)

    @property
    def is_close(self) -> bool:
        return self.kind in CLOSE

    @cached_property
    def jumps(self) -> np.ndarray:
        """By how much the power of each band grows at each hop, (3, hops): what rang before is no part of it."""
        lowest_before = [-highest(-band, -BEFORE_HOPS[0], -BEFORE_HOPS[1]) for band in self.power]
        return np.maximum(0.0, self.tops - np.array(lowest_before))

    @cached_property
    def tops(self) -> np.ndarray:
        """What the power of each band comes up to from each hop on, (3, hops)."""
        return np.array([highest(band, 0, PEAK_HOPS) for band in self.power])

    @cached_property
    def _at_once(self) -> np.ndarray:
        return scipy.ndimage.maximum_filter1d(self.jumps, 2 * OWN_HOPS + 1, axis=1)

    @cached_property
    def _about(self) -> np.ndarray:
        return scipy.ndimage.maximum_filter1d(self.jumps, 2 * AROUND_HOPS + 1, axis=1)

    def jumps_at(self, places: np.ndarray, *, is_own: bool) -> np.ndarray:
        """The most by which each band grows at these hops, or in another track about them: (3, places)."""
        seen = self._at_once if is_own else self._about
        return seen[:, np.minimum(places, max(0, seen.shape[1] - 1))] if seen.shape[1] else np.zeros((3, len(places)))

    def most_within(self, places: np.ndarray, first: int, last: int) -> np.ndarray:
        """The most by which each band grows from the hops ``first`` to ``last`` of each place: (3, places)."""
        hops = self.jumps.shape[1]
        if not hops:
            return np.zeros((3, len(places)))
        rows = np.clip(places[:, None] + np.arange(first, last + 1), 0, hops - 1)  # a track may be shorter than others
        return self.jumps[:, rows].max(axis=2)

    @cached_property
    def begins(self) -> np.ndarray:
        """Where each rise has come half its way in dB, in hops and parts of one."""
        if not len(self.places):
            return np.zeros(0)
        smooth = self.quick
        back, ahead = BEGINS_HOPS
        rows = np.clip(self.places[:, None] + np.arange(-back, ahead + 1), 0, len(smooth) - 1)
        seen = smooth[rows]
        top = back + seen[:, back:].argmax(axis=1)
        base = np.min(np.where(np.arange(seen.shape[1]) <= top[:, None], seen, np.inf), axis=1)
        height = np.take_along_axis(seen, top[:, None], 1)[:, 0]
        least = base + AT_SHARE * (height - base)
        under = (seen < least[:, None]) & (np.arange(seen.shape[1]) < top[:, None])
        last = under.shape[1] - 1 - under[:, ::-1].argmax(axis=1)
        last = np.where(under.any(axis=1), last, 0)
        low = np.take_along_axis(seen, last[:, None], 1)[:, 0]
        high = np.take_along_axis(seen, np.minimum(last + 1, seen.shape[1] - 1)[:, None], 1)[:, 0]
        part = np.where(high > low, (least - low) / np.maximum(high - low, 1e-6), 0.0)
        return self.places - back + last + np.clip(part, 0, 1)

    @property
    def loud(self) -> np.ndarray:
        """Which of its rises are loud, whatever made them."""
        clear = self.heights[self.rise_db >= 10.0]
        top = np.percentile(clear if len(clear) >= 4 else self.heights, 90) if len(self.heights) else 0.0
        return self.heights > top - 10


def top_of(rise: Rises, sure: np.ndarray) -> float:
    """How loud a track's own strokes are, dB. sure : which of its rises are"""
    own = rise.heights[sure]
    return float(np.percentile(own, 75) if len(own) >= FEWEST_OWN else np.percentile(rise.heights, 95))
