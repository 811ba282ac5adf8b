"""``dactyl bounce`` against a second renderer, sample by sample; and what it says when it can't."""

import contextlib
import io
import json
import resource
import subprocess
import sys
import tempfile
import zipfile
from pathlib import Path

import mido
import numpy as np
import soundfile
from django.test import SimpleTestCase

from dactyl.cli import main
from dactyl.cli.tests.reference import RATE, render

TICKS = 480  # a beat of half a second: 50 frames a tick


class Folder(SimpleTestCase):
    """A folder with some samples, and the command run in it."""

    def setUp(self):
        self.path = Path(self.enterContext(tempfile.TemporaryDirectory()))
        rng = np.random.default_rng(5)
        self.audio = {}
        for number in range(6):
            frames, channels = 900 + 400 * number, 1 + number % 2
            sound = rng.uniform(-1, 1, (frames, channels)) * np.exp(-np.arange(frames) / 900)[:, None] * 0.4
            self.audio[f"s {number}.wav"] = sound.astype(np.float32)
            soundfile.write(self.path / f"s {number}.wav", self.audio[f"s {number}.wav"], RATE, "FLOAT")

    def dactyl(self, *arguments: str) -> tuple[int, str]:
        """Exit code and what was said on standard error."""
        said = io.StringIO()
        with contextlib.redirect_stderr(said), contextlib.redirect_stdout(io.StringIO()), contextlib.chdir(self.path):
            try:
                code = main(arguments)
            except SystemExit as wrong_call:
                code = wrong_call.code
        return code, said.getvalue()

    def write_part(self, hits: list[tuple[int, int, int, int]], name: str = "p.mid", end_tick: int = 0) -> None:
        """hits : (tick, channel 1..16, note, velocity), in order"""
        track, now = mido.MidiTrack(), 0
        for tick, channel, note, velocity in hits:
            track.append(mido.Message("note_on", channel=channel - 1, note=note, velocity=velocity, time=tick - now))
            now = tick
        track.append(mido.MetaMessage("end_of_track", time=max(0, end_tick - now)))
        mido.MidiFile(type=0, ticks_per_beat=TICKS, tracks=[track]).save(self.path / name)

    def stems(self, folder: str = "out") -> dict[str, np.ndarray]:
        report = json.loads((self.path / folder / "bounce.json").read_text())
        return {
            stem["name"]: soundfile.read(self.path / folder / stem["file"], dtype="float64", always_2d=True)[0]
            for stem in report["stems"]
        }

    def assert_as_reference(self, regions: list[dict], hits: list[tuple[int, int, int, int]], seed: int = 0) -> None:
        (self.path / "kit.sfz").write_text("\n".join(as_text(region) for region in regions))
        self.write_part(hits)
        code, said = self.dactyl("bounce", "kit.sfz", "p.mid", "--out", "out", "--bits", "32f", "--seed", str(seed))
        self.assertEqual(code, 0, said)
        heard = [region | {"audio": np.squeeze(self.audio[region["sample"]]), **keys(region)} for region in regions]
        expected = render(heard, [(50 * tick, c, n, v) for tick, c, n, v in hits], 50 * hits[-1][0], seed)
        stems = self.stems()
        self.assertEqual(list(stems), [f"out-{number + 1}" for number in sorted(expected)])
        for number, stem in expected.items():
            self.assertEqual(stems[f"out-{number + 1}"].shape, stem.shape)
            self.assertLess(np.abs(stems[f"out-{number + 1}"] - stem).max(), 2e-6)


def as_text(region: dict) -> str:
    opcodes = {name: value for name, value in region.items() if name != "velcurve"}
    points = {f"amp_velcurve_{velocity}": gain for velocity, gain in region.get("velcurve", {}).items()}
    return "<region> " + " ".join(f"{name}={value}" for name, value in (opcodes | points).items())


def keys(region: dict) -> dict:
    return {"lokey": region["key"], "hikey": region["key"]} if "key" in region else {}


