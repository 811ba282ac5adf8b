"""Stems against a reference that is slow and plain; parts against bytes."""

import random
import tempfile
from contextlib import suppress
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from unittest.mock import patch

import numpy as np
import soundfile
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from dactyl.core.bounce.foreseen import Foreseen, unanswered
from dactyl.core.bounce.grouping import arrange, gather, mix_of, sounds_of
from dactyl.core.bounce.order import BounceOrder, desk_of, stem_files
from dactyl.core.bounce.render import bounce_frames, render, voices_of
from dactyl.core.bounce.sound_cache import SoundCache
from dactyl.core.bounce.stems import bounce
from dactyl.core.bounce.stems_add_up import stems_add_up
from dactyl.core.errors import BounceError, KitError, PartError
from dactyl.core.formats.midi import read_midi, write_midi
from dactyl.core.formats.notes import note_label, parse_note, relabelled
from dactyl.core.kit import Envelope, Filter, Kit, Layer, Mic, Output, OutputGroup, Parallel, Take, Variation
from dactyl.core.parts.controls import CONTROLLER, Control
from dactyl.core.parts.curves import Curve
from dactyl.core.parts.part import Event, Hit, Part
from dactyl.core.parts.structure import new_part
from dactyl.core.play.compile import compile_kit
from dactyl.core.tests.kits import CHOKE_A, RATE, kit, leaving, pad, sample
from dactyl.core.wave.write import WaveWriter

EMPTY = new_part("empty", 1)


def late_and_low(value: Kit) -> Kit:
    """The first pad late, and tuned down by its key. What varies would be told by its counters, which a guess does not know."""
    first, *rest = value.pieces
    low = replace(first.pads[0], delay_ms=30.0, cents_per_key=100.0, root=50)
    return replace(value, pieces=(replace(first, pads=(low,)), *rest))


def noise(recipe) -> np.ndarray:
    """A sound of its own for each recipe."""
    rng = np.random.default_rng(int(recipe.sha256[-6:], 16))
    return rng.normal(0, 0.1, (recipe.channels, recipe.frames)).astype(np.float32)


def reference(playbook, hits, frames) -> np.ndarray:
    """One stem for each output, frame by frame in float64, from the voices' own numbers."""
    stems = np.zeros((len(playbook.outputs), 2, frames))
    for voice in voices_of(playbook, hits):
        shape = voice.pad.envelope
        for sound in voice.sounds:
            audio = noise(sound.recipe).astype(np.float64)
            for side, gain in enumerate((sound.left, sound.right)):
                channel = audio[min(side, len(audio) - 1)]
                past_in, past_out = [0.0, 0.0], [0.0, 0.0]
                for n in range(voice.last_frame - voice.start_frame):
                    at = voice.start_frame + n
                    value = channel[n] if n < len(channel) else 0.0
                    if voice.pad.filter:
                        b0, b1, b2, a1, a2 = voice.pad.filter.coefficients[voice.velocity - 1]
                        out = b0 * value + b1 * past_in[0] + b2 * past_in[1] - a1 * past_out[0] - a2 * past_out[1]
                        past_in, past_out, value = [value, past_in[0]], [out, past_out[0]], out
                    level = enveloped(
                        shape, n if voice.released_frame is None else min(at, voice.released_frame) - voice.start_frame
                    )
                    stems[sound.output, side, at] += voice.gain * gain * level * faded(voice.fades, at) * value
    return stems * np.array([channel.matrix[0] for channel in playbook.desk.channels])[:, None, None]


def faded(fades, at) -> float:
    gain = start = 1.0
    for place, (cut_at, length) in enumerate(fades):
        if at >= cut_at:
            start *= 1.0 if not place else 1 - (cut_at - fades[place - 1][0]) / fades[place - 1][1]
            gain = start * max(0.0, 1 - (at - cut_at) / length)
    return gain


