"""The rules of playing (design, section 3), each as a fact."""

import math
from collections import Counter

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from dactyl.core.errors import KitError
from dactyl.core.kit import Layer, Pad
from dactyl.core.parts.part import Hit
from dactyl.core.play.cycles import take_cycle
from dactyl.core.play.playbook import compile_kit, curved
from dactyl.core.play.player import Player
from dactyl.core.tests.kits import CHOKE_A, RATE, kit, pad, take
from dactyl.core.units import ms_to_frames, pan_gains

FADE = ms_to_frames(8, RATE)


def played(a_kit, *hits):
    player = Player(compile_kit(a_kit, RATE))
    return [player.play(Hit(*hit)) for hit in hits]


class Velocity(SimpleTestCase):
    def test_velocity_picks_the_layer(self):
        two = kit(pad(highs=(40, 127)))
        for velocity, take_index in [(1, 0), (40, 0), (41, 1), (127, 1)]:
            with self.subTest(velocity=velocity):
                self.assertEqual([voice.take for voice in played(two, (0, 38, velocity))[0]], [take_index])

    def test_dynamics_follow_the_square_law(self):
        for dynamics, expected in [(1.0, (64 / 127) ** 2), (0.5, 1 + 0.5 * ((64 / 127) ** 2 - 1)), (0.0, 1.0)]:
            (voice,) = played(kit(pad(dynamics=dynamics)), (0, 38, 64))[0]
            self.assertAlmostEqual(voice.gain, expected, places=12)

    def test_curves_are_whole_velocities(self):
        self.assertEqual([curved(64, curve) for curve in ("soft", "even", "hard")], [84, 64, 42])
        self.assertEqual({curved(n, c) for n in (1, 127) for c in ("soft", "even", "hard")} - {1, 127}, {7})

    @given(high=st.integers(1, 126), width=st.integers(0, 64), velocity=st.integers(1, 127))
    def test_crossfade_has_equal_power_and_two_layers_at_most(self, high, width, velocity):
        voices = played(kit(pad(highs=(high, 127), crossfade=width, dynamics=0.0)), (0, 38, velocity))[0]
        self.assertIn(len(voices), (1, 2))
        self.assertAlmostEqual(sum(voice.gain**2 for voice in voices), 1.0, places=9)

    def test_layers_cannot_gap_or_overlap(self):
        for lows_highs in [((1, 60), (62, 127)), ((1, 60), (60, 127)), ((1, 60),), ((2, 127),)]:
            layers = tuple(Layer(id=n, low=a, high=b, takes=(take(),)) for n, (a, b) in enumerate(lows_highs))
            with self.subTest(lows_highs=lows_highs), self.assertRaisesRegex(KitError, "gap or overlap"):
                Pad(id=1, name="bad", layers=layers)


class Rotations(SimpleTestCase):
    def test_takes_follow_in_turn_and_layers_count_apart(self):
        a_kit = kit(pad(highs=(60, 127), takes=3))
        voices = played(a_kit, *[(n, 38, v) for n, v in enumerate((20, 20, 100, 20, 100, 20))])
        self.assertEqual([v[0].take for v in voices], [0, 1, 3, 2, 4, 0])

    def test_a_shared_counter_counts_every_layer(self):
        voices = played(kit(pad(highs=(60, 127), takes=3, shared_counter=True)), (0, 38, 20), (1, 38, 100), (2, 38, 20))
        self.assertEqual([v[0].take for v in voices], [0, 4, 2])

    def test_a_muted_strike_counts(self):
        silent = Player(compile_kit(kit(pad(takes=2, muted=True)), RATE))
        self.assertEqual(silent.play(Hit(0, 38, 100)), [])
        self.assertEqual(silent._counters.popitem()[1], 1)

    @given(count=st.integers(2, 9), seed=st.integers(0, 99), layer=st.integers(0, 99))
    def test_random_is_fair_and_no_repeat_never_repeats(self, count, seed, layer):
        for rotation in ("random", "no_repeat"):
            cycle = [entry[0] for entry in take_cycle(range(count), rotation, seed=seed, layer=layer)]
            self.assertEqual(len(set(Counter(cycle).values())), 1)
            self.assertEqual(set(cycle), set(range(count)))
            self.assertGreaterEqual(len(cycle), 64)
        self.assertTrue(all(a != b for a, b in zip(cycle, cycle[1:] + cycle[:1], strict=True)))

    def test_all_together_sounds_every_enabled_take(self):
        self.assertEqual(take_cycle([0, 2], "all", seed=0, layer=0), ((0, 2),))
        self.assertEqual(take_cycle([], "in_turn", seed=0, layer=0), ())


class Cuts(SimpleTestCase):
    def test_closed_hat_fades_the_open_one_and_not_itself(self):
        hats = kit(pad("closed", note=42, choke=CHOKE_A), pad("open", note=46, choke=CHOKE_A))
        (opened,), (first,), (second,) = played(hats, (0, 46, 100), (1000, 42, 100), (2000, 42, 100))
        self.assertEqual(opened.fades, [(1000, FADE)])
        self.assertEqual(opened.last_frame, 1000 + FADE)
        self.assertEqual((first.fades, second.fades), ([], []))

    def test_cuts_itself_cuts_its_own_earlier_voices(self):
        (first,), (second,) = played(kit(pad(cuts_itself=True)), (0, 38, 100), (500, 38, 100))
        self.assertEqual((first.last_frame, second.fades), (500 + FADE, []))

    def test_the_voices_of_one_hit_do_not_cut_each_other(self):
        both = kit(pad("a", choke=CHOKE_A), pad("b", choke=CHOKE_A))
        self.assertEqual([voice.fades for voice in played(both, (0, 38, 100))[0]], [[], []])

    def test_the_oldest_goes_when_there_are_too_many(self):
        voices = [v[0] for v in played(kit(pad(max_voices=2)), *[(n * 100, 38, 100) for n in range(4)])]
        self.assertEqual([voice.fades for voice in voices], [[(200, FADE)], [(300, FADE)], [], []])

    def test_a_later_cut_counts_only_if_it_ends_sooner(self):
        (voice,) = played(kit(pad()), (0, 38, 100))[0]
        voice.cut(100, 1000)
        voice.cut(200, 2000)
        self.assertEqual(voice.last_frame, 1100)
        voice.cut(300, 50)
        self.assertEqual((voice.last_frame, len(voice.fades)), (350, 2))

    def test_a_muted_pad_still_cuts(self):
        hats = kit(pad("closed", note=42, choke=CHOKE_A, muted=True), pad("open", note=46, choke=CHOKE_A))
        (opened,), silent = played(hats, (0, 46, 100), (1000, 42, 100))
        self.assertEqual((opened.last_frame, silent), (1000 + FADE, []))


class Gains(SimpleTestCase):
    def test_pan_is_unity_in_the_centre_and_sine_law_outside(self):
        self.assertTrue(all(math.isclose(gain, 1.0) for gain in pan_gains(0)))
        for pan, left in [(-1, math.sqrt(2)), (1, 0.0), (-0.5, math.sqrt(2) * math.cos(math.pi / 8))]:
            self.assertAlmostEqual(pan_gains(pan)[0], left, places=12)
        self.assertEqual(pan_gains(-7), pan_gains(-1))

    def test_gains_multiply_along_the_way(self):
        table = compile_kit(kit(pad(gain_db=-6.0, pan=0.25)), RATE).pads[0].takes[0][0]
        left, right = pan_gains(0.25)
        self.assertAlmostEqual(table.left, 10 ** (-6 / 20) * left)
        self.assertAlmostEqual(table.right, 10 ** (-6 / 20) * right)