class Semantics(Folder):
    def test_sequences_velocities_and_channels(self):
        regions = [
            {"sample": "s 0.wav", "key": 36, "seq_length": 2, "seq_position": 1, "hivel": 90},
            {"sample": "s 1.wav", "key": 36, "seq_length": 2, "seq_position": 2, "hivel": 90, "pan": -60},
            {"sample": "s 2.wav", "key": 36, "lovel": 80, "amp_veltrack": 40, "output": 3},
            {"sample": "s 3.wav", "lokey": 36, "hikey": 37, "pitch_keytrack": 0, "seq_length": 3, "seq_position": 2, "lochan": 2, "volume": -4},
        ]  # fmt: skip
        velocities = (40, 85, 85, 40, 100, 127, 40, 85, 1, 90)
        self.assert_as_reference(regions, [(20 * n, 1 + n % 3, 36 + n % 2, v) for n, v in enumerate(velocities * 3)])

    def test_groups_cut_as_their_off_mode_says_and_no_voice_of_the_same_hit(self):
        for mode, more in [("fast", {}), ("time", {"off_time": 0.02}), ("normal", {"ampeg_release": 0.013})]:
            regions = [
                {"sample": "s 5.wav", "key": 46, "group": 1, "off_by": 1, "off_mode": mode, "loop_mode": "one_shot", **more},
                {"sample": "s 4.wav", "key": 46, "group": 1, "off_by": 1, "loop_mode": "one_shot", "delay": 0.011},
                {"sample": "s 0.wav", "key": 42, "group": 1, "off_by": 2, "loop_mode": "one_shot", "output": 1},
            ]  # fmt: skip
            with self.subTest(mode):
                self.assert_as_reference(
                    regions,
                    [
                        (0, 1, 46, 100),
                        (7, 1, 46, 90),
                        (8, 1, 42, 80),
                        (60, 1, 46, 70),
                        (61, 1, 42, 127),
                        (61, 1, 46, 99),
                    ],
                )

    def test_polyphony_cuts_the_oldest_of_the_group_or_of_its_note(self):
        regions = [
            {"sample": "s 5.wav", "lokey": 40, "hikey": 44, "pitch_keytrack": 0, "group": 7, "polyphony": 3, "loop_mode": "one_shot"},
            {"sample": "s 3.wav", "lokey": 50, "hikey": 54, "pitch_keytrack": 0, "group": 8, "note_polyphony": 1, "loop_mode": "one_shot"},
        ]  # fmt: skip
        hits = [(3 * n, 1, (40, 41, 50, 51, 42, 50)[n % 6], 60 + n) for n in range(40)]
        self.assert_as_reference(regions, hits)

    def test_envelopes_and_note_offs(self):
        shape = {
            "ampeg_attack": 0.004,
            "ampeg_hold": 0.003,
            "ampeg_decay": 0.01,
            "ampeg_sustain": 35,
            "ampeg_release": 0.008,
        }
        regions = [
            {"sample": "s 5.wav", "key": 60, **shape},
            {"sample": "s 4.wav", "key": 61, **shape, "ampeg_sustain": 0},
            {"sample": "s 5.wav", "key": 62, "loop_mode": "one_shot", **shape, "offset": 40, "end": 700},
            {"sample": "s 2.wav", "key": 63},
        ]  # fmt: skip
        hits = [(0, 1, 60, 100), (2, 1, 61, 100), (4, 1, 62, 100), (5, 2, 60, 0), (9, 1, 60, 0), (9, 1, 61, 0), (9, 1, 62, 0), (10, 1, 63, 90), (15, 1, 63, 0)]  # fmt: skip
        self.assert_as_reference(regions, hits)

    def test_crossfades_curves_and_draws(self):
        regions = [
            {"sample": "s 0.wav", "key": 38, "xfout_lovel": 30, "xfout_hivel": 90, "velcurve": {20: 0.3, 90: 0.5}},
            {"sample": "s 1.wav", "key": 38, "xfin_lovel": 30, "xfin_hivel": 90, "amplitude": 70},
            {"sample": "s 2.wav", "key": 38, "lorand": 0.2, "hirand": 0.7, "output": 1},
            {"sample": "s 3.wav", "key": 38, "lorand": 0.7, "output": 1},
        ]  # fmt: skip
        for seed in (0, 9):
            self.assert_as_reference(regions, [(17 * n, 10, 38, 1 + 6 * n % 127) for n in range(30)], seed)


