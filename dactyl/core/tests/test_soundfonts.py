"""SoundFonts: a file put together here by the words of the specification is read; a written one plays what the kit plays."""

import math
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
from dactyl.core.formats.sf2.read import FOLLOWS, read_soundfont
from dactyl.core.kit import ChokeGroup, Filter, Kit, Layer, Output, Pad, Piece, Sample, Take
from dactyl.core.parts.part import Hit
from dactyl.core.play.compile import compile_kit
from dactyl.core.tests.bounds import bounded
from dactyl.core.tests.kits import map_of
from dactyl.core.wave.read import read_sound

RATE = 44_100
KEYS, VELOCITIES, PAN, ATTENUATION, FINE, SAMPLE, EXCLUSIVE, ROOT, INSTRUMENT, RELEASE, FILTER = 43, 44, 17, 48, 52, 53, 57, 58, 41, 38, 8  # fmt: skip
MODE, SUSTAIN, DECAY = 54, 37, 36


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


def font(snare: tuple[list, list] = ([(PAN, -500)], [(PAN, 500)]), links: tuple[int, int] = (3, 2)) -> bytes:
    """Two presets of drums and a piano: hats of two layers in a class, a snare of two sides, one sample that is in no file.

    snare : what the zones of its sides say; links : what their samples say of each other
    """
    waves = [("Hat soft", tone(3000), 1, 0), ("Hat hard", tone(4000), 1, 0), ("Snare L", tone(200), 4, links[0]), ("Snare R", tone(260), 2, links[1])]  # fmt: skip
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
        [(KEYS, span(38, 40)), *snare[0], (SAMPLE, 2)],
        [(KEYS, span(38, 40)), *snare[1], (SAMPLE, 3)],
        [(KEYS, span(36, 36)), (SAMPLE, 4)],
    ]
    presets = [
        [(ATTENUATION, 25)],
        [(KEYS, span(0, 45)), (FINE, 10), (INSTRUMENT, 0)],
        [(KEYS, span(46, 127)), (INSTRUMENT, 0)],
        [(INSTRUMENT, 0)],
    ]
    return font_of(instrument, [*presets, [(INSTRUMENT, 0)]], headers, smpl)


