"""Strokes of close microphones, told with all other tracks as evidence.

A stroke is a rise of the levels of a track. What other drums make of it is spill: it comes by a way that is learned from the
recording itself (``ways``), later than in the other drum's own microphone, and duller. What is left over is the track's own.
"""

import itertools
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np

from dactyl.core.hits.cores import on_cores
from dactyl.core.hits.echoes import echoes_of
from dactyl.core.hits.envelopes import Track
from dactyl.core.hits.evidence import evidence
from dactyl.core.hits.forest import forest
from dactyl.core.hits.network import network
from dactyl.core.hits.patches import Patches, patches, pictures
from dactyl.core.hits.rises import CLOSE, Rises, top_of, weights_of
from dactyl.core.hits.ways import Shared, Ways, learned, nearest, shared

FOREST_FILE = Path(__file__).with_name("strokes_by_evidence.json")
NETWORK_FILE = Path(__file__).with_name("strokes_by_picture.json")
Judge = Callable[[np.ndarray], np.ndarray]
"""Evidence, (rises, evidence), to confidences, (rises,)."""
SURE = 0.5
LEAST = 0.008  # confidence by evidence from which on a rise is looked at as a picture
AGAIN_HOPS = 14  # no drum is struck twice within
CLEARLY_OWN = 0.6  # share of a rise that is a drum's own, for it to teach its ways at first
ROUNDS = 2
FIRST_BY = 0.3  # hops
CLEAR_DB, TAUGHT_RANGE_DB = 7.0, 20.0  # of rises that teach at first
FEWEST_FIRST = 0.2  # share of a drum's strokes that begin in its own microphone
NEVER_STRUCK = 0.5  # what strokes of others are worth
TEACHES = 0.6  # from which confidence on a stroke teaches the ways
ECHO_SURE = 0.3  # what is left of the confidence of a drum's further breath
RANGE_DB = 50.0  # below a track's loud strokes nothing is one
WORTH_A_LOOK = 0.03  # confidence; less is no candidate
ALONE_DB = 15.0  # by which a rise is above what the others make of it, for it to be by itself
SOFT = 1e-10


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
    later_ms: float | None = None  # by which it begins after its place, as nearly as its picture tells


def candidates(
    tracks: Sequence[Track], heard_of: Sequence[tuple[np.ndarray, np.ndarray]]
) -> dict[int, list[Candidate]]:
    """All rises of each close track, by its number, with what the others explain of them.

    Over and over: what is surely a stroke teaches the ways, and these tell what is one. Then each is looked at as a picture.
    heard_of : of every track, from ``envelopes.levels_and_spectra``
    """
    heard = on_cores(lambda track, known: Rises.of(track, *known), tracks, heard_of)
    known = weighed(heard, forest(FOREST_FILE).confidences)
    seen = looked_at(heard, known)
    on_cores(lambda number: _judge(known[number], heard[number], *seen[number]), seen)
    _silence(known)
    return {number: list(_told(heard, number, told)) for number, told in known.items()}


def _judge(own: "Weighed", rise: Rises, rows: np.ndarray, seen: Patches) -> None:
    """How sure each rise is by its picture; those that were not looked at are none."""
    sure, later = network(NETWORK_FILE).judged(seen, own.shown_to_network(rise.kind, rows))
    own.sure[:] = 0.0
    own.sure[rows], own.later_ms[rows] = sure, later
    own.sure[~once(rise.places + own.later_ms, own.sure)] = 0.0


def looked_at(heard: Sequence[Rises], known: Mapping[int, "Weighed"]) -> dict[int, tuple[np.ndarray, Patches]]:
    """Of each close track the rises that may be strokes, and their pictures."""
    sure = {number: own.first & (own.sure > TEACHES) for number, own in known.items()}
    seen = pictures(heard, sure)

    def look(number: int) -> tuple[np.ndarray, Patches]:
        own = known[number]
        rows, top = np.flatnonzero(own.sure >= LEAST), top_of(heard[number], sure[number])
        return rows, patches(heard, number, rows, own.ways, own.share.without, seen, top)

    return dict(zip(known, on_cores(look, known), strict=True))


def once(begins: np.ndarray, sure: np.ndarray) -> np.ndarray:
    """Which rises stand: of those nearer than a drum can be struck again the surest."""
    stands = np.ones(len(sure), bool)
    order = np.argsort(begins, kind="stable")
    likely = [int(row) for row in order if sure[row] >= SURE]
    for one, other in itertools.pairwise(likely):
        if begins[other] - begins[one] < AGAIN_HOPS:
            stands[one if sure[one] < sure[other] else other] = False
    return stands


