"""The rules of playing (design, section 3), each as a fact."""

import math
from collections import Counter
from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from dactyl.core.errors import KitError
from dactyl.core.kit import Envelope, Kit, Layer, Mic, MuteGroup, Output, Pad, Piece, Take, Variation
from dactyl.core.parts.part import Hit
from dactyl.core.play.compile import compile_kit, curve_table
from dactyl.core.play.cycles import take_cycle
from dactyl.core.play.player import Player
from dactyl.core.tests.kits import CHOKE_A, RATE, kit, pad, sample, take
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
                self.assertEqual([voice.region for voice in played(two, (0, 38, velocity))[0]], [take_index])

    def test_dynamics_follow_the_square_law(self):
        for dynamics, expected in [(1.0, (64 / 127) ** 2), (0.5, 1 + 0.5 * ((64 / 127) ** 2 - 1)), (0.0, 1.0)]:
            (voice,) = played(kit(pad(dynamics=dynamics)), (0, 38, 64))[0]
            self.assertAlmostEqual(voice.gain, expected, places=12)

    def test_curves_are_whole_velocities(self):
        self.assertEqual([curve_table(curve)[63] for curve in ("soft", "even", "hard")], [84, 64, 42])
        self.assertEqual({curve_table(c)[n - 1] for n in (1, 127) for c in ("soft", "even", "hard")} - {1, 127}, {7})

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
        self.assertEqual([v[0].region for v in voices], [0, 1, 3, 2, 4, 0])

    def test_a_shared_counter_counts_every_layer(self):
        voices = played(kit(pad(highs=(60, 127), takes=3, shared_counter=True)), (0, 38, 20), (1, 38, 100), (2, 38, 20))
        self.assertEqual([v[0].region for v in voices], [0, 4, 2])

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

    def test_a_cut_fades_a_voice_that_would_have_ended_before_the_fade(self):
        (voice,) = played(kit(pad(frames=300)), (0, 38, 100))[0]
        voice.cut(100, 1000)
        self.assertEqual((voice.fades, voice.last_frame), ([(100, 1000)], 300))

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
        table = compile_kit(kit(pad(gain_db=-6.0, pan=0.25)), RATE).pads[0].regions[0].sounds[0]
        left, right = pan_gains(0.25)
        self.assertAlmostEqual(table.left, 10 ** (-6 / 20) * left)
        self.assertAlmostEqual(table.right, 10 ** (-6 / 20) * right)

    def test_pads_of_a_piece_share_its_mics_and_each_mic_has_its_way_out(self):
        heard = Take(id=1, samples=(("close", sample()), ("room", sample(channels=2))))
        one = Pad(
            id=1,
            name="tom",
            pan=1.0,
            layers=(Layer(id=1, low=1, high=127, takes=(heard,)),),
            output="Toms",
        )
        tom = Piece(name="tom", pads=(one,), mic_gains_db=(("room", -6.0),))
        mics = (Mic(name="close"), Mic(name="room", gain_db=-6.0, follows_pan=False, output="Room"))
        a_kit = Kit(
            name="k", pieces=(tom,), mics=mics, outputs=(Output(name="Main"), Output(name="Toms"), Output(name="Room"))
        )
        close, room = compile_kit(a_kit, RATE).pads[0].regions[0].sounds
        self.assertEqual((close.output, room.output), (1, 2))
        self.assertAlmostEqual(close.left, 0.0)
        self.assertEqual(room.left, room.right)
        self.assertAlmostEqual(room.left, 10 ** (-12 / 20))
        for said, places in (
            ({"mic_pans": (("room", "follows"),)}, [(0, math.sqrt(2))] * 2), ({"mic_pans": (("close", "stays"),)}, [(1, 1)] * 2),
            ({"mic_pans": (("room", -1.0),), "mic_flips": ("room",)}, [(0, math.sqrt(2)), (-math.sqrt(2), 0)]),
        ):  # fmt: skip
            with self.subTest(said):
                of = replace(
                    a_kit,
                    pieces=(replace(tom, mic_gains_db=(), **said),),
                    mics=(mics[0], replace(mics[1], gain_db=0.0)),
                )
                for sound, place in zip(compile_kit(of, RATE).pads[0].regions[0].sounds, places, strict=True):
                    np.testing.assert_allclose((sound.left, sound.right), place, atol=1e-9)
        for wrong in (
            {"mic_pans": (("hall", 0.0),)},
            {"mic_pans": (("room", 2.0),)},
            {"mic_pans": (("room", "up"),)},
            {"mic_flips": ("room", "room")},
        ):
            with self.subTest(wrong), self.assertRaises(KitError):
                replace(a_kit, pieces=(replace(tom, **wrong),))


