"""Hearing: sets of recorded one-shots under names that say nothing, and under names of the usual kind.

How an unseen font is heard says ``python -m benchmarks.train_hearing --check``; here the shipped numbers are measured on
sets whose variations they have not seen, from the fonts they were taught on. Without the fonts there are no rows.
"""

import random
import string
from collections import Counter
from collections.abc import Sequence

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


def rows() -> list[Row]:
    whole = total = kinds = pads = 0
    drums, layers = [], []
    for font in fonts_here():
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
                kinds += pad.kind == Counter(truth[file][0] for file in pad.files).most_common(1)[0][0]
                pads += 1
    if not total:
        return []
    return [
        Row("Nameless recordings", f"{whole} of {total} sets wholly right", None, "60 %", whole >= 0.6 * total),
        Row("Their drums", f"adjusted Rand index {np.mean(drums):.3f}", None, "reported", True),
        Row("Their layers", f"adjusted Rand index {np.mean(layers):.3f}", None, "0.90", bool(np.mean(layers) >= 0.9)),
        Row("Kinds of their pads, by sound", f"{kinds / pads:.2f} of {pads}", None, "0.80", kinds >= 0.8 * pads),
    ]
