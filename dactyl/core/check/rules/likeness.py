"""Likeness: takes that are another drum, one recording twice in a rotation, rotations that rotate nothing."""

import re
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import chain

import numpy as np

from dactyl.core.check.finding import DOUBTFUL, NOTE, WRONG, Change, Finding, Place
from dactyl.core.check.measured import Heard, MeasuredKit, stretch_of
from dactyl.core.check.rules.levels import place_of
from dactyl.core.check.sound import Sound
from dactyl.core.check.usual import median
from dactyl.core.stack.hearing import alike, family_of, heard, shares_together

SAME, STEP = 0.0012, 2.0**-16  # between fingerprints of one sound at two levels; and what rounding to 16 bits adds
APART, TIMES = 4.0, 3.0  # from its fellows, in steps by which strokes of one drum differ; and against their own spread
SURE_KIND = 0.6
NEARLY = 0.5  # of APART: from a middle that it is itself part of, what is nearer is no stray

BRUSHED = re.compile(r"brush|sweep|swish|stir", re.IGNORECASE)


def another_drum(kit: MeasuredKit) -> Iterator[Finding]:
    """A take far from its pad's other takes, and nearer to another pad, or heard as another kind."""
    drums = [drum for (drum,) in kit.of_each_pad(_drum)]
    middles = {drum.heard[0].pad.id: drum.middle for drum in drums if drum.heard}
    names = {drum.heard[0].pad.id: drum.heard[0].pad.name for drum in drums if drum.heard}
    for drum in drums:
        for at, fellows, away, usual in drum.strays:
            if BRUSHED.search(drum.heard[at].pad.name):
                continue  # sweeps and taps of brushes are as far from each other as drums are
            group, stray, pad = drum.heard, drum.heard[at], drum.heard[at].pad.id
            nearest = min((_distance(drum.places[at], m), other) for other, m in middles.items() if other != pad) if len(middles) > 1 else (np.inf, 0)  # fmt: skip
            ours = heard(shares_together(np.stack([group[n].first.timbre for n in fellows])))
            guess = heard(shares_together(stray.first.timbre[None]))
            is_other_kind = family_of(guess.kind) != family_of(ours.kind) and guess.share >= SURE_KIND
            is_nearer = nearest[0] < 0.6 * away
            if not (is_nearer or is_other_kind):
                continue
            name = names[nearest[1]] if is_nearer else f"a {guess.kind.replace('_', ' ')}"
            yield Finding(
                rule="another_drum",
                severity=WRONG if is_nearer and is_other_kind else DOUBTFUL,
                place=place_of(stray),
                message=f"{stray.name}, sounds like another drum: more like {name} than its fellows.",
                measured=round(float(away), 2),
                usual=round(float(usual), 2),
                limit=round(max(APART, TIMES * usual) - usual, 2),
                fellow=group[fellows[0]].take.id,
                mend=(Change("take", stray.take.id, "enabled", False),),
                mend_words="Leave it out of the rotation",
            )


@dataclass(frozen=True, slots=True)
class _Drum:
    """A pad's takes in the space of drums."""

    heard: list[Heard]  # that are not silent
    places: np.ndarray
    middle: np.ndarray
    strays: list[
        tuple[int, list[int], float, float]
    ]  # far from their fellows: which, these, how far, how far these are


def _drum(_kit: MeasuredKit, group: list[Heard]) -> Iterator[_Drum]:
    sounding = [h for h in group if not h.first.is_silent]
    if not sounding:
        yield _Drum([], np.zeros(0), np.zeros(0), [])
        return
    places = alike(np.stack([h.first.timbre for h in sounding]))
    yield _Drum(sounding, places, _middle(places), list(_strays(sounding, places)) if len(sounding) >= 3 else [])


def _strays(group: list[Heard], places: np.ndarray) -> Iterator[tuple[int, list[int], float, float]]:
    middle_of = _layer_middles(group, places)
    off = places - np.stack([middle_of[h.layer.id] for h in group])
    for at in np.flatnonzero(np.sqrt(np.square(off).mean(axis=1)) >= NEARLY * APART).tolist():
        same_layer = [n for n, h in enumerate(group) if n != at and h.layer is group[at].layer]
        fellows = same_layer if len(same_layer) >= 2 else [n for n in range(len(group)) if n != at]
        middle = _middle(places[fellows])
        away = _distance(places[at], middle)
        usual = float(np.median(np.sqrt(np.square(places[fellows] - middle).mean(axis=1))))
        if away >= max(APART, TIMES * usual):
            yield at, fellows, away, usual


