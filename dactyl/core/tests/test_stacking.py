"""From names and sound to a proposal: a dozen naming habits with their truth."""

import itertools
from dataclasses import replace
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase

from dactyl.core.stack.alternatives import tell_alternatives
from dactyl.core.stack.hearing import KindGuess
from dactyl.core.stack.meaning import without_counters
from dactyl.core.stack.names import ROMAN, read_name
from dactyl.core.stack.placed import PlacedFile
from dactyl.core.stack.propose import File, propose, unsure_name
from dactyl.core.tests import habits
from dactyl.core.tests.recordings import SOUNDS, Truth, mistakes, record

DYNAMICS = ("pp", "p", "mf", "f", "ff")
SPOKEN = ("softest", "soft", "medium", "hard", "hardest")
SPLIT = {
    "snare": ("Snare", "Centre"),
    "snare rim": ("Snare", "Rimshot"),
    "hat closed": ("HiHat", "Closed"),
    "hat open": ("HiHat", "Open"),
    "kick": ("Kick", ""),
    "tom 1": ("Tom1", ""),
    "tom 2": ("Tom2", ""),
    "crash": ("Crash", ""),
}
SHORT = {
    "kick": "BD",
    "snare": "SD",
    "snare rim": "SD_Rim",
    "hat closed": "HHC",
    "hat open": "HHO",
    "tom 1": "Tom1",
    "tom 2": "Tom2",
    "crash": "Cr",
}
ALL = list(SPLIT)


def piece(truth: Truth, join: str = "_") -> str:
    return join.join(filter(None, SPLIT[truth.pad]))


