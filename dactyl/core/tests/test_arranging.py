"""A proposal under the hands of a person: no file is ever lost or doubled, and what can't be done is said."""

import json
import random

from django.test import SimpleTestCase

from dactyl.core.audio.measure import Measure
from dactyl.core.errors import KitError
from dactyl.core.kinds import BY_SLUG
from dactyl.core.kit import MAX_VELOCITY, Sample
from dactyl.core.stack import arrange
from dactyl.core.stack.kind import kind_from_name
from dactyl.core.stack.kit_from_proposal import kit_of
from dactyl.core.stack.pieces import pieces_of
from dactyl.core.stack.propose import File, Proposal, propose
from dactyl.core.tests.recordings import Truth, record


def name(truth: Truth) -> str:
    return f"{truth.pad}/{truth.mic}/v{truth.layer + 1}_{truth.take + 1}.wav"


def made() -> tuple[Proposal, list[File]]:
    files = [file for _, file in record(["snare", "kick", "hat open"], 3, 3, ["close", "room"], name).values()]
    files.append(File("torn.wav", problem="It is cut short."))
    return propose(files), files


def files_of(proposal: Proposal) -> list[str]:
    return sorted([file for pad in proposal.pads for file in pad.files] + [left.file for left in proposal.left_over])


class ByHand(SimpleTestCase):
    def setUp(self):
        self.proposal, self.files = made()

    def test_whatever_is_done_every_file_stays_in_one_place(self):
        everything = sorted(file.path for file in self.files)
        for seed in range(40):
            proposal, dice = made()[0], random.Random(seed)
            for _ in range(25):
                try:
                    self.act(proposal, dice)
                except KitError as problem:
                    self.assertRegex(str(problem), r"\.$")
                self.assertEqual(files_of(proposal), everything)
                for pad in proposal.pads:
                    self.assertEqual((pad.highs[-1], len(pad.highs)), (MAX_VELOCITY, len(pad.layers)))
                    self.assertEqual(pad.highs, sorted(set(pad.highs)))
                    self.assertTrue(all(layer.takes for layer in pad.layers))
                proposal = arrange.from_state(json.loads(json.dumps(arrange.to_state(proposal))))

    def act(self, proposal: Proposal, dice: random.Random) -> None:
        pad, layer, take = dice.randrange(4), dice.randrange(5), dice.randrange(4)
        left = [one.file for one in proposal.left_over] or ["nothing"]
        dice.choice([
            lambda: arrange.move_takes(proposal, [(pad, layer, take)], dice.randrange(3), dice.randrange(4)),
            lambda: arrange.move_takes(proposal, [(pad, layer, 0), (pad, layer, 1)], dice.randrange(3), 0),
            lambda: arrange.leave_out(proposal, [(pad, layer, take)]),
            lambda: arrange.take_in(proposal, dice.choice(left), -20.0, pad, layer),
            lambda: arrange.split_layer(proposal, pad, layer),
            lambda: arrange.join_layers(proposal, pad, layer),
            lambda: arrange.move_layer(proposal, pad, layer, dice.choice([-1, 1])),
            lambda: arrange.reverse(proposal, pad),
            lambda: arrange.by_level(proposal, pad, dice.choice([None, 2, 5])),
            lambda: arrange.join_pads(proposal, pad, dice.randrange(3)),
            lambda: arrange.set_pad(proposal, pad, "borders", dice.choice(["even", "levels", "other"])),
        ])()  # fmt: skip

    def test_takes_move_with_all_their_mics_and_an_emptied_layer_goes(self):
        kick = self.proposal.pads[0]
        takes = list(kick.layers[0].takes)
        arrange.move_takes(self.proposal, [(0, 0, n) for n in range(3)], 0, 2)
        self.assertEqual([len(layer.takes) for layer in kick.layers], [3, 6])
        self.assertEqual(kick.layers[1].takes[3:], takes)
        self.assertEqual([list(take.mics) for take in takes], [["close", "room"]] * 3)

    def test_one_past_the_loudest_layer_makes_a_new_one(self):
        arrange.move_takes(self.proposal, [(0, 2, 0)], 0, 3)
        self.assertEqual([len(layer.takes) for layer in self.proposal.pads[0].layers], [3, 3, 2, 1])

    def test_splitting_parts_the_softer_half_and_joining_brings_it_back(self):
        layer = self.proposal.pads[1].layers[1]
        levels = sorted(take.level_db for take in layer.takes)
        arrange.split_layer(self.proposal, 1, 1)
        self.assertEqual([take.level_db for take in self.proposal.pads[1].layers[1].takes], levels[:1])
        arrange.join_layers(self.proposal, 1, 1)
        self.assertEqual(sorted(take.level_db for take in self.proposal.pads[1].layers[1].takes), levels)

    def test_by_level_mends_what_a_wrong_name_did(self):
        pad = self.proposal.pads[1]
        arrange.join_layers(self.proposal, 1, 0)
        arrange.join_layers(self.proposal, 1, 0)
        arrange.by_level(self.proposal, 1, None)
        self.assertEqual([len(layer.takes) for layer in pad.layers], [3, 3, 3])
        self.assertEqual([layer.level_db for layer in pad.layers], sorted(layer.level_db for layer in pad.layers))

    def test_what_is_no_longer_there_is_said_and_changes_nothing(self):
        before = arrange.to_state(self.proposal)
        for wrong in (
            lambda: arrange.move_takes(self.proposal, [(0, 9, 0)], 0, 0),
            lambda: arrange.move_takes(self.proposal, [(0, 0, 0)], 7, 0),
            lambda: arrange.join_layers(self.proposal, 0, 2),
            lambda: arrange.join_pads(self.proposal, 1, 1),
            lambda: arrange.take_in(self.proposal, "not here.wav", -9.0, 0, 0),
            lambda: arrange.set_pad(self.proposal, 0, "name", "  "),
            lambda: arrange.set_pad(self.proposal, 0, "kind", "gong"),
        ):
            self.assertRaises(KitError, wrong)
            self.assertEqual(arrange.to_state(self.proposal), before)


