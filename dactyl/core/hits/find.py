"""A recording of several microphones to hits: their times, levels, velocities, and how sure each is.

Worked in stretches of some minutes, so that memory does not grow with the recording. What it finds of recorded drums that
it was not taught on says docs/hearing.md.
"""

from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np

from dactyl.core.hits.cores import CORES, on_cores
from dactyl.core.hits.envelopes import FLOOR_DB, HOP_SECONDS, Track, in_blocks, levels, levels_and_spectra
from dactyl.core.hits.rises import CLOSE, PEAK_HOPS, kind_of, rises, weighted
from dactyl.core.hits.strokes import SURE, Candidate, candidates
from dactyl.core.hits.timing import FEWEST_ATTACKS, MOST_ATTACKS, Attacks, begins, near_told, of_itself

STRETCH_SECONDS, OVERLAP_SECONDS = 240, 2
READ_SECONDS = 10
NEAR_SECONDS, AROUND_SECONDS = 0.03, 0.4  # how near a rise is looked for, and what is listened to around it
LEAST_BY_HAND_DB = 4.5  # of a rise that a hand points at: nearer ripples are none
CLEAR_SECONDS = 0.001  # within which sound and picture of a stroke agree, for its attack to be taken for the drum's
FEWEST_ALONE = 5  # strokes, to know how a drum begins by itself
FIRM_VELOCITY = 112  # of a track's loud strokes
CYMBAL_RISE_DB, CYMBAL_SURE = 14.0, 0.6  # what only the overheads tell


@dataclass(frozen=True, slots=True)
class FoundHit:
    time: float  # seconds from the recording's beginning
    frame: int  # of its own file
    level_db: float  # of its height in the bands of its drum, dBFS
    velocity: int
    confidence: float
    why: str


@dataclass(frozen=True, slots=True)
class Found:
    track: Track
    hits: tuple[FoundHit, ...]
    unsure: tuple[FoundHit, ...] = ()  # candidates that were not taken


def find_hits(
    tracks: Sequence[Track], thresholds_db: Mapping[str, float] | None = None
) -> Iterator[float | list[Found]]:
    """Yields how much is done, 0 to 1, and at last what was found of each track.

    thresholds_db : by the track's name: what is softer is no hit
    """
    seconds = max((track.frames / track.rate_hz for track in tracks), default=0.0)
    told: list[list[tuple[Candidate, int]]] = [[] for _ in tracks]
    stretches = max(1, int(np.ceil(seconds / STRETCH_SECONDS)))
    for stretch in range(stretches):
        begin = max(0.0, stretch * STRETCH_SECONDS - OVERLAP_SECONDS)
        end = min(seconds, (stretch + 1) * STRETCH_SECONDS)
        parts = [_part(track, begin, end) for track in tracks]
        every, pool = [], ThreadPoolExecutor(CORES)
        try:
            for one in pool.map(levels_and_spectra, parts):
                every.append(one)
                yield (stretch + 0.9 * len(every) / len(tracks)) / stretches
        finally:
            pool.shutdown(cancel_futures=True)  # where it was cancelled, the rest is not begun
        first_hop = round((stretch * STRETCH_SECONDS - begin) / HOP_SECONDS)
        shift = round(begin / HOP_SECONDS)
        found = candidates(parts, every)
        for number, candidate in _all(parts, [known for known, _ in every], found):
            if candidate.hop >= first_hop:
                told[number].append((candidate, candidate.hop + shift))
    softest = [(thresholds_db or {}).get(track.name) for track in tracks]
    yield on_cores(_found, tracks, told, softest)


def rise_near(track: Track, seconds: float, within: float = NEAR_SECONDS) -> tuple[float, float, bool]:
    """The rise of a track nearest to a time: (seconds, level in dBFS there, whether it is one); else the time itself."""
    begin = max(0.0, seconds - AROUND_SECONDS)
    part = _part(track, begin, seconds + AROUND_SECONDS)
    level = weighted(levels(part), track.role)
    places, heights, _ = rises(level, LEAST_BY_HAND_DB)
    away = np.abs(places * HOP_SECONDS + begin - seconds)
    if not len(places) or away.min() > within:
        hop = min(max(0, len(level) - 1), round((seconds - begin) / HOP_SECONDS))
        return seconds, float(level[hop]) if len(level) else FLOOR_DB, False
    nearest = int(np.argmin(away))
    frame = begins(part, int(places[nearest])).frame
    return begin + frame / track.rate_hz, float(heights[nearest]), True


