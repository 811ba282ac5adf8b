"""``dactyl listen``, ``stack`` and ``convert``: what scripts read, what people read, and kits that go there and back."""

import contextlib
import io
import json
import subprocess
import sys
import zipfile
from pathlib import Path

import numpy as np
import soundfile

from dactyl.cli import main
from dactyl.cli.part import read_part
from dactyl.cli.tests.test_bounce import RATE, Folder
from dactyl.core.formats.midi import read_midi, write_midi
from dactyl.core.formats.midi_names import read_names
from dactyl.core.formats.musicxml.read import is_musicxml
from dactyl.core.parts.part import Event, Part
from dactyl.core.wave.tags import read_tags

LEVELS = {"soft": 0.03, "medium": 0.12, "hard": 0.5}


def drum(level: float, seed: int, *, lead_frames: int = 480, channels: int = 1, hz: float = 190) -> np.ndarray:
    """Some silence, then a struck tone with noise: (frames, channels)."""
    time = np.arange(12_000) / RATE
    noise = np.random.default_rng(seed).normal(0, 0.3, len(time)) * np.exp(-time * 60)
    sound = level * (np.sin(2 * np.pi * hz * time) * np.exp(-time * 18) + noise)
    return np.concatenate([np.zeros((lead_frames, channels)), np.repeat(sound[:, None], channels, axis=1)])


class Recorded(Folder):
    """A folder with a snare in three levels of two takes by two mics, a file of four channels, and a torn one."""

    def setUp(self):
        super().setUp()
        folder = self.path / "Quay" / "Snare"
        folder.mkdir(parents=True)
        for number, (word, level) in enumerate(LEVELS.items()):
            for take in (1, 2):
                for mic, share in (("close", 1.0), ("room", 0.3)):
                    sound = drum(level * share, 10 * number + take, channels=1 + (mic == "room"))
                    soundfile.write(folder / f"{word} {take} {mic}.wav", sound, RATE, "PCM_24")
        kick = (folder / "hard 1 close.wav").read_bytes()
        (self.path / "torn.wav").write_bytes(kick[:2000])

    def run_it(self, *arguments: str) -> tuple[int, str, str]:
        """Exit code, standard output, standard error."""
        said, problems = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(said), contextlib.redirect_stderr(problems), contextlib.chdir(self.path):
            code = main(arguments)
        return code, said.getvalue(), problems.getvalue()


class Listening(Recorded):
    def test_each_file_is_one_line_of_json_and_bad_ones_say_why(self):
        code, said, problems = self.run_it("listen", "Quay", "torn.wav", "--json")
        lines = {Path(line["file"]).name: line for line in map(json.loads, said.splitlines())}
        self.assertEqual((code, problems, len(lines)), (1, "", 13), "a file that can't be used ends with 1")
        hard = lines["hard 1 close.wav"]
        self.assertEqual((hard["rate"], hard["channels"], hard["seconds"]), (RATE, 1, 0.26))
        self.assertAlmostEqual(hard["onset_ms"], 10.0, delta=1.0)
        self.assertEqual(hard["kind"], "snare")
        self.assertEqual(hard["name"], {"piece": "snare", "layer": "hard", "take": 1, "mic": "close"})
        self.assertIn("cut short", lines["torn.wav"]["error"])
        levels = [lines[f"{word} 1 close.wav"]["level_db"] for word in LEVELS]
        self.assertEqual(levels, sorted(levels))

    def test_people_read_sentences(self):
        code, said, _ = self.run_it("listen", "Quay/Snare/soft 1 close.wav")
        self.assertEqual(code, 0)
        self.assertRegex(said, r"soft 1 close\.wav: snare, 0\.260 s, 48000 Hz, onset \d+\.\d ms, attack −?-?\d+\.\d dB")
        code, said, problems = self.run_it("listen", "nowhere")
        self.assertEqual(code, 1)
        self.assertIn("nowhere", said + problems)
        self.assertNotIn("Traceback", said + problems)


