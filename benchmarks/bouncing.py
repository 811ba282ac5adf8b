"""Bounce: rendering against a bare mixing loop, writing against soundfile, long parts against short ones."""

import os
import shutil
import subprocess
import sys
import tempfile
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np
import soundfile

from benchmarks.measured import Row, against, ratio_row, seconds
from dactyl.core.audio.prepare import Recipe
from dactyl.core.bounce.order import BounceOrder
from dactyl.core.bounce.render import bounce_frames, render, voices_of
from dactyl.core.bounce.stems import bounce
from dactyl.core.desk.stage import Stage
from dactyl.core.formats.midi import write_midi
from dactyl.core.kit import HALL, Filter, Kit, Layer, NoteMap, Output, OutputGroup, Pad, Parallel, Piece, Sample, Take
from dactyl.core.lineup import Lineup, Member
from dactyl.core.parts.part import Event, Part
from dactyl.core.play.compile import compile_kit
from dactyl.core.play.playbook import Playbook
from dactyl.core.play.player import Voice
from dactyl.core.play.together import compile_lineup

RATE = 48_000
PADS, LAYERS, TAKES, OUTPUTS = 24, 4, 4, 8
CHANNELS = 16  # of a large desk
MINUTES, HITS = 10, 9000
SECONDS = 1.5  # of each sample
NO_FILTER = Filter()
THREADS = os.cpu_count() or 1


def rows() -> list[Row]:
    sounds = _Sounds()
    kit, part = _kit(), _part(HITS, MINUTES * 60)
    playbook = compile_kit(kit, RATE)
    voices = voices_of(playbook, part.hits(RATE))
    frames = bounce_frames(voices, part.end_frame(RATE))
    for voice in voices:
        for sound in voice.sounds:
            sounds(sound.recipe)

    def ours(threads: int) -> None:
        for _ in render(voices, OUTPUTS, frames, sounds, threads=threads):
            pass

    one, floor = against(lambda: ours(1), lambda: _bare_loop(voices, frames, sounds))
    two = seconds(lambda: ours(THREADS))
    filtered = compile_kit(_kit(Filter(kind="low", cutoff_hz=4000.0)), RATE)
    few = voices_of(filtered, _part(1000, 60).hits(RATE))
    few_frames = bounce_frames(few, 0)
    heavy, heavy_floor = against(
        lambda: list(render(few, OUTPUTS, few_frames, sounds)),
        lambda: _bare_loop(few, few_frames, sounds, has_filter=True),
    )
    return [
        ratio_row("Rendering 9,000 hits", one, floor, 2.0, "a bare float32 mixing loop"),
        ratio_row(f"... with {THREADS} threads", two, floor, 2.0, "the same loop"),
        ratio_row("... with a filter on every voice", heavy, heavy_floor, 2.0, "that loop with one sosfilt each"),
        *_desk(sounds),
        _together(kit, sounds),
        _writing(playbook, part, sounds),
        _both_cores(playbook, part, voices, frames, sounds),
        _command(voices, frames, sounds),
        _growth(),
        *_memory(sounds),
    ]


