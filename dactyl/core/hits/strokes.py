"""Strokes of close microphones, told with all other tracks as evidence.

A stroke is a rise of the levels of a track. What other drums make of it is spill: it comes by a way that is learned from the
recording itself (``ways``), later than in the other drum's own microphone, and duller. What is left over is the track's own.
"""

import itertools
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from dactyl.core.hits.cores import on_cores
from dactyl.core.hits.envelopes import Track
from dactyl.core.hits.forest import forest
from dactyl.core.hits.network import network
from dactyl.core.hits.patches import Patches, patches, pictures
from dactyl.core.hits.rises import CLOSE, Rises, highest, weights_of
from dactyl.core.hits.ways import Shared, Ways, learned, nearest, shared

FOREST_FILE = Path(__file__).with_name("strokes_by_evidence.json")
NETWORK_FILE = Path(__file__).with_name("strokes_by_picture.json")
SURE = 0.5
LEAST = 0.008  # confidence by evidence from which on a rise is looked at as a picture
AGAIN_HOPS = 14  # no drum is struck twice within
CLEARLY_OWN, FEWEST_OWN = 0.6, 4  # share of a rise that is a drum's own, for it to teach its ways at first
ROUNDS = 2
FIRST_BY = 0.3  # hops
CLEAR_DB, TAUGHT_RANGE_DB = 7.0, 20.0  # of rises that teach at first
FEWEST_FIRST, NEVER_STRUCK = (
    0.2,
    0.5,
)  # share of a drum's strokes that begin in its own microphone; and what others are worth
TEACHES = 0.6  # from which confidence on a stroke teaches the ways
ECHO_HOPS, ECHO_WITHIN, ECHO_SHARE, ECHO_SURE, FEWEST_ECHOES = (15, 200), 3, 0.4, 0.3, 8
ECHO_AHEAD, ECHO_FALL_DB, ECHO_ALIKE_DB = 3, 1.5, 4.0
RANGE_DB = 50.0  # below a track's loud strokes nothing is one
ECHOES_HOPS = (40, 3)
ABOVE_HOPS = (-2, 12)  # after a stroke, in which the overheads hear it
UNKNOWN, USUAL_LAG = 2.0, 2.5  # of a lag, in tens of ms; and of a way that is not known, in hops
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
    heard = on_cores(lambda pair: Rises.of(pair[0], *pair[1]), list(zip(tracks, heard_of, strict=True)))
    known = weighed(heard, forest(FOREST_FILE).confidences)
    look, seen = network(NETWORK_FILE).judged, looked_at(heard, known)

    def judge(number: int) -> None:
        own, (rows, pictures_) = known[number], seen[number]
        sure, later = look(pictures_, own.shown_to_network(heard[number].kind, rows))
        own.sure[:] = 0.0
        own.sure[rows], own.later_ms[rows] = sure, later
        own.sure[~_once(heard[number].places + own.later_ms, own.sure)] = 0.0

    on_cores(judge, seen)
    _silence(heard, known)
    return {number: list(_told(heard, number, told)) for number, told in known.items()}


def looked_at(heard: Sequence[Rises], known: Mapping[int, "Weighed"]) -> dict[int, tuple[np.ndarray, Patches]]:
    """Of each close track the rises that may be strokes, and their pictures."""
    close = list(known)
    sure = {number: _is_first(heard, number, close) & (known[number].sure > TEACHES) for number in close}
    seen = pictures(heard, sure)

    def look(number: int) -> tuple[np.ndarray, Patches]:
        own = known[number]
        rows, top = np.flatnonzero(own.sure >= LEAST), _top(heard[number], sure[number])
        return rows, patches(heard, number, rows, own.ways, own.share.without, seen, top)

    return dict(zip(known, on_cores(look, known), strict=True))


def _once(begins: np.ndarray, sure: np.ndarray) -> np.ndarray:
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
    later_ms: np.ndarray  # (rises,): by which each begins after its place

    def shown_to_network(self, kind: str, rows: np.ndarray) -> np.ndarray:
        """The evidence of some rises, and which kind of track it is."""
        is_kind = np.array([kind == one for one in CLOSE], np.float32)
        return np.concatenate([self.shown[rows], np.tile(is_kind, (len(rows), 1))], axis=1)