@dataclass(frozen=True)
class Weighed:
    """All that is known of the rises of one track."""

    share: Shared
    ways: Ways
    shown: np.ndarray  # (rises, evidence)
    sure: np.ndarray  # (rises,): confidences
    first: np.ndarray  # (rises,): which begin no later than in any other close track
    later_ms: np.ndarray  # (rises,): by which each begins after its place

    def shown_to_network(self, kind: str, rows: np.ndarray) -> np.ndarray:
        """The evidence of some rises, and which kind of track it is."""
        is_kind = np.array([kind == one for one in CLOSE], np.float32)
        return np.concatenate([self.shown[rows], np.tile(is_kind, (len(rows), 1))], axis=1)


def weighed(heard: Sequence[Rises], judge: Judge) -> dict[int, Weighed]:
    """Every close track that rises, by its number. judge : evidence to confidences"""
    close = [number for number, rise in enumerate(heard) if rise.is_close and len(rise.places)]
    loud = np.array([_loud(rise) for rise in heard])
    first = {number: _is_first(heard, number, close) for number in close}
    clear = {number: first[number] & (heard[number].rise_db >= CLEAR_DB) for number in close}
    sure = {number: heard[number].loud & clear[number] for number in close}
    for _ in range(ROUNDS):
        ways = learned(heard, sure, loud)
        for number in close:
            share = shared(number, heard, ways, loud)
            part = share.own / np.maximum(share.seen @ weights_of(heard[number].role), SOFT)
            loud_enough = heard[number].heights > top_of(heard[number], sure[number]) - TAUGHT_RANGE_DB
            sure[number] = (part > CLEARLY_OWN) & clear[number] & loud_enough
    every = {number: np.ones(len(heard[number].places), bool) for number in close}
    for rows in (first, every):  # spill is never first, and teaches nothing
        ways = learned(heard, sure, loud)
        weigh = partial(_weighed, heard, ways, sure, loud, judge)
        told = dict(zip(close, on_cores(weigh, close, first.values(), rows.values()), strict=True))
        sure = {number: first[number] & (told[number].sure > TEACHES) for number in close}
    _silence(told)
    return told


def _weighed(
    heard: Sequence[Rises],
    ways: Ways,
    sure: Mapping[int, np.ndarray],
    loud: np.ndarray,
    judge: Judge,
    number: int,
    first: np.ndarray,
    rows: np.ndarray,
) -> Weighed:
    """What speaks for each rise of a track, and how sure ``rows`` of them are."""
    share = shared(number, heard, ways, loud)
    shown = evidence(heard, number, ways, share, sure, loud)
    judged = np.zeros(len(shown))
    judged[rows] = judge(shown[rows])
    return Weighed(share, ways, shown, judged, first, np.zeros(len(shown)))


def _silence(known: Mapping[int, Weighed]) -> None:
    """A drum of which hardly a stroke is heard first in its own microphone was not struck at all."""
    for own in known.values():
        struck = own.sure > SURE
        if struck.any() and own.first[struck].mean() < FEWEST_FIRST:
            own.sure[struck] *= NEVER_STRUCK


def _is_first(heard: Sequence[Rises], number: int, close: Sequence[int]) -> np.ndarray:
    """Which rises of a track begin no later than in any other close one: a drum is heard first in its own microphone."""
    own = heard[number].begins
    first = np.ones(len(own), bool)
    for other in close:
        if other != number:
            near, begins = nearest(heard[other], own)
            first &= ~(near & (begins < own - FIRST_BY))
    return first


def _loud(rise: Rises) -> np.ndarray:
    """The power by which the loud rises of a track grow, band by band."""
    if not len(rise.places):
        return np.full(3, SOFT)
    return np.maximum(np.percentile(rise.jumps[:, rise.places], 95, axis=1), SOFT)


def _told(heard: Sequence[Rises], number: int, weighed_: Weighed) -> Iterator[Candidate]:
    rise, share = heard[number], weighed_.share
    sure = weighed_.sure.copy()
    struck = np.flatnonzero(sure > SURE)
    sure[struck[echoes_of(rise.places[struck], rise.heights[struck])]] *= ECHO_SURE
    top = top_of(rise, sure > SURE)
    others = 10 * np.log10(np.maximum(share.others @ weights_of(rise.role), 10 ** (rise.noise_db / 10)))
    for n in np.flatnonzero((rise.heights > top - RANGE_DB) & (sure >= WORTH_A_LOOK)):
        is_alone = share.most[n] < 0 or others[n] < rise.heights[n] - ALONE_DB
        by = "" if is_alone else heard[weighed_.ways.drums[share.most[n]]].name
        yield Candidate(
            int(rise.places[n]), float(rise.heights[n] - top), float(rise.rise_db[n]),
            float(rise.heights[n] - others[n]), float(sure[n]), by, float(rise.heights[n]), float(weighed_.later_ms[n]),
        )  # fmt: skip
