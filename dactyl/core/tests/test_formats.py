"""Kit files: what is written reads back; hostile files raise nothing but our own errors."""

import json
import tempfile
import zipfile
from contextlib import suppress
from dataclasses import replace
from itertools import count
from pathlib import Path

import numpy as np
import soundfile
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from dactyl.core.bounce.order import BounceOrder
from dactyl.core.bounce.render import bounce_frames, render, voices_of
from dactyl.core.bounce.source import open_kit
from dactyl.core.errors import DactylError, KitError, KitFileError
from dactyl.core.formats.earlier import brought_up
from dactyl.core.formats.package import name_samples, portable, read_package, samples_of, write_package
from dactyl.core.formats.sfz.opcodes import KEY, OPCODES
from dactyl.core.formats.sfz.read import read_sfz
from dactyl.core.formats.sfz.write import write_sfz
from dactyl.core.formats.unzip import unzip
from dactyl.core.formats.values import from_json, pack, to_json, unpack
from dactyl.core.kit import (
    Envelope,
    Filter,
    Kit,
    Layer,
    Mic,
    MuteGroup,
    NoteMap,
    Output,
    Pad,
    Piece,
    Sample,
    Take,
    Variation,
)
from dactyl.core.parts.part import Hit
from dactyl.core.play.compile import compile_kit, curve_table, layer_gains
from dactyl.core.tests.kits import CHOKE_A, RATE, leaving, map_of, map_of_pads, noted
from dactyl.core.wave.chunks import chunks_of, missing_bytes
from dactyl.core.wave.read import read_sound
from dactyl.core.wave.tags import read_tags

PATIENT = settings(max_examples=150, deadline=None)


class Folder(SimpleTestCase):
    def setUp(self):
        self.path = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.files: dict[str, Path] = {}

    def sample(self, frames: int, channels: int = 1) -> Sample:
        import hashlib

        number = len(self.files)
        path = self.path / f"source {number}.wav"
        sound = np.random.default_rng(number).uniform(-0.3, 0.3, (frames, channels))
        soundfile.write(path, sound, RATE, "FLOAT")
        sha256 = hashlib.sha256(path.read_bytes()).hexdigest()
        self.files[sha256] = path
        return Sample(sha256, frames, RATE, channels)

    ids = count(100)

    def kit(self) -> Kit:
        """Everything SFZ holds as well."""
        ids = self.ids

        def pad(name: str, notes: tuple[int, ...], highs=(127,), takes: int = 2, **settings) -> Pad:
            lows = [1, *(high + 1 for high in highs)]
            layers = tuple(
                Layer(id=next(ids), low=low, high=high, gain_db=-1.5, takes=tuple(
                    Take(id=next(ids), gain_db=-n, pan=0.2 * n, start_frame=7 * n, end_frame=800 if n else None,
                         samples=(("close", self.sample(900 + 40 * n)), ("room", self.sample(1500, 2))))
                    for n in range(takes)
                ))
                for low, high in zip(lows, highs, strict=False)
            )  # fmt: skip
            return noted(Pad(id=next(ids), name=name, layers=layers, max_voices=64, **settings), notes)

        mute = MuteGroup(number=3, fade_ms=12)
        pieces = (
            Piece(name="Kick", pads=(pad("Kick", (36, 60), takes=1, kind="kick", tune_cents=-35.0),), output="Kick"),
            Piece(name="Hat", pan=-0.3, gain_db=-2, mic_gains_db=(("room", -4.0),), pads=(
                pad("Hat closed", (42,), (40, 90, 127), kind="closed_hat", choke=CHOKE_A, dynamics=0.4),
                pad("Hat open", (46,), kind="open_hat", choke=CHOKE_A, curve="hard", envelope=Envelope(attack_ms=2, hold_ms=3, decay_ms=9)),
            )),
            Piece(name="Crash", pads=(
                pad("Crash", (49,), kind="crash", silenced_by=(mute,), filter=Filter(kind="low", cutoff_hz=6000, octaves=2, q=1.2)),
                pad("Crash grabbed", (52,), kind="crash", silences=(mute,), is_held=True, envelope=Envelope(release_ms=4)),
            )),
            Piece(name="Spread", pads=(pad("Spread", (70, 71, 72), takes=1, root=70, cents_per_key=50.0),)),
        )  # fmt: skip
        return Kit(
            name="Quay", seed=3, pieces=pieces, outputs=(Output(name="Main", gain_db=-1), Output(name="Kick"), Output(name="Air")),
            mics=(Mic(name="close"), Mic(name="room", follows_pan=False, gain_db=-3, output="Air")), maps=(map_of_pads(pad for piece in pieces for pad in piece.pads),),
        )  # fmt: skip

    def packed(self, kit: Kit) -> Path:
        samples = name_samples({sha: (f"{sha[:6]}.wav", "Quay") for sha in samples_of(kit)})
        write_package(
            self.path / "quay.zip", kit, samples, self.files, self.as_sfz(kit, {s.sha256: s.file for s in samples})
        )
        return self.path / "quay.zip"

    def as_sfz(self, kit: Kit, paths: dict[str, str]) -> str:
        self.written = write_sfz(kit, lambda s: paths[s.sha256], lambda pad: layer_gains(pad, curve_table(pad.curve)))
        return self.written.text