def weighed(heard: Sequence[Rises], judge: Callable[[np.ndarray], np.ndarray]) -> dict[int, Weighed]:
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
            loud_enough = heard[number].heights > _top(heard[number], sure[number]) - TAUGHT_RANGE_DB
            sure[number] = (part > CLEARLY_OWN) & clear[number] & loud_enough
    told: dict[int, Weighed] = {}
    for round_ in range(ROUNDS):
        ways = learned(heard, sure, loud)

        def weigh(
            number: int,
            ways: Ways = ways,
            sure: Mapping[int, np.ndarray] = sure,
            *,
            is_last: bool = round_ == ROUNDS - 1,
        ) -> Weighed:
            share = shared(number, heard, ways, loud)
            shown = evidence(heard, number, ways, share, sure, loud)
            judged = np.zeros(len(shown))
            rows = np.ones(len(shown), bool) if is_last else first[number]  # spill is never first, and teaches nothing
            judged[rows] = judge(shown[rows])
            return Weighed(share, ways, shown, judged, np.zeros(len(shown)))

        told = dict(zip(close, on_cores(weigh, close), strict=True))
        sure = {number: first[number] & (told[number].sure > TEACHES) for number in close}
    _silence(heard, told)
    return told


def _silence(heard: Sequence[Rises], known: Mapping[int, Weighed]) -> None:
    """A drum of which hardly a stroke is heard first in its own microphone was not struck at all."""
    for number, own in known.items():
        struck = own.sure > SURE
        if struck.any() and _is_first(heard, number, list(known))[struck].mean() < FEWEST_FIRST:
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


def _top(rise: Rises, sure: np.ndarray) -> float:
    """How loud its own strokes are, dB."""
    own = rise.heights[sure]
    return float(np.percentile(own if len(own) >= FEWEST_OWN else rise.heights, 75 if len(own) >= FEWEST_OWN else 95))


def _told(heard: Sequence[Rises], number: int, weighed_: Weighed) -> Iterator[Candidate]:
    rise, share = heard[number], weighed_.share
    sure = weighed_.sure.copy()
    struck = np.flatnonzero(sure > SURE)
    sure[struck[echoes_of(rise.places[struck], rise.heights[struck])]] *= ECHO_SURE
    top = _top(rise, sure > SURE)
    others = 10 * np.log10(np.maximum(share.others @ weights_of(rise.role), 10 ** (rise.noise_db / 10)))
    for n in np.flatnonzero((rise.heights > top - RANGE_DB) & (sure >= WORTH_A_LOOK)):
        is_alone = share.most[n] < 0 or others[n] < rise.heights[n] - ALONE_DB
        by = "" if is_alone else heard[weighed_.ways.drums[share.most[n]]].name
        yield Candidate(
            int(rise.places[n]), float(rise.heights[n] - top), float(rise.rise_db[n]),
            float(rise.heights[n] - others[n]), float(sure[n]), by, float(rise.heights[n]), float(weighed_.later_ms[n]),
        )  # fmt: skip


def echoes_of(places: np.ndarray, heights: np.ndarray) -> np.ndarray:
    """Which strokes follow most others at one distance, as much softer: the drum's own further breaths, no strokes."""
    left, echoes = np.arange(len(places)), np.zeros(0, int)
    while len(found := _echoes_at_one_distance(places[left], heights[left])):
        echoes = np.concatenate([echoes, left[found]])
        left = np.delete(left, found)
    return echoes


def _echoes_at_one_distance(places: np.ndarray, heights: np.ndarray) -> np.ndarray:
    """Which strokes are echoes of others that stand as far before them as is most usual."""
    if len(places) < FEWEST_ECHOES:
        return np.zeros(0, int)
    pairs = []
    for ahead in range(1, ECHO_AHEAD + 1):
        gaps, falls = places[ahead:] - places[:-ahead], heights[:-ahead] - heights[ahead:]
        first = np.flatnonzero((gaps >= ECHO_HOPS[0]) & (gaps <= ECHO_HOPS[1]) & (falls > ECHO_FALL_DB))
        pairs.append(np.stack([gaps[first], first + ahead, np.round(falls[first])], axis=1))
    gaps, seconds, falls = np.concatenate(pairs).T
    if not len(gaps):
        return np.zeros(0, int)
    usual = max(np.unique(gaps), key=lambda gap: int((np.abs(gaps - gap) <= ECHO_WITHIN).sum()))
    alike = np.abs(gaps - usual) <= ECHO_WITHIN
    alike &= np.abs(falls - np.median(falls[alike])) <= ECHO_ALIKE_DB
    echoes = np.unique(seconds[alike]).astype(int)
    return echoes if len(echoes) >= ECHO_SHARE * (len(places) - len(echoes)) else np.zeros(0, int)


