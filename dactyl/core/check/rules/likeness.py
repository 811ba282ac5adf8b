"""Likeness: takes that are another drum, one recording twice in a rotation, rotations that rotate nothing."""

from collections import defaultdict
from collections.abc import Iterator
from statistics import median

import numpy as np

from dactyl.core.check.finding import DOUBTFUL, NOTE, WRONG, Change, Finding, Place
from dactyl.core.check.measured import Heard, MeasuredKit, stretch_of
from dactyl.core.check.rules.levels import place_of
from dactyl.core.stack.hearing import alike, family_of, heard, shares_together
from dactyl.core.units import db_to_gain

SAME, STEP = 0.0012, 2.0**-16  # between fingerprints of one sound at two levels; and what rounding to 16 bits adds
APART, TIMES = 4.0, 3.0  # from its fellows, in steps by which strokes of one drum differ; and against their own spread
SURE_KIND = 0.6
NEARLY = 0.5  # of APART: from a middle that it is itself part of, what is nearer is no stray


def another_drum(kit: MeasuredKit) -> Iterator[Finding]:
    """A take far from its pad's other takes, and nearer to another pad, or heard as another kind."""
    pads = {group[0].pad.id: [h for h in group if not h.first.is_silent] for group in kit.pads}
    pads = {pad: group for pad, group in pads.items() if group}
    seen = {pad: alike(np.stack([h.first.timbre for h in group])) for pad, group in pads.items()}
    middles = {pad: np.median(places, axis=0) for pad, places in seen.items()}
    for pad, group in pads.items():
        if len(group) < 3:
            continue
        places = seen[pad]
        middle_of = _layer_middles(group, places)
        off = places - np.stack([middle_of[h.layer.id] for h in group])
        for at in np.flatnonzero(np.sqrt(np.square(off).mean(axis=1)) >= NEARLY * APART):
            stray = group[at]
            same_layer = [n for n, h in enumerate(group) if n != at and h.layer is stray.layer]
            fellows = same_layer if len(same_layer) >= 2 else [n for n in range(len(group)) if n != at]
            middle = np.median(places[fellows], axis=0)
            away = _distance(places[at], middle)
            usual = median(_distance(places[n], middle) for n in fellows)
            if away < max(APART, TIMES * usual):
                continue
            nearest = min((_distance(places[at], m), other) for other, m in middles.items() if other != pad) if len(middles) > 1 else (np.inf, 0)  # fmt: skip
            ours = heard(shares_together(np.stack([group[n].first.timbre for n in fellows])))
            guess = heard(shares_together(stray.first.timbre[None]))
            is_other_kind = family_of(guess.kind) != family_of(ours.kind) and guess.share >= SURE_KIND
            is_nearer = nearest[0] < 0.6 * away
            if not (is_nearer or is_other_kind):
                continue
            name = pads[nearest[1]][0].pad.name if is_nearer else f"a {guess.kind.replace('_', ' ')}"
            yield Finding(
                rule="another_drum",
                severity=WRONG if is_nearer and is_other_kind else DOUBTFUL,
                place=place_of(stray),
                message=f"{stray.name}, sounds like another drum: more like {name} than its fellows.",
                measured=round(float(away), 2),
                usual=round(float(usual), 2),
                fellow=group[fellows[0]].take.id,
                mend=(Change("take", stray.take.id, "enabled", False),),
                mend_words="Leave it out of the rotation",
            )


def _layer_middles(group: list[Heard], places: np.ndarray) -> dict[int, np.ndarray]:
    """Of the takes of each layer, or of the pad where a layer has few."""
    own: dict[int, list[int]] = defaultdict(list)
    for at, heard_take in enumerate(group):
        own[heard_take.layer.id].append(at)
    return {layer: np.median(places[ats if len(ats) >= 3 else slice(None)], axis=0) for layer, ats in own.items()}


def _distance(one: np.ndarray, other: np.ndarray) -> float:
    return float(np.sqrt(np.square(one - other).mean()))


def twice(kit: MeasuredKit) -> Iterator[Finding]:
    """The same recording twice in a rotation: the same file, or the same sound at any level."""
    for layer in kit.layers:
        if layer[0].pad.rotation == "all":
            continue
        known: list[tuple[Heard, object]] = []
        for take in layer:
            stretch = _first_stretch(take)
            twin, how = next(
                ((other, "the same file") for other, own in known if own == stretch and _same_setting(take, other)),
                (None, ""),
            )
            if twin is None:
                twin = next((other for other, _ in known if _is_same_sound(take, other)), None)
                how = _how(take, twin) if twin else ""
            known.append((take, stretch))
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


def _is_same_sound(take: Heard, other: Heard) -> bool:
    one, two = take.first, other.first
    if one.is_silent or two.is_silent or one.rate_hz != two.rate_hz or not _same_setting(take, other):
        return False
    rounding = 1.5 * STEP / db_to_gain(min(one.level_db, two.level_db))
    return float(np.sqrt(np.square(one.marks - two.marks, dtype=np.float64).sum())) < SAME + min(rounding, SAME)


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
