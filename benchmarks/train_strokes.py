"""Teach how evidence is weighed: makes dactyl/core/hits/strokes_by_evidence.json anew from scenes, from seeds.

Needs scikit-learn (Pedregosa et al., JMLR 12, 2011), which nothing else here does: `pip install scikit-learn`.
"""

import json
import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial

import numpy as np

from benchmarks.scenes import RATE_HZ, Scene, scene
from dactyl.core.hits.envelopes import HOP_SECONDS, Track, levels
from dactyl.core.hits.forest import Forest
from dactyl.core.hits.rises import Rises
from dactyl.core.hits.strokes import FOREST_FILE, weighed

FONTS, SCENES = ("timgm", "csound", "samples", "general"), 55  # freepats and airfont are kept for judging
NEAR_SECONDS = 0.010
TREES, LEAVES, DEPTH, RATE, SHRINK, FEWEST = 160, 12, 7, 0.08, 10.0, 60
MISSED_COSTS = 1.5  # times a hit too many: what is found is taken away in a moment
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
    """What of a scene is needed again: its levels, and the true times of each track."""

    tracks: list[tuple[str, np.ndarray]]  # role and levels
    times: dict[str, np.ndarray]

    @classmethod
    def of(cls, which: tuple[str, int]) -> "Lesson":
        made = scene(*which)
        times = {role: np.array([one.time for one in made.strokes if one.role == role]) for role in made.close}
        return cls([(track.role, levels(track)) for track in tracks_of(made)], times)


def by_share(shown: np.ndarray) -> np.ndarray:
    """Who is not taught yet goes by how much of a rise is a drum's own."""
    return np.clip(shown[:, 2] + 1.0, 0, 1)


def examples(lesson: Lesson, judge: Judge) -> tuple[np.ndarray, np.ndarray]:
    """Evidence of every rise of a scene, and whether it was a stroke."""
    heard = [
        Rises.of(Track(role, role, lambda *_: np.zeros((1, 0)), 0, RATE_HZ), known) for role, known in lesson.tracks
    ]
    shown, wanted = [], []
    for number, told in weighed(heard, judge).items():
        hits = np.zeros(len(told.shown))
        pairs = matched(lesson.times[heard[number].role], heard[number].places * HOP_SECONDS)
        hits[[j for _, j in pairs]] = 1
        shown.append(told.shown)
        wanted.append(hits)
    return np.concatenate(shown), np.concatenate(wanted)


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
            nodes.append(
                (
                    int(node["feature_idx"]),
                    round(float(node["num_threshold"]), 4),
                    *leads,
                    round(float(node["value"]), 4),
                )
            )
    feature, threshold, left, right, value = (list(column) for column in zip(*nodes, strict=True))
    base = float(model._baseline_prediction.ravel()[0]) + float(np.log(MISSED_COSTS))
    value = [one if left[n] == n else 0.0 for n, one in enumerate(value)]
    threshold = [one if left[n] != n else 0.0 for n, one in enumerate(threshold)]
    told = {"base": round(base, 4), "depth": depth, "roots": roots, "feature": feature, "threshold": threshold}
    return json.dumps(told | {"left": left, "right": right, "value": value}, separators=(",", ":")) + "\n"


def main(scenes: int = SCENES) -> None:
    with ProcessPoolExecutor() as pool:
        lessons = list(pool.map(Lesson.of, [(font, seed) for font in FONTS for seed in range(scenes)]))
        judge: Judge = by_share
        for _ in range(2):  # what is taught first tells what teaches the ways, as it will then
            pairs = list(pool.map(partial(examples, judge=judge), lessons))
            shown, wanted = (np.concatenate(each) for each in zip(*pairs, strict=True))
            text = taught(shown, wanted)
            judge = Forest.of(text).confidences
    FOREST_FILE.write_text(text)
    print(f"{FOREST_FILE} written from {len(wanted):,} rises, {int(wanted.sum()):,} of them strokes")


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