# What speaks for a stroke ---------------------------------------------------------------------------------------------


def evidence(
    heard: Sequence[Rises], number: int, ways: Ways, share: Shared, sure: Mapping[int, np.ndarray], loud: np.ndarray
) -> np.ndarray:
    """What is known of each rise of a track, in tens of dB or of ms: (rises, evidence)."""
    rise = heard[number]
    weights, places, level = weights_of(rise.role), rise.places, rise.level
    noise = 10 ** (rise.noise_db / 10)
    seen = share.seen @ weights
    top = _top(rise, sure[number])

    def fallen(hops: int) -> np.ndarray:
        return np.clip(rise.heights - level[np.minimum(places + hops, len(level) - 1)], -5, 40) / 10

    tops = 10 * np.log10(np.maximum(rise.power[:, np.minimum(places, len(level) - 1)], SOFT))
    colour = tops[2] - tops[:2].max(axis=0)
    is_loud = rise.heights > top - 12
    colour = colour - np.median(colour[is_loud] if is_loud.any() else colour)
    mine, over_others, later_by = _beside(heard, number, loud)
    echo, ago = _echoes(heard, number, ways, sure, seen, noise)
    beyond_all, beyond_own = _overheads(heard, number, ways, share)
    rows = [
        np.clip(rise.rise_db, 0, 40) / 10,
        _db(seen, share.others @ weights + noise, -10, 30),
        _db(share.own, seen, -30, 0),
        *(_db(share.seen[:, band], share.others[:, band] + 1e-3 * noise, -10, 30) for band in range(3)),
        np.clip(rise.heights - top, -45, 10) / 10,
        np.clip(rise.heights - rise.noise_db, 0, 60) / 10,
        _later_than_usual(heard, number, ways, share),
        fallen(30),
        fallen(90),
        np.clip(colour, -25, 25) / 10,
        *(_db(jump, top, -20, 3) for jump, top in zip(rise.jumps[:, places], rise.tops[:, places], strict=True)),
        *_neighbours(rise),
        _rising(heard, number),
        echo,
        ago,
        beyond_all,
        beyond_own,
        mine,
        over_others,
        later_by,
    ]  # fmt: skip
    return np.array(rows, np.float32).T.reshape(len(places), len(rows))


def _db(one: np.ndarray, other: np.ndarray, low: float, high: float) -> np.ndarray:
    return np.clip(10 * np.log10(np.maximum(one, SOFT) / np.maximum(other, SOFT)), low, high) / 10


def _later_than_usual(heard: Sequence[Rises], number: int, ways: Ways, share: Shared) -> np.ndarray:
    """How much later each rise begins than that of the drum that makes most of it, against what this takes as a rule."""
    rise = heard[number]
    later = np.full(len(rise.places), UNKNOWN)
    for column, drum in enumerate(ways.drums):
        rows = np.flatnonzero(share.most == column)
        if drum == number or not len(rows):
            continue
        near, begins = nearest(heard[drum], rise.begins[rows])
        usual = ways.lags[number, column]
        gap = rise.begins[rows] - begins - (usual if np.isfinite(usual) else USUAL_LAG)
        later[rows] = np.where(near, gap / 10, UNKNOWN)
    return later


def _neighbours(rise: Rises) -> tuple[np.ndarray, ...]:
    """How long ago the track rose last, how much higher that was, and the same of what comes next; tens of dB, log of ms."""
    gaps = np.diff(rise.places, prepend=-1000, append=rise.places[-1] + 1000 if len(rise.places) else 0)
    heights = np.concatenate([[-200.0], rise.heights, [-200.0]])
    before, behind = np.log10(np.clip(gaps[:-1], 5, 1000)), np.log10(np.clip(gaps[1:], 5, 1000))
    return (
        before, np.clip(heights[:-2] - rise.heights, -30, 30) / 10,
        behind, np.clip(heights[2:] - rise.heights, -30, 30) / 10,
    )  # fmt: skip


