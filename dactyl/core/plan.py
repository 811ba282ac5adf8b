"""The kit from above: where each piece stands, how large it is drawn, and which articulation a place on it means.

Across, −100 is the player's left and 100 their right; towards the player, 0 is the front of the kit and 100 where the
player sits.
"""

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from dactyl.core.stack.hearing import family_of

USUAL = {  # places of the kinds as most kits are set up, for a player who leads with the right hand
    "kick": (0, 34), "snare": (-20, 64), "side_stick": (-20, 64), "clap": (-88, 84), "closed_hat": (-52, 66), "pedal_hat": (-52, 66),
    "open_hat": (-52, 66), "high_tom": (-15, 30), "mid_tom": (16, 30), "low_tom": (44, 62), "crash": (-48, 22), "ride": (56, 30),
    "ride_bell": (56, 30), "cowbell": (8, 10), "tambourine": (-78, 40), "shaker": (84, 80), "other": (80, 52),
}  # fmt: skip
RADIUS = {  # in the same units, of a piece whose pitch is not known
    "kick": 15.0, "snare": 9.5, "tom": 9.0, "hat": 9.5, "cymbal": 13.0,
}  # fmt: skip
OTHER_RADIUS = 6.5
PITCHES_HZ = {
    "kick": 55.0,
    "snare": 190.0,
    "tom": 110.0,
}  # that the radius stands for; an octave lower is larger by a half
LEAST, MOST = 0.75, 1.4
STEP = (13.0, 5.0)  # to the next of its kind
WIDTH = 70.0  # pan of a piece at the edge
INNER, OUTER = re.compile(r"\b(bell|cup|cent(?:re|er)|middle)\b", re.I), re.compile(r"\b(edge|rim|side|cross)\b", re.I)


@dataclass(frozen=True, slots=True)
class Placed:
    id: int
    x: float
    y: float
    radius: float
    shape: str  # drum, kick, cymbal, hat, other


def placed(
    pieces: Sequence[tuple[int, str, float, tuple[float | None, float | None]]],
) -> list[Placed]:
    """pieces : id, kind, pitch in Hz or 0, and the place a person gave it or (None, None); in the order of the kit"""
    seen: Counter[tuple[int, int]] = Counter()
    result = []
    for id_, kind, pitch_hz, (x, y) in pieces:
        if x is None or y is None:
            usual = USUAL.get(kind, USUAL["other"])
            nth = seen[usual]
            seen[usual] += 1
            away = nth * STEP[0] * (1 if usual[0] >= 0 else -1)
            x, y = _inside(usual[0] + away, -96, 96), _inside(usual[1] - nth * STEP[1], 8, 92)
        result.append(Placed(id_, float(x), float(y), _radius(kind, pitch_hz), _shape(kind)))
    return result


def _inside(value: float, low: float, high: float) -> float:
    return min(high, max(low, value))


def _radius(kind: str, pitch_hz: float) -> float:
    family = family_of(kind)
    radius = RADIUS.get(family, OTHER_RADIUS)
    if pitch_hz > 0 and family in PITCHES_HZ:
        radius *= _inside((PITCHES_HZ[family] / pitch_hz) ** 0.585, LEAST, MOST)
    return radius


def _shape(kind: str) -> str:
    family = family_of(kind)
    if family in ("hat", "cymbal", "kick"):
        return family
    return "drum" if family in ("snare", "tom", "side_stick") else "other"


def pan_of(x: float, *, as_audience: bool) -> float:
    """Pan in percent of a piece at ``x``, as the player hears it or as the audience does."""
    return round(_inside(x, -100, 100) / 100 * WIDTH * (-1 if as_audience else 1), 1)


def rings(names: Sequence[str]) -> list[int]:
    """Articulations from the middle of a piece to its rim, as places in ``names``: what is struck nearer the rim is further on."""

    def distance(place: int) -> tuple[int, int]:
        name = names[place]
        return (0 if INNER.search(name) else 2 if OUTER.search(name) else 1, place)

    return sorted(range(len(names)), key=distance)
