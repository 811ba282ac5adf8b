"""What differs between two states of a kit, and between a foreign file and the kit that is made of it, is said."""

import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

from dactyl.core.bounce.render import voices_of
from dactyl.core.compare import compare, restacked
from dactyl.core.formats.sfz.kit_from_sfz import kit_from_sfz
from dactyl.core.formats.sfz.read import read_sfz
from dactyl.core.kit import STAYS, Kit, Mic, MuteGroup, Pad, Piece
from dactyl.core.parts.part import Hit
from dactyl.core.play.compile import compile_kit
from dactyl.core.stack.names import mic_from_name
from dactyl.core.tests.kits import CHOKE_A, kit, map_of, pad, sample, take


def with_pads(a_kit: Kit, *pads: Pad) -> Kit:
    return replace(a_kit, pieces=tuple(Piece(name=one.name, pads=(one,)) for one in pads))


class Comparing(TestCase):
    def setUp(self):
        self.kick, self.snare = pad("Kick", note=36), pad("Snare", highs=(64, 127), takes=2)
        self.before = kit(self.kick, self.snare, outputs=("Main", "Room"), mics=(Mic(name="close"), Mic(name="far")))

    def said(self, **changes) -> str:
        """Of the snare, once these settings of it are others."""
        return "; ".join(compare(self.before, with_pads(self.before, self.kick, replace(self.snare, **changes))))

    def layers(self, soft=None, loud=None) -> str:
        soft, loud = soft or {}, loud or {}
        return self.said(layers=(replace(self.snare.layers[0], **soft), replace(self.snare.layers[1], **loud)))

    def test_equal_kits_differ_in_nothing(self):
        self.assertEqual((compare(self.before, self.before), restacked(self.before, self.before)), ([], []))

    def test_each_setting_of_a_pad_has_its_words(self):
        group = MuteGroup(number=3)
        for words, changes in {
            "Snare: level 0.0 dB → −3.0 dB": {"gain_db": -3.0},
            "was called Snare": {"name": "Rim"},
            "choke group none → A": {"choke": CHOKE_A},
            "delay 0.00 ms → 4.00 ms": {"delay_ms": 4.0},
            "silences none → 3": {"silences": (group,)},
            "is silenced by none → 3": {"silenced_by": (group,)},
            "curve even → hard": {"curve": "hard"},
            "curve even → drawn": {"curve": ((1, 1), (127, 90))},
            "companions 0 → 1": {"companions": ((self.kick.id, 0.5),)},
            "output Main → Room": {"output": "Room"},
            "off → on": {"is_held": True},
        }.items():
            with self.subTest(words):
                self.assertIn(words, self.said(**changes))

    def test_layers_and_takes_are_counted_by_what_they_play(self):
        soft, loud = self.snare.layers
        first, second = loud.takes
        self.assertEqual(self.layers({"high": 70}, {"low": 71}), "Snare: border 64 → 70")
        self.assertEqual(self.said(layers=(replace(loud, low=1),)), "Snare: 2 layers → 1, 2 takes gone")
        self.assertEqual(self.layers(loud={"takes": (first, replace(second, enabled=False))}), "Snare: 1 take left out")
        left = replace(self.snare, layers=(soft, replace(loud, takes=(first, replace(second, enabled=False)))))
        back = compare(with_pads(self.before, self.kick, left), self.before)
        self.assertEqual(back, ["Snare: 1 take heard again"])
        self.assertEqual(self.layers(loud={"takes": (first, replace(second, gain_db=-2.0))}), "Snare: 1 take changed")
        self.assertEqual(self.layers(loud={"takes": (first, second, take())}), "Snare: 1 take added")
        self.assertEqual(self.layers(soft={"gain_db": 2.0}), "Snare: layer 1 level 0.0 dB → 2.0 dB")
        self.assertEqual(restacked(self.before, with_pads(self.before, self.kick, left)), [(self.snare, left)])

    def test_what_came_went_or_is_called_otherwise_is_named(self):
        again = replace(self.snare, id=9001)  # of another kit, where ids are others: known by its name
        after = with_pads(self.before, again, pad("Bell", note=50))
        notes = map_of({9001: (40,)})
        after = replace(
            after,
            name="Other",
            mics=(Mic(name="close", gain_db=-1.0), Mic(name="top")),
            maps=(notes,),
            outputs=self.before.outputs[:1],
        )
        self.assertEqual(
            compare(self.before, after),
            ["The kit is called Other, not kit", "Output Room is gone", "Mic close: level 0.0 dB → −1.0 dB", "Mic top is new",
             "Mic far is gone", "Snare: notes D1 · 38 → E1 · 40", "Bell is new", "Kick is gone"],
        )  # fmt: skip
        changed = restacked(self.before, after)
        self.assertEqual(
            [(was and was.name, now and now.name) for was, now in changed], [(None, "Bell"), ("Kick", None)]
        )