def _desk(sounds: "_Sounds") -> Iterator[Row]:
    """64 voices with all that a desk has on every channel, against the same without: bounced, and the sums alone."""
    plain = _kit(outputs=CHANNELS)
    part = _part(round(60 * 64 / SECONDS), 60)
    outputs = tuple(
        replace(one, gain_db=-3.0, width=0.5 + number / CHANNELS, balance=0.2, parallel_db=-6.0)
        for number, one in enumerate(plain.outputs)
    )
    pairs = [tuple(one.name for one in outputs[n : n + 2]) for n in range(0, CHANNELS, 2)]
    groups = tuple(OutputGroup(name=f"Group {n}", gain_db=-1.0, outputs=names) for n, names in enumerate(pairs))
    mixed = replace(plain, outputs=outputs, groups=groups, parallel=Parallel(is_on=True), master_db=-1.0, side=HALL)
    without, with_all = compile_kit(plain, RATE), compile_kit(mixed, RATE)
    voices = voices_of(without, part.hits(RATE))
    frames = bounce_frames(voices, 0)

    def summed(*, has_desk: bool) -> None:
        stage = Stage(with_all.desk, range(CHANNELS))
        with ThreadPoolExecutor(THREADS) as pool:
            for block in render(voices, CHANNELS, frames, sounds, threads=THREADS):
                if has_desk:
                    stage.process(block.buses, each=pool.map)

    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder)
        both, floor = against(
            lambda: _bounce_into(out, with_all, part, sounds, "24"),
            lambda: _bounce_into(out, without, part, sounds, "24"),
        )
    asked = f"64 voices, {CHANNELS} channels in groups, the parallel bus"
    yield ratio_row(f"A bounce of {asked}", both, floor, 1.3, "the same without a desk")
    both, floor = against(lambda: summed(has_desk=True), lambda: summed(has_desk=False))
    yield ratio_row("... the sums alone, nothing written", both, floor, 1.3, "the same without a desk")


def _together(kit: Kit, sounds: "_Sounds") -> Row:
    """Two kits under one part, from its hits to the sums of their outputs, against one of them."""
    part = _part(round(60 * 64 / SECONDS), 60)

    def played(members: int) -> None:
        book = compile_lineup(Lineup(name="Both", members=tuple(Member(kit=kit) for _ in range(members))), RATE)
        voices = voices_of(book, part.hits(RATE))
        frames = bounce_frames(voices, 0)
        deque(render(voices, members * OUTPUTS, frames, sounds, threads=THREADS), maxlen=0)

    both, one = against(lambda: played(2), lambda: played(1))
    return ratio_row("Two kits alongside under one part", both, one, 2.1, "one kit")


def _writing(playbook: Playbook, part: Part, sounds: "_Sounds") -> Row:
    """Bounce to files, less the time of rendering alone, against soundfile on the same audio."""
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder)

        def whole() -> None:
            _bounce_into(out, playbook, part, sounds, "24")

        voices = voices_of(playbook, part.hits(RATE))
        frames = bounce_frames(voices, part.end_frame(RATE))
        rendering = seconds(lambda: deque(render(voices, OUTPUTS, frames, sounds, threads=THREADS), maxlen=0))
        both = seconds(whole)
        stems = [soundfile.read(file, dtype="float32", always_2d=True)[0] for file in sorted(out.iterdir())[:2]]

        def bare() -> None:
            for number, stem in enumerate(stems):
                soundfile.write(out / f"bare{number}.wav", stem, RATE, "PCM_24")
                with (out / f"bare{number}.wav").open("rb") as file:
                    os.fsync(file.fileno())

        floor = min(seconds(bare) for _ in range(3)) * OUTPUTS / len(stems)
    return ratio_row("Writing 8 stems of ten minutes", both - rendering, floor, 1.3, "soundfile and fsync")


def _emptied(out: Path) -> None:
    """Two gigabytes take seconds to delete; a bounce begins in an empty folder."""
    for file in out.iterdir():
        file.unlink()
    os.sync()


def _bounce_into(out: Path, playbook: Playbook, part: Part, sounds: "_Sounds", bits: str) -> None:
    for _ in bounce(playbook, part, out, BounceOrder(bits=bits, has_mix=False), load_sound=sounds, threads=THREADS):
        pass


def _both_cores(playbook: Playbook, part: Part, voices: list[Voice], frames: int, sounds: "_Sounds") -> Row:
    """A whole float bounce, rendering ahead of the writing, against a bare loop and then a bare writing of its files."""
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder)

        def whole() -> None:
            _bounce_into(out, playbook, part, sounds, "32f")

        whole()
        work, floor = _beside_bare(out, whole, voices, frames, sounds, "FLOAT")
    return ratio_row("A whole bounce on both cores", work, floor, 0.7, "a bare loop, then soundfile and fsync")


