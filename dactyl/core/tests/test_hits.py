"""Transients of a loop, found to the millisecond."""

import numpy as np
from django.test import SimpleTestCase

from dactyl.core.hits.onsets import find_onsets, grid

RATE = 44_100


def loop(starts: list[int], levels: list[float], frames: int = 2 * RATE) -> np.ndarray:
    """Bursts that decay into each other over a low hum; (1, frames)."""
    rng = np.random.default_rng(3)
    sound = 0.002 * np.sin(np.arange(frames) / 90)
    for number, (start, level) in enumerate(zip(starts, levels, strict=True)):
        time = np.arange(frames - start) / RATE
        body = np.sin(2 * np.pi * (60, 190, 320)[number % 3] * time) if number % 2 else rng.uniform(-1, 1, len(time))
        body += rng.uniform(-1, 1, len(time)) * np.exp(-time * 400)  # the stick
        sound[start:] += level * body * np.exp(-time * (9, 30, 16)[number % 3])
    return sound[np.newaxis].astype(np.float32)


class Onsets(SimpleTestCase):
    starts = [0, 11_025, 22_050, 27_563, 33_075, 44_100, 60_000, 77_175]

    def test_every_hit_is_found_within_a_millisecond(self):
        levels = [0.8, 0.3, 0.7, 0.2, 0.5, 0.9, 0.25, 0.6]
        found = find_onsets(loop(self.starts, levels), RATE)
        self.assertEqual(len(found), len(self.starts))
        for a, b in zip(found, self.starts, strict=True):
            self.assertLess(abs(a - b), RATE / 1000, f"{a} for {b}")

    def test_sensitivity_decides_about_soft_hits(self):
        soft = loop(self.starts, [0.8, 0.02, 0.7, 0.02, 0.5, 0.9, 0.02, 0.6])
        few, many = (len(find_onsets(soft, RATE, sensitivity=s)) for s in (0.1, 0.95))
        self.assertLess(few, many)

    def test_silence_and_scraps_have_none(self):
        self.assertEqual(find_onsets(np.zeros((2, RATE), np.float32), RATE), [])
        self.assertEqual(find_onsets(np.ones((1, 10), np.float32), RATE), [])

    def test_a_grid_covers_all_frames(self):
        self.assertEqual(grid(10, 4), [0, 2, 5, 7])
