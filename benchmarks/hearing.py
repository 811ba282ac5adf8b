"""Hearing: sets of recorded one-shots under names that say nothing, and under names of the usual kind.

How an unseen font is heard says ``python -m benchmarks.train_hearing --check``; here the shipped numbers are measured on
sets whose variations they have not seen, from the fonts they were taught on. Without the fonts there are no rows.
"""

import random
import string
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from benchmarks.measured import Row
from benchmarks.soundfonts import Player, drums_of_a_kit, fonts_here, hit, one_shots
from dactyl.core.audio.measure import measure
from dactyl.core.stack.propose import File, propose

SETS = 8  # of each font
Truth = dict[str, tuple[str, int]]
"""File -> its kind, and its layer from 0."""


def recorded_set(font: str, seed: int) -> tuple[list[File], Truth]:
    """Six to eleven drums of one kit, two to five layers, two to four takes, each drum with its own player and room."""
    rng, letters = np.random.default_rng(seed), random.Random(seed)
    files, truth = [], {}
    for drum in drums_of_a_kit(one_shots(font), rng):
        player, layers, takes = Player.drawn(rng), int(rng.integers(2, 6)), int(rng.integers(2, 5))
        for layer in range(layers):
            for _ in range(takes):
                name = "".join(letters.choices(string.ascii_lowercase + string.digits, k=8)) + ".wav"
                audio = hit(drum, player, (layer + 1) / layers, rng)
                files.append(File(name, measure(audio, 44_100), "", 1, 44_100, audio.shape[1]))
                truth[name] = (drum.kind, layer)
    letters.shuffle(files)
    return files, truth


def rand_index(one: Sequence, other: Sequence) -> float:
    """Adjusted for chance (Hubert and Arabie 1985)."""
    pairs = lambda counts: sum(count * (count - 1) / 2 for count in counts)  # noqa: E731
    both, first, second = (pairs(Counter(rows).values()) for rows in (zip(one, other, strict=True), one, other))
    expected = first * second / max(1, len(one) * (len(one) - 1) / 2)
    most = (first + second) / 2
    return 1.0 if most == expected else (both - expected) / (most - expected)


@dataclass(frozen=True)
class Stacked:
    """How nameless sets were stacked."""

    sets: int
    whole: int  # all drums, layers and takes of a set as they were recorded
    drums: float  # adjusted Rand index, on the mean
    layers: float
    kinds: float  # the share of pads whose kind is right
    misled: float  # the share of pads whose kind is wrong and not in doubt
    pads: int

    def __str__(self) -> str:
        return (
            f"{self.whole} of {self.sets} nameless sets wholly right, drums {self.drums:.3f}, layers {self.layers:.3f}, "
            f"kinds {self.kinds:.2f} of {self.pads} pads, wrong without a doubt {self.misled:.2f}"
        )


def stacked(fonts: Sequence[str]) -> Stacked:
    """SETS nameless sets of each font, by the numbers that the listener has."""
    whole = total = kinds = misled = pads = 0
    drums, layers = [], []
    for font in fonts:
        for seed in range(SETS):
            files, truth = recorded_set(font, 1000 + seed)
            proposal = propose(files)
            place = {
                file: (number, layer)
                for number, pad in enumerate(proposal.pads)
                for layer, row in enumerate(pad.layers)
                for take in row.takes
                for file in take.mics.values()
            }
            names = [name for name in truth if name in place]
            drums.append(rand_index([truth[name][0] for name in names], [place[name][0] for name in names]))
            layers.append(rand_index([truth[name] for name in names], [place[name] for name in names]))
            whole, total = whole + (layers[-1] == 1 and len(names) == len(truth)), total + 1
            for pad in proposal.pads:
                is_right = pad.kind == Counter(truth[file][0] for file in pad.files).most_common(1)[0][0]
                kinds, misled = kinds + is_right, misled + (not is_right and "?" not in pad.name)
                pads += 1
    return Stacked(total, whole, float(np.mean(drums)), float(np.mean(layers)), kinds / pads, misled / pads, pads)


def rows() -> list[Row]:
    if not (fonts := fonts_here()):
        return []
    found = stacked(fonts)
    return [
        Row("Nameless recordings", f"{found.whole} of {found.sets} sets wholly right", None, "60 %", found.whole >= 0.6 * found.sets),
        Row("Their drums", f"adjusted Rand index {found.drums:.3f}", None, "reported", True),
        Row("Their layers", f"adjusted Rand index {found.layers:.3f}", None, "0.90", found.layers >= 0.9),
        Row("Kinds of their pads, by sound", f"{found.kinds:.2f} of {found.pads}", None, "0.80", found.kinds >= 0.8),
        Row("Their kinds wrong, and not in doubt", f"{found.misled:.2f}", None, "reported", True),
    ]  # fmt: skip
