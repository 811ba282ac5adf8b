"""The kit check: faults put into kits of recorded drums, sound kits that tempt, and the speed of a kit of 24,000 files.

The maker of the faults (dactyl/core/tests/faulty.py) is the maker of the rules: what these figures say of a stranger's kits is not known.
"""

from collections import Counter
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from benchmarks.measured import Row
from benchmarks.soundfonts import OneShot, Player, fonts_here, hit, one_shots
from dactyl.core.check.check import check
from dactyl.core.check.finding import DOUBTFUL, WRONG, Finding
from dactyl.core.check.listening import measure_kit
from dactyl.core.tests.faulty import DRUMS, FAULTS, TEMPTING, Made, Stroke, make

SEEDS = (11, 12)


def kit_of(font: str, seed: int) -> Made:
    """A kit of one font: some drum of each kind, as one player would have recorded it."""
    rng = np.random.default_rng(seed)
    by_kind: dict[str, list[OneShot]] = {}
    for shot in one_shots(font):
        by_kind.setdefault(shot.kind, []).append(shot)
    strokes = {}
    for kind in DRUMS:
        if kind in by_kind:
            shot = by_kind[kind][int(rng.integers(len(by_kind[kind])))]
            player = replace(Player.drawn(rng), noise_db=float(rng.uniform(-90, -62)))
            strokes[kind] = _stroke(shot, player)
    return make(strokes, rng)


def _stroke(shot: OneShot, player: Player) -> Stroke:
    return lambda strength, rng: hit(shot, player, strength, rng)


def findings(made: Made) -> list[Finding]:
    kit, load = made.finished()
    return check(measure_kit(kit, load, threads=2))


def is_found(made: Made, name: str, found: list[Finding]) -> bool:
    rule, _, kind, at = FAULTS[name]
    pad = made.pad(kind).id
    place = None if at is None else (at[0] + 1, at[1] + 1)
    return any(
        f.rule == rule and f.place.pad == pad and (place is None or (f.place.layer, f.place.take) == place)
        for f in found
    )


def rows() -> Iterator[Row]:
    fonts = fonts_here()
    if not fonts:
        return
    told, hits, missed = Counter(), 0, []
    for font in fonts:
        for seed in SEEDS:
            for name, (_, spoil, *_) in FAULTS.items():
                made = kit_of(font, seed)
                try:
                    spoil(made)
                except StopIteration:
                    continue  # the font has no such drum
                found = is_found(made, name, findings(made))
                told["faults"] += 1
                hits += found
                missed += [] if found else [name]
            for tempt in TEMPTING.values():
                made = kit_of(font, seed + 100)
                tempt(made)
                for finding in findings(made):
                    told[finding.severity] += 1
                told["sound kits"] += 1
    share = hits / max(1, told["faults"])
    figure = f"{share:.2f} of {told['faults']}; missed: {', '.join(sorted(set(missed))) or 'none'}"
    yield Row("faults found, in the right place", figure, None, "at least 0.95", share >= 0.95)
    figure = f"{told[WRONG]} wrong and {told[DOUBTFUL]} doubtful in {told['sound kits']} kits"
    yield Row("told of sound kits", figure, None, "nothing wrong", not told[WRONG])