def _command(voices: list[Voice], frames: int, sounds: "_Sounds") -> Row:
    """The command line from a kit file and a MIDI file to stems of 24 bits, its start included, against the same floor."""
    with tempfile.TemporaryDirectory() as folder, tempfile.TemporaryDirectory() as out:
        kit, part = _write_sfz(Path(folder), sounds), Path(folder) / "part.mid"
        part.write_bytes(write_midi(_part(HITS, MINUTES * 60)))
        line = [sys.executable, "-m", "dactyl.cli", "bounce", str(kit), str(part), "--out", out]

        def whole() -> None:
            subprocess.run(line, capture_output=True, check=True)

        whole()
        work, floor = _beside_bare(Path(out), whole, voices, frames, sounds, "PCM_24")
    return ratio_row("The whole command, from its files", work, floor, 0.65, "a bare loop, then soundfile and fsync")


def _beside_bare(
    out: Path, whole: Callable[[], None], voices: list[Voice], frames: int, sounds: "_Sounds", subtype: str
) -> tuple[float, float]:
    """Seconds of a bounce into ``out``, which holds one already, and of a bare loop and a bare writing after each other."""
    stem = soundfile.read(next(out.glob("*.wav")), dtype="float32", always_2d=True)[0]
    times = []

    def bare() -> None:
        _bare_loop(voices, frames, sounds)
        for number in range(OUTPUTS):
            soundfile.write(out / f"bare{number}.wav", stem, RATE, subtype)
            with (out / f"bare{number}.wav").open("rb") as file:
                os.fsync(file.fileno())

    for _ in range(3):
        _emptied(out)
        work = seconds(whole)
        _emptied(out)
        times.append((work, seconds(bare)))
    work, floor = (min(own) for own in zip(*times, strict=True))
    return work, floor


def _growth() -> Row:
    """Players' work on 100,000 hits against 10,000: linear is ten times."""
    playbook = compile_kit(_kit(), RATE)
    short, long = _part(10_000, 600), _part(100_000, 6000)
    base = min(seconds(lambda: voices_of(playbook, short.hits(RATE))) for _ in range(3))
    ten = min(seconds(lambda: voices_of(playbook, long.hits(RATE))) for _ in range(3))
    figure = f"{ten:.2f} s against 10 x {base:.2f} s"
    return Row("100,000 hits against 10,000", figure, ten / (10 * base), "at most 1.3 x", ten / (10 * base) <= 1.3)


