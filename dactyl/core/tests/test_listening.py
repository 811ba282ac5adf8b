"""What the core hears in a file: format, onset, level, kind."""

import io
import tempfile
from pathlib import Path
from unittest.mock import patch

import numpy as np
import soundfile
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from dactyl.core.audio.measure import measure
from dactyl.core.audio.overview import outline, overview, overview_of_blocks
from dactyl.core.audio.prepare import Recipe, prepare, to_int16
from dactyl.core.errors import AudioError
from dactyl.core.kinds import KINDS
from dactyl.core.stack.cluster import layers_by_level
from dactyl.core.stack.hearing import heard_in_a_kit
from dactyl.core.stack.kind import guess_kind
from dactyl.core.stack.layers import split_evenly
from dactyl.core.wave.plain import plain_wav
from dactyl.core.wave.read import read_blocks, read_range, read_sound
from dactyl.core.wave.tags import Tags, read_tags, write_tagged


def hit_at(frame: int, rate_hz: int, *, peak: float = 0.5, floor: float = 0.0, attack_ms: float = 0.0) -> np.ndarray:
    """A decaying 180 Hz tone that begins at ``frame``, over noise of peak ``floor``; (1, frames)."""
    rng = np.random.default_rng(frame)
    time = np.arange(rate_hz) / rate_hz
    tone = peak * np.cos(2 * np.pi * 180 * time) * np.exp(-8 * time)
    if attack_ms:
        tone *= np.minimum(1, time * 1000 / attack_ms)
    audio = np.concatenate([np.zeros(frame), tone])
    return (audio + floor * rng.uniform(-1, 1, len(audio)))[np.newaxis].astype(np.float32)


class InAKit(SimpleTestCase):
    """What drums are taken for together; rows are shares of kick, low tom and snare, the other kinds have next to none."""

    def shares(self, *rows: tuple[float, float, float]) -> np.ndarray:
        kinds = [kind.slug for kind in KINDS]
        shares = np.full((len(rows), len(kinds)), 1e-4)
        shares[:, [kinds.index(kind) for kind in ("kick", "low_tom", "snare")]] = rows
        return shares / shares.sum(axis=1, keepdims=True)

    def kinds(self, *rows: tuple[float, float, float], named: tuple[str, ...] = ()) -> list[str]:
        return [one.kind for one in heard_in_a_kit(self.shares(*rows), named)]

    def test_a_kind_goes_to_the_drum_that_is_most_like_it(self):
        sure, unsure, other = (0.9, 0.08, 0.02), (0.55, 0.43, 0.02), (0.02, 0.08, 0.9)
        self.assertEqual(self.kinds(unsure, sure, other), ["low_tom", "kick", "snare"])
        second = heard_in_a_kit(self.shares(unsure, sure))[0]
        self.assertEqual((second.kind, second.second, second.is_second_best), ("low_tom", "kick", True))
        self.assertEqual(self.kinds(unsure, other), ["kick", "snare"], "no other drum is more of a kick")
        self.assertEqual(
            self.kinds(unsure, other, named=("kick",)), ["low_tom", "snare"], "a name says where the kick is"
        )
        self.assertEqual(self.kinds(sure, (0.97, 0.01, 0.02)), ["kick", "kick"], "a second kick, where both are sure")

    def test_a_collection_is_no_kit(self):
        sure, unsure = (0.9, 0.08, 0.02), (0.55, 0.43, 0.02)
        self.assertEqual(self.kinds(sure, unsure, unsure, unsure), ["kick"] * 4)
        self.assertEqual(self.kinds(unsure, (0.02, 0.08, 0.9), *[(0.1, 0.1, 0.8), (0.1, 0.6, 0.3)] * 12)[0], "kick")


