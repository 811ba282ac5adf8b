"""Another drum in the place of a piece: articulations meet by kind and name, and what a pad is in its kit stays."""

from dataclasses import replace

from django.test import SimpleTestCase

from dactyl.core.kit import ChokeGroup, Kit, Layer, Mic, Pad, Piece, Sample, Take
from dactyl.core.swap import in_place, in_words, pairs_of


def sample(name: str) -> Sample:
    return Sample(sha256=name * 64, rate_hz=48_000, channels=1, frames=4800)


def pad(id: int, name: str, kind: str, mics: tuple[str, ...] = ("close",), **more) -> Pad:
    take = Take(id=id, samples=tuple((mic, sample(chr(97 + id % 26))) for mic in mics))
    return Pad(id=id, name=name, kind=kind, layers=(Layer(id=id, low=1, high=127, takes=(take,)),), **more)


SNARE = (
    pad(1, "Snare centre", "snare", gain_db=-3.0, pan=0.2, choke=ChokeGroup(letter="S"), companions=((4, 0.5),)),
    pad(2, "Snare rim shot", "snare"),
    pad(3, "Snare side stick", "side_stick"),
)  # fmt: skip
OTHERS = (pad(11, "Hatch rim shot", "snare", ("close", "hall"), dynamics=0.4), pad(12, "Hatch middle", "snare"))


class Swapping(SimpleTestCase):
    kit = Kit(name="Ours", pieces=(Piece(name="Snare", pads=SNARE), Piece(name="Kick", pads=(pad(4, "Kick", "kick"),))))
    other = Kit(name="Theirs", pieces=(Piece(name="Hatch", pads=OTHERS),), mics=(Mic(name="close"), Mic(name="hall", gain_db=-9.0)))  # fmt: skip

    def test_articulations_meet_by_kind_and_name_and_the_rest_is_said(self):
        pairs = pairs_of(SNARE, OTHERS)
        self.assertEqual(pairs, {1: 12, 2: 11})
        names = {pad.id: pad.name for pad in (*SNARE, *OTHERS)}
        self.assertEqual(in_words({n: names[n] for n in (1, 2, 3)}, names, pairs), ["Snare side stick stays as it is"])
        hats = [pad(21, "Hat closed", "closed_hat"), pad(22, "Hat open", "open_hat")]
        self.assertEqual(pairs_of(hats, [pad(31, "Tick", "closed_hat")]), {21: 31, 22: 31}, "the nearest of the family")
        self.assertEqual(pairs_of([pad(41, "Bell", "cowbell")], OTHERS), {41: 11}, "never nothing")

    def test_only_the_room_of_another_drum_comes(self):
        made = in_place(self.kit, self.other, {1: 11}, only_mic="hall")
        (take,) = made.pieces[0].pads[0].layers[0].takes
        own, (theirs,) = SNARE[0].layers[0].takes[0], OTHERS[0].layers[0].takes
        self.assertEqual(take.samples, (own.samples[0], ("hall", dict(theirs.samples)["hall"])))
        self.assertEqual(made.pieces[0].pads[0].dynamics, SNARE[0].dynamics)
        self.assertEqual(
            in_place(self.kit, self.other, {2: 12}, only_mic="hall").pieces, self.kit.pieces, "it has none"
        )

    def test_one_sound_for_two_pads_counts_apart(self):
        made = in_place(self.kit, self.other, {1: 12, 2: 12})
        first, second, _ = made.pieces[0].pads
        self.assertNotEqual(first.layers[0].id, second.layers[0].id)
        self.assertEqual(first.layers[0].takes, second.layers[0].takes)

    def test_what_a_pad_is_stays_and_what_it_sounds_like_is_the_others(self):
        made = in_place(self.kit, self.other, {1: 12, 2: 11, 3: None}, {1: 2.5})
        (snare, kick) = made.pieces
        first, second, third = snare.pads
        self.assertEqual(first, replace(SNARE[0], layers=OTHERS[1].layers, gain_db=-0.5))
        self.assertEqual((second.dynamics, second.layers), (0.4, OTHERS[0].layers))
        self.assertEqual(third.layers, ())
        self.assertEqual(kick, self.kit.pieces[1])
        self.assertEqual([(mic.name, mic.gain_db) for mic in made.mics], [("close", 0.0), ("hall", -9.0)])