class Stacking(Recorded):
    def test_the_proposal_has_the_softest_layer_first_with_every_mic(self):
        code, said, _ = self.run_it("stack", "Quay", "torn.wav", "--json")
        proposal = json.loads(said)
        self.assertEqual(code, 0)
        (pad,) = proposal["pads"]
        self.assertEqual((pad["name"], pad["kind"]), ("Snare", "snare"))
        self.assertEqual([(layer["low"], layer["high"]) for layer in pad["layers"]], [(1, 42), (43, 85), (86, 127)])
        for word, layer in zip(LEVELS, pad["layers"], strict=True):
            self.assertEqual(
                [Path(take["file"]).name for take in layer["takes"]], [f"{word} {n} close.wav" for n in (1, 2)]
            )
            self.assertEqual({mic: Path(file).name for mic, file in layer["takes"][0]["mics"].items()}, {
                "close": f"{word} 1 close.wav", "room": f"{word} 1 room.wav",
            })  # fmt: skip
        self.assertEqual([left["file"] for left in proposal["left_over"]], ["torn.wav"])

    def test_out_writes_a_kit_that_plays_from_the_softest_to_the_loudest(self):
        for name in ("Quay.sfz", "Quay.zip"):
            with self.subTest(name):
                code, _, problems = self.run_it("stack", "Quay", "--out", name)
                self.assertEqual(code, 0, problems)
                self.write_part([(0, 10, 38, 20), (960, 10, 38, 64), (1920, 10, 38, 120)], end_tick=2880)
                code, _, problems = self.run_it("bounce", name, "p.mid", "--out", name[-3:], "--bits", "32f")
                self.assertEqual(code, 0, problems)
                (stem,) = self.stems(name[-3:]).values()
                peaks = [np.abs(stem[start : start + RATE]).max() for start in (0, RATE, 2 * RATE)]
                self.assertLess(4 * peaks[0], peaks[1])
                self.assertLess(2 * peaks[1], peaks[2])
                self.assertGreater(np.abs(stem[:200]).max(), 0, "the silence before the onset is skipped")

    def test_a_file_of_four_channels_is_offered_as_mics(self):
        sound = np.concatenate([drum(0.5 / n, 3) for n in range(1, 5)], axis=1)
        soundfile.write(self.path / "tom all mics.wav", sound, RATE, "PCM_24")
        code, said, _ = self.run_it("stack", "tom all mics.wav", "--json")
        self.assertEqual(code, 0)
        (pad,) = json.loads(said)["pads"]
        (take,) = pad["layers"][0]["takes"]
        self.assertEqual(take["file"], "tom all mics.wav")
        self.assertEqual(take["mics"], {f"mic {n}": f"tom all mics.wav#{n}" for n in range(1, 5)})
        self.assertEqual(self.run_it("stack", "tom all mics.wav", "--out", "tom.sfz")[0], 0)
        levels = [
            np.abs(soundfile.read(self.path / f"tom samples/tom all mics (mic {n}).wav")[0]).max() for n in (1, 4)
        ]
        self.assertAlmostEqual(levels[0] / levels[1], 4, delta=0.5)

    def test_in_a_pipe_nothing_is_said_that_was_not_asked_for(self):
        done = subprocess.run(
            [sys.executable, "-m", "dactyl.cli", "stack", "Quay", "--out", "kit.zip"],
            cwd=self.path,
            capture_output=True,
        )
        self.assertEqual((done.returncode, done.stdout, done.stderr), (0, b"", b""))

    def test_nothing_to_stack_is_said(self):
        code, said, problems = self.run_it("stack", "torn.wav")
        self.assertEqual(code, 1)
        self.assertIn("torn.wav", said + problems)