class Measuring(SimpleTestCase):
    def test_onset_is_within_a_millisecond_of_the_truth(self):
        for rate_hz in (22_050, 44_100, 48_000, 96_000):
            for at_ms in (0, 3.7, 41, 250):
                for floor in (0.0, 0.0002, 0.004):
                    for peak in (0.02, 0.9):
                        with self.subTest(rate_hz=rate_hz, at_ms=at_ms, floor=floor, peak=peak):
                            frame = round(at_ms * rate_hz / 1000)
                            audio = hit_at(frame, rate_hz, peak=peak, floor=floor * peak)
                            found_ms = measure(audio, rate_hz).onset_frame * 1000 / rate_hz
                            self.assertLess(abs(found_ms - at_ms), 1.0)

    def test_level_is_rms_over_50_ms_of_the_loudest_channel(self):
        tone = np.sin(2 * np.pi * 1000 * np.arange(48_000) / 48_000 + 0.5)
        quiet_and_loud = np.stack([0.1 * tone, 0.5 * tone]).astype(np.float32)
        measured = measure(quiet_and_loud, 48_000)
        self.assertAlmostEqual(measured.level_db, 20 * np.log10(0.5 / np.sqrt(2)), delta=0.05)
        self.assertAlmostEqual(measured.peak_db, 20 * np.log10(0.5), delta=0.01)

    def test_silence_measures_as_silence(self):
        measured = measure(np.zeros((2, 100), np.float32), 44_100)
        self.assertEqual((measured.onset_frame, measured.level_db), (0, -144.0))

    def test_overview_keeps_the_extremes(self):
        audio = np.zeros((2, 10_000), np.float32)
        audio[1, 5000], audio[0, 9000] = 1.0, -0.5
        pairs = np.frombuffer(overview(audio), np.int8).reshape(-1, 2)
        self.assertEqual((pairs[:, 1].max(), pairs[:, 0].min()), (127, -64))
        self.assertEqual(len(overview(audio[:, :3])), 6)
        self.assertTrue(outline(overview(audio), 100, 20).startswith("M"))

    @given(st.integers(1, 3000), st.integers(1, 400), st.integers(1, 900), st.integers(0, 99))
    @settings(max_examples=60)
    def test_an_overview_by_blocks_is_that_of_the_whole(self, frames, columns, block, seed):
        audio = np.random.default_rng(seed).normal(0, 0.3, (2, frames)).astype(np.float32)
        blocks = (audio[:, at : at + block] for at in range(0, frames, block))
        self.assertEqual(overview_of_blocks(blocks, frames, columns), overview(audio, columns))

    def test_a_range_is_read_in_blocks_as_it_is_read_at_once(self):
        sound = np.random.default_rng(3).normal(0, 0.1, (9000, 2))
        with tempfile.TemporaryDirectory() as folder:
            for suffix in ("wav", "flac", "ogg"):
                path = Path(folder) / f"long.{suffix}"
                soundfile.write(path, sound, 48_000)
                for start, end in ((0, 9000), (17, 4321), (8990, 20_000), (9000, 9100)):
                    blocks = list(read_blocks(path, start, end, 500))
                    whole = read_range(path, start, end)
                    self.assertLessEqual(max((block.shape[1] for block in blocks), default=0), 500)
                    found = np.concatenate([whole[:, :0], *blocks], axis=1)
                    np.testing.assert_array_equal(found, whole, f"{suffix} {start} {end}")