class Text(Folder):
    def test_inheritance_defines_includes_and_comments(self):
        for number in range(6):
            (self.path / f"take-{number}.wav").write_bytes((self.path / f"s {number}.wav").read_bytes())
        (self.path / "more").mkdir()
        (self.path / "more" / "hat.inc").write_text("<region> sample=$S4 key=$HATx\n")
        (self.path / "kit.sfz").write_text(
            "#define $S take- #define $S4 4.wav\n#define $HAT 4\n#define $HATx 42\n"
            "<control> default_path=$S \n/* <region> sample=none.wav\n key=1 */\n"
            "<global> volume=-6 pan=100\n<master> amp_veltrack=0 <group> volume=0 // the group's own\n"
            '<region> sample=0.wav key=c2\n<group>\n#include "more\\hat.inc"\n'
            "<global> amp_veltrack=0\n<region>sample=1.wav key=38 whirl=3\n<curve> v001=1\n"
        )
        self.write_part([(0, 1, 36, 9), (100, 1, 42, 9), (200, 1, 38, 9)])
        code, said = self.dactyl("bounce", "kit.sfz", "p.mid", "--out", "out", "--bits", "32f")
        self.assertEqual(code, 0, said)
        stem = self.stems()["out-1"]
        for frame, sound, left, right in [
            (0, "s 0.wav", 0, 2**0.5),
            (5000, "s 4.wav", 0, 10 ** (-6 / 20) * 2**0.5),
            (10_000, "s 1.wav", 1, 1),
        ]:
            expected = self.audio[sound][:800] * [[left, right]]
            self.assertLess(np.abs(stem[frame : frame + 800] - expected).max(), 1e-6, sound)
        self.assertIn("kit.sfz, line 13: whirl is not understood.", said)
        self.assertIn("kit.sfz, line 14: <curve> is not understood", said)
        self.assertNotIn("line 5", said)

    def test_what_stops_a_bounce_names_file_and_line_and_leaves_nothing(self):
        soundfile.write(self.path / "nan.wav", np.array([0.1, np.nan, 0.2]), RATE, "FLOAT")
        soundfile.write(self.path / "none.wav", np.zeros((0, 1)), RATE, "FLOAT")
        (self.path / "text.wav").write_text("Dear desk")
        outside = self.path.parent / "outside.wav"
        outside.write_bytes((self.path / "s 0.wav").read_bytes())
        self.addCleanup(outside.unlink)
        self.write_part([(0, 1, 36, 100)])
        table = [
            ("<region> key=36 sample=gone.wav", "kit.sfz, line 1: sample “gone.wav”: There is no such file."),
            ("\n<region> key=36\nsample=nan.wav", "kit.sfz, line 3: sample “nan.wav”: It holds values that are not numbers"),
            ("<region> key=36 sample=none.wav", "zero frames"),
            ("<region> key=36 sample=text.wav", "not a sound file"),
            ("<region> key=36 sample=../outside.wav", "outside the kit's folder"),
            ("#include \"../x.sfz\"", "kit.sfz, line 1: “../x.sfz” lies outside the kit's folder."),
            ("#include \"kit.sfz\"", "included too deep"),
            ("hello", "It has no <region>"),
            ("\0\0", "not a text file"),
        ]  # fmt: skip
        for text, words in table:
            (self.path / "kit.sfz").write_text(text)
            with self.subTest(text=text):
                code, said = self.dactyl("bounce", "kit.sfz", "p.mid", "--out", "out")
                self.assertEqual(code, 1)
                self.assertIn(words, said)
                self.assertEqual(len(said.strip().splitlines()), 1)
                self.assertFalse((self.path / "out").exists())

    def test_skip_bad_leaves_a_sample_out_with_a_warning(self):
        (self.path / "kit.sfz").write_text("<region> key=36 sample=gone.wav\n<region> key=36 sample=S 0.WAV")
        self.write_part([(0, 1, 36, 100), (9, 1, 77, 5)])
        code, said = self.dactyl("bounce", "kit.sfz", "p.mid", "--out", "out", "--skip-bad")
        self.assertEqual(code, 0)
        self.assertIn("warning: kit.sfz, line 1: sample “gone.wav” is left out: There is no such file.", said)
        self.assertIn("warning: p.mid: nothing answers F4 · 77 (1 hit).", said)
        self.assertEqual(sorted(file.name for file in (self.path / "out").iterdir()), ["bounce.json", "out-1.wav"])

    def test_wrong_calls_end_with_two(self):
        self.assertEqual(self.dactyl("bounce")[0], 2)
        self.assertEqual(self.dactyl("bounce", "k", "--out", "o")[0], 2)
        self.assertEqual(self.dactyl("bounce", "k", "p", "--out", "o", "--bits", "12")[0], 2)