def _part(track: Track, begin: float, end: float) -> Track:
    """A stretch of a track, as a track of its own."""
    first, last = (min(track.frames, round(seconds * track.rate_hz)) for seconds in (begin, end))
    return replace(track, read=lambda a, b: track.read(first + a, min(last, first + b)), frames=last - first)


def _all(
    parts: Sequence[Track], every: Sequence[np.ndarray], found: Mapping[int, list[Candidate]]
) -> Iterator[tuple[int, Candidate]]:
    """What close microphones tell, and of the overheads what no close one explains: cymbals."""
    struck = sorted(candidate.hop for own in found.values() for candidate in own if candidate.confidence >= SURE)
    for number, own in found.items():
        yield from ((number, candidate) for candidate in own)
    for number, part in enumerate(parts):
        if kind_of(part.role) != "overhead":
            continue
        places, heights, rise_db = rises(weighted(every[number], part.role))
        near = np.searchsorted(struck, places)
        for place, height, rise, at in zip(places, heights, rise_db, near, strict=True):
            beside = [struck[n] for n in (at - 1, at) if 0 <= n < len(struck)]
            if (
                place < len(every[number][0]) - PEAK_HOPS
                and rise >= CYMBAL_RISE_DB
                and all(abs(place - hop) > 25 for hop in beside)
            ):
                yield number, Candidate(int(place), float(height), float(rise), float(rise), CYMBAL_SURE, "")


def _found(track: Track, told: Sequence[tuple[Candidate, int]], threshold_db: float | None) -> Found:
    if not told:
        return Found(track, ())
    is_close = kind_of(track.role) in CLOSE
    heights = np.array([candidate.height_db if is_close else candidate.level_db for candidate, _ in told])
    sure = np.array([candidate.confidence >= SURE for candidate, _ in told])
    loud = float(np.percentile(heights[sure], 75)) if sure.any() else float(heights.max())
    hits, unsure, last = [], [], -1
    held = in_blocks(track, READ_SECONDS)
    places = [begins(held, hop) for _, hop in told]
    alone = [
        begin.high - begin.frame
        for (candidate, _), begin, taken in zip(told, places, sure, strict=True)
        if taken and begin.is_clear and not candidate.by
    ]
    attack = float(np.median(alone)) if len(alone) >= FEWEST_ALONE else None
    frames = [
        begin.frame if attack is None else of_itself(begin, attack, track.rate_hz, is_alone=not candidate.by)
        for (candidate, _), begin in zip(told, places, strict=True)
    ]
    frames = _as_attacks(track, told, frames, heights, sure)
    for (candidate, _), frame, height, taken in zip(told, frames, heights, sure, strict=True):
        velocity = int(np.clip(round(FIRM_VELOCITY * 10 ** ((height - loud) / 40)), 1, 127))
        hit = FoundHit(frame / track.rate_hz, frame, float(height), velocity, candidate.confidence, _why(candidate))
        if threshold_db is not None:
            taken = taken and height >= threshold_db
        if taken and frame > last:
            hits.append(hit)
            last = frame
        elif not taken:
            unsure.append(hit)
    return Found(track, tuple(hits), tuple(unsure))


def _as_attacks(
    track: Track, told: Sequence[tuple[Candidate, int]], frames: Sequence[int], heights: np.ndarray, sure: np.ndarray
) -> list[int]:
    """Where strokes begin: as the drum's clear ones do, near where their pictures tell; else where the sound shows it, or they."""
    seconds = [hop * HOP_SECONDS + (candidate.later_ms or 0.0) / 1000 for candidate, hop in told]
    if any(candidate.later_ms is None for candidate, _ in told):
        return list(frames)
    apart = np.abs(np.array(frames) / track.rate_hz - seconds)
    clear = np.flatnonzero(sure & (apart <= CLEAR_SECONDS))
    loudest = clear[
        np.argsort(-heights[clear], kind="stable")[: max(FEWEST_ATTACKS, min(MOST_ATTACKS, len(clear) // 2))]
    ]
    attacks = Attacks.of(track, [frames[row] for row in np.sort(loudest)])
    found, held = [], in_blocks(track, READ_SECONDS)
    for second, frame, taken in zip(seconds, frames, sure, strict=True):
        like = attacks.near(held, second) if taken else None
        found.append(near_told(frame, second, track.rate_hz) if like is None else like)
    return found


def _why(candidate: Candidate) -> str:
    other = f"; {candidate.by} sounded too" if candidate.by else ""
    return f"rises by {candidate.rise_db:.0f} dB, {candidate.over_db:.0f} dB over what the others explain{other}"