class OtherPads(SimpleTestCase):
    def test_companions_sound_along_at_their_strength_and_one_hop_only(self):
        third = pad("c", note=50)
        second = pad("b", note=40, companions=((third.id, 1.0),))
        first = pad("a", note=38, companions=((second.id, 0.5), (third.id, 0.004)))
        voices = played(kit(first, second, third), (0, 38, 101))[0]
        self.assertEqual([(v.pad.name, v.velocity) for v in voices], [("a", 101), ("b", 51), ("c", 1)])
        self.assertEqual([v.pad.name for v in played(kit(first, second, third), (0, 40, 9))[0]], ["b", "c"])

    def test_a_pad_already_struck_is_not_struck_again_and_a_muted_one_strikes_nobody(self):
        second = pad("b")
        first = pad("a", companions=((second.id, 0.2),))
        self.assertEqual(
            [(v.pad.name, v.velocity) for v in played(kit(first, second), (0, 38, 100))[0]], [("a", 100), ("b", 100)]
        )
        other = pad("b", note=40)
        silent = pad("a", companions=((other.id, 0.2),), muted=True)
        self.assertEqual(played(kit(silent, other), (0, 38, 100)), [[]])

    def test_a_mute_group_is_one_way(self):
        grab = MuteGroup(number=1, fade_ms=20)
        crash, hand = pad("crash", note=49, silenced_by=(grab,)), pad("grabbed", note=52, silences=(grab,))
        (rung,), (grabbed,), (again,) = played(kit(crash, hand), (0, 49, 100), (1000, 52, 100), (2000, 49, 100))
        self.assertEqual((rung.fades, grabbed.fades, again.fades), ([(1000, 960)], [], []))


class Holding(SimpleTestCase):
    def test_a_note_off_releases_held_voices_and_no_one_shot(self):
        shape = Envelope(release_ms=10)
        held, shot = pad("held", note=60, is_held=True, envelope=shape), pad("shot", note=61, envelope=shape)
        a, b, *_ = played(kit(held, shot), (0, 60, 100), (0, 61, 100), (500, 60, 0), (500, 61, 0))
        self.assertEqual((a[0].last_frame, a[0].released_frame, b[0].fades), (500 + 480, 500, []))

    def test_a_note_off_of_another_channel_releases_nothing(self):
        (voice,), _ = played(kit(pad("held", note=60, is_held=True)), (0, 60, 100, 2), (500, 60, 0, 3))
        self.assertEqual(voice.fades, [])

    def test_an_envelope_ends_a_one_shot_early(self):
        shape = Envelope(attack_ms=1, hold_ms=2, decay_ms=3, sustain=0.5)
        ((shot,),) = played(kit(pad(envelope=shape)), (0, 38, 100))
        self.assertEqual(shot.end_frame, ms_to_frames(6, RATE))
        gains = shot.pad.envelope.gains(np.array([0, 24, 48, 143, 144, 216, 288]))
        self.assertEqual(list(gains), [0, 0.5, 1, 1, 1, 0.5, 0])
        ((held,),) = played(kit(pad(envelope=shape, is_held=True)), (0, 38, 100))
        self.assertEqual((held.end_frame, held.pad.envelope.gains(np.array([9999]))[0]), (RATE, 0.5))