def _memory(sounds: "_Sounds") -> list[Row]:
    """The command line on a kit file of the same size: what the whole process held at its most."""
    with tempfile.TemporaryDirectory() as folder:
        kit = _write_sfz(Path(folder), sounds)
        peaks = {}
        for minutes in (MINUTES, 3 * MINUTES):
            part = Path(folder) / f"{minutes}.mid"
            part.write_bytes(write_midi(_part(HITS * minutes // MINUTES, 60 * minutes)))
            out = Path(folder) / f"out {minutes}"
            code = (
                "import sys; from dactyl.cli import main; code = main(sys.argv[1:]);"
                "print(*[line.split()[1] for line in open('/proc/self/status') if 'VmHWM' in line]); sys.exit(code)"
            )
            done = subprocess.run(
                [sys.executable, "-c", code, "bounce", str(kit), str(part), "--out", str(out)],
                capture_output=True, text=True, check=True,
            )  # fmt: skip
            peaks[minutes] = int(done.stdout) >> 10
            shutil.rmtree(out)
    return [
        Row(f"Peak memory, a part of {minutes} minutes", f"{peak} MB", None, "under 1024 MB", peak < 1024)
        for minutes, peak in peaks.items()
    ]


def _write_sfz(folder: Path, sounds: "_Sounds") -> Path:
    lines = []
    for _, pad in _kit().pads():
        for layer in pad.layers:
            for number, take in enumerate(layer.takes, start=1):
                ((_, sample),) = take.samples
                audio = sounds(Recipe(sample.sha256, RATE, 2, 0, sample.frames, RATE))
                soundfile.write(folder / f"{sample.sha256[-8:]}.wav", audio.T, RATE, "PCM_24")
                lines.append(
                    f"<region> sample={sample.sha256[-8:]}.wav key={36 + pad.id} lovel={layer.low} hivel={layer.high} "
                    f"seq_length={TAKES} seq_position={number} output={pad.id % OUTPUTS} loop_mode=one_shot"
                )
    path = folder / "kit.sfz"
    path.write_text("\n".join(lines))
    return path


def _bare_loop(voices: list[Voice], frames: int, sounds: "_Sounds", *, has_filter: bool = False) -> None:
    from scipy.signal import sosfilt

    buses = np.zeros((OUTPUTS, 2, frames), np.float32)
    for voice in voices:
        (sound,) = voice.sounds
        audio = sounds(sound.recipe)[:, : voice.last_frame - voice.start_frame]
        if has_filter:
            b0, b1, b2, a1, a2 = voice.pad.filter.coefficients[voice.velocity - 1]
            audio = sosfilt([[b0, b1, b2, 1.0, a1, a2]], audio, axis=1).astype(np.float32)
        span = slice(voice.start_frame, voice.start_frame + audio.shape[1])
        buses[sound.output, 0, span] += np.float32(voice.gain * sound.left) * audio[0]
        buses[sound.output, 1, span] += np.float32(voice.gain * sound.right) * audio[-1]


class _Sounds:
    """Prepared sounds, made once and kept."""

    def __init__(self) -> None:
        self._made: dict[str, np.ndarray] = {}

    def __call__(self, recipe: Recipe) -> np.ndarray:
        if recipe.sha256 not in self._made:
            rng = np.random.default_rng(int(recipe.sha256, 16))
            decay = np.exp(-np.arange(recipe.frames) / 9000)
            self._made[recipe.sha256] = (rng.normal(0, 0.1, (2, recipe.frames)) * decay).astype(np.float32)
        return self._made[recipe.sha256]


def _kit(voice_filter: Filter = NO_FILTER, outputs: int = OUTPUTS) -> Kit:
    ids = iter(range(1, 1_000_000))

    def take() -> Take:
        number = next(ids)
        return Take(id=number, samples=(("close", Sample(f"{number:064x}", int(SECONDS * RATE), RATE, 2)),))

    def pad(number: int) -> Pad:
        highs = [32, 64, 96, 127]
        layers = tuple(
            Layer(id=next(ids), low=high - 31, high=high, takes=tuple(take() for _ in range(TAKES)))
            for high in highs[:3]
        ) + (Layer(id=next(ids), low=97, high=127, takes=tuple(take() for _ in range(TAKES))),)
        return Pad(id=number, name=f"pad {number}", layers=layers, pan=(number % 5 - 2) / 3,
                   output=f"out {number % outputs}" if number % outputs else "Main", filter=voice_filter)  # fmt: skip

    pieces = tuple(Piece(name=f"piece {n}", pads=(pad(n),)) for n in range(PADS))
    routes = (Output(name="Main"), *(Output(name=f"out {n}") for n in range(1, outputs)))
    maps = (NoteMap(notes=tuple((36 + n, n) for n in range(PADS))),)
    return Kit(name="bench", pieces=pieces, outputs=routes, maps=maps)


def _part(hits: int, seconds_long: int) -> Part:
    rng = np.random.default_rng(1)
    ticks = np.sort(rng.integers(0, 960 * seconds_long, hits))
    notes = tuple(
        Event(int(tick), 36 + int(note), int(velocity))
        for tick, note, velocity in zip(ticks, rng.integers(0, PADS, hits), rng.integers(1, 128, hits), strict=True)
    )
    return Part(name="bench", ticks_per_beat=480, tempos=((0, 500_000),), events=notes, end_tick=960 * seconds_long)