def enveloped(shape, n) -> float:
    if n < shape.attack:
        return n / shape.attack
    if shape.decay is None or n < shape.attack + shape.hold:
        return 1.0
    return 1 - (1 - shape.sustain) * min(1.0, (n - shape.attack - shape.hold) / shape.decay)


class Rendering(SimpleTestCase):
    plain = kit(
        pad("kick", note=36, takes=2, frames=900, output="Kick"),
        pad("closed", note=42, takes=3, frames=400, choke=CHOKE_A, pan=-0.4, highs=(60, 127), crossfade=20),
        pad("open", note=46, frames=3000, choke=CHOKE_A, max_voices=2),
        outputs=("Main", "Kick"),
    )
    shaped = kit(
        pad("a", note=36, frames=900, filter=Filter(kind="low", cutoff_hz=3000, octaves=2), pan=0.5),
        pad(
            "b",
            note=42,
            frames=700,
            envelope=Envelope(attack_ms=3, hold_ms=1, decay_ms=5),
            filter=Filter(kind="band", cutoff_hz=900, q=4.0),
        ),
        pad(
            "c",
            note=46,
            frames=2000,
            is_held=True,
            envelope=Envelope(attack_ms=9, decay_ms=4, sustain=0.3, release_ms=6),
        ),
    )
    hits = [Hit(n * 170, (36, 42, 46, 46)[n % 4], 30 + 9 * n % 97) for n in range(40)]
    held = [Hit(n * 211, (36, 42, 46, 46)[n % 4], 0 if n % 4 == 3 else 30 + 9 * n % 97) for n in range(24)]

    def rendered(self, a_kit, hits, **how):
        playbook = compile_kit(a_kit, RATE)
        voices = voices_of(playbook, hits)
        frames = bounce_frames(voices, 1000)
        blocks = render(voices, len(playbook.outputs), frames, noise, **how)
        return playbook, np.stack(leaving(playbook, blocks))

    def test_stems_are_the_reference(self):
        for a_kit, hits in [(self.plain, self.hits), (self.shaped, self.held)]:
            playbook, stems = self.rendered(a_kit, hits)
            self.assertGreater(np.abs(stems).max(), 0.1)
            self.assertLess(np.abs(stems - reference(playbook, hits, stems.shape[2])).max(), 1e-6)

    def test_blocks_and_threads_change_no_bit(self):
        strayed = pad("open", note=46, frames=3000, variation=Variation(tune_cents=50, delay_ms=3))
        for a_kit, hits in [(self.plain, self.hits), (self.shaped, self.held), (kit(strayed), self.hits)]:
            ways = [(1 << 16, 1), (777, 1), (64, 2)]
            results = {self.rendered(a_kit, hits, block_frames=b, threads=t)[1].tobytes() for b, t in ways}
            self.assertEqual(len(results), 1)

    def test_every_grouping_adds_up_to_the_same_mix(self):
        playbook = compile_kit(self.plain, RATE)
        voices = voices_of(playbook, self.hits)
        mixes = {}
        for by, names in [("output", ("Main", "Kick")), ("piece", ("kick", "closed", "open")), ("mic", ("close",))]:
            stems = arrange(playbook, sounds_of(voices), BounceOrder(bits="32f", by=by), EMPTY)
            self.assertEqual(stems.names, names)
            (block,) = render(voices, len(stems.buses), bounce_frames(voices, 0), noise, bus_of=stems.bus_of)
            mixes[by] = mix_of(gather(block.buses, stems.stem_of_bus, len(names)))
        for mix in mixes.values():
            self.assertLess(np.abs(mix - mixes["output"]).max(), 1e-6)


