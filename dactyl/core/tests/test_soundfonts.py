"""SoundFonts: a file put together here by the words of the specification is read; a written one plays what the kit plays."""

import struct
import tempfile
from contextlib import suppress
from pathlib import Path

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from dactyl.core.audio.prepare import prepare
from dactyl.core.bounce.render import render, voices_of
from dactyl.core.bounce.soundfont import write_soundfont
from dactyl.core.bounce.source import open_kit
from dactyl.core.errors import DactylError, KitFileError
from dactyl.core.kit import ChokeGroup, Kit, Layer, Pad, Piece, Sample, Take
from dactyl.core.parts.part import Hit
from dactyl.core.play.compile import compile_kit
from dactyl.core.tests.kits import map_of

RATE = 44_100
KEYS, VELOCITIES, PAN, ATTENUATION, FINE, SAMPLE, EXCLUSIVE, ROOT, INSTRUMENT, RELEASE = (
    43,
    44,
    17,
    48,
    52,
    53,
    57,
    58,
    41,
    38,
)


def span(low: int, high: int) -> int:
    return low | high << 8


def tone(hz: float, frames: int = 3000) -> np.ndarray:
    return np.round(20_000 * np.sin(2 * np.pi * hz * np.arange(frames) / RATE)).astype("<i2")


def chunk(name: bytes, data: bytes) -> bytes:
    return struct.pack("<4sI", name, len(data)) + data + bytes(len(data) % 2)