class Parts(Recorded):
    def setUp(self):
        super().setUp()
        late = [
            Event(tick=240 * n + 20, note=38 if n % 4 == 2 else 42, velocity=40 + 10 * (n % 4), length_ticks=60)
            for n in range(16)
        ]
        part = Part(name="Beat", ticks_per_beat=480, tempos=((0, 500_000),), events=tuple(late), end_tick=3840)
        (self.path / "Beat.mid").write_bytes(write_midi(part))

    def shaped(self, *arguments: str) -> list[tuple[int, int, int]]:
        code, _, problems = self.run_it("part", "Beat.mid", *arguments, "--out", "Out.mid")
        self.assertEqual((code, problems), (0, ""))
        part = read_midi((self.path / "Out.mid").read_bytes(), "Out.mid")
        return [(event.tick, event.note, event.velocity) for event in part.note_ons]

    def test_hits_are_shaped_by_the_functions_of_the_core(self):
        as_they_were = self.shaped()
        self.assertEqual([tick for tick, _, _ in as_they_were], [240 * n + 20 for n in range(16)])
        tight = self.shaped("--tighten", "1/8", "--strength", "50", "--swing", "50")
        self.assertEqual([tick for tick, _, _ in tight], [240 * n + 10 for n in range(16)])
        halved = self.shaped("--velocity", "scale:0.5", "--only", "42")
        self.assertEqual({v for _, note, v in halved if note == 42}, {20, 25, 35})
        self.assertEqual({v for _, note, v in halved if note == 38}, {60})
        flammed = self.shaped("--flam", "38", "--apart", "25", "--softer", "0.5")
        self.assertEqual(len(flammed), 16 + 4)
        self.assertIn((240 * 2 + 20 - 24, 38, 30), flammed, "25 ms are 24 ticks at 120 beats a minute")
        self.assertEqual(self.shaped("--loosen", "6", "--seed", "3"), self.shaped("--loosen", "6", "--seed", "3"))

    def test_it_is_written_as_its_name_says_for_all_who_may_read_here(self):
        for name in ("Out.mid", "Out.xml", "Out.mxl", "Out.musicxml"):
            with self.subTest(name):
                self.assertEqual(self.run_it("part", "Beat.mid", "--out", name)[0], 0)
                written = self.path / name
                self.assertEqual(is_musicxml(written.read_bytes()), name != "Out.mid")
                self.assertEqual(len(read_part(written).note_ons), 16)
                self.assertEqual(written.stat().st_mode & 0o777, (self.path / "Beat.mid").stat().st_mode & 0o777)

    def test_what_can_not_be_done_is_one_line_and_writes_nothing(self):
        (self.path / "broken.mid").write_bytes(b"MThd\0\0")
        for arguments, words in (
            (("broken.mid",), "broken.mid"),
            (("nowhere.mid",), "Is it there?"),
            (("Beat.mid", "--tighten", "1/5"), "no such grid"),
            (("Beat.mid", "--out", "Out.pdf"), "End its name with"),
            (("Beat.mid", "--velocity", "louder:3"), "is no way"),
            (("Beat.mid", "--tighten", "1/8", "--swing", "90"), "from 50 to 75"),
        ):
            with self.subTest(words):
                code, _, problems = self.run_it("part", "--out", "Out.mid", *arguments)
                self.assertEqual((code, problems.count("\n")), (1, 1))
                self.assertIn(words, problems)
                self.assertFalse((self.path / "Out.mid").exists())