class Evidence(SimpleTestCase):
    def test_levels_set_the_borders_so_that_steps_in_loudness_are_equal(self):
        proposal, _ = made()
        pad = proposal.pads[0]
        even = pad.highs
        pad.borders = "levels"
        self.assertNotEqual(pad.highs, even)
        self.assertEqual(pad.highs[-1], MAX_VELOCITY)

    def test_names_that_contradict_the_sound_win_and_the_contradiction_is_shown(self):
        files = record(["snare"], 4, 3, ["close"], lambda t: f"snare_v{(1, 3, 2, 4)[t.layer]}_{t.take}.wav")
        (pad,) = propose([file for _, file in files.values()]).pads
        self.assertEqual([layer.said for layer in pad.layers], ["v1", "v2", "v3", "v4"])
        self.assertTrue(any("softer" in doubt for doubt in pad.doubts), pad.doubts)

    def test_a_strength_that_all_files_of_a_drum_name_is_a_word_of_its_name(self):
        called = {"kick": "Hard Kick", "snare": "Snare"}
        for behind in ("v{0.layer} r{0.take}", "{1} ({0.take})", "{2:02}"):

            def name(truth, behind=behind):
                more = behind.format(truth, ("p", "mf", "f")[truth.layer], 2 * truth.layer + truth.take + 1)
                return f"{called[truth.pad]} {more}.wav"

            files = record(["kick", "snare"], 3, 2, ["close"], name)
            for pad in propose([file for _, file in files.values()]).pads:
                layers = [{files[take.file][0].layer for take in layer.takes} for layer in pad.layers]
                self.assertEqual(layers, [{0}, {1}, {2}], (pad.name, behind))
        files = record(["kick"], 1, 4, ["close"], lambda t: f"kick_hard_{t.take + 1}.wav")
        self.assertEqual(
            [layer.said for layer in propose([file for _, file in files.values()]).pads[0].layers], ["hard"]
        )

    def test_files_without_sound_are_left_over_with_the_reason(self):
        proposal, _ = made()
        self.assertEqual([(left.file, left.why) for left in proposal.left_over], [("torn.wav", "It is cut short.")])


