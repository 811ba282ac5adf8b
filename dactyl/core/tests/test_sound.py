"""Filters, preparing and responses, each against what the formula or a plain sine says it must be."""

from dataclasses import replace

import numpy as np
import scipy
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from dactyl.core.audio import filter as filters
from dactyl.core.audio.align import lag_frames
from dactyl.core.audio.interpolate import interpolate, stretched_frames
from dactyl.core.audio.prepare import SNAP_SECONDS, Recipe, prepare
from dactyl.core.bounce.response import measure_response
from dactyl.core.kit import Envelope, Filter, Take
from dactyl.core.play.compile import compile_kit
from dactyl.core.tests import kits
from dactyl.core.tests.kits import RATE

PLAIN = Recipe("0" * 64, RATE, 1, 0, RATE, RATE)


def gain_db(row: filters.Coefficients, hz: float, rate_hz: int = RATE) -> float:
    b0, b1, b2, a1, a2 = row
    _, response = scipy.signal.sosfreqz([[b0, b1, b2, 1.0, a1, a2]], [hz], fs=rate_hz)
    return 20 * np.log10(max(abs(response[0]), 1e-6))


def sine(hz: float, frames: int = RATE, rate_hz: int = RATE) -> np.ndarray:
    return np.sin(2 * np.pi * hz * np.arange(frames) / rate_hz)[np.newaxis].astype(np.float32)


class Filters(SimpleTestCase):
    def test_each_kind_has_the_gains_its_formula_gives(self):
        table = [  # kind, Q, gain at a twentieth of the cutoff, at the cutoff, at eight times the cutoff
            ("low", 0.7071, 0.0, -3.01, -37.0),
            ("low", 2.0, 0.0, 6.02, -36.9),
            ("high", 0.7071, -52.0, -3.01, 0.0),
            ("band", 4.0, -38.0, 0.0, -30.5),
            ("notch", 0.7071, 0.0, -120.0, 0.0),
            ("low_1p", 1.0, 0.0, -3.01, -18.5),
            ("high_1p", 1.0, -26.0, -3.01, 0.0),
        ]
        for kind, q, below, at, above in table:
            with self.subTest(kind, q=q):
                row = filters.coefficients(kind, 1000, q, RATE)
                for hz, expected in ((50, below), (1000, at), (8000, above)):
                    self.assertAlmostEqual(gain_db(row, hz), expected, delta=1.6)
                self.assertAlmostEqual(gain_db(row, 1000), at, delta=0.02)

    def test_the_shelf_lifts_what_lies_below_and_leaves_what_lies_above(self):
        row = filters.low_shelf(110, 6.0, RATE)
        self.assertAlmostEqual(gain_db(row, 2), 6.0, delta=0.02)
        self.assertAlmostEqual(gain_db(row, 110), 3.0, delta=0.02)
        self.assertAlmostEqual(gain_db(row, 10_000), 0.0, delta=0.02)

    @settings(max_examples=60, deadline=None)
    @given(st.sampled_from(["low", "high", "band"]), st.floats(1, 1e6), st.floats(0.1, 30), st.floats(0, 8))
    def test_any_setting_is_stable_and_rings_no_longer_than_its_tail(self, kind, cutoff_hz, q, octaves):
        table = filters.filter_table(kind, cutoff_hz, q, octaves, RATE)
        self.assertEqual(len(table.coefficients), 127)
        for velocity in (1, 127):
            _, _, _, a1, a2 = table.coefficients[velocity - 1]
            poles = np.abs(np.roots([1, a1, a2]))
            self.assertLess(poles.max(), 1)
            self.assertLessEqual(poles.max() ** table.tail_frames[velocity - 1], 1.01 * filters.SILENT)

    def test_softer_hits_close_by_the_octaves_and_never_leave_the_audible(self):
        table = filters.filter_table("low", 4000, 0.7071, 2.0, RATE)
        for velocity in (1, 64, 127):
            hz = 4000 * 2 ** (2 * (velocity / 127 - 1))
            self.assertAlmostEqual(gain_db(table.coefficients[velocity - 1], hz), -3.01, delta=0.02)
        self.assertEqual(filters.coefficients("low", 1e6, 1, RATE), filters.coefficients("low", 0.45 * RATE, 1, RATE))


