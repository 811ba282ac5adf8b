"""A second drum under a piece: what it takes over of the first, and what its phase would win."""

from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase

from dactyl.core.bounce.render import voices_of
from dactyl.core.kit import Piece
from dactyl.core.parts.part import Hit
from dactyl.core.play.compile import compile_kit
from dactyl.core.tests.kits import CHOKE_A, RATE, kit, pad
from dactyl.core.thicken import Layering, phase, thickened


def tone(hz: float, *, later: float = 0.0, seconds: float = 0.4) -> np.ndarray:
    time = np.arange(round(seconds * RATE)) / RATE - later
    return np.where(time >= 0, np.sin(2 * np.pi * hz * time) * np.exp(-8 * np.maximum(0, time)), 0).astype(np.float32)[
        None
    ]


class Second(SimpleTestCase):
    def test_it_sounds_along_later_and_turned_leaves_and_is_cut_with_the_first(self):
        ours = kit(pad("Hat closed", note=42, choke=CHOKE_A, output="Hats"), pad("Hat open", note=46, choke=CHOKE_A, frames=9000, output="Hats"),
                   outputs=("Main", "Hats"))  # fmt: skip
        ours = replace(ours, pieces=(Piece(name="Hat", pads=tuple(p.pads[0] for p in ours.pieces)),))
        theirs = kit(pad("Chain", note=1, frames=9000, takes=2))
        other, opened = theirs.pieces[0].pads[0], ours.pieces[0].pads[1]
        both = thickened(ours, theirs, {opened.id: other.id}, Layering(-6.0, 1200.0, 10.0, is_flipped=True))
        second = both.pieces[-1]
        self.assertEqual((second.name, second.pads[0].name, len(both.pieces)), ("Hat 2", "Hat 2 open", 2))
        book = compile_kit(both, RATE)
        first, along = voices_of(book, [Hit(0, 46, 127)])
        self.assertEqual((along.start_frame, along.sounds[0].output), (480, first.sounds[0].output))
        self.assertEqual((along.sounds[0].recipe.is_flipped, along.sounds[0].recipe.tune_cents), (True, 1200.0))
        self.assertAlmostEqual(along.sounds[0].gain, 10 ** (-6 / 20))
        cut = voices_of(book, [Hit(0, 46, 127), Hit(2000, 42, 90)])
        self.assertEqual([voice.last_frame for voice in cut[:2]], [2000 + 384] * 2, "what cuts the first cuts it")
        self.assertEqual(len(voices_of(book, [Hit(0, 42, 90)])), 1)

    def test_one_drum_sounds_along_with_several_articulations_each_by_itself(self):
        ours = kit(pad("Snare", note=38), pad("Rim", note=40))
        theirs = kit(pad("Hatch", note=1, takes=2))
        first, second = (p.pads[0].id for p in ours.pieces)
        other = theirs.pieces[0].pads[0].id
        book = compile_kit(thickened(ours, theirs, {first: other, second: other}, Layering()), RATE)
        voices = voices_of(book, [Hit(0, 38, 127), Hit(9000, 40, 127)])
        self.assertEqual(len(voices), 4)
        self.assertEqual(
            voices[1].sounds[0].recipe.sha256, voices[3].sounds[0].recipe.sha256, "both begin with the first take"
        )

    def test_the_best_polarity_and_delay_are_found_and_win_what_is_said(self):
        a = tone(60)
        for made, flipped, delay in ((-a, True, 0.0), (tone(60, later=0.003), None, None), (a, False, 0.0)):
            found = phase(a, made, RATE)
            if flipped is not None:
                self.assertEqual((found.is_flipped, found.delay_ms), (flipped, delay))
            if made is a:
                self.assertEqual(found.won_db, 0.0)
                continue
            waits = round(found.delay_ms * RATE / 1000)
            moved = np.pad(made, ((0, 0), (waits, 0)))[:, : a.shape[1]] * (-1 if found.is_flipped else 1)
            frames = round(0.15 * RATE)
            power = [float(np.square((a + b)[:, :frames]).sum()) for b in (moved, made)]
            self.assertGreater(power[0], power[1])

    def test_silence_wins_nothing(self):
        self.assertEqual(phase(np.zeros((1, 100), np.float32), np.zeros((1, 50), np.float32), RATE).won_db, 0.0)