def _layer_middles(group: list[Heard], places: np.ndarray) -> dict[int, np.ndarray]:
    """Of the takes of each layer, or of the pad where a layer has few."""
    own: dict[int, list[int]] = defaultdict(list)
    for at, heard_take in enumerate(group):
        own[heard_take.layer.id].append(at)
    return {layer: _middle(places[ats if len(ats) >= 3 else slice(None)]) for layer, ats in own.items()}


def _middle(places: np.ndarray) -> np.ndarray:
    """Their median in each direction, in a fourth of `np.median`'s time. places : (n >= 1, directions)"""
    ordered = np.sort(places, axis=0)
    return (ordered[(len(ordered) - 1) // 2] + ordered[len(ordered) // 2]) / 2


def _distance(one: np.ndarray, other: np.ndarray) -> float:
    return float(np.sqrt(np.square(one - other).mean()))


def twice(kit: MeasuredKit) -> Iterator[Finding]:
    """The same recording twice in a rotation: the same file, or the same sound at any level."""
    yield from chain.from_iterable(kit.of_each_pad(_twins))


def _twins(kit: MeasuredKit, group: list[Heard]) -> Iterator[Finding]:
    pad = group[0].pad
    for layer in [kit.of_layer(layer) for layer in pad.layers] if pad.rotation != "all" else []:
        if len(layer) < 2:
            continue
        stretches = [_first_stretch(take) for take in layer]
        is_near = _are_near([take.first for take in layer])
        for at, take in enumerate(layer):
            fellows = [n for n in range(at) if _same_setting(take, layer[n])]
            twin, how = next(
                ((layer[n], "the same file") for n in fellows if stretches[n] == stretches[at]), (None, "")
            )
            if twin is None:
                twin = next((layer[n] for n in fellows if is_near[n, at]), None)
                how = _how(take, twin) if twin else ""
            if twin is None:
                continue
            yield Finding(
                rule="twice",
                severity=WRONG,
                place=place_of(take),
                message=f"{take.name}, is {how} as take {twin.number}.",
                fellow=twin.take.id,
                mend=(Change("take", take.take.id, "enabled", False),),
                mend_words="Leave it out of the rotation",
            )


def _first_stretch(take: Heard) -> object:
    mic = next(iter(take.sounds))
    return stretch_of(take.take, dict(take.take.samples)[mic])


def _same_setting(take: Heard, other: Heard) -> bool:
    """Whether two takes of one recording are meant to be one: a retuned or turned copy is not."""
    return take.take.tune_cents == other.take.tune_cents


def _are_near(sounds: list[Sound]) -> np.ndarray:
    """Which of them are the same sound at any level, (n, n)."""
    marks = np.stack([sound.marks for sound in sounds])
    distances = np.sqrt(np.square(marks[:, None] - marks, dtype=np.float64).sum(axis=2))
    levels, rates = (np.array([getattr(sound, name) for sound in sounds]) for name in ("level_db", "rate_hz"))
    sounding = np.array([not sound.is_silent for sound in sounds])
    rounding = 1.5 * STEP / 10 ** (np.minimum(levels[:, None], levels) / 20)
    can_be = (sounding[:, None] & sounding) & (rates[:, None] == rates)
    return can_be & (distances < SAME + np.minimum(rounding, SAME))


def _how(take: Heard, twin: Heard) -> str:
    level = take.first.level_db - twin.first.level_db
    return (
        "the same sound"
        if abs(level) < 0.05
        else f"the same sound, {abs(level):.1f} dB {'louder' if level > 0 else 'softer'},"
    )


def rotations(kit: MeasuredKit) -> Iterator[Finding]:
    """A layer of one take in a pad whose other layers rotate; a random order of two that may not repeat."""
    counts: dict[int, list[int]] = defaultdict(list)
    for layer in kit.layers:
        counts[layer[0].pad.id].append(len(layer))
    for layer in kit.layers:
        pad, own = layer[0].pad, len(layer)
        others = counts[pad.id]
        if own == 1 and len(others) > 1 and median(others) >= 2:
            yield Finding(
                rule="rotations",
                severity=NOTE,
                place=Place(pad=pad.id, layer=layer[0].layer_number),
                message=f"Layer {layer[0].layer_number} of {pad.name} has one take; its other layers rotate {median(others):.0f}.",
                measured=1.0,
                usual=float(median(others)),
                unit="takes",
            )
        if own == 2 and pad.rotation == "no_repeat":
            yield Finding(
                rule="rotations",
                severity=NOTE,
                place=Place(pad=pad.id, layer=layer[0].layer_number),
                message=f"Layer {layer[0].layer_number} of {pad.name} has two takes in a random order without repeats: they take turns.",
                measured=2.0,
                unit="takes",
            )
