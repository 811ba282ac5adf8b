"""Teach how strokes are told: makes the forest that weighs evidence and the network that looks at pictures of rises anew
(dactyl/core/hits/strokes_by_*.json), from scenes, from seeds.

Needs scikit-learn (Pedregosa et al., JMLR 12, 2011) and PyTorch, which nothing else here does: `pip install scikit-learn torch`.
Four hundred scenes take some twenty minutes to be made; with a folder behind their number what they sound like is kept in it for
the next run: `python -m benchmarks.train_strokes 100 FOLDER`.
"""

import json
import pickle
import sys
import tempfile
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np

from benchmarks.scenes import RATE_HZ, Scene, scene
from dactyl.core.hits.envelopes import HOP_SECONDS, Track, levels_and_spectra
from dactyl.core.hits.forest import Forest
from dactyl.core.hits.network import MS, packed
from dactyl.core.hits.rises import CLOSE, Rises
from dactyl.core.hits.strokes import FOREST_FILE, NETWORK_FILE, looked_at, weighed

FONTS, SCENES = ("timgm", "csound", "samples", "general"), 100  # freepats and airfont are kept for judging
NEAR_SECONDS = 0.010
TREES, LEAVES, DEPTH, RATE, SHRINK, FEWEST = 160, 12, 7, 0.08, 10.0, 60
MISSED_COSTS = 1.5  # times a hit too many: what is found is taken away in a moment
# The network
EPOCHS, BATCH, FASTEST, DECAY, DROPPED, MISSED_WEIGHS, TIME_WEIGHS = 12, 1024, 4e-3, 3e-3, 0.2, 1.3, 0.3
STEADY = 0.999  # of the mean of all steps' weights, which is written, is kept at each step
NOISE, COLOUR, LEVEL = 0.03, 0.08, 0.08
"""Of the pictures, as varied in teaching: each number by itself, each band for all pictures of a rise alike, and each picture."""
Judge = Callable[[np.ndarray], np.ndarray]


def tracks_of(made: Scene, rate_hz: int = RATE_HZ) -> list[Track]:
    return [
        Track(role, role, lambda first, stop, sound=sound: sound[:, first:stop], sound.shape[1], rate_hz)
        for role, sound in made.tracks.items()
    ]


def matched(truth: np.ndarray, found: np.ndarray, within: float = NEAR_SECONDS) -> list[tuple[int, int]]:
    """Pairs of true and found times, the nearest first, each once."""
    near = [(abs(t - f), i, j) for i, t in enumerate(truth) for j, f in enumerate(found) if abs(t - f) <= within]
    firsts, seconds, pairs = set(), set(), []
    for _, i, j in sorted(near):
        if i not in firsts and j not in seconds:
            firsts.add(i)
            seconds.add(j)
            pairs.append((i, j))
    return pairs


@dataclass(frozen=True)
class Lesson:
    """What of a scene is needed again: what its tracks sound like, and the true times of each."""

    tracks: list[tuple[str, np.ndarray, np.ndarray]]  # role, levels, spectra
    times: dict[str, np.ndarray]

    @classmethod
    def of(cls, which: tuple[str, int], folder: Path) -> "Lesson":
        path = folder / f"{which[0]}-{which[1]}.pickle"
        if path.exists():
            return pickle.loads(path.read_bytes())
        made = scene(*which)
        times = {role: np.array([one.time for one in made.strokes if one.role == role]) for role in made.close}
        lesson = cls([(track.role, *levels_and_spectra(track)) for track in tracks_of(made)], times)
        path.write_bytes(pickle.dumps(lesson))
        return lesson

    def heard(self) -> list[Rises]:
        return [
            Rises.of(Track(role, role, lambda *_: np.zeros((1, 0)), 0, RATE_HZ), *known) for role, *known in self.tracks
        ]

    def hits(self, rise: Rises) -> tuple[np.ndarray, np.ndarray]:
        """Which rises are strokes, and by how many ms those begin after their places."""
        hits, later = np.zeros(len(rise.places), np.float32), np.zeros(len(rise.places), np.float32)
        for one, place in matched(self.times[rise.role], rise.places * HOP_SECONDS):
            hits[place], later[place] = 1, self.times[rise.role][one] * 1000 - rise.places[place]
        return hits, later