class Foreign(TestCase):
    """A file of regions written elsewhere: what the kit made of it will not do is said, region by region."""

    def opened(self, *regions: str) -> tuple[Kit, str]:
        text = "\n".join(f"<region> sample=s{n}.wav {words}" for n, words in enumerate(regions))
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "foreign.sfz"
            file.write_text(text, encoding="utf-8")
            made, differences = kit_from_sfz(read_sfz(file), lambda region: sample(), lambda words: None, mic_from_name)
        return made, " ".join(differences)

    def test_what_a_kit_can_not_do_is_said(self):
        for words, regions in {
            "becomes one of two poles, or none": ["key=36 cutoff=900 fil_type=brf_2p"],
            "answers on every channel": ["key=36 lochan=2 hichan=3"],
            "delay is left out": ["key=36 delay=0.2"],
            "velocity crossfades become borders": ["key=36 xfin_lovel=1 xfin_hivel=40 hivel=60", "key=36 lovel=61"],
            "leave a gap or overlap": ["key=36 lovel=1 hivel=40", "key=36 lovel=60 hivel=127"],
            "such as 127, are left out": [f"key={n + 1} group={101 + n} off_by={101 + n}\n<region> sample=s{n}.wav key={n + 60} group={101 + n} off_by={101 + n}" for n in range(27)],
        }.items():  # fmt: skip
            with self.subTest(words):
                made, said = self.opened(*regions)
                self.assertIn(words, said)
                self.assertTrue(list(made.pads()), "it opens all the same")

    def test_mics_keep_their_levels_pans_and_outputs_and_are_called_by_their_files(self):
        made, said = self.opened(
            "key=36 seq_length=2 seq_position=1 volume=-3 pan=20\n<region> sample=kick1_oh.wav key=36 seq_length=2 seq_position=1 volume=-9\n<region> sample=kick1_room.wav key=36 seq_length=2 seq_position=1 volume=-41 output=2",
            "key=36 seq_length=2 seq_position=2 volume=-4 pan=20\n<region> sample=kick2_oh.wav key=36 seq_length=2 seq_position=2 volume=-10\n<region> sample=kick2_room.wav key=36 seq_length=2 seq_position=2 volume=-42 output=2",
            "key=38 volume=-1\n<region> sample=snare_oh.wav key=38 volume=-12 pan=-50\n<region> sample=snare_room.wav key=38 volume=-39 output=2",
        )  # fmt: skip
        self.assertEqual(said, "")
        mics = {mic.name: (mic.gain_db, mic.output, mic.is_ambience) for mic in made.mics}
        self.assertEqual(mics, {"close": (0, None, False), "overhead": (-6, None, True), "room": (-38, "out-3", True)})
        kick, snare = made.pieces
        self.assertEqual((kick.mic_gains_db, kick.mic_pans), ((), (("overhead", STAYS), ("room", STAYS))))
        self.assertEqual((snare.mic_gains_db, snare.mic_pans), ((("overhead", -5),), (("overhead", -0.5),)))
        self.assertEqual([take.gain_db for take in kick.pads[0].layers[0].takes], [-3, -4])

    def test_levels_and_mics_that_no_kit_has_are_taken_as_the_nearest_and_said(self):
        made, said = self.opened(
            "key=36 volume=6\n<region> sample=kick_oh.wav key=36 volume=-144",
            "key=38 lovel=1 hivel=40 amp_velcurve_1=0.5",
            "key=38 lovel=60 hivel=127",
        )
        self.assertEqual([mic.gain_db for mic in made.mics], [0, -96])
        self.assertIn("it becomes -96", said)
        book = compile_kit(made, 48_000)
        gains = book.pads[1].regions[0].gains[:40]
        self.assertGreater(
            min(gains[n] * book.pads[1].regions[0].sounds[0].gain for n in range(40)),
            0.1,
            "also where no region says a level",
        )

    def test_borders_of_layers_that_overlap_rise_to_the_loudest(self):
        made, _ = self.opened("key=36 lovel=1 hivel=100", "key=36 lovel=50 hivel=110", "key=36 lovel=90 hivel=120")
        ((_, only),) = made.pads()
        self.assertEqual([layer.low for layer in only.layers], [1, *(layer.high + 1 for layer in only.layers[:-1])])
        self.assertEqual(only.layers[-1].high, 127)

    def test_a_closed_hat_that_is_not_cut_itself_silences_the_open_one_of_its_group(self):
        made, _ = self.opened("key=42 group=1", "key=46 group=1 off_by=1 off_mode=fast end=47999")
        hits = [Hit(0, 46, 100), Hit(4800, 42, 100), Hit(9600, 46, 100), Hit(14_400, 46, 100), Hit(19_200, 42, 100)]
        voices = voices_of(compile_kit(made, 48_000), hits)
        silent_at = [min((frame + fade for frame, fade in voice.fades), default=None) for voice in voices]
        self.assertEqual(silent_at, [4800 + 288, None, 14_400 + 288, 19_200 + 288, None])

    def test_a_hat_that_is_cut_slowly_keeps_the_time_and_what_its_own_strikes_do_is_said(self):
        for words, fade in (("off_mode=normal ampeg_release=0.05", 50.0), ("off_mode=time off_time=0.1", 100.0)):
            with self.subTest(words):
                made, said = self.opened("key=42 group=1", f"key=46 group=1 off_by=1 {words}")
                (_, closed), (_, opened) = made.pads()
                self.assertEqual([group.fade_ms for group in opened.silenced_by], [fade])
                self.assertIn(f"own strikes cut it over 8 ms, not over {fade:g}", said)

    def test_a_group_that_cuts_itself_is_a_choke_group_with_its_fade(self):
        made, said = self.opened(
            "key=42 group=1 off_by=1 off_mode=fast", "key=46 group=1 off_by=1 off_mode=fast", "key=49"
        )
        letters = [one.choke and one.choke.letter for _, one in made.pads()]
        self.assertEqual((letters, said), (["A", "A", None], ""))