HITS = [
    Hit(n * 613, note, 0 if note == 52 and n % 3 == 2 else 1 + 17 * n % 127)
    for n, note in enumerate([36, 42, 46, 42, 49, 52, 60, 70, 71, 72, 46, 42] * 3)
]


def rendered(source) -> dict[str, np.ndarray]:
    source.check(skip_bad=False)
    book = source.compile(RATE, BounceOrder(bits="24"), seed=None)
    voices = voices_of(book, HITS)
    frames = bounce_frames(voices, 0)
    buses = leaving(book, render(voices, len(book.outputs), frames, source.loader()))
    return {output.name: bus for output, bus in zip(book.outputs, buses, strict=True)}


class RoundTrips(Folder):
    def test_a_package_holds_everything(self):
        plain, shaken = self.kit(), self.shaken()
        maps = (map_of({plain.pieces[0].pads[0].id: (36, 60), 5: (38,)}), NoteMap(name="Hall", notes=((1, 5),)))
        kit = portable(replace(plain, pieces=(*plain.pieces[:1], *shaken.pieces), maps=maps))
        with open_kit(self.packed(kit)) as source:
            source.check(skip_bad=False)
            self.assertEqual(source.kit()[0], kit)
            self.assertEqual(compile_kit(source.kit()[0], RATE), compile_kit(kit, RATE))

    def shaken(self) -> Kit:
        kit = self.kit()
        (kick,) = kit.pieces[0].pads
        more = replace(
            kick, id=5, name="Shaken", rotation="no_repeat", variation=Variation(tune_cents=9, delay_ms=3), weight_db=2.0, snap_db=-1.0,
            curve=((1.0, 4.0), (90.0, 60.0), (127.0, 127.0)), companions=((kick.id, 0.4),), shared_counter=True, random_stream=77,
        )  # fmt: skip
        return replace(kit, pieces=(Piece(name="Shaken", pads=(more,)),), maps=(map_of({5: (36, 60)}),))

    def test_equal_kits_give_equal_bytes(self):
        kit = portable(self.kit())
        self.assertEqual(self.packed(kit).read_bytes(), self.packed(kit).read_bytes())

    def test_names_stand_in_comments_that_other_readers_pass_over(self):
        text = self.as_sfz(self.kit(), {sha: f"{sha[:6]}.wav" for sha in self.files})
        self.assertIn("<master>\n//@ piece Hat\n", text)
        self.assertNotIn("_label", text)
        path = self.path / "named.sfz"
        path.write_text(text + "//@ nonsense x\n// plain", encoding="utf-8")
        file = read_sfz(path)
        self.assertEqual((file.warnings, file.output_names[1]), ([], "Kick"))
        self.assertEqual({region["group_label"] for region in file.regions} & {"Hat open"}, {"Hat open"})
        path.write_text("<control> label_output2=Two\n<region> region_label=room key=3 sample=a.wav", encoding="utf-8")
        self.assertEqual((read_sfz(path).regions[0]["region_label"], read_sfz(path).output_names), ("room", {2: "Two"}))

    def test_what_sfz_cannot_hold_is_said(self):
        pads = [pad for _, pad in self.kit().pads()]
        kick, closed = pads[0], pads[1]
        empty = replace(closed, layers=(*closed.layers[:2], replace(closed.layers[2], takes=())))
        table = {
            "fade over 6 ms": [replace(kick, max_voices=8)],
            "a filter Q of 0.5": [replace(kick, filter=Filter(kind="low", q=0.5))],
            "C1 · 36 strikes Kick and Twin": [kick, replace(pads[5], id=901, name="Twin")],
            "which cut each other": [closed, pads[2]],
            "cuts nothing": [empty],
        }
        for words, some in table.items():
            with self.subTest(words):
                together = map_of({one.id: (36,) for one in some})
                kit = replace(self.kit(), pieces=tuple(Piece(name=p.name, pads=(p,)) for p in some), maps=(together,))
                self.as_sfz(kit, {sha: f"{sha[:6]}.wav" for sha in self.files})
                self.assertIn(words, " ".join(self.written.not_held))

    def test_a_kit_written_as_sfz_sounds_the_same(self):
        kit = portable(self.kit())
        sfz = self.path / "quay.sfz"
        sfz.write_text(self.as_sfz(kit, {sha: path.name for sha, path in self.files.items()}))
        with open_kit(self.packed(kit)) as package, open_kit(sfz) as text:
            expected, found = rendered(package), rendered(text)
            self.assertEqual(text.warnings, [])
        self.assertEqual(set(found), set(expected))
        for name, stem in expected.items():
            self.assertGreater(np.abs(stem).max(), 0.05)
            self.assertLess(np.abs(stem - found[name]).max(), 2e-6, name)
        self.assertEqual(self.written.not_held, ("The level of output Main is written into its pads.",))

    def test_what_sfz_cannot_hold_is_listed(self):
        self.as_sfz(self.shaken(), dict.fromkeys(self.files, "x.wav"))
        text = " ".join(self.written.not_held)
        for words in ("variation", "weight and snap", "sound along"):
            self.assertIn(words, text)

    def test_sfz_reads_as_an_equal_kit_where_it_holds_all(self):
        kit = portable(replace(self.kit(), outputs=tuple(replace(o, gain_db=0.0) for o in self.kit().outputs)))
        sfz = self.path / "quay.sfz"
        sfz.write_text(self.as_sfz(kit, {sha: path.name for sha, path in self.files.items()}))
        with open_kit(sfz) as source:
            source.check(skip_bad=False)
            back, differences = source.kit()
        found, expected = (
            [(p.name, pad.name, of.notes()[pad.id], [layer.high for layer in pad.layers]) for p, pad in of.pads()]
            for of in (back, kit)
        )
        self.assertEqual(found, expected)
        self.assertEqual([mic.name for mic in back.mics], ["close", "room"])
        self.assertTrue(all("mics of one hit" in d or "velocity curve" in d for d in differences), differences)