class Stems(SimpleTestCase):
    part = Part(name="p", ticks_per_beat=480, tempos=((0, 500_000),), end_tick=4 * 480,
                events=(Event(0, 36, 100), Event(480, 46, 90), Event(960, 42, 80), Event(970, 99, 80)))  # fmt: skip

    def bounced(self, bits: str, seed: int = 0):
        with tempfile.TemporaryDirectory() as folder:
            order = BounceOrder(bits=bits, seed=seed)
            *_, last = bounce(compile_kit(Rendering.plain, RATE), self.part, Path(folder), order, load_sound=noise)
            rows = {
                s.name: soundfile.read(Path(folder) / s.file, dtype="float64", always_2d=True)[0] for s in last.stems
            }
            return last.stems, rows, {s.name: (Path(folder) / s.file).read_bytes() for s in last.stems}

    def test_stems_are_of_one_length_and_add_up_to_the_mix(self):
        for bits, step in [("32f", 0.0), ("24", 2.0**-23), ("16", 2.0**-15)]:
            with self.subTest(bits=bits):
                stems, rows, _ = self.bounced(bits)
                self.assertEqual([stem.name for stem in stems], ["Main", "Kick", "Mix"])
                self.assertEqual({len(sound) for sound in rows.values()}, {2 * RATE})
                worst = np.abs(rows["Main"] + rows["Kick"] - rows["Mix"]).max()
                allowed = {"32f": 1e-7, "24": 3 / 2 * step, "16": 3 * 1.5 * step}[bits]
                self.assertLessEqual(worst, allowed)

    def test_the_same_bounce_gives_the_same_bytes_in_short_blocks_too(self):
        for bits in ("16", "32f"):
            stems, _, whole = self.bounced(bits)
            with (
                patch("dactyl.core.bounce.render.BLOCK_VALUES", 1 << 12),
                patch("dactyl.core.wave.write.SENT_AT_ONCE", 1),
            ):
                again, _, in_steps = self.bounced(bits)
            self.assertEqual(whole, in_steps)
            self.assertEqual(stems, again, "their peaks and pictures too")

    def test_hits_without_a_pad_are_named(self):
        missing = unanswered(compile_kit(Rendering.plain, RATE), self.part)
        self.assertEqual([(note.note, note.hits) for note in missing], [(99, 1)])

    def test_a_sound_larger_than_the_cache_is_kept_until_another_comes(self):
        made = []
        cache = SoundCache(lambda what: made.append(what) or np.zeros(64, np.float32), 100)
        for what in "aaba":
            cache(what)
        self.assertEqual(made, ["a", "b", "a"])

    def test_a_wav_file_holds_every_step_and_is_padded_where_it_is_odd(self):
        steps = np.array([-(2**23), -(2**16) - 1, -256, -1, 0, 1, 255, 2**16, 2**23 - 1], np.float32)
        values = np.stack([steps, steps[::-1]]) / np.float32(2**23)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "steps.wav"
            for bits, channels in (("24", 1), ("24", 2), ("32f", 1), ("32f", 2)):
                with WaveWriter(path, rate_hz=44_100, channels=channels, bits=bits, frames=9) as file:
                    for some in (values[:channels, :4], values[:channels, 4:]):
                        file.write(some)
                found, rate = soundfile.read(path, dtype="float32", always_2d=True)
                np.testing.assert_array_equal(found.T, values[:channels])
                self.assertEqual((rate, path.stat().st_size % 2), (44_100, 0))

    def test_adding_up_reads_the_files_and_finds_a_wrong_one(self):
        for bits in ("16", "24", "32f"):
            with self.subTest(bits=bits), tempfile.TemporaryDirectory() as name:
                folder = Path(name)
                *_, last = bounce(
                    compile_kit(Rendering.plain, RATE), self.part, folder, BounceOrder(bits=bits), load_sound=noise
                )
                *stems, mix = [folder / stem.file for stem in last.stems]
                result = stems_add_up(stems, mix, bits)
                self.assertTrue(result.is_passed, result)
                self.assertTrue(result.worst == 0.0 or bits != "32f")
                self.assertFalse(stems_add_up(stems[:1], mix, bits).is_passed)

    def test_mono_stems_stay_mono_where_asked_and_the_desk_numbers_them(self):
        a_kit = kit(
            pad("room", note=46, pan=0.3, kind="crash"), pad("snare", kind="snare"), pad("kick", note=36, kind="kick")
        )
        part = replace(self.part, events=tuple(Event(480 * n, note, 90) for n, note in enumerate((46, 38, 36))))
        template = "{kit} {number}-{name}"
        order = BounceOrder(
            bits="24",
            by="piece",
            mono_where_mono=True,
            in_desk_order=True,
            name_template=template,
            names=(("kit", "Quay"),),
        )
        with tempfile.TemporaryDirectory() as folder:
            *_, last = bounce(compile_kit(a_kit, RATE), part, Path(folder), order, load_sound=noise)
        self.assertEqual(
            [(s.file, s.channels) for s in last.stems],
            [("Quay 01-kick.wav", 1), ("Quay 02-snare.wav", 1), ("Quay 03-room.wav", 2), ("Quay Mix.wav", 2)],
        )
        with self.assertRaisesRegex(BounceError, "is not a name for stems"):
            BounceOrder(bits="24", name_template="{song} {name}")
        with self.assertRaisesRegex(BounceError, "FLAC holds no float"):
            BounceOrder(bits="32f", format="flac")

    def test_ambience_is_taken_apart_where_it_is_asked_for(self):
        heard = tuple((mic, sample(500, 2)) for mic in ("close", "room"))
        made = [
            replace(
                pad(name, note=note), layers=(Layer(id=note, low=1, high=127, takes=(Take(id=note, samples=heard),)),)
            )
            for name, note in (("kick", 36), ("snare", 38))
        ]
        wet = kit(*made, mics=(Mic(name="close"), Mic(name="room", is_ambience=True)))
        playbook = compile_kit(wet, RATE)
        voices = voices_of(playbook, [Hit(0, 36, 100), Hit(90, 38, 100)])
        for by, names in (("output", ("Main",)), ("piece", ("kick", "snare"))):
            for apart in (False, True):
                order = BounceOrder(bits="32f", by=by, ambience_apart=apart, in_desk_order=True)
                self.assertEqual(
                    arrange(playbook, sounds_of(voices), order, EMPTY).names, (*names, *(["Room"] * apart))
                )

    def test_what_is_told_before_a_bounce_is_what_it_does(self):
        """Stems, hits that they share, pads and length, counted by what is struck, against every voice of long parts."""
        both = kit(
            pad("a", note=38, choke=CHOKE_A), pad("b", note=38, output="Two"), pad("silent", note=41, muted=True),
            pad("c", note=43, output="Three", choke=CHOKE_A), pad("never", note=50, output="Four"),
            outputs=("Main", "Two", "Three", "Four"),
        )  # fmt: skip
        both = late_and_low(both)
        book, dice = compile_kit(both, RATE), random.Random(45)
        for number in range(8):
            ticks = sorted(dice.choices(range(200_000), k=dice.choice([1, 2, 400])))
            events = tuple(Event(tick, dice.choice([38, 41, 43, 60]), dice.randint(1, 127)) for tick in ticks)
            part = replace(self.part, events=events, end_tick=ticks[-1] + 1)
            said = (Control(ticks[0], CONTROLLER, 4, 90, 9),) if number % 2 else ()
            if number > 3:
                part = replace(part, curves=(Curve("lane:43", "tune_cents", ((0, -2400.0), (ticks[-1], -300.0))),))
            voices, told = voices_of(book, part.hits(RATE)), Foreseen(book, replace(part, controls=said))
            with self.subTest(number):
                self.assertEqual(told.pad_ids, {voice.pad.id for voice in voices})
                self.assertEqual(told.frames(), bounce_frames(voices, part.end_frame(RATE)))
                stems = arrange(book, sounds_of(voices), BounceOrder(bits="24"), part)
                self.assertEqual(arrange(book, told.sounding, BounceOrder(bits="24"), part).names, stems.names)
                twice = sum(event.note == 38 for event in events)
                self.assertEqual(told.shared_hits(stems), [(("Main", "Two"), twice)] if twice else [])

    def test_stems_are_told_by_what_they_are_and_never_by_a_name(self):
        """Two toms of one name, pieces without one, an output called as a group, as the mix, and as a mic of ambience."""
        toms = [pad("Tom", note=45, output="Mix"), pad("Tom", note=47, output="Drums"), pad("", note=50, output="Room")]
        names = ("Main", "Mix", "Drums", "Room")
        outputs = tuple(Output(name=name) for name in names)
        group = OutputGroup(name="Drums", outputs=("Mix",))
        book = compile_kit(
            replace(kit(*toms, outputs=names), outputs=outputs, groups=(group,), parallel=Parallel(is_on=True)), RATE
        )
        part = replace(self.part, events=tuple(Event(n, note, 90) for n, note in enumerate((50, 47, 45))))
        voices = voices_of(book, part.hits(RATE))
        for by, names in {
            "pad": ("Tom", "Tom 2", "Unnamed"), "piece": ("Tom", "Tom 2", "Unnamed"), "output": ("Mix 2", "Drums", "Room"),
            "group": ("Drums", "Drums 2", "Room"),
        }.items():  # fmt: skip
            with self.subTest(by):
                self.assertEqual(arrange(book, sounds_of(voices), BounceOrder(bits="24", by=by), part).names, names)
        with tempfile.TemporaryDirectory() as folder:
            *_, last = bounce(book, part, Path(folder), BounceOrder(bits="24"), load_sound=noise)
            self.assertEqual([stem.name for stem in last.stems], ["Mix 2", "Drums", "Room", "Parallel", "Mix"])
            self.assertEqual([stem.kind for stem in last.stems], ["stem"] * 3 + ["parallel", "mix"])

    def test_a_dry_bounce_leaves_muted_outputs_silent(self):
        outputs = (Output(name="Main", gain_db=-6.0), Output(name="Two", muted=True))
        book = compile_kit(
            replace(kit(pad("a", note=38), pad("b", note=38, output="Two"), outputs=("Main", "Two")), outputs=outputs),
            RATE,
        )
        self.assertEqual([one.level for one in desk_of(book, BounceOrder(bits="24", is_dry=True)).channels], [1.0, 0.0])

    def test_long_names_fit_the_file_system(self):
        files = stem_files(
            ["a" * 300, "ü" * 200, "ü" * 200], BounceOrder(bits="24", name_template="{name}{name}"), RATE
        )
        self.assertEqual(len(set(files)), 3)
        self.assertLess(max(len(name.encode()) for name in files), 200)

    def test_a_part_that_sounds_nowhere_is_refused(self):
        silent = Part(name="s", ticks_per_beat=480, tempos=((0, 500_000),), events=(Event(0, 5, 9),), end_tick=480)
        with (
            self.assertRaisesRegex(BounceError, "Nothing in this part sounds"),
            tempfile.TemporaryDirectory() as folder,
        ):
            list(
                bounce(
                    compile_kit(Rendering.plain, RATE), silent, Path(folder), BounceOrder(bits="24"), load_sound=noise
                )
            )

    def test_file_names_are_safe_and_in_order(self):
        self.assertEqual(
            stem_files(["Main", "a/b:c", "..", "Mix"], BounceOrder(bits="24"), RATE),
            ["01 Main.wav", "02 a-b-c.wav", "03 Output.wav", "Mix.wav"],
        )