class Reading(SimpleTestCase):
    def test_formats_decode_to_the_same_sound(self):
        tone = (0.5 * np.sin(np.arange(9000) / 20)).astype(np.float32)
        table = [
            ("WAV", "PCM_U8", 0.02), ("WAV", "PCM_16", 1e-4), ("WAV", "PCM_24", 1e-6), ("WAV", "PCM_32", 1e-7),
            ("WAV", "FLOAT", 0), ("WAVEX", "PCM_24", 1e-6), ("WAV", "ALAW", 0.02), ("AIFF", "PCM_16", 1e-4),
            ("FLAC", "PCM_24", 1e-6), ("OGG", "VORBIS", 0.08), ("MP3", "MPEG_LAYER_III", 0.12),
        ]  # fmt: skip
        for container, subtype, tolerance in table:
            for channels in (1, 2):
                with self.subTest(container=container, subtype=subtype, channels=channels), Scratch() as path:
                    rows = np.repeat(tone[:, np.newaxis], channels, axis=1)
                    soundfile.write(path, rows, 44_100, subtype, format=container)
                    sound = read_sound(path)
                    self.assertEqual((sound.channels, sound.rate_hz), (channels, 44_100))
                    shared = min(sound.frames, 8000)
                    self.assertLessEqual(np.abs(sound.audio[0, 2000:shared] - tone[2000:shared]).max(), tolerance)

    def test_a_plain_file_is_what_the_decoder_makes_of_it_whatever_its_head_says(self):
        dice = np.random.default_rng(11)

        def told(path):
            try:
                sound, part = read_sound(path), read_range(path, 30, 70)
            except AudioError as problem:
                return str(problem)
            return sound.format, sound.rate_hz, sound.audio.tolist(), part.tolist()

        plain = 0
        for container, subtype in (("WAV", "PCM_16"), ("WAV", "PCM_24"), ("WAV", "FLOAT"), ("WAVEX", "PCM_24")):
            for channels in (1, 2):
                with Scratch() as path:
                    soundfile.write(path, dice.uniform(-1.2, 1.2, (90, channels)), 44_100, subtype, format=container)
                    whole = path.read_bytes()
                    for spoilt in range(40):
                        data = bytearray(whole)
                        if spoilt:
                            data[int(dice.integers(80))] = int(dice.integers(256))
                        path.write_bytes(data[: len(data) if spoilt % 5 else len(data) - spoilt])
                        with patch("dactyl.core.wave.read.plain_wav", return_value=None):
                            decoded = told(path)
                        self.assertEqual(told(path), decoded, (container, subtype, channels, bytes(data[:80])))
                        with path.open("rb") as file:
                            plain += plain_wav(file) is not None
        self.assertGreater(plain, 80)

    def test_unusable_files_say_why(self):
        def wav(rows, subtype="FLOAT"):
            file = io.BytesIO()
            soundfile.write(file, rows, 44_100, subtype, format="WAV")
            return file.getvalue()

        table = [
            (b"", "empty"),
            (bytes(5000), "only zeros"),
            (b"Dear desk, the stems are late.", "not a sound file"),
            (wav(np.zeros(4000))[:30], "damaged"),
            (wav(np.zeros((0, 1))), "zero frames"),
            (wav(np.zeros((100, 4))), "4 channels"),
            (wav(np.array([0.0, np.nan, 0.1])), "not numbers"),
        ]
        for data, words in table:
            with self.subTest(words=words), Scratch() as path:
                path.write_bytes(data)
                with self.assertRaisesRegex(AudioError, words):
                    read_sound(path)


class Tagging(SimpleTestCase):
    def test_root_and_velocities_are_written_and_read_and_the_sound_stays(self):
        with Scratch() as path:
            soundfile.write(path, np.linspace(-0.5, 0.5, 301), 44_100, "PCM_24", format="WAV")
            tagged = path.with_name("tagged")
            for tags in (Tags(38, 36, 40, 65, 96), Tags(root=12)):
                write_tagged(path, tagged, tags, 44_100)
                write_tagged(tagged, path, tags, 44_100)  # the chunks that were there are replaced
                self.assertEqual(read_tags(path).root, tags.root)
            write_tagged(path, tagged, Tags(38, 36, 40, 65, 96), 44_100)
            self.assertEqual(read_tags(tagged), Tags(38, 36, 40, 65, 96))
            self.assertTrue(np.array_equal(soundfile.read(path)[0], soundfile.read(tagged)[0]))
            self.assertEqual(tagged.stat().st_size, 8 + int.from_bytes(tagged.read_bytes()[4:8], "little"))


class Scratch:
    def __enter__(self) -> Path:
        self._folder = tempfile.TemporaryDirectory()
        return Path(self._folder.name) / "sound"

    def __exit__(self, *problem) -> None:
        self._folder.cleanup()