def table(zones: list[list[tuple[int, int]]]) -> tuple[bytes, bytes]:
    """Bags and generators of zones, each with the end that the specification wants."""
    bags, generators = b"", b""
    for zone in [*zones, []]:
        bags += struct.pack("<HH", len(generators) // 4, 0)
        generators += b"".join(struct.pack("<HH", what, amount & 0xFFFF) for what, amount in zone)
    return bags, generators + bytes(4)


def font() -> bytes:
    """Two presets of drums and a piano: hats of two layers in a class, a snare of two sides, one sample that is in no file."""
    waves = [("Hat soft", tone(3000), 1, 0), ("Hat hard", tone(4000), 1, 0), ("Snare L", tone(200), 4, 3), ("Snare R", tone(260), 2, 2)]  # fmt: skip
    smpl, headers, at = b"", b"", 0
    for name, sound, kind, link in waves:
        smpl += sound.tobytes() + bytes(92)
        headers += struct.pack(
            "<20sIIIIIBbHH", name.encode(), at, at + len(sound), at + 8, at + 100, RATE, 60, -5, link, kind
        )
        at += len(sound) + 46
    headers += struct.pack("<20sIIIIIBbHH", b"In the hardware", 0, 100, 0, 0, RATE, 60, 0, 0, 0x8001) + bytes(46)
    instrument = [
        [(ATTENUATION, 100), (RELEASE, 6000)],
        [(KEYS, span(42, 42)), (VELOCITIES, span(0, 80)), (EXCLUSIVE, 3), (ROOT, 42), (SAMPLE, 0)],
        [(KEYS, span(42, 42)), (VELOCITIES, span(81, 127)), (EXCLUSIVE, 3), (ROOT, 42), (ATTENUATION, 50), (SAMPLE, 1)],
        [(KEYS, span(46, 46)), (EXCLUSIVE, 3), (FINE, 30), (ROOT, 46), (SAMPLE, 1)],
        [(KEYS, span(38, 40)), (PAN, -500), (SAMPLE, 2)],
        [(KEYS, span(38, 40)), (PAN, 500), (SAMPLE, 3)],
        [(KEYS, span(36, 36)), (SAMPLE, 4)],
    ]
    presets = [
        [(ATTENUATION, 25)],
        [(KEYS, span(0, 45)), (FINE, 10), (INSTRUMENT, 0)],
        [(KEYS, span(46, 127)), (INSTRUMENT, 0)],
        [(INSTRUMENT, 0)],
    ]
    bags, generators = table(instrument)
    preset_bags, preset_generators = table([*presets, [(INSTRUMENT, 0)]])
    heads = [(b"Room", 8, 128, 3), (b"Piano", 0, 0, 4), (b"EOP", 0, 0, 5)]
    pdta = {
        b"phdr": b"".join(struct.pack("<20sHHHIII", *one, 0, 0, 0) for one in [(b"Dry", 0, 128, 0), *heads]),
        b"pbag": preset_bags, b"pmod": bytes(10), b"pgen": preset_generators,
        b"inst": struct.pack("<20sH", b"Drums", 0) + struct.pack("<20sH", b"EOI", len(instrument)),
        b"ibag": bags, b"imod": bytes(10), b"igen": generators, b"shdr": headers,
    }  # fmt: skip
    body = chunk(b"LIST", b"INFO" + chunk(b"ifil", struct.pack("<HH", 2, 4)))
    body += chunk(b"LIST", b"sdta" + chunk(b"smpl", smpl))
    body += chunk(b"LIST", b"pdta" + b"".join(chunk(name, data) for name, data in pdta.items()))
    return chunk(b"RIFF", b"sfbk" + body)


class SoundFonts(SimpleTestCase):
    def setUp(self):
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.path = Path(temporary.name) / "Kit.sf2"

    def opened(self, preset: str = ""):
        with open_kit(self.path, preset=preset) as source:
            source.check(skip_bad=False)
            kit, said = source.kit()
            sounds = {}
            loader = source.loader()
            for table in compile_kit(kit, RATE).pads:
                sounds |= {sound.recipe: loader(sound.recipe) for region in table.regions for sound in region.sounds}
            return kit, [*source.warnings, *said], source.others, sounds

    def test_presets_of_drums_come_in_with_what_their_zones_inherit(self):
        self.path.write_bytes(font())
        kit, _, others, _ = self.opened()
        self.assertEqual(([one.file.path.stem for one in others], kit.name), (["Room"], "Dry"))
        pads, notes = {pad.name: pad for _, pad in kit.pads()}, kit.notes()
        self.assertEqual({name: (pad.kind, notes[pad.id]) for name, pad in pads.items()}, {
            "Snare": ("snare", (38, 39, 40)), "Hat": ("closed_hat", (42,)), "Hat hard": ("open_hat", (46,)),
        })  # fmt: skip
        hat, opened = pads["Hat"], pads["Hat hard"]
        self.assertEqual([(layer.low, layer.high) for layer in hat.layers], [(1, 80), (81, 127)])
        soft, hard = (layer.takes[0].gain_db for layer in hat.layers)
        self.assertAlmostEqual(soft - hard, -0.04 * (100 - 50), msg="the zone's own takes the place of the shared")
        self.assertAlmostEqual(soft, -0.04 * 125 - 3.0103, places=3, msg="the preset's is added")
        self.assertEqual((hat.tune_cents, opened.tune_cents), (5, 25), "10 - 5 and 30 - 5")
        self.assertEqual({hat.choke, opened.choke}, {ChokeGroup(letter="A", fade_ms=6)})
        self.assertFalse(hat.is_held, "it is released over longer than it lasts")
        (sample,) = (sample for _, sample in pads["Snare"].layers[0].takes[0].samples)
        self.assertEqual((sample.channels, sample.frames, pads["Snare"].cents_per_key), (2, 3000, 100))
        room, *_ = self.opened("room")
        self.assertEqual(room.name, "Room")
        with self.assertRaisesRegex(KitFileError, "no preset “Hall”.*Dry, Room"):
            self.opened("Hall")

    def test_a_written_kit_plays_what_the_kit_plays(self):
        rng = np.random.default_rng(5)
        audio = {f"{n:064x}": rng.normal(0, 0.1, (1 + n % 2, 900 + 100 * n)).astype(np.float32) for n in range(4)}
        samples = [Sample(sha256=key, frames=x.shape[1], rate_hz=RATE, channels=len(x)) for key, x in audio.items()]
        takes = [Take(id=10 + n, samples=(("close", sample),), gain_db=-3.0 * n) for n, sample in enumerate(samples)]
        layers = (
            Layer(id=1, low=1, high=60, takes=(takes[0],)), Layer(id=2, low=61, high=127, takes=(takes[1], takes[3])),
        )  # fmt: skip
        snare = Pad(id=1, name="Snare", layers=layers, pan=0.4, dynamics=0.5, kind="snare")
        kick = Pad(
            id=2, name="Kick", layers=(Layer(id=3, low=1, high=127, takes=(takes[2],)),), kind="kick", tune_cents=30.0
        )
        kit = Kit(name="Kit", pieces=(Piece(name="S", pads=(snare, kick)),), maps=(map_of({1: (38,), 2: (35, 36)}),))
        loud = [Hit(frame=2000 * n, note=note, velocity=v) for n, (note, v) in enumerate([(38, 100), (38, 40), (36, 90), (35, 20)])]  # fmt: skip

        def load(recipe):
            return prepare(audio[recipe.sha256], recipe)

        said = write_soundfont(self.path, kit, load)
        self.assertIn("Snare: of several takes the first of each layer is kept.", said)
        again, _, _, sounds = self.opened()
        first = self.played(kit, loud, load)
        second = self.played(again, loud, sounds.__getitem__)
        for n, hit in enumerate(loud):
            one, other = (x[:, hit.frame : hit.frame + 1200] for x in (first, second))
            with self.subTest(n):
                level = np.linalg.norm(other) / np.linalg.norm(one)
                self.assertAlmostEqual(20 * np.log10(level / 0.7071), 0, delta=1.5)
                np.testing.assert_allclose(other / level, one, atol=2e-3 * np.abs(one).max() + 1e-4)

    def played(self, kit: Kit, hits: list[Hit], load) -> np.ndarray:
        voices = voices_of(compile_kit(kit, RATE), hits)
        return np.concatenate([block.buses[0] for block in render(voices, 1, 12_000, load)], axis=1)

    @settings(max_examples=100, deadline=None)
    @given(st.lists(st.tuples(st.floats(0, 1), st.integers(0, 255)), max_size=6), st.floats(0, 1))
    def test_a_damaged_one_ends_in_a_sentence(self, changes, length):
        data = bytearray(font())
        tables = data.index(b"pdta")
        for where, value in changes:
            data[tables + int(where * (len(data) - tables - 1))] = value
        self.path.write_bytes(data[: max(20, int(length * len(data)))] if length < 0.5 else data)
        with suppress(DactylError):
            self.opened()