class Notes(Recorded):
    def setUp(self):
        super().setUp()
        for n, name in enumerate(("boiler", "plate")):
            soundfile.write(self.path / f"{name}.wav", drum(0.4, n), RATE)
        (self.path / "Kit.sfz").write_text(
            "<group> group_label=Kick <region> sample=boiler.wav key=70\n<group> group_label=Snare <region> sample=plate.wav key=71\n"
        )
        events = tuple(
            Event(tick=480 * n, note=note, velocity=90, length_ticks=60) for n, note in enumerate((36, 38, 40, 56))
        )
        part = Part(name="Beat", ticks_per_beat=480, tempos=((0, 500_000),), events=events, end_tick=1920)
        (self.path / "Beat.mid").write_bytes(write_midi(part))

    def test_a_kit_lists_its_notes_for_people_tables_and_other_programs(self):
        self.assertIn("A#3 · 70  Kick", self.run_it("notes", "Kit.sfz")[1])
        self.assertEqual(
            self.run_it("notes", "Kit.sfz", "--csv")[1].splitlines()[1:], ["70,A#3,Kick,kick", "71,B3,Snare,snare"]
        )
        self.assertEqual(
            [pad["notes"] for pad in json.loads(self.run_it("notes", "Kit.sfz", "--json")[1])], [[70], [71]]
        )
        names = self.run_it("notes", "Kit.sfz", "--names")[1].encode()
        self.assertEqual(read_names(names, "kit.midnam"), {70: "Kick", 71: "Snare"})

    def test_a_part_for_standard_notes_plays_on_the_kit_and_doubts_are_said(self):
        code, _, said = self.run_it("translate", "Beat.mid", "--from", "standard", "--to", "Kit.sfz", "--out", "Out.mid", "--write-table", "t.json")  # fmt: skip
        self.assertEqual(code, 0)
        self.assertIn("E1 · 40 snare 2 becomes Snare", said)
        self.assertIn("G#2 · 56 has no counterpart and stays: 1 hit", said)
        part = read_midi((self.path / "Out.mid").read_bytes(), "Out.mid")
        self.assertEqual([event.note for event in part.note_ons], [70, 71, 71, 56])
        self.run_it("translate", "Beat.mid", "--from", "t.json", "--to", "Kit.sfz", "--out", "Again.mid")
        self.assertEqual((self.path / "Again.mid").read_bytes(), (self.path / "Out.mid").read_bytes())
        (self.path / "t.json").write_text('{"36": 200}')
        code, _, said = self.run_it("translate", "Beat.mid", "--from", "t.json", "--to", "Kit.sfz", "--out", "No.mid")
        self.assertEqual((code, said.count("\n")), (1, 1))


class Converting(Recorded):
    def setUp(self):
        super().setUp()
        self.run_it("stack", "Quay", "--out", "Quay.zip")

    def bounced(self, kit: str) -> np.ndarray:
        self.write_part([(480 * n, 10, 38, 1 + 9 * n) for n in range(14)], end_tick=480 * 15)
        code, _, problems = self.run_it("bounce", kit, "p.mid", "--out", f"of {kit}", "--bits", "32f")
        self.assertEqual(code, 0, problems)
        return next(iter(self.stems(f"of {kit}").values()))

    def test_a_kit_sounds_the_same_as_package_as_sfz_and_as_package_again(self):
        expected = self.bounced("Quay.zip")
        for source, target in (("Quay.zip", "there.sfz"), ("there.sfz", "back.zip"), ("back.zip", "again.sfz")):
            code, _, problems = self.run_it("convert", source, "--out", target)
            self.assertEqual(code, 0, problems)
            heard = self.bounced(target)
            self.assertEqual(heard.shape, expected.shape)
            self.assertLess(np.abs(heard - expected).max(), 3e-4 * np.abs(expected).max())

    def test_samples_of_an_sfz_carry_their_place_on_the_keys(self):
        self.run_it("convert", "Quay.zip", "--out", "kit.sfz")
        files = sorted((self.path / "kit samples").iterdir())
        self.assertEqual(len(files), 12)
        ranges = {file.name: read_tags(file) for file in files}
        self.assertEqual({tags.root for tags in ranges.values()}, {38})
        by_word = {word: {(t.low_velocity, t.high_velocity) for n, t in ranges.items() if word in n} for word in LEVELS}
        self.assertEqual(by_word, {"soft": {(1, 42)}, "medium": {(43, 85)}, "hard": {(86, 127)}})

    def test_a_package_holds_each_sample_once_byte_for_byte(self):
        with zipfile.ZipFile(self.path / "Quay.zip") as package:
            names = package.namelist()
            self.assertEqual(len(names), len(set(names)))
            held = {Path(name).name: package.read(name) for name in names if name.startswith("samples/")}
        for file in (self.path / "Quay" / "Snare").iterdir():
            self.assertEqual(held[file.name], file.read_bytes())

    def test_what_goes_wrong_is_one_line_and_leaves_what_was_there(self):
        (self.path / "kept.sfz").write_text("kept")
        (self.path / "gone.sfz").write_text("<region> sample=gone.wav key=38")
        for arguments, words in (
            (("gone.sfz", "--out", "kept.sfz"), "gone.wav"),
            (("Quay.zip", "--out", "kit.txt"), "End its name with .sfz or .zip"),
            (("nothing.zip", "--out", "kept.sfz"), "nothing.zip"),
            (("Quay", "--out", "kept.sfz"), "Quay"),
        ):
            with self.subTest(words):
                code, said, problems = self.run_it("convert", *arguments)
                self.assertEqual((code, said), (1, ""))
                self.assertIn(words, problems)
                self.assertEqual(problems.count("\n"), 1, problems)
        self.assertEqual((self.path / "kept.sfz").read_text(), "kept")
        self.assertEqual([path.name for path in self.path.iterdir() if path.name.startswith(".")], [])