def _rising(heard: Sequence[Rises], number: int) -> np.ndarray:
    """How many of the other tracks rise at the same time, as a share."""
    own = heard[number]
    others = [track for n, track in enumerate(heard) if n != number]
    if not others:
        return np.zeros(len(own.places))
    return sum(nearest(track, own.begins)[0].astype(float) for track in others) / len(others)


def _furthest(heard: Sequence[Rises], number: int, other: int, loud: np.ndarray) -> np.ndarray:
    """How far a track comes up to its own loud rises when another rises, tens of dB."""
    weights = weights_of(heard[other].role)
    near = weights @ heard[other].jumps_at(heard[number].places, is_own=other == number)
    return _db(near, np.float64(max(float(weights @ loud[other]), SOFT)), -50, 30)


def _beside(heard: Sequence[Rises], number: int, loud: np.ndarray) -> tuple[np.ndarray, ...]:
    """How far each rise comes up to its track's loud ones, how much further than in any other close track, and how much
    later than in that it begins."""
    own, mine = heard[number], _furthest(heard, number, number, loud)
    others = [n for n, track in enumerate(heard) if n != number and track.is_close]
    if not others:
        return mine, np.full(len(own.places), 5.0), np.full(len(own.places), UNKNOWN)
    shares = np.array([_furthest(heard, number, other, loud) for other in others])
    lags = []
    for other in others:
        near, begins = nearest(heard[other], own.begins)
        lags.append(np.where(near, (own.begins - begins) / 10, UNKNOWN))
    first = shares.argmax(axis=0)
    return mine, mine - shares.max(axis=0), np.array(lags)[first, np.arange(len(first))]


def _echoes(
    heard: Sequence[Rises], number: int, ways: Ways, sure: Mapping[int, np.ndarray], seen: np.ndarray, noise: float
) -> tuple[np.ndarray, np.ndarray]:
    """Over what the sure strokes of others of the last moments would make here, whose echoes come late; and how long ago
    the one was that made most, tens of ms."""
    rise, made = heard[number], np.full(len(heard[number].level), 0.0, np.float32)
    for column, drum in enumerate(ways.drums):
        if drum == number:
            continue
        other = heard[drum]
        places = other.places[sure[drum]]
        here = float(weights_of(rise.role) @ ways.gains[number][:, column])
        places = places[places < len(made)]
        np.maximum.at(made, places, here * (weights_of(other.role) @ other.jumps[:, places]))
    recent = highest(made, -ECHOES_HOPS[0], ECHOES_HOPS[1])[rise.places]
    window = np.clip(rise.places[:, None] + np.arange(-ECHOES_HOPS[0], ECHOES_HOPS[1] + 1), 0, len(made) - 1)
    ago = np.where(recent > 0, ECHOES_HOPS[0] - made[window].argmax(axis=1), 2 * ECHOES_HOPS[0])
    return _db(seen, recent + noise, -15, 30), ago / 10


def _overheads(heard: Sequence[Rises], number: int, ways: Ways, share: Shared) -> tuple[np.ndarray, np.ndarray]:
    """How much more rises in tracks that are no drum's than all drums tell, and than this drum by itself would make."""
    own = heard[number]
    rows = [n for n, track in enumerate(heard) if not track.is_close]
    if not rows or not len(own.places):
        return np.zeros(len(own.places)), np.zeros(len(own.places))
    seen = sum(weights_of(heard[n].role) @ heard[n].most_within(own.places, *ABOVE_HOPS) for n in rows)
    told = sum(np.einsum("b,bd,rd->r", weights_of(heard[n].role), ways.gains[n], share.strengths) for n in rows)
    column = ways.drums.index(number)
    mine = sum(weights_of(heard[n].role) @ ways.gains[n][:, column] for n in rows) * (share.seen @ weights_of(own.role))
    return _db(seen, told, -15, 30), _db(seen, mine, -20, 30)
