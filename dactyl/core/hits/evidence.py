"""What speaks for a rise being a stroke of its own drum: numbers for the forest (``forest``) and the network."""

from collections.abc import Mapping, Sequence

import numpy as np

from dactyl.core.hits.rises import Rises, highest, top_of, weights_of
from dactyl.core.hits.ways import Shared, Ways, nearest

ECHOES_HOPS = (40, 3)
ABOVE_HOPS = (-2, 12)  # after a stroke, in which the overheads hear it
UNKNOWN, USUAL_LAG = 2.0, 2.5  # of a lag, in tens of ms; and of a way that is not known, in hops
SOFT = 1e-10


def evidence(
    heard: Sequence[Rises], number: int, ways: Ways, share: Shared, sure: Mapping[int, np.ndarray], loud: np.ndarray
) -> np.ndarray:
    """What is known of each rise of a track, in tens of dB or of ms: (rises, evidence)."""
    rise = heard[number]
    weights, places, level = weights_of(rise.role), rise.places, rise.level
    noise = 10 ** (rise.noise_db / 10)
    seen = share.seen @ weights
    top = top_of(rise, sure[number])

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