class Kits(SimpleTestCase):
    def test_a_proposal_becomes_a_kit_with_standard_notes_and_hats_that_choke(self):
        files = [
            file
            for _, file in record(["kick", "snare", "hat closed", "hat open"], 3, 2, ["close", "room"], name).values()
        ]
        samples = {file.path: Sample(f"{n:064x}", 48_000, 48_000, 2) for n, file in enumerate(files)}
        kit = kit_of(propose(files), "Harbour", samples, dict.fromkeys(samples, 240))
        pads = {pad.name: pad for _, pad in kit.pads()}
        self.assertEqual({name: kit.notes()[pad.id] for name, pad in pads.items()}, {
            "Kick": (36,), "Snare": (38,), "Hat closed": (42,), "Hat open": (46,),
        })  # fmt: skip
        letters = {name: pad.choke.letter if pad.choke else "" for name, pad in pads.items()}
        self.assertEqual(letters, {"Kick": "", "Snare": "", "Hat closed": "A", "Hat open": "A"})
        self.assertEqual({pad.kind for pad in pads.values()} - set(BY_SLUG), set())
        takes = [take for pad in pads.values() for layer in pad.layers for take in layer.takes]
        self.assertEqual({take.start_frame for take in takes}, {240}, "the silence before the onset is skipped")
        self.assertEqual({tuple(mic for mic, _ in take.samples) for take in takes}, {("close", "room")})

    def test_pads_that_differ_by_articulation_alone_are_of_one_piece(self):
        pads = [
            ("Snare centre", "snare"), ("Kick", "kick"), ("Closed hat tight", "closed_hat"), ("Ride", "ride"), ("Pedal hat", "pedal_hat"),
            ("Snare side stick", "side_stick"), ("Ride bell", "ride_bell"), ("Crash", "crash"), ("Crash 2", "crash"), ("Grabbed", "crash"), ("Rim", "snare"), ("High tom", "high_tom"),
            ("Low tom", "low_tom"), ("Hat 2 open", "open_hat"),
        ]  # fmt: skip
        tied = [(piece.name, piece.own_names) for piece in pieces_of(pads) if len(piece.pads) > 1]
        self.assertEqual(
            tied,
            [("Snare", ("centre", "side stick", "rim")), ("Hat", ("closed tight", "pedal")), ("Ride", ("", "bell"))],
        )
        self.assertEqual(sorted(place for piece in pieces_of(pads) for place in piece.pads), list(range(len(pads))))

    def test_a_piece_has_a_name_and_its_pads_have_names_apart_whatever_comes_first(self):
        for pads, names in (
            ([("Side stick", "side_stick"), ("Snare", "snare")], ["Snare"]),
            ([("Open", "open_hat"), ("Closed", "closed_hat")], ["Hat"]),
            ([("Open hat", "open_hat"), ("Hat open", "open_hat")], ["Open hat", "Hat open"]),
            ([("Grabbed", "crash"), ("1", "crash"), ("0", "crash")], ["Grabbed", "1", "0"]),
        ):
            self.assertEqual([piece.name for piece in pieces_of(pads)], names)

    def test_one_file_is_a_kit_too(self):
        alone = File("Bell.wav", Measure(0, -3, -12, 3000, 900, 0.1, 0.9, 0.5))
        proposal = propose([alone])
        kit = kit_of(proposal, "One", {"Bell.wav": Sample("0" * 64, 100, 48_000, 1)}, {"Bell.wav": 0})
        self.assertEqual([len(pad.layers) for _, pad in kit.pads()], [1])


class Languages(SimpleTestCase):
    def test_drums_are_known_as_drummers_call_them_elsewhere(self):
        told = {
            "kick": "Grosse Caisse 01, Große_Trommel, grosse trommel, Gran Cassa, Bombo, Bumbo, Stortrumma, Бочка",
            "snare": "Caisse claire, Kleine Trommel, Rullante, Redoblante, Caixa, Virvel, Werbel, малый барабан",
            "open_hat": "Charleston ouvert, Hihat offen, Hi-Hat abierto, Open High Hat, Charley ouverte, Hihat halboffen",
            "closed_hat": "Charleston fermé, Hihat zu, Hi-hat chiuso, Charley, хай-хэт",
            "pedal_hat": "Charleston pied, Hihat Fuss, Foot Hat", "low_tom": "Standtom, Tom basse, Tom de piso, Floor Tom",
            "crash": "Becken links, Platillo, Piatto, Talerz, Med Crash Cymbal", "ride": "Ride Becken, Райд, Ride Cymbal",
            "cowbell": "Cencerro, Kuhglocke", "tambourine": "Pandereta, Schellenring, бубен", "side_stick": "Rim Tap",
        }  # fmt: skip
        for kind, names in told.items():
            for name in names.split(", "):
                with self.subTest(name):
                    self.assertEqual(kind_from_name(name), kind)