def midi(*tracks: str, type_: int = 1, division: str = "01e0") -> bytes:
    """A MIDI file from hex: MThd, type, count, division; then each track."""
    bodies = [bytes.fromhex(track) for track in tracks]
    head = b"MThd" + (6).to_bytes(4, "big") + type_.to_bytes(2, "big") + len(bodies).to_bytes(2, "big")
    return head + bytes.fromhex(division) + b"".join(b"MTrk" + len(b).to_bytes(4, "big") + b for b in bodies)


class Midi(SimpleTestCase):
    def test_type_1_with_tempo_change_and_running_status(self):
        tempo_track = "00 ff5103 07a1208360 ff5103 03d09000 ff5804 0302180800 ff2f00"  # 120, after a beat 240 bpm; 3/4
        drums = "00 99 24 648360 26 508360 24 0000 26 0000 ff2f00"  # running status; velocity 0 ends
        part = read_midi(midi(tempo_track, drums), "demo.mid")
        self.assertEqual(
            [(n.tick, n.note, n.velocity, n.length_ticks) for n in part.note_ons],
            [(0, 36, 100, 960), (480, 38, 80, 480)],
        )
        self.assertEqual((part.meters, part.bars, part.name), (((0, 4, 4), (480, 3, 4)), 2, "demo"))
        self.assertEqual([part.frame_at(tick, 48_000) for tick in (0, 480, 960)], [0, 24_000, 36_000])

    def test_type_0_is_read(self):
        part = read_midi(midi("00 99 2a 40 60 89 2a 00 00 ff2f00", type_=0), "one.mid")
        self.assertEqual([(n.note, n.velocity) for n in part.note_ons], [(42, 64)])

    def test_what_is_written_reads_back_to_the_same_hits(self):
        tempo_track = "00 ff5103 07a1208360 ff5103 03d09000 ff5804 0302180800 ff2f00"
        drums = "00 99 24 648360 26 508360 24 0000 26 0000 ff2f00"
        part = read_midi(midi(tempo_track, drums), "demo.mid")
        again = read_midi(write_midi(part), "demo.mid")
        self.assertEqual(list(again.hits(44_100)), list(part.hits(44_100)))
        self.assertEqual((again.bars, again.tempos, again.end_tick), (part.bars, part.tempos, part.end_tick))

    def test_what_cannot_be_read_says_why(self):
        table = [
            (b"RIFFxxxx", "not a MIDI file"),
            (midi("00 99 2a 40 00 ff2f00")[:25], "damaged"),
            (midi("00 ff2f00"), "no notes"),
            (midi("00 99 2a 40 00 ff2f00", type_=2), "type 2"),
            (midi("00 99 2a 40 00 ff2f00", division="e728"), "SMPTE"),
        ]
        for data, words in table:
            with self.subTest(words=words), self.assertRaisesRegex(PartError, words):
                read_midi(data, "x.mid")

    @given(st.binary(max_size=200))
    def test_no_bytes_raise_anything_but_our_own(self, tail):
        for data in (tail, midi("00 99 2a 40 00 ff2f00")[:22] + tail):
            with suppress(PartError):
                read_midi(data, "fuzz.mid")

    @given(
        ticks=st.integers(0, 10**6),
        tempo=st.integers(1, 10**7),
        ppq=st.integers(1, 10_000),
        rate=st.sampled_from([44_100, 96_000]),
    )
    def test_frames_are_exact(self, ticks, tempo, ppq, rate):
        part = Part(name="x", ticks_per_beat=ppq, tempos=((0, 500_000), (777, tempo)), events=(), end_tick=ticks)
        seconds = Fraction(min(ticks, 777) * 500_000 + max(0, ticks - 777) * tempo, ppq * 1_000_000)
        self.assertEqual(part.frame_at(ticks, rate), int(seconds * rate + Fraction(1, 2)))


class Notes(SimpleTestCase):
    def test_names_and_numbers(self):
        self.assertEqual(note_label(38), "D1 · 38")
        self.assertEqual([parse_note(text) for text in ("38", "D1", "Eb2", "D1 · 38", "c-2")], [38, 38, 51, 38, 0])
        self.assertEqual(parse_note("C4", middle_c_octave=4), 60)
        said = "Notes of Kick (A2 old): D1 · 38, G#-1 · 20"
        self.assertEqual(relabelled(said, middle_c_octave=5), "Notes of Kick (A2 old): D3 · 38, G#1 · 20")
        for text in ("", "H2", "128", "G9"):
            with self.subTest(text=text), self.assertRaisesRegex(KitError, "not a note"):
                parse_note(text)