HABITS = {  # name -> (pads, layers, takes, mics, name of a file)
    "v and rr": (ALL, 4, 3, ["close"], lambda t: f"{piece(t)}_v{t.layer + 1}_rr{t.take + 1}.wav"),
    "velocities": (ALL, 4, 3, ["close"], lambda t: f"{piece(t, '-').lower()}-vel{(32, 64, 96, 127)[t.layer]:03}-{t.take + 1:02}.wav"),
    "dynamics and mics": (ALL, 5, 2, ["Close", "OH", "Room"], lambda t: f"{SHORT[t.pad]}_{DYNAMICS[t.layer]}_{t.take + 1:02}_{t.mic}.wav"),
    "words and letters": (ALL, 5, 4, ["close"], lambda t: f"{piece(t, ' ')} {SPOKEN[t.layer]} {'abcd'[t.take]}.aif"),
    "L and R": (ALL, 3, 4, ["direct", "room"], lambda t: f"{piece(t, ' ')} L{t.layer + 1} R{t.take + 1} {t.mic}.wav"),
    "folders for piece and mic": (ALL, 4, 3, ["Close", "Overhead", "Room"], lambda t: f"Session/{'/'.join(filter(None, SPLIT[t.pad]))}/{t.mic}/v{t.layer + 1}_{t.take + 1}.wav"),
    "camel case": (ALL, 4, 3, ["Top", "Bottom"], lambda t: f"{piece(t, '')}Hit{t.take + 1}Vel{t.layer + 1}{t.mic}.flac"),
    "dots": (ALL, 3, 3, ["close"], lambda t: f"{piece(t, '.').lower()}.{DYNAMICS[1:4][t.layer]}.{t.take + 1}.wav"),
    "two bare numbers": (ALL, 5, 6, ["close"], lambda t: f"{piece(t)}_{t.layer + 1}_{t.take + 1:02}.wav"),
    "two bare numbers, take first": (ALL, 5, 4, ["close"], lambda t: f"{piece(t)} {t.take + 1} {t.layer + 1}.wav"),
    "one running number": (["kick", "snare", "crash"], 5, 6, ["close"], lambda t: f"{piece(t)} {1 + t.layer * 6 + t.take:03}.wav"),
    "a running number in front": (ALL, 3, 3, ["close"], lambda t: f"{1 + ALL.index(t.pad) * 9 + t.layer * 3 + t.take:03} {piece(t, ' ')} v{t.layer + 1} rr{t.take + 1}.wav"),
    "notes in front": (ALL, 4, 3, ["close"], lambda t: f"{36 + ALL.index(t.pad)}_{piece(t)}_{(20, 60, 100, 127)[t.layer]}_{t.take + 1}.wav"),
    "loud first": (ALL, 4, 3, ["close"], lambda t: f"{piece(t)}_L{4 - t.layer}_RR{t.take + 1}.wav"),
    "glued": (ALL, 4, 3, ["cl", "oh"], lambda t: f"{SHORT[t.pad]}V{t.layer + 1}R{t.take + 1}_{t.mic.upper()}.wav"),
    "mic folders only": (["snare"], 5, 6, ["Close Mic", "OH", "Room"], lambda t: f"Snare 14/{t.mic}/snr_{DYNAMICS[t.layer]}_rr{t.take + 1}.wav"),
    "letters as takes after a layer": (["snare", "kick"], 3, 5, ["close"], lambda t: f"{piece(t)}{t.layer + 1}{'abcde'[t.take]}.wav"),
    "not ASCII": (["snare"], 3, 3, ["close"], lambda t: f"Große Röhre/Schlag_{('leise', 'mittel', 'laut')[t.layer]}_{t.take + 1}.wav"),
    "names that say nothing": (["snare", "kick", "hat open", "crash"], 4, 5, ["close"], lambda t: f"Audio {1 + ALL.index(t.pad) * 20 + (t.layer * 5 + t.take):04}.wav"),
    "numerals": (ALL, 4, 2, ["close"], lambda t: f"{piece(t)} {('i', 'ii', 'iii', 'iv')[t.layer]} {t.take + 1}.wav"),
    "a word no table knows": (["kick", "snare"], 4, 3, ["close"], lambda t: f"{piece(t)} {('soft', 'firm', 'hard', 'full')[t.layer]} {t.take + 1}.wav"),
    "velocity ranges": (ALL, 4, 2, ["close"], lambda t: f"{piece(t)}_{(1, 33, 65, 97)[t.layer]}-{(32, 64, 96, 127)[t.layer]}_{t.take + 1}.wav"),
    "mics no table knows": (ALL, 3, 3, ["Lamp", "Door"], lambda t: f"{t.mic}/{piece(t)}/V{t.layer + 1}R{t.take + 1}.wav"),
    "sizes": (["kick", "snare"], 3, 3, ["close", "Chimney"], lambda t: f"{piece(t)} 14x6 v{t.layer + 1} {t.take + 1} {t.mic}.wav"),
    "run together": (ALL, 3, 2, ["Close", "OH"], lambda t: f"S01_{SHORT[t.pad].replace('SD_Rim', 'SNRRIM')}_L{t.layer + 1}_T{t.take + 1}_{t.mic}.wav"),
}  # fmt: skip