class Refused(Folder):
    def test_a_package_that_holds_what_no_kit_can_is_refused_by_name(self):
        whole = to_json(portable(self.kit()))

        def pads(kit):
            return [pad for piece in kit["pieces"] for pad in piece["pads"]]

        def change(kit, **fields):
            pads(kit)[1].update(fields)

        table = [
            ("have the id", lambda kit: pads(kit)[1].update(id=pads(kit)[0]["id"])),
            ("have the id", lambda kit: pads(kit)[1]["layers"][0].update(id=pads(kit)[0]["layers"][0]["id"])),
            ("has two fades", lambda kit: pads(kit)[1]["choke"].update(fade_ms=30.0)),
            ("no other pad", lambda kit: change(kit, companions=[[9999, 0.5]])),
            ("has strength 7", lambda kit: change(kit, companions=[[pads(kit)[0]["id"], 7.0]])),
            ("starts or ends behind", lambda kit: pads(kit)[1]["layers"][0]["takes"][0].update(start_frame=5000)),
            ("Voices at most", lambda kit: change(kit, max_voices=65)),
            ("Crossfade", lambda kit: change(kit, crossfade=65)),
            ("Mute group", lambda kit: change(kit, silences=[{"number": 1}, {"number": 1000}])),
            ("Level of", lambda kit: change(kit, gain_db=1e12)),
            ("Pan of", lambda kit: change(kit, pan=1e308)),
            ("Cutoff of", lambda kit: change(kit, filter={"kind": "low", "cutoff_hz": 0})),
            ("Variation of", lambda kit: change(kit, variation={"gain_db": -3})),
            ("Seed", lambda kit: kit.update(seed=-1)),
            ("Voices at most", lambda kit: change(kit, max_voices=10**400)),
            ("Name|name", lambda kit: change(kit, name="x" * 500)),
            ("Name|name", lambda kit: change(kit, name="a\ud800")),
            ("none can have", lambda kit: change(kit, random_stream=10**30)),
            ("none can have", lambda kit: pads(kit)[1]["layers"][0].update(random_stream=-1)),
        ]
        for words, spoil in table:
            with self.subTest(words):
                kit = json.loads(json.dumps(whole))
                spoil(kit)
                described = {"format": "dactyl-kit", "version": 1, "kit": kit, "samples": []}
                (self.path / "kit.json").write_text(json.dumps(described), encoding="utf-8")
                with self.assertRaisesRegex(KitFileError, words):
                    read_package(self.path, "bad.zip")