class Hits(Folder):
    """``dactyl hits``: a recording of two microphones; what can't be read is a sentence."""

    def setUp(self):
        super().setUp()
        kick, snare = (np.zeros(4 * RATE) for _ in range(2))
        for beat in range(6):
            track, hz = (kick, 60) if beat % 2 == 0 else (snare, 230)
            at = RATE // 2 + beat * RATE // 2
            track[at : at + 12_000] += drum(0.5, beat, lead_frames=0, hz=hz)[:, 0]
        for name, own, other in (("Kick.wav", kick, snare), ("Snare top.flac", snare, kick)):
            noise = np.random.default_rng(1).normal(0, 2e-4, len(own))
            soundfile.write(self.path / name, own + 0.06 * np.roll(other, 150) + noise, RATE)

    def run_hits(self, *asked: str) -> tuple[int, str]:
        out = io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(out), contextlib.chdir(self.path):
            code = main(["hits", *asked])
        return code, out.getvalue()

    def test_strokes_of_two_tracks_are_found_and_written_as_a_part(self):
        code, text = self.run_hits("Kick.wav", "Snare top.flac", "--json", "--midi", "out.mid")
        tracks = json.loads(text)["tracks"]
        self.assertEqual((code, [(one["role"], len(one["hits"])) for one in tracks]), (0, [("kick", 3), ("snare", 3)]))
        self.assertAlmostEqual(tracks[0]["hits"][0]["time"], 0.5, delta=0.002)
        part = read_midi((self.path / "out.mid").read_bytes(), "out.mid")
        self.assertEqual([event.note for event in part.note_ons], [36, 38] * 3)
        _, text = self.run_hits(
            "Kick.wav", "Snare top.flac", "--json", "--threshold", "Kick.wav=0", "--role", "Kick.wav=tom 1"
        )
        self.assertEqual(
            [(one["role"], len(one["hits"])) for one in json.loads(text)["tracks"]], [("tom 1", 0), ("snare", 3)]
        )

    def test_what_can_not_be_is_a_sentence(self):
        (self.path / "broken.wav").write_bytes(b"RIFF")
        for asked, words in (
            (["missing.wav"], "There is no such file"),
            (["broken.wav"], "It is not a sound file"),
            (["Kick.wav", "--role", "Kick.wav=trumpet"], "is no role"),
            (["Kick.wav", "--threshold", "Snare.wav=-3"], "none of the tracks is called"),
            (["Kick.wav", "--threshold", "Kick.wav=soft"], "is not a number of dB"),
            (["Kick.wav"] * 17, "1 to 16 tracks"),
        ):
            with self.subTest(asked):
                code, text = self.run_hits(*asked)
                self.assertIn(words, text)
                self.assertNotEqual(code, 0)