class Names(SimpleTestCase):
    def test_pads_are_called_as_they_were_spoken_or_by_their_kind_where_that_was_short(self):
        spoken = {
            "HH Open/v1.wav": "Open hat",
            "HHPed_2.wav": "Pedal hat",
            "HiHat Closed/12.wav": "Closed hat",
            "SD rim_03.wav": "Snare rim",
            "BD_v1.wav": "Kick",
            "Floor Tom/ff_1.wav": "Floor tom",
            "Tom Lo_1.wav": "Low tom",
            "Mid toms/tom_mid_1.wav": "Mid tom",
            "Bass Drum 2.wav": "Bass drum",
        }
        for path, name in spoken.items():
            with self.subTest(path):
                self.assertEqual(propose([File(path, SOUNDS["kick"])]).pads[0].name, name)

    def test_a_drum_that_only_its_sound_tells_is_named_with_a_question_mark_where_that_is_unsure(self):
        sure, unsure = KindGuess("mid_tom", 0.9, "low_tom"), KindGuess("mid_tom", 0.4, "low_tom", family_share=0.9)
        none = KindGuess("clap", 0.4, "snare", family_share=0.4)
        self.assertEqual([unsure_name(one) for one in (unsure, none)], ["Tom?", "Clap?"])
        for heard, name in ((sure, "Mid tom"), (unsure, "Tom?"), (none, "Clap?")):
            with (
                self.subTest(name),
                patch("dactyl.core.stack.propose.heard_as_kit", lambda drums, named, one=heard: [one]),
            ):
                (pad,) = propose([File("0417.wav", SOUNDS["tom 1"])]).pads
                self.assertEqual((pad.name, pad.kind, bool(pad.doubts)), (name, heard.kind, "?" in name))

    def test_toms_are_ordered_against_each_other_by_number_size_or_pitch(self):
        def kinds(*names: str) -> list[str]:
            files = [
                File(f"{name}.wav", replace(SOUNDS["tom 1"], pitch_hz=220 / (1 + n))) for n, name in enumerate(names)
            ]
            found = {pad.files[0]: pad.kind.removesuffix("_tom") for pad in propose(files).pads}
            return [found[file.path] for file in files]

        self.assertEqual(kinds("Rack 10 v1", "Rack 12 v1", "Floor 16 v1"), ["high", "mid", "low"])
        self.assertEqual(kinds("Tom 8 v1", "Tom 10 v1", "Tom 14 v1"), ["high", "mid", "low"])
        names = [f"maple tom {size} v{layer}.wav" for size in (10, 14) for layer in (1, 2)]
        pads = propose(
            [File(name, replace(SOUNDS["tom 1"], pitch_hz=200 - 5 * n)) for n, name in enumerate(names)]
        ).pads
        self.assertEqual({pad.name for pad in pads}, {"Tom maple 10", "Tom maple 14"})
        self.assertEqual(kinds("tom_uchel_v1", "tom_canol_v1", "tom_llawr_v1"), ["high", "mid", "low"])
        self.assertEqual(kinds("tom medio v1", "tom agudo v1"), ["mid", "high"])

    def test_names_are_parted_where_words_and_letters_are_run_together_or_a_recorder_counted(self):
        read = read_name("WERBELOBRECZ_caisseclaire.wav")
        self.assertEqual((read.kinds[:1], read.articulations), (["snare"], ["rim"]))
        sides = read_name("Crash left - right OH.wav")
        self.assertEqual((sides.side, sides.mics), ("l", ["overhead right"]))
        named = {
            f"TAPE-{n:03} {drum} {n % 4}.wav": drum
            for n, drum in enumerate(["kick"] * 4 + ["snare"] * 4 + ["crash"] * 4 + ["ride"] * 4)
        }
        without = without_counters({name: name for name in named})
        self.assertEqual(without["TAPE-005 snare 1.wav"], "snare 1.wav")
        for name in ("snare" * 4000, "7" * 6000 + " a", "7" + "-" * 20_000):
            self.assertEqual(len(propose([File(f"{name}{n}.wav", SOUNDS["snare"]) for n in range(2)]).left_over), 0)
        self.assertEqual(read_name("Snare ujęcie01 úroveň2.wav").take, 1, "a label with its accents")
        alone = {f"TAPE-{n:03}_snare.wav": "" for n in range(16)}
        self.assertEqual(
            without_counters({name: name for name in alone}),
            {name: name for name in alone},
            "all that tells them apart",
        )

    def test_words_that_stand_for_each_other_are_told_by_what_is_heard_under_them(self):
        def roles(level, timbre):
            rng = np.random.default_rng(0)
            hits = []
            for drum, word, take in itertools.product(("kick", "snare", "crash"), ("ulo", "vem"), range(5)):
                same = np.random.default_rng([len(drum), take]).normal(0, 1)  # the performance
                measure = replace(
                    SOUNDS[drum], level_db=-20 + level(word, same, rng), pitch_hz=SOUNDS[drum].pitch_hz * timbre(word)
                )
                hits.append(PlacedFile(read_name(f"{drum} {word} {take}.wav"), measure))
            tell_alternatives(hits)
            named = next(hit.named for hit in hits if "ulo" in hit.named.file)
            return {
                "mic": "ulo" in named.mics,
                "layer": named.layer_text == "ulo",
                "take": (ROMAN, 1) in named.numbers,
                "drum": named.others == ["ulo"],
            }

        mic = roles(lambda word, same, rng: same - 8 * (word == "vem"), lambda word: 1.0)
        layer = roles(lambda word, same, rng: rng.normal(0, 0.5) - 8 * (word == "vem"), lambda word: 1.0)
        take = roles(lambda word, same, rng: rng.normal(0, 1.0), lambda word: 1.0)
        drum = roles(lambda word, same, rng: rng.normal(0, 0.5), lambda word: 1.4 if word == "vem" else 1.0)
        for name, found in {"mic": mic, "layer": layer, "take": take, "drum": drum}.items():
            self.assertEqual([role for role, is_it in found.items() if is_it], [name])

    def test_a_word_of_strength_that_nobody_knows_makes_no_drum(self):
        """Cut off, with a slip, of no language, a word of the tables that means something else: the grid tells, and loudness."""
        drums = {"kick": "Kick", "snare": "Snare", "hat closed": "HatClosed", "crash": "Crash"}
        for number, words in enumerate(
            (("qui", "mi", "loud"), ("sotf", "meidum", "ahrd"), ("guru", "gene", "gufe"), ("leise", "mitt", "laut"))
        ):
            for shape in (
                "{drum}_{word}_{take}",
                "{word} {drum} {take}",
                "{word}/{drum}{take}",
                "{drum}/{word} rr{take}",
            ):

                def called(truth: Truth, words=words, shape=shape) -> str:
                    return shape.format(drum=drums[truth.pad], word=words[truth.layer], take=truth.take + 1) + ".wav"

                files = record(list(drums), 3, 2, ["close"], called, seed=number, step_db=8.0)
                with self.subTest(words=words, shape=shape):
                    self.assertEqual(mistakes(propose([file for _, file in files.values()]), files), [])

    def test_strengths_that_begin_alike_stay_apart_and_a_folder_of_each_drum_is_no_title(self):
        words = ("very soft", "luma", "hard", "very hard")
        drums = {"kick": "Kick", "snare": "Snare", "crash": "Crash"}
        files = record(
            list(drums), 4, 2, ["close"], lambda t: f"{drums[t.pad]} {words[t.layer]} {t.take + 1}.wav", step_db=7.0
        )
        self.assertEqual(mistakes(propose([file for _, file in files.values()]), files), [])
        apart = record(
            list(drums), 2, 2, ["close", "room"],
            lambda t: f"{drums[t.pad]}/Close/v{t.layer + 1} {t.take + 1}{' close' if t.mic == 'close' else ' room'}.wav",
        )  # fmt: skip
        self.assertEqual({truth.pad for truth, _ in apart.values()}, set(drums))
        self.assertEqual(len(propose([file for _, file in apart.values()]).pads), len(drums))

    def test_files_of_one_length_are_one_performance_and_a_title_says_nothing_that_names_say(self):
        halves = record(
            ["kick", "crash", "hat closed"], 2, 2, ["left", "right"],
            lambda t: f"Crash grab/{t.pad} v{t.layer + 1} {t.take + 1}.{t.mic[0].upper()}.wav",
        )  # fmt: skip
        lengths = {
            hit: 20_000 + 37 * n for n, hit in enumerate(sorted({(t.pad, t.layer, t.take) for t, _ in halves.values()}))
        }
        files = {
            name: (truth, replace(file, frames=lengths[truth.pad, truth.layer, truth.take]))
            for name, (truth, file) in halves.items()
        }
        proposal = propose([file for _, file in files.values()])
        self.assertEqual(mistakes(proposal, files), [])
        self.assertEqual(sorted(pad.kind for pad in proposal.pads), ["closed_hat", "crash", "kick"])


class Habits(SimpleTestCase):
    def test_every_habit_is_read_exactly(self):
        for name, (pads, layers, takes, mics, file_name) in HABITS.items():
            for seed in (0, 1):
                files = record(pads, layers, takes, mics, file_name, seed=seed)
                with self.subTest(name, seed=seed):
                    self.assertEqual(mistakes(propose([file for _, file in files.values()]), files), [])

    def test_habits_met_later_are_read_as_well_as_they_ever_were(self):
        misread = {"codes run together", "short codes"}
        for number, (name, (pads, layers, takes, mics, file_name)) in enumerate(habits.HABITS.items()):
            files = record(list(pads), layers, takes, list(mics), file_name, seed=number)
            with self.subTest(name):
                wrong = mistakes(propose([file for _, file in files.values()]), files)
                self.assertEqual(bool(wrong), name in misread, wrong)