def by_share(shown: np.ndarray) -> np.ndarray:
    """Who is not taught yet goes by how much of a rise is a drum's own."""
    return np.clip(shown[:, 2] + 1.0, 0, 1)


def examples(which: tuple[str, int], folder: Path, judge: Judge) -> tuple[np.ndarray, np.ndarray]:
    """Evidence of every rise of a scene, and whether it was a stroke."""
    lesson = Lesson.of(which, folder)
    heard = lesson.heard()
    pairs = [(told.shown, lesson.hits(heard[number])[0]) for number, told in weighed(heard, judge).items()]
    return np.concatenate([shown for shown, _ in pairs]), np.concatenate([hits for _, hits in pairs])


def seen(which: tuple[str, int], folder: Path, judge: Judge) -> list[np.ndarray]:
    """Of every rise that may be a stroke: pictures, evidence, whether it was one, and by how much later it began."""
    lesson = Lesson.of(which, folder)
    heard = lesson.heard()
    known = weighed(heard, judge)
    rows = []
    for number, (places, pictures) in looked_at(heard, known).items():
        shown = known[number].shown_to_network(heard[number].kind, places)
        hits, later = lesson.hits(heard[number])
        rows.append((pictures.short, pictures.low, pictures.quick, shown, hits[places], later[places]))
    return [np.concatenate(column).astype(np.float16) for column in zip(*rows, strict=True)]


# The forest -----------------------------------------------------------------------------------------------------------


def taught(shown: np.ndarray, wanted: np.ndarray) -> str:
    from sklearn.ensemble import HistGradientBoostingClassifier

    model = HistGradientBoostingClassifier(
        max_iter=TREES, max_leaf_nodes=LEAVES, max_depth=DEPTH, learning_rate=RATE, l2_regularization=SHRINK,
        min_samples_leaf=FEWEST, random_state=0,
    ).fit(shown, wanted)  # fmt: skip
    roots, nodes, depth = [], [], 0
    for (tree,) in model._predictors:
        roots.append(len(nodes))
        depth = max(depth, int(tree.nodes["depth"].max()))
        for number, node in enumerate(tree.nodes):
            here, root = roots[-1] + number, roots[-1]
            leads = (here, here) if node["is_leaf"] else (root + int(node["left"]), root + int(node["right"]))
            threshold, value = round(float(node["num_threshold"]), 4), round(float(node["value"]), 4)
            nodes.append((int(node["feature_idx"]), threshold, *leads, value))
    feature, threshold, left, right, value = (list(column) for column in zip(*nodes, strict=True))
    base = float(model._baseline_prediction.ravel()[0]) + float(np.log(MISSED_COSTS))
    value = [one if left[n] == n else 0.0 for n, one in enumerate(value)]
    threshold = [one if left[n] != n else 0.0 for n, one in enumerate(threshold)]
    told = {"base": round(base, 4), "depth": depth, "roots": roots, "feature": feature, "threshold": threshold}
    return json.dumps(told | {"left": left, "right": right, "value": value}, separators=(",", ":")) + "\n"


# The network ----------------------------------------------------------------------------------------------------------