def font_of(instrument: list, presets: list, headers: bytes, smpl: bytes) -> bytes:
    """One instrument; zones of the first preset but for the last two, which are Room's and Piano's."""
    bags, generators = table(instrument)
    preset_bags, preset_generators = table(presets)
    last = len(presets)
    heads = [(b"Room", 8, 128, last - 2), (b"Piano", 0, 0, last - 1), (b"EOP", 0, 0, last)]
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

    def test_the_sides_of_a_pair_are_one_sound_whatever_else_they_say(self):
        for links, left, right in (
            ((3, 2), [(PAN, -500), (FINE, -5)], [(PAN, 500), (FILTER, 9000)]),
            ((0, 0), [(PAN, -500), (FINE, -5)], [(PAN, 500)]),  # what linked them is lost: their names say it
            ((3, 2), [(PAN, 500)], [(PAN, -500)]),  # each on the other's side
            ((3, 2), [(PAN, -200), (ATTENUATION, 0)], [(PAN, 200), (ATTENUATION, 75)]),
        ):
            with self.subTest(left=left, right=right):
                self.path.write_bytes(font((left, right), links))
                kit, *_ = self.opened()
                snare = next(pad for _, pad in kit.pads() if pad.name == "Snare")
                self.assertEqual(len(snare.layers[0].takes), 1)
                ((_, sample),) = snare.layers[0].takes[0].samples
                self.assertEqual((sample.channels, snare.tune_cents), (2, -5 + 10), "the right one's pitch")
                with open_kit(self.path) as source:
                    source.check(skip_bad=False)
                    sound = read_sound(next(source.file.folder.rglob("Snare.wav"))).audio
                angles = [(value + 500) / 1000 * np.pi / 2 for value in (left[0][1], right[0][1])]
                gain = 10 ** (-0.04 * dict(right).get(ATTENUATION, 0) / 20)
                one, other = (tone(hz) / 2**15 for hz in (200, 260))
                np.testing.assert_allclose(
                    sound[0], np.cos(angles[0]) * one + gain * np.cos(angles[1]) * other, atol=1e-4
                )
                np.testing.assert_allclose(
                    sound[1], np.sin(angles[0]) * one + gain * np.sin(angles[1]) * other, atol=1e-4
                )

    def test_a_loop_rings_for_as_long_as_its_envelope_lets_it_and_no_longer(self):
        once, falls, held = [], [(FINE, -5), (MODE, 1), (SUSTAIN, 1000), (DECAY, 0)], [(FINE, -5), (MODE, 1)]
        for own, seconds, left in (
            (once, 3000 / RATE, False),
            (falls, 2 / math.log(10**5) + 3 / 1024, False),
            (held, 6, True),
        ):
            self.path.write_bytes(font(([*own, (PAN, -500)], [*own, (PAN, 500)])))
            kit, said, _, sounds = self.opened()
            (take,) = next(pad for _, pad in kit.pads() if pad.name == "Snare").layers[0].takes
            ((_, sample),) = take.samples
            self.assertAlmostEqual(sample.frames / RATE, seconds, places=4)
            self.assertEqual(any("rings for 6 seconds" in one for one in said), left)
            if not own:
                continue
            sound = next(sound for recipe, sound in sounds.items() if recipe.sha256 == sample.sha256)
            places = np.arange(5000)
            places[100:] = 8 + (places[100:] - 8) % 92
            for side, hz in zip(sound, (200, 260), strict=True):
                np.testing.assert_allclose(side[64:5000], tone(hz)[places[64:]] / 32768, atol=2e-3)
            self.assertLess(np.abs(sound[:, -20:]).max(), 0.01 if left else 1)

    def test_levels_follow_velocity_by_any_law_and_keys_by_any_step(self):
        """By the law of the specification (section 8.4.1), of what is written and of what is read again."""
        curves = ["even", "hard", ((1, 1), (20, 100), (127, 127)), ((1, 1), (60, 110), (90, 40), (127, 127))]
        tall = Sample(sha256="a" * 64, frames=4000, rate_hz=96_000, channels=1)
        audio = np.full((1, 4000), 0.5, np.float32)
        pads = tuple(
            Pad(
                id=n, name="Snare of the quay", curve=curve, dynamics=1.0, root=60, cents_per_key=-50.0,
                layers=tuple(
                    Layer(id=10 * n + place, low=low, high=high, takes=(Take(id=10 * n + place, samples=(("close", tall),), gain_db=-2.0 * place),))
                    for place, (low, high) in enumerate([(1, 40), (41, 127)])
                ),
            )
            for n, curve in enumerate(curves, start=1)
        )  # fmt: skip
        notes = {pad.id: (34 + 2 * pad.id, 35 + 2 * pad.id) for pad in pads}
        kit = Kit(name="Kit", pieces=(Piece(name="S", pads=pads),), outputs=(Output(name="Main", gain_db=-4.0),), maps=(map_of(notes),))  # fmt: skip
        write_soundfont(self.path, kit, lambda recipe: prepare(audio, recipe))
        written = read_soundfont(self.path, "Kit.sf2")
        self.assertEqual({wave.rate_hz for wave in written.waves}, {48_000})
        self.assertEqual(len({wave.name for wave in written.waves}), len(written.waves), "no name twice")
        again, _, _, sounds = self.opened()
        book, read = compile_kit(kit, RATE), compile_kit(again, RATE)
        off: list[tuple[float, float]] = []
        for pad in pads:
            key = notes[pad.id][1]
            for velocity in (1, 9, 20, 33, 64, 100, 127):
                wanted = self.level(book, lambda recipe: prepare(audio, recipe), notes[pad.id][0], velocity)
                (zone,) = [one for one in written.presets[0].zones if one.keys[0] <= key <= one.keys[1] and one.velocities[0] <= velocity <= one.velocities[1]]  # fmt: skip
                peak = np.abs(written.frames[written.waves[zone.wave].start : written.waves[zone.wave].end]).max()
                said = (
                    20 * np.log10(peak) - 0.04 * zone[ATTENUATION] + zone[FOLLOWS] / 960 * 40 * np.log10(velocity / 127)
                )
                self.assertEqual(100 * zone[51] + zone[FINE], -50 * (key - 60))
                again_db = self.level(read, sounds.__getitem__, notes[pad.id][0], velocity)
                off.append(
                    (said - wanted, again_db - wanted if wanted > -45 else np.nan)
                )  # where nobody hears it, steps are coarse
        for both in np.array(off).T:
            np.testing.assert_array_less(np.abs(both - np.nanmedian(both))[~np.isnan(both)], 0.9)

    def level(self, book, load, note: int, velocity: int) -> float:
        """dB of what a hit makes of its sound, behind the desk."""
        voices = voices_of(book, [Hit(frame=0, note=note, velocity=velocity)])
        blocks = render(voices, 1, 900, load)
        return float(20 * np.log10(np.abs(next(blocks).buses[0][:, 100]).max() * book.desk.channels[0].level))

    def test_what_a_font_cannot_hold_is_said_once_for_all_pads_that_lose_it(self):
        hats, alone = (ChokeGroup(letter=letter, fade_ms=60.0) for letter in "AB")
        sample = Sample(sha256="a" * 64, frames=400, rate_hz=RATE, channels=1)
        about = [
            {"choke": hats}, {"choke": hats, "cuts_itself": True}, {"choke": alone}, {"muted": True}, {"max_voices": 2},
            {"filter": Filter(kind="low", cutoff_hz=900.0, q=0.5, octaves=2.0)},
        ]  # fmt: skip
        pads = tuple(
            Pad(id=n, name=f"P{n}", layers=(Layer(id=n, low=1, high=127, takes=(Take(id=n, samples=(("close", sample),)),)),), **more)
            for n, more in enumerate(about, start=1)
        )  # fmt: skip
        notes = map_of({pad.id: (40 + pad.id,) for pad in pads})
        kit = Kit(name="K", pieces=(Piece(name="S", pads=pads),), outputs=(Output(name="Main", gain_db=-3.0),), maps=(notes,))  # fmt: skip
        said = write_soundfont(self.path, kit, lambda recipe: np.ones((1, 400), np.float32))
        self.assertEqual(set(said), {
            "All is mixed as the desk has it: a SoundFont has no outputs.",
            "P1: its own strikes cut it too, as all of an exclusive class do.",
            "P1, P2, P3: how it fades where it is choked is up to the player.",
            "P4: muted, and left out; what it would choke or mute rings on.",
            "P5: a limit of voices is left out.",
            "P6: how its filter opens with velocity is left out.",
            "P6: its filter becomes one without a dip ahead of its edge.",
        })  # fmt: skip
        zones = read_soundfont(self.path, "Kit.sf2").presets[0].zones
        self.assertEqual([zone[EXCLUSIVE] for zone in zones], [1, 1, 0, 0, 0], "one pad alone is in no class")

    def test_zones_without_end_are_refused_at_once(self):
        many = [(KEYS, span(0, 127)), (INSTRUMENT, 0)]
        silent = [(KEYS, span(0, 127)), (SAMPLE, 9)]
        with bounded():  # 9e8 meetings of zones, none of which sounds
            self.path.write_bytes(font_of([silent] * 30_000, [many] * 30_000, bytes(46), b""))
            with self.assertRaisesRegex(KitFileError, "too many zones"):
                self.opened()
        with bounded():  # each zone would have 30,000 values of its own
            self.path.write_bytes(font_of([[(100 + n % 200, n) for n in range(30_000)], *[silent] * 15_000], [many] * 3, bytes(46), b""))  # fmt: skip
            with self.assertRaises(KitFileError):
                self.opened()

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