class Hostile(Folder):
    def test_packages_that_lie_are_refused_with_the_place(self):
        kit = portable(self.kit())
        good = self.packed(kit)
        with zipfile.ZipFile(good) as archive:
            described = json.loads(archive.read("kit.json"))
            members = {name: archive.read(name) for name in archive.namelist()}

        def broken(**changes) -> Path:
            path = self.path / "broken.zip"
            with zipfile.ZipFile(path, "w") as archive:
                for name, data in (members | changes).items():
                    archive.writestr(name, data)
            return path

        def with_json(change) -> dict:
            copy = json.loads(json.dumps(described))
            change(copy)
            return {"kit.json": json.dumps(copy)}

        first = next(name for name in members if name.startswith("samples/"))
        table = [
            ({"kit.json": "{"}, "not JSON"),
            ({"kit.json": "[" * 100_000}, "not JSON"),
            (with_json(lambda d: d.update(version=9)), "version 9"),
            (with_json(lambda d: d["kit"]["pieces"][0].update(pan="left")), r"kit.pieces\[0\].pan holds 'left'"),
            (with_json(lambda d: d["kit"]["pieces"][0]["pads"][0].update(curve="wavy")), "not a velocity curve"),
            (with_json(lambda d: d["kit"]["pieces"][0].update(output="Nowhere")), "goes to output Nowhere"),
            (with_json(lambda d: d["samples"][0].update(file="../../x.wav")), "is missing"),
            (with_json(lambda d: d["samples"].pop()), "used but not listed"),
            ({first: b"RIFF"}, "not what it was"),
        ]
        for changes, words in table:
            with (
                self.subTest(words=words),
                self.assertRaisesRegex(DactylError, words),
                open_kit(broken(**changes)) as source,
            ):
                source.check(skip_bad=False)

    def test_key_sets_three_and_what_stands_further_in_sets_them_anew(self):
        path = self.path / "keys.sfz"
        table = {  # text -> low key, high key, key at which the sample keeps its pitch
            "<region> key=36": (36, 36, 36),
            "<region> lokey=40 hikey=44": (40, 44, 60),
            "<group> key=36 <region> lokey=30 hikey=40": (30, 40, 36),
            "<group> lokey=30 hikey=40 pitch_keycenter=35 <region> key=c4": (60, 60, 60),
            "<region> pitch_keycenter=50 key=36": (36, 36, 50),
            "<region> key=36 pitch_keycenter=50": (36, 36, 50),
            "<group> key=36 <region> pitch_keycenter=50": (36, 36, 50),
        }
        for text, expected in table.items():
            with self.subTest(text):
                path.write_text(f"{text} sample=a.wav", encoding="utf-8")
                (region,) = read_sfz(path).regions
                self.assertEqual((region["lokey"], region["hikey"], region["pitch_keycenter"]), expected)

    def test_what_can_answer_no_key_is_left_out_and_said(self):
        path = self.path / "keys.sfz"
        for text, words in {
            "key=h9": "key=h9 is no key",
            "key=36x": "key=36x is no key",
            "lokey=z": "lokey=z is no key",
            "lovel=90 hivel=20": "lovel=90 is above hivel=20",
            "lokey=50 hikey=40": "lokey=50 is above hikey=40",
        }.items():
            with self.subTest(text):
                path.write_text(f"<region> sample=a.wav key=40\n<region> {text} sample=b.wav", encoding="utf-8")
                file = read_sfz(path)
                self.assertEqual([region.sample for region in file.regions], ["a.wav"])
                self.assertIn(words, " ".join(file.warnings))
        path.write_text("<region> sample=a.wav key=h9", encoding="utf-8")
        with self.assertRaisesRegex(KitFileError, "answers a key"):
            read_sfz(path)

    @PATIENT
    @given(text=st.text(st.sampled_from(list("<>=/*#$ \n\\\"'abkeyp0123456789.-")), max_size=300))
    def test_no_sfz_text_raises_anything_else(self, text):
        path = self.path / "fuzz.sfz"
        path.write_text(text, encoding="utf-8")
        with suppress(DactylError):
            read_sfz(path)

    @PATIENT
    @given(rows=st.lists(st.tuples(st.sampled_from(sorted([*OPCODES, KEY])), st.text(st.characters(codec="utf-8"), max_size=12) | st.integers().map(str) | st.floats().map(str)), max_size=12))  # fmt: skip
    def test_no_value_of_any_opcode_raises_anything_else(self, rows):
        path = self.path / "fuzz.sfz"
        path.write_text("<region> " + " ".join(f"{name}={value}" for name, value in rows), encoding="utf-8")
        with suppress(DactylError), open_kit(path) as source:
            source.check(skip_bad=True)
            voices_of(source.compile(RATE, BounceOrder(bits="24"), seed=None), HITS)
            source.kit()

    @PATIENT
    @given(st.binary(max_size=300))
    def test_no_bytes_make_the_chunk_reader_or_the_unzipper_fail(self, data):
        for head in (b"", b"RIFF\xff\xff\xff\xffWAVE", b"FORM\0\0\0\0AIFF", b"PK\x03\x04"):
            path = self.path / "fuzz.bin"
            path.write_bytes(head + data)
            missing_bytes(path)
            with path.open("rb") as file:
                list(chunks_of(file))
            with suppress(DactylError):
                unzip(path, self.path / "out")

    @PATIENT
    @given(st.lists(st.tuples(st.integers(0, 300), st.binary(max_size=9)), max_size=6), st.integers(4, 400))
    def test_no_damage_to_a_sound_file_raises_anything_else(self, spoiled, length):
        path = self.path / "damaged.wav"
        for kind in ("RF64", "WAV", "AIFF"):
            soundfile.write(path, np.zeros((60, 2)), RATE, "PCM_16", format=kind)
            data = bytearray(path.read_bytes())
            for place, bytes_ in spoiled:
                data[place : place + len(bytes_)] = bytes_
            path.write_bytes(data[:length])
            with suppress(DactylError):
                read_tags(path)
                read_sound(path)

    def test_sizes_and_names_that_no_file_can_have_are_met_with_a_sentence(self):
        path = self.path / "long.wav"
        head = b"RF64\xff\xff\xff\xffWAVE"
        for chunks in (b"ds64\x1c\0\0\0\1", b"ds64\x10\0\0\0" + b"\xff" * 16 + b"data\xff\xff\xff\xff"):
            path.write_bytes(head + chunks)
            with path.open("rb") as file:
                list(chunks_of(file))
        kit = portable(self.kit())
        described = {"format": "dactyl-kit", "version": 1, "kit": to_json(kit)}
        for name in ("x" * 300, "a\0b", "a\ud800", "../../etc/passwd", ""):
            samples = [{"sha256": sha256, "file": name, "name": "a"} for sha256 in samples_of(kit)]
            (self.path / "kit.json").write_text(json.dumps(described | {"samples": samples}), encoding="utf-8")
            with self.assertRaises(KitFileError) as refused:
                read_package(self.path, "bad.zip")
            self.assertIn("is missing", str(refused.exception).encode().decode())

    @PATIENT
    @given(st.recursive(st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=5), lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(["name", "pieces", "pads", "layers", "x"]), inner, max_size=4)))  # fmt: skip
    def test_no_value_reads_as_a_kit_by_accident(self, value):
        with suppress(KitError):
            from_json(Kit, value, "kit")

    def test_values_read_back_as_they_were(self):
        kit = portable(self.shaken_values())
        written = json.dumps(to_json(kit))
        self.assertEqual(from_json(Kit, json.loads(written), "kit"), kit)
        self.assertEqual(unpack(Kit, pack(kit), "kit"), kit)

    def test_kits_of_earlier_versions_are_read(self):
        kit = portable(self.kit())
        for version, name in ((1, "dice"), (2, "random_stream")):
            old = json.loads(json.dumps(to_json(kit)).replace('"random_stream":', f'"{name}":'))
            del old["maps"]
            for pad in (pad for piece in old["pieces"] for pad in piece["pads"]):
                pad["notes"] = list(kit.notes()[pad["id"]])
            self.assertEqual(from_json(Kit, brought_up(old, version), "kit"), kit)
            old["pieces"][0]["pads"][0]["notes"] = 7
            with self.assertRaisesRegex(KitError, "maps.*holds .7"):
                from_json(Kit, brought_up(old, version), "kit")

    def shaken_values(self) -> Kit:
        return RoundTrips.shaken(self)
