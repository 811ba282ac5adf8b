"""Teach how evidence is weighed: makes dactyl/core/hits/strokes_by_evidence.json anew from scenes, from a seed."""

import json

import numpy as np

from benchmarks.scenes import CLOSE, RATE_HZ, Scene, scene
from dactyl.core.hits import strokes
from dactyl.core.hits.envelopes import HOP_SECONDS, Track, levels

FONTS, SCENES = ("csound", "timgm", "samples"), 12  # freepats is kept unseen
NEAR_SECONDS = 0.010
SHRINK = 3.0


def tracks_of(made: Scene) -> list[Track]:
    return [
        Track(role, role, lambda first, stop, sound=sound: sound[None, first:stop], len(sound), RATE_HZ)
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


def examples(made: Scene) -> tuple[np.ndarray, np.ndarray]:
    """Evidence of every rise of a scene, and whether it was a stroke."""
    rows, wanted = [], []
    original = strokes.confidences

    def watched(shown: np.ndarray) -> np.ndarray:
        rows.append(shown)
        return np.full(len(shown), 0.5)

    strokes.confidences = watched
    try:
        tracks = tracks_of(made)
        every = [levels(track) for track in tracks]
        strokes.candidates(tracks, every)
    finally:
        strokes.confidences = original
    for number, role in enumerate(CLOSE):
        places = strokes.rises(strokes.weighted(every[number], role))[0]
        times = np.array([stroke.time for stroke in made.strokes if stroke.role == role])
        hits = np.zeros(len(places))
        hits[[j for _, j in matched(times, places * HOP_SECONDS)]] = 1
        wanted.append(hits)
    return np.concatenate(rows), np.concatenate(wanted)


def taught(shown: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    """Weights of a logistic regression with a penalty on their squares, by Newton's method."""
    rows = strokes.spread_out(shown)
    weights = np.zeros(rows.shape[1])
    penalty = np.full(len(weights), SHRINK)
    penalty[0] = 1e-3
    for _ in range(30):
        share = 1 / (1 + np.exp(-np.clip(rows @ weights, -30, 30)))
        slope = rows.T @ (share - wanted) + penalty * weights
        bend = (rows * (share * (1 - share))[:, None]).T @ rows + np.diag(penalty)
        weights -= np.linalg.solve(bend, slope)
    return weights


def main() -> None:
    pairs = [examples(scene(font, seed)) for font in FONTS for seed in range(SCENES)]
    weights = taught(np.concatenate([shown for shown, _ in pairs]), np.concatenate([wanted for _, wanted in pairs]))
    strokes.WEIGHTS_FILE.write_text(json.dumps({"weights": np.round(weights, 4).tolist()}) + "\n")
    print(f"{strokes.WEIGHTS_FILE} written from {sum(len(wanted) for _, wanted in pairs):,} rises")


if __name__ == "__main__":
    main()