class Varying(SimpleTestCase):
    def test_each_hit_strays_within_its_amounts_and_the_same_way_again(self):
        variation = Variation(tune_cents=30, gain_db=2, pan=0.3, delay_ms=5)
        hits = [(n * 10, 38, 127) for n in range(65)]
        voices = [v[0] for v in played(kit(pad(variation=variation), seed=4), *hits)]
        again = [v[0] for v in played(kit(pad(variation=variation), seed=4), *hits)]
        self.assertEqual(len({v.ratio for v in voices[:64]}), 64)
        self.assertTrue(all(abs(1200 * math.log2(v.ratio)) <= 30 for v in voices))
        self.assertTrue(all(abs(20 * math.log10(v.gain)) <= 2 for v in voices))
        self.assertTrue(all(0 <= v.start_frame - n * 10 <= 240 for n, v in enumerate(voices)))
        self.assertEqual(voices[64].ratio, voices[0].ratio)
        self.assertNotEqual(voices[0].sounds[0].left, voices[1].sounds[0].left)
        self.assertEqual(len(voices), len(again))

    def test_a_delayed_voice_that_is_cut_before_it_begins_is_dropped(self):
        late = replace(pad("open", note=46, choke=CHOKE_A), variation=Variation(delay_ms=400))
        shut = pad("closed", note=42, choke=CHOKE_A)
        (voice,), _ = played(kit(late, shut), (0, 46, 100), (1, 42, 100))
        self.assertEqual(voice.last_frame, voice.start_frame)

    def test_a_key_range_shifts_by_cents_per_key_from_its_root(self):
        spread = pad(note=(60, 61, 72), root=60, cents_per_key=100.0)
        voices = [v[0] for v in played(kit(spread), *[(n, n, 100) for n in (60, 61, 72)])]
        self.assertEqual([round(v.ratio, 6) for v in voices], [1.0, round(2 ** (1 / 12), 6), 2.0])
        self.assertEqual(voices[2].end_frame - voices[2].start_frame, RATE // 2)


class Curves(SimpleTestCase):
    def test_a_drawn_curve_joins_its_points_by_lines(self):
        table = curve_table(((1, 1), (64, 100), (127, 127)))
        self.assertEqual(
            (table[0], table[63], table[126], table[32]), (1, 100, 127, math.floor(1 + 99 * 32 / 63 + 0.5))
        )


class Counting(SimpleTestCase):
    def test_a_strike_on_a_layer_without_takes_counts(self):
        hollow = pad(highs=(64, 127), takes=3, shared_counter=True, variation=Variation(gain_db=6))
        hollow = replace(hollow, layers=(replace(hollow.layers[0], takes=()), hollow.layers[1]))
        loud = [voice.region for voices in played(kit(hollow), (0, 38, 100), (9, 38, 100)) for voice in voices]
        self.assertEqual(loud, [0, 1])
        soft, first, *_ = played(kit(hollow), (0, 38, 30), (9, 38, 100))
        self.assertEqual((soft, [voice.region for voice in first]), ([], [1]))
        ((_, second), ((plain,), (varied,))) = (
            (None, played(kit(hollow), (0, 38, 30), (9, 38, 100))[1]), played(kit(hollow), (0, 38, 100), (9, 38, 100))
        )  # fmt: skip
        self.assertAlmostEqual(second[0].gain, varied.gain)
        self.assertNotAlmostEqual(second[0].gain, plain.gain)


class Spans(SimpleTestCase):
    """All mics of a take share one span of time (design rule 7)."""

    def spans(self, close: int, room: int, **settings):
        one = Take(id=1, samples=(("close", sample(close)), ("room", sample(room, rate_hz=2 * RATE))), **settings)
        a_pad = replace(pad(), layers=(Layer(id=1, low=1, high=127, takes=(one,)),))
        mics = (Mic(name="close"), Mic(name="room"))
        (table,) = compile_kit(kit(a_pad, mics=mics), RATE).pads
        sounds = [sound.recipe for sound in table.regions[0].sounds]
        return [(s.start_frame, s.end_frame, s.silence_frames) for s in sounds]

    def test_forwards_a_mic_that_ends_before_the_start_is_silent(self):
        self.assertEqual(self.spans(1000, 3000, start_frame=100, end_frame=900), [(100, 900, 0), (200, 1800, 0)])
        self.assertEqual(self.spans(1000, 300, start_frame=200), [(200, 1000, 0)])

    def test_backwards_mics_of_unequal_length_stay_together(self):
        # close 1000 frames, room 1500 at twice the rate: all begin where the close mic ends, and a start of 1 is one frame later
        self.assertEqual(self.spans(1000, 3000, is_reversed=True), [(0, 1000, 0), (1000, 3000, 0)])
        self.assertEqual(self.spans(1000, 3000, is_reversed=True, start_frame=1), [(1, 1000, 0), (1002, 3000, 0)])
        self.assertEqual(self.spans(1000, 1000, is_reversed=True), [(0, 1000, 0), (0, 1000, 1000)])
        # the last 100 and the first 300 frames of the close mic cut away, at the same times in the room
        late = self.spans(1000, 3000, is_reversed=True, start_frame=100, end_frame=700)
        self.assertEqual(late, [(100, 700, 0), (1200, 2400, 0)])