class SeveralKits(Folder):
    def test_each_listens_on_its_channel_and_stems_say_whose_they_are(self):
        (self.path / "Drums.sfz").write_text("<region> sample=s 0.wav key=38")
        (self.path / "Metal.sfz").write_text("<region> sample=s 2.wav key=38 pan=50")
        self.write_part([(0, 10, 38, 127), (480, 11, 38, 127)], end_tick=960)
        kits = ("bounce", "Drums.sfz", "Metal.sfz")
        for out, asked, names in [
            ("apart", (*kits, "--channels", "10", "11", "p.mid"), ["out-1 1", "out-1 2"]),
            ("kits", (*kits, "--channels", "10", "11", "--by", "member", "p.mid"), ["Drums", "Metal"]),
            ("layered", (*kits, "p.mid"), ["out-1 1", "out-1 2"]),
        ]:
            self.assertEqual(self.dactyl(*asked, "--out", out, "--bits", "32f"), (0, ""))
            self.assertEqual(list(self.stems(out)), names)
        drums, metal = self.stems("kits").values()
        second = slice(480 * 50, 480 * 50 + 900)
        np.testing.assert_allclose(drums[:900, 0], self.audio["s 0.wav"][:, 0], atol=1e-6)
        self.assertTrue(np.abs(metal[second]).max() > 0.1 and not drums[second].any() and not metal[:900].any())
        self.assertTrue(all(stem[:900].any() and stem[second].any() for stem in self.stems("layered").values()))
        for wrong in [("--channels", "10"), ("--channels", "10", "17")]:
            code, said = self.dactyl(*kits, *wrong, "p.mid", "--out", "no")
            self.assertEqual((code, "one channel from 1 to 16 for each kit" in said), (1, True))


class FullDisk(Folder):
    def test_a_disk_that_refuses_is_one_sentence_and_leaves_nothing(self):
        (self.path / "kit.sfz").write_text("<region> sample=s 0.wav key=38")
        self.write_part([(480 * n, 10, 38, 100) for n in range(8)])
        for asked in (("--bits", "24"), ("--bits", "32f"), ("--bits", "16", "--format", "flac")):
            with self.subTest(asked):
                done = subprocess.run(
                    [sys.executable, "-m", "dactyl.cli", "bounce", "kit.sfz", "p.mid", "--out", "out", *asked],
                    cwd=self.path, capture_output=True, text=True,
                    preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (4000, 4000)),
                )  # fmt: skip
                self.assertEqual((done.returncode, done.stdout), (1, ""))
                self.assertEqual(done.stderr.count("\n"), 1, done.stderr)
                self.assertEqual(list((self.path / "out").iterdir()), [])


class Zips(Folder):
    def test_a_plain_zip_plays_and_one_that_reaches_outside_is_refused(self):
        self.write_part([(0, 1, 36, 100)])
        for inside, code, words in [("Kit/s 0.wav", 0, ""), ("../s 0.wav", 1, "outside the zip's own folder")]:
            with zipfile.ZipFile(self.path / "kit.zip", "w") as archive:
                archive.writestr("Kit/kit.sfz", "<region> key=36 sample=s 0.wav")
                archive.write(self.path / "s 0.wav", inside)
            found, said = self.dactyl(
                "bounce", "kit.zip", "p.mid", "--out", f"out{code}", "--format", "flac", "--bits", "16"
            )
            self.assertEqual(found, code, said)
            self.assertIn(words, said)
        self.assertEqual(soundfile.info(self.path / "out0" / "out-1.flac").subtype, "PCM_16")