class Preparing(SimpleTestCase):
    def test_length_is_known_before_the_sound_is_made(self):
        for from_hz, to_hz, frames in [(44_100, 48_000, 12_345), (96_000, 44_100, 777), (48_000, 48_000, 50)]:
            recipe = Recipe("0" * 64, from_hz, 2, 10, 10 + frames, to_hz)
            audio = np.random.default_rng(1).normal(0, 0.1, (2, frames + 40)).astype(np.float32)
            self.assertEqual(prepare(audio, recipe).shape, (2, recipe.frames))

    def test_resampling_keeps_a_tone_where_it_was(self):
        tone = np.sin(2 * np.pi * 1000 * np.arange(44_100) / 44_100)[np.newaxis].astype(np.float32)
        out = prepare(tone, Recipe("0" * 64, 44_100, 1, 0, 44_100, 48_000))
        expected = np.sin(2 * np.pi * 1000 * np.arange(48_000) / 48_000)
        self.assertLess(np.abs(out[0, 500:-500] - expected[500:-500]).max(), 1e-4)

    def test_other_settings_make_other_keys(self):
        keys = {Recipe("a" * 64, 44_100, 1, start, 100, rate).key for start in (0, 1) for rate in (44_100, 48_000)}
        self.assertEqual(len(keys), 4)

    def test_sixteen_bits_err_by_half_a_step_at_most(self):
        audio = np.random.default_rng(2).normal(0, 0.01, (1, 5000)).astype(np.float32)
        values, scale = to_int16(audio)
        self.assertLessEqual(np.abs(values * scale - audio).max(), scale * 0.501)


class Kinds(SimpleTestCase):
    def test_names_tell_the_kind(self):
        table = {
            "Kick_01.wav": "kick", "BD 808ish.wav": "kick", "sn_ctr_v03.wav": "snare", "SNARE-rimshot.wav": "snare",
            "HHClosed_v2.wav": "closed_hat", "hat-open (3).wav": "open_hat", "OHH_r2.aif": "open_hat",
            "HiHat Pedal 2.wav": "pedal_hat", "floorTom_hard.wav": "low_tom", "tom1_soft.flac": "high_tom",
            "RideBell_04.wav": "ride_bell", "ride_bow.wav": "ride", "Crash16.wav": "crash", "xstick.wav": "side_stick",
            "cowbell.ogg": "cowbell", "handclap.mp3": "clap", "tamb_up.wav": "tambourine", "shaker_in.wav": "shaker",
            "HardySnare.wav": "snare", "buffalo snaredrum.wav": "snare", "UNISNARE.16": "snare", "st-03:HiHat1.wav": "closed_hat",
            "HQ.OpenHihat.1.wav": "open_hat", "hihatclosed.wav": "closed_hat", "hardbdrum.wav": "kick", "Conga.wav": "other",
        }  # fmt: skip
        unsure = measure(np.zeros((1, 10), np.float32), 48_000)
        self.assertEqual(
            {name: guess_kind(name, "", unsure) for name in table},
            {name: (kind, False) for name, kind in table.items()},
        )
        self.assertEqual(guess_kind("v1_r1.wav", "Set/Snare", unsure), ("snare", False))
        for name in ("v1_r1.wav", "soundtrack.wav", "upstride.wav"):
            self.assertTrue(guess_kind(name, "", unsure)[1], "only the sound says")


class Layers(SimpleTestCase):
    def test_even_borders_cover_every_velocity(self):
        self.assertEqual([split_evenly(n) for n in (1, 2, 3, 4)], [[127], [64, 127], [42, 85, 127], [32, 64, 95, 127]])
        for count in range(1, 128):
            borders = split_evenly(count)
            widths = {b - a for a, b in zip([0, *borders], borders, strict=False)}
            self.assertEqual((borders[-1], len(set(borders))), (127, count))
            self.assertLessEqual(max(widths) - min(widths), 1)

    def test_levels_make_layers_softest_first(self):
        levels = [-6.0, -30.2, -18.1, -6.4, -29.8, -17.6]
        self.assertEqual(layers_by_level(levels), [[1, 4], [2, 5], [0, 3]])
        self.assertEqual(layers_by_level(levels, 2), [[1, 4], [0, 2, 3, 5]])
        self.assertEqual(layers_by_level([-6.0]), [[0]])