def looked(columns: Sequence[np.ndarray], after_each: Callable[[str], None] = lambda text: None) -> str:
    """Teach the network. columns : as of ``seen``, of all scenes"""
    import torch
    from torch import nn
    from torch.nn import functional

    torch.manual_seed(0)
    short, low, quick, shown, hits, later = (torch.from_numpy(column) for column in columns)
    times, bands = short.shape[2] // 2, short.shape[3] // 2
    net = nn.ModuleDict({
        "c1": nn.Conv2d(3, 12, 3, padding=1), "c2": nn.Conv2d(12, 16, 3, padding=1), "d1": nn.Linear(16 * times * bands, 48),
        "low": nn.Linear(low[0].numel(), 20), "q": nn.Linear(quick[0].numel(), 32), "e": nn.Linear(shown.shape[1], 32),
        "m": nn.Linear(48 + 20 + 32 + 32, 48), "o": nn.Linear(48, 2),
    })  # fmt: skip
    dropped = nn.Dropout(DROPPED)

    def said(short, low, quick, shown):
        bands = functional.max_pool2d(torch.relu(net["c2"](torch.relu(net["c1"](short)))), (2, 2))
        rows = [
            net["d1"](dropped(bands.flatten(1))),
            net["low"](low.flatten(1)),
            net["q"](quick.flatten(1)),
            net["e"](shown),
        ]
        return net["o"](torch.relu(net["m"](dropped(torch.cat([torch.relu(row) for row in rows], 1)))))

    def varied(picture):
        noisy = picture + NOISE * torch.randn_like(picture)
        if picture.dim() < 4:
            return noisy
        bands, levels = (
            torch.randn(len(picture), 1, 1, picture.shape[3]),
            torch.randn(len(picture), picture.shape[1], 1, 1),
        )
        return noisy + COLOUR * bands + LEVEL * levels

    batches = len(hits) // BATCH
    turns = torch.optim.AdamW(net.parameters(), FASTEST, weight_decay=DECAY)
    pace = torch.optim.lr_scheduler.OneCycleLR(turns, FASTEST, total_steps=EPOCHS * batches)
    text, steady = "", {name: values.detach().clone() for name, values in net.state_dict().items()}
    for _ in range(EPOCHS):
        order = torch.randperm(len(hits))
        dropped.train()
        for batch in range(batches):
            rows = order[batch * BATCH : (batch + 1) * BATCH]
            pictures = [varied(column[rows].float()) for column in (short, low, quick)]
            told = said(*pictures, shown[rows].float())
            wanted, at = hits[rows].float(), later[rows].float()
            loss = functional.binary_cross_entropy_with_logits(
                told[:, 0], wanted, pos_weight=torch.tensor(MISSED_WEIGHS)
            )
            off = functional.smooth_l1_loss(told[:, 1], at / MS, reduction="none", beta=0.2)
            turns.zero_grad()
            (loss + TIME_WEIGHS * (off * wanted).mean()).backward()
            turns.step()
            pace.step()
            for name, values in net.state_dict().items():
                steady[name].lerp_(values, 1 - STEADY)
        text = json.dumps({name: packed(values.numpy()) for name, values in steady.items()}) + "\n"
        after_each(text)
    return text


def main(scenes: int = SCENES, folder: str = "") -> None:
    kept = Path(folder or tempfile.mkdtemp())
    every = [(font, seed) for font in FONTS for seed in range(scenes)]
    with ProcessPoolExecutor() as pool:
        judge: Judge = by_share
        for _ in range(2):  # what is taught first tells what teaches the ways, as it will then
            pairs = list(pool.map(partial(examples, folder=kept, judge=judge), every))
            shown, wanted = (np.concatenate(each) for each in zip(*pairs, strict=True))
            text = taught(shown, wanted)
            judge = Forest.of(text).confidences
        FOREST_FILE.write_text(text)
        print(f"{FOREST_FILE} written from {len(wanted):,} rises, {int(wanted.sum()):,} of them strokes")
        columns = [
            np.concatenate(column)
            for column in zip(*pool.map(partial(seen, folder=kept, judge=judge), every), strict=True)
        ]
    NETWORK_FILE.write_text(looked(columns))
    print(f"{NETWORK_FILE} written from {len(columns[0]):,} rises; {len(CLOSE)} kinds of tracks")


if __name__ == "__main__":
    main(*(int(text) if text.isdecimal() else text for text in sys.argv[1:]))