class Preparing(SimpleTestCase):
    def test_polarity_reverse_start_and_end_take_the_stretch_that_was_shown(self):
        audio = np.arange(1, RATE + 1, dtype=np.float32)[np.newaxis]
        cut = replace(PLAIN, start_frame=100, end_frame=600)
        self.assertEqual(prepare(audio, cut)[0, [0, -1]].tolist(), [101, 600])
        turned = prepare(audio, replace(cut, is_reversed=True, is_flipped=True))
        self.assertEqual(turned[0, [0, -1]].tolist(), [-(RATE - 100), -(RATE - 599)])
        self.assertEqual(audio[0, 0], 1, "the sample itself is not changed")

    def test_fades_are_straight_lines_to_silence(self):
        ones = np.ones((2, RATE), np.float32)
        faded = prepare(ones, replace(PLAIN, channels=2, end_frame=1000, fade_in_frames=10, fade_out_frames=20))
        np.testing.assert_allclose(faded[1, :11], np.arange(11) / 10, atol=1e-6)
        np.testing.assert_allclose(faded[0, -21:], [1, *(np.arange(20, 0, -1) / 20)], atol=1e-6)
        longer = prepare(ones, replace(PLAIN, channels=2, end_frame=8, fade_in_frames=100, fade_out_frames=100))
        self.assertLess(longer.max(), 1, "fades longer than the sound share it")

    def test_tuning_moves_a_tone_by_its_cents_and_shortens_the_sound(self):
        for cents in (-700, 50, 1200):
            with self.subTest(cents=cents):
                recipe = replace(PLAIN, tune_cents=cents)
                heard = prepare(sine(440), recipe)
                self.assertEqual(heard.shape[1], recipe.frames)
                self.assertAlmostEqual(recipe.frames, RATE / 2 ** (cents / 1200), delta=1)
                self.assertLess(residue_db(heard, 440 * 2 ** (cents / 1200)), -100)

    def test_weight_is_the_shelf_and_snap_is_gone_after_the_attack(self):
        heavy = prepare(sine(20), replace(PLAIN, weight_db=6))
        self.assertAlmostEqual(20 * np.log10(np.abs(heavy[0, RATE // 2 :]).max()), 6.0, delta=0.1)
        snappy = prepare(np.ones((1, RATE), np.float32), replace(PLAIN, snap_db=6))
        self.assertAlmostEqual(float(snappy[0, 0]), 10 ** (6 / 20), places=4)
        at = int(SNAP_SECONDS * RATE)
        self.assertAlmostEqual(float(snappy[0, at]), 1 + (10 ** (6 / 20) - 1) / np.e, places=3)
        self.assertAlmostEqual(float(snappy[0, -1]), 1.0, places=4)

    def test_any_recipe_gives_the_length_it_promised(self):
        rng = np.random.default_rng(4)
        audio = rng.normal(0, 0.1, (2, 5000)).astype(np.float32)
        for _ in range(40):
            start = int(rng.integers(0, 4990))
            recipe = Recipe(
                "0" * 64, int(rng.choice([22_050, 44_100, 48_000, 96_000])), 2, start, int(rng.integers(start + 1, 5001)),
                int(rng.choice([44_100, 48_000])), tune_cents=float(rng.choice([0, -2400, 33.3, 1900])),
                weight_db=float(rng.choice([0, 5])), fade_out_frames=int(rng.integers(0, 300)),
            )  # fmt: skip
            sound = prepare(audio, recipe)
            self.assertEqual((sound.shape, sound.dtype), ((2, recipe.frames), np.float32))
            self.assertTrue(np.isfinite(sound).all())


def residue_db(heard: np.ndarray, hz: float) -> float:
    """What is left of the middle of a sound when the best sine of a frequency is taken out, against the sine."""
    middle = heard[0, 4000 : heard.shape[1] - 4000].astype(np.float64)
    time = np.arange(len(middle)) / RATE
    basis = np.stack([np.sin(2 * np.pi * hz * time), np.cos(2 * np.pi * hz * time)], axis=1)
    fitted = basis @ np.linalg.lstsq(basis, middle, rcond=None)[0]
    return 10 * np.log10(np.square(middle - fitted).mean() / np.square(fitted).mean())


class Interpolating(SimpleTestCase):
    def test_a_tone_keeps_its_shape_at_any_speed(self):
        for hz, ratio in ((440, 1.5), (5000, 0.93), (15_000, 1.07), (9000, 1.9)):
            with self.subTest(hz=hz, ratio=ratio):
                frames = stretched_frames(RATE, ratio)
                self.assertLess(residue_db(interpolate(sine(hz), ratio, 0, frames), hz * ratio), -88)

    def test_what_would_fold_back_is_taken_out(self):
        heard = interpolate(sine(20_000), 2.0, 0, RATE // 2)
        self.assertLess(20 * np.log10(np.abs(heard[0, 2000:-2000]).max()), -80)

    def test_any_split_into_blocks_gives_the_same_frames(self):
        audio = np.random.default_rng(3).normal(0, 0.1, (2, 900)).astype(np.float32)
        whole = interpolate(audio, 1.37, 0, 700)
        parts = [interpolate(audio, 1.37, a, b) for a, b in ((0, 1), (1, 255), (255, 256), (256, 700))]
        np.testing.assert_array_equal(np.concatenate(parts, axis=1), whole)


class Aligning(SimpleTestCase):
    def test_lateness_and_polarity_are_found_to_the_frame(self):
        rng = np.random.default_rng(2)
        hit = rng.normal(0, 0.3, (1, 3000)) * np.exp(-np.arange(3000) / 500)
        for late, sign in ((0, 1), (37, -1), (-90, 1)):
            moved = np.pad(sign * hit, ((0, 0), (100 + late, 200)))
            self.assertEqual(lag_frames(moved, np.pad(hit, ((0, 0), (100, 200))), RATE), (late, sign))
        self.assertEqual(lag_frames(np.zeros((1, 100)), hit, RATE), (0, 1), "silence is not late")


class Responses(SimpleTestCase):
    def response(self, pad, audio: dict[str, np.ndarray]):
        book = compile_kit(kits.kit(pad), RATE)
        layers = [(layer.low, layer.high) for layer in pad.layers]
        return measure_response(book.pads[0], layers, lambda recipe: audio[recipe.sha256], RATE)

    def sounds(self, pad, levels_db: list[float]) -> dict[str, np.ndarray]:
        """Noise of a steady level for each take of the pad, in order."""
        takes = [take for layer in pad.layers for take in layer.takes]
        rng = np.random.default_rng(1)
        noise = [rng.normal(0, 1, (1, RATE)) for _ in takes]
        return {
            take.samples[0][1].sha256: 10 ** (level / 20) * sound / np.sqrt(np.square(sound[:, :2400]).mean())
            for take, level, sound in zip(takes, levels_db, noise, strict=True)
        }

    def test_the_levels_are_those_of_the_layers_and_jumps_are_named(self):
        pad = kits.pad(highs=(60, 127), dynamics=0.0)
        answer = self.response(pad, self.sounds(pad, [-30, -18]))
        self.assertAlmostEqual(answer.levels_db[0], -30, delta=0.01)
        self.assertAlmostEqual(answer.levels_db[126], -18, delta=0.01)
        self.assertEqual([(velocity, round(step)) for velocity, step in answer.jumps], [(61, 12)])

    def test_dynamics_follow_velocity_by_the_square_law(self):
        pad = kits.pad(highs=(127,))
        answer = self.response(pad, self.sounds(pad, [-12]))
        self.assertAlmostEqual(answer.levels_db[126] - answer.levels_db[62], -40 * np.log10(63 / 127), delta=0.01)

    def test_even_out_puts_the_middle_layers_on_the_line(self):
        pad = kits.pad(highs=(42, 85, 127), dynamics=0.0)
        before = self.response(pad, self.sounds(pad, [-30, -28, -10]))
        self.assertEqual(before.proposed_gains_db[0], 0.0)
        self.assertAlmostEqual(before.proposed_gains_db[1], 8.0, delta=0.3)
        layers = tuple(
            replace(layer, gain_db=gain) for layer, gain in zip(pad.layers, before.proposed_gains_db, strict=True)
        )
        after = self.response(replace(pad, layers=layers), self.sounds(pad, [-30, -28, -10]))
        self.assertLess(np.abs(after.proposed_gains_db).max(), 0.01)

    def test_one_take_is_a_machine_gun_and_different_ones_are_not(self):
        one, several = kits.pad(takes=1), kits.pad(takes=4)
        self.assertEqual(self.response(one, self.sounds(one, [-10])).alike, 1.0)
        heard = self.response(several, self.sounds(several, [-10] * 4)).alike
        self.assertLess(heard, 0.95)
        same = dict.fromkeys(self.sounds(several, [-10] * 4), next(iter(self.sounds(one, [-10]).values())))
        self.assertAlmostEqual(self.response(several, same).alike, 1.0, places=6)

    def test_filter_envelope_and_disabled_takes_are_heard(self):
        pad = kits.pad(dynamics=0.0)
        audio = self.sounds(pad, [-10])
        plain = self.response(pad, audio).levels_db[100]
        dull = replace(pad, filter=Filter(kind="low", cutoff_hz=300))
        short = replace(pad, envelope=Envelope(decay_ms=10))
        self.assertLess(self.response(dull, audio).levels_db[100], plain - 10)
        self.assertLess(self.response(short, audio).levels_db[100], plain - 5)
        quiet: tuple[Take, ...] = tuple(replace(take, enabled=False) for take in pad.layers[0].takes)
        silent = replace(pad, layers=(replace(pad.layers[0], takes=quiet),))
        self.assertLess(self.response(silent, audio).levels_db[100], -100)
        self.assertIsNone(self.response(silent, audio).alike)
