"""``dactyl check``: places by file and line, what scripts read, exit codes, and kits that are mended."""

import contextlib
import io
import json
from pathlib import Path

import numpy as np
import soundfile

from dactyl.cli import main
from dactyl.cli.tests.test_bounce import RATE, Folder


def stroke(level: float, seed: int) -> np.ndarray:
    rng, time = np.random.default_rng(seed), np.arange(RATE // 2) / RATE
    sound = np.sin(2 * np.pi * 180 * (1 + rng.normal(0, 0.002)) * time) + 0.5 * rng.standard_normal(len(time))
    return np.concatenate([np.zeros(96), level * 0.3 * sound * np.exp(-14 * time)])


class Checking(Folder):
    """A kit of two drums in two layers of three takes, as SFZ, with nothing wrong."""

    def setUp(self):
        super().setUp()
        lines = []
        for key, drum in ((38, "Snare"), (45, "Mid tom")):
            lines.append(f"<group> group_label={drum} key={key} loop_mode=one_shot seq_length=3")
            for layer, (low, high, level) in enumerate(((1, 63, 0.25), (64, 127, 1.0))):
                for take in range(3):
                    name = f"{drum} {layer} {take}.wav"
                    soundfile.write(self.path / name, stroke(level, key * 100 + layer * 10 + take), RATE, "PCM_24")
                    lines.append(f"<region> lovel={low} hivel={high} seq_position={take + 1} sample={name}")
        self.text = "\n".join(lines)
        (self.path / "Kit.sfz").write_text(self.text)

    def check(self, *arguments: str) -> tuple[int, list[dict], str]:
        """Exit code, findings, standard error."""
        said, problems = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(said), contextlib.redirect_stderr(problems), contextlib.chdir(self.path):
            code = main(("check", *arguments, "--json"))
        text = said.getvalue()
        return code, json.loads(text)["findings"] if text else [], problems.getvalue()

    def spoil(self, name: str, how) -> None:
        sound, _ = soundfile.read(self.path / name)
        soundfile.write(self.path / name, how(sound), RATE, "PCM_24")

    def test_a_sound_kit_has_no_findings(self):
        self.assertEqual(self.check("Kit.sfz"), (0, [], ""))

    def test_findings_name_file_line_key_layer_and_take(self):
        self.spoil("Snare 1 2.wav", lambda sound: -sound)
        self.spoil("Mid tom 0 1.wav", lambda sound: np.concatenate([np.zeros(600), sound]))
        code, (late, turned), _ = self.check("Kit.sfz")
        self.assertEqual((code, late["rule"], late["severity"]), (1, "onsets", "error"))
        where = {
            "file": "Kit.sfz",
            "line": 10,
            "pad": "Mid tom",
            "key": 45,
            "layer": 1,
            "velocities": [1, 63],
            "take": 2,
            "sample": "Mid tom 0 1.wav",
        }
        self.assertEqual(late["where"], where)
        self.assertAlmostEqual(late["measured"] - late["usual"], 12.5, delta=0.2)
        self.assertEqual((turned["rule"], turned["where"]["line"], turned["where"]["take"]), ("polarity", 7, 3))
        self.assertEqual(turned["mend"], "Turn its polarity")

    def test_what_a_kit_file_alone_can_have(self):
        (self.path / "Snare 0 0.wav").unlink()
        text = self.text.replace(
            "lovel=64 hivel=127 seq_position=2 sample=Mid", "lovel=70 hivel=127 seq_position=2 sample=Mid"
        )
        (self.path / "Kit.sfz").write_text(text)
        code, found, _ = self.check("Kit.sfz")
        self.assertEqual(code, 1)
        by_rule = {finding["rule"]: finding for finding in found}
        self.assertEqual(
            by_rule["damage"]["where"], {"file": "Kit.sfz", "line": 2, "sample": "Snare 0 0.wav", "key": 38}
        )
        self.assertEqual(
            by_rule["velocities"]["message"],
            "Of 3 strokes of A1 · 45 in turn number 2 is silent at velocities 64 to 69.",
        )
        hats = "<region> key=42 group=1 sample={0}\n<region> key=46 group=1 off_by=1 off_mode=time off_time=0 sample={0}\n<region> key=44 group=1 off_by=1 sample={0}"
        few = "\n<region> key=60 lovel=1 hivel=40 seq_length=2 seq_position=1 sample={0}\n<region> key=60 lovel=1 hivel=40 seq_length=2 seq_position=2 sample={0}\n<region> key=60 lovel=41 hivel=127 sample={0}"
        (self.path / "Other.sfz").write_text((hats + few).format("SNARE 0 1.wav"))
        said = {
            finding["message"] for finding in self.check("Other.sfz")[1] if finding["rule"] in ("velocities", "damage")
        }
        self.assertEqual(said, {
            "A#1 · 46 is cut by group 1 with no fade, in full sound: that clicks.",
            "Sample SNARE 0 1.wav is the file Snare 0 1.wav: where large and small letters count, it is not found.",
        })  # fmt: skip
        self.assertEqual(self.check("No.sfz")[0], 1)
        self.assertIn("There is no such file", self.check("No.sfz")[2])

    def test_folders_packages_and_broken_packages(self):
        with contextlib.chdir(self.path), contextlib.redirect_stderr(io.StringIO()):
            main(("convert", "Kit.sfz", "--out", "Kit.zip"))
        self.assertEqual(self.check("Kit.zip"), (0, [], ""))
        self.spoil("Snare 1 0.wav", lambda sound: sound * 0)
        code, found, _ = self.check(str(self.path))
        self.assertEqual([(f["rule"], Path(f["where"]["file"]).name) for f in found], [("silence", "Kit.sfz")])
        data = (self.path / "Kit.zip").read_bytes()
        (self.path / "Torn.zip").write_bytes(data[:-3000])
        code, found, _ = self.check("Torn.zip")
        self.assertEqual((code, found[0]["rule"], found[0]["severity"]), (1, "damage", "error"))

    def test_mends_write_a_kit_that_has_none_of_it_left(self):
        self.spoil("Snare 1 2.wav", lambda sound: -sound)
        self.spoil("Mid tom 0 1.wav", lambda sound: np.concatenate([np.zeros(600), sound]))
        code, left, said = self.check("Kit.sfz", "--mend", "polarity", "--out", "Mended.zip")
        self.assertEqual((code, left), (0, []))
        self.assertIn("1 setting mended", said)
        self.assertEqual([f["rule"] for f in self.check("Mended.zip")[1]], ["onsets"])
        self.check("Mended.zip", "--mend", "all", "--out", "Whole.zip")
        self.assertEqual(self.check("Whole.zip"), (0, [], ""))
        for wrong, words in ((("--mend", "all"), "--out"), (("--mend", "sorcery", "--out", "x.zip"), "is no rule")):
            code, _, said = self.check("Kit.sfz", *wrong)
            self.assertEqual((code, words in said), (1, True), said)
