"""Loudness against the signals by which EBU Tech 3341 has meters checked (its tables 1, synthesised here)."""

import numpy as np
from django.test import SimpleTestCase

from dactyl.core.audio.loudness import Loudness, LoudnessMeter, k_weighting

TECH_3341 = [  # (dBFS, seconds) one after another -> LUFS, to 0.1
    ([(-23.0, 20)], -23.0),
    ([(-33.0, 20)], -33.0),
    ([(-36.0, 10), (-23.0, 60), (-36.0, 10)], -23.0),
    ([(-72.0, 10), (-36.0, 10), (-23.0, 60), (-36.0, 10), (-72.0, 10)], -23.0),
    ([(-26.0, 20), (-20.0, 20.1), (-26.0, 20)], -23.0),
]


def tone(rate: int, hz: float, seconds: float, degrees: float = 0.0) -> np.ndarray:
    return np.sin(2 * np.pi * hz * np.arange(round(seconds * rate)) / rate + np.radians(degrees))


def measured(audio: np.ndarray, rate: int, block: int = 10_007) -> Loudness:
    meter = LoudnessMeter(rate)
    for start in range(0, audio.shape[1], block):
        meter.feed(audio[:, start : start + block])
    return meter.measured()


class Meter(SimpleTestCase):
    def test_the_signals_of_tech_3341_are_as_loud_as_it_says_at_any_rate(self):
        for rate in (44_100, 48_000, 96_000):
            for steps, expected in TECH_3341:
                if rate != 48_000 and len(steps) > 1:
                    continue
                mono = np.concatenate([10 ** (db / 20) * tone(rate, 1000, seconds) for db, seconds in steps])
                with self.subTest(rate=rate, steps=steps):
                    self.assertAlmostEqual(measured(mono[np.newaxis], rate).integrated_lufs, expected, delta=0.1)

    def test_true_peaks_between_samples_are_found_as_tech_3341_asks(self):
        for hz, degrees in (
            (12_000, 0),
            (12_000, 45),
            (8_000, 60),
            (6_000, 67.5),
        ):  # its cases 15 to 18: −6 dBTP, +0.2, −0.4
            sound = 0.5 * tone(48_000, hz, 0.5, degrees) * np.minimum(1, np.bartlett(24_000) * 3)
            for block in (64, 24_000):
                peak_db = 20 * np.log10(measured(sound[np.newaxis], 48_000, block).true_peak)
                with self.subTest(hz=hz, degrees=degrees, block=block):
                    self.assertTrue(-6.4 < peak_db < -5.8, peak_db)

    def test_blocks_change_nothing_silence_has_no_loudness_and_the_table_for_48_khz_is_met(self):
        noise = np.random.default_rng(1).normal(0, 0.1, (2, 100_000))
        whole, cut = measured(noise, 48_000, 100_000), measured(noise, 48_000, 333)
        self.assertAlmostEqual(whole.integrated_lufs, cut.integrated_lufs, places=9)
        self.assertAlmostEqual(whole.true_peak, cut.true_peak, places=9)
        one_side = noise[:1]
        self.assertEqual(
            measured(one_side, 48_000), measured(np.repeat(one_side, 2, axis=0), 48_000), "mono is heard on both sides"
        )
        self.assertEqual(measured(np.zeros((2, 48_000)), 48_000), Loudness(None, 0.0))
        self.assertIsNone(measured(noise[:, :9_000], 48_000).integrated_lufs, "shorter than one block")
        shelf, low_cut = k_weighting(48_000)
        np.testing.assert_allclose(shelf, [1.53512485958697, -2.69169618940638, 1.19839281085285, 1, -1.69065929318241, 0.73248077421585], atol=1e-8)  # fmt: skip
        np.testing.assert_allclose(low_cut, [1, -2, 1, 1, -1.99004745483398, 0.99007225036621], atol=1e-8)
