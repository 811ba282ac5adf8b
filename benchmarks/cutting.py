"""Transients: how many hits of made-up loops are found, how many of the found are hits, and how near to the truth."""

import numpy as np

from benchmarks.measured import Row, ratio_row, seconds
from dactyl.core.hits.onsets import find_onsets

RATE, LOOPS = 48_000, 120
NEAR_MS = 10.0  # what counts as the same hit


def rows() -> list[Row]:
    loops = [_loop(seed) for seed in range(LOOPS)]
    found = []
    took = seconds(lambda: found.extend(find_onsets(audio, RATE) for audio, _ in loops))
    floor = min(seconds(lambda: [np.fft.rfft(_windows(audio[0])) for audio, _ in loops]) for _ in range(2))
    hits = errors = 0
    off_ms = []
    for (_, starts), places in zip(loops, found, strict=True):
        left = list(starts)
        hits += len(starts)
        for place in places:
            nearest = min(left, key=lambda start: abs(start - place), default=None)
            if nearest is None or abs(nearest - place) > NEAR_MS * RATE / 1000:
                errors += 1
                continue
            left.remove(nearest)
            off_ms.append(1000 * abs(nearest - place) / RATE)
    right = len(off_ms)
    figure = (
        f"{100 * right / hits:.0f} % of {hits:,} hits found, {100 * right / (right + errors):.0f} % of the found are hits, "
        f"{100 * np.mean(np.array(off_ms) <= 1.0):.0f} % of those within 1 ms"
    )
    return [
        Row(f"Transients of {LOOPS} loops", figure, None, "reported", True),
        ratio_row("... of two seconds each", took, floor, 6.0, "their spectra alone"),
    ]


def _windows(mono: np.ndarray) -> np.ndarray:
    return np.lib.stride_tricks.sliding_window_view(mono, 1022)[::130]


def _loop(seed: int) -> tuple[np.ndarray, list[int]]:
    """Two seconds of drums that ring into each other, 0 to 18 dB apart, a little off the grid: (1, frames), starts."""
    rng = np.random.default_rng(seed)
    frames = 2 * RATE
    sound, starts = np.zeros(frames + RATE), []
    step = int(rng.choice([3000, 4000, 6000, 8000, 12_000]))
    for place in range(0, frames - 2000, step):
        if place and rng.random() < 0.35:
            continue
        start = place + (int(rng.integers(-200, 200)) if place else 0)
        for name in rng.choice(list(DRUMS), size=rng.integers(1, 3), replace=False, p=[0.25, 0.25, 0.3, 0.12, 0.08]):
            drum = DRUMS[name](rng, np.arange(RATE // 2) / RATE)
            sound[start : start + len(drum)] += drum * 10 ** (-rng.uniform(0, 18) / 20)
        starts.append(start)
    sound = sound[:frames] + rng.normal(0, 1e-4, frames)
    return (sound / np.abs(sound).max())[np.newaxis].astype(np.float32), starts


def _noise(rng: np.random.Generator, time: np.ndarray, *, bright: bool = False) -> np.ndarray:
    noise = rng.normal(0, 1, len(time))
    return np.diff(noise, prepend=0) if bright else noise


DRUMS = {
    "kick": lambda rng, t: np.sin(2 * np.pi * (50 * t + 8 * (1 - np.exp(-t * 30)))) * np.exp(-t * 10) + 0.3 * _noise(rng, t) * np.exp(-t * 500),
    "snare": lambda rng, t: 0.6 * np.sin(2 * np.pi * 190 * t) * np.exp(-t * 20) + 0.5 * _noise(rng, t) * np.exp(-t * rng.uniform(12, 25)),
    "hat": lambda rng, t: 0.3 * _noise(rng, t, bright=True) * np.exp(-t * rng.choice([15, 60])),
    "tom": lambda rng, t: np.sin(2 * np.pi * rng.uniform(80, 160) * t) * np.exp(-t * 7) + 0.2 * _noise(rng, t) * np.exp(-t * 300),
    "crash": lambda rng, t: 0.3 * _noise(rng, t, bright=True) * np.exp(-t * 3),
}  # fmt: skip
