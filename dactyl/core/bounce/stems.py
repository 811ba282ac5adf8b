"""Write a bounce: one file for each stem that sounds, and the mix, all from the part's zero and of one length."""

from bisect import bisect_left
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from dactyl.core.audio.overview import pack_columns
from dactyl.core.bounce.ahead import ahead
from dactyl.core.bounce.grouping import Stems, arrange, bus_names, gather, mix_of, motions_of, sounds_of
from dactyl.core.bounce.order import MIX, BounceOrder, desk_of, stem_files
from dactyl.core.bounce.render import LoadSound, bounce_frames, render, voices_of
from dactyl.core.desk.stage import Stage
from dactyl.core.errors import BounceError
from dactyl.core.parts.part import Part
from dactyl.core.play.playbook import Playbook
from dactyl.core.play.player import Voice
from dactyl.core.units import gain_to_db
from dactyl.core.wave.write import WaveWriter

BLOCKS_AHEAD = 2  # rendered while others are written; 16 MB each
PICTURE_HOP = 256  # frames reduced to one extreme before the picture's columns are known
STEM, PARALLEL_BUS, WHOLE, BESIDE = "stem", "parallel", "mix", "beside"
"""What a file of a bounce is: a stem, a parallel bus, their sum, or something that lies beside them."""


@dataclass(frozen=True, slots=True)
class Stem:
    name: str
    output: str  # where it leaves the kit; several where it gathers several
    file: str
    channels: int
    frames: int
    peak_db: float
    overview: bytes
    kind: str = STEM

    def described(self) -> dict[str, str | int | float]:
        """As bounce.json lists it (docs/formats.md)."""
        return {
            "name": self.name,
            "output": self.output,
            "file": self.file,
            "channels": self.channels,
            "frames": self.frames,
            "peak_db": round(self.peak_db, 3),
        }


@dataclass(frozen=True, slots=True)
class BounceProgress:
    done_frames: int
    frames: int
    hits: tuple[tuple[str, int, int], ...] = ()  # of each stem: its name, the hits begun, all its hits
    stems: tuple[Stem, ...] = ()  # filled in the last one


def bounce(
    playbook: Playbook, part: Part, folder: Path, order: BounceOrder, *, load_sound: LoadSound, threads: int = 1
) -> Iterator[BounceProgress]:
    """Write stems, and the mix if wished, into ``folder``, which must be empty; to cancel is to stop iterating.

    raises : BounceError if nothing in the part sounds
    """
    voices = voices_of(playbook, part.acts(playbook.rate_hz))
    if not voices:
        raise BounceError("Nothing in this part sounds on this kit. Give its notes to pads, or choose another part.")
    frames = bounce_frames(voices, part.end_frame(playbook.rate_hz))
    stems = arrange(playbook, sounds_of(voices), order, part)
    if not stems.names:
        raise BounceError(
            "Nothing of this part is left without ambience: all its sounds are of mics that are marked so."
        )
    desk = desk_of(playbook, order)
    stage = Stage(desk, stems.output_of_bus, {} if order.is_dry else motions_of(playbook, part))
    parallel = bus_names(playbook, order)
    names = [*stems.names, *parallel, *[MIX] * order.has_mix]
    kinds = [*[STEM] * len(stems.names), *[PARALLEL_BUS] * len(parallel), WHOLE]
    files = stem_files(names, order, playbook.rate_hz, stems.members)
    is_mono = [*(mono and order.mono_where_mono for mono in stems.is_mono), *(False for _ in parallel), False]
    tracks = [
        StemFile(
            name,
            folder / file,
            playbook.rate_hz,
            order,
            frames,
            number,
            channels=1 if is_mono[number] else 2,
            kind=kinds[number],
        )
        for number, (name, file) in enumerate(zip(names, files, strict=True))
    ]

    begins = _begins(voices, stems)
    try:
        with ThreadPoolExecutor(threads) as pool:
            blocks = render(voices, len(stems.buses), frames, load_sound, bus_of=stems.bus_of, threads=threads)
            for block in ahead(blocks, BLOCKS_AHEAD):
                left, beside = stage.process(block.buses, each=pool.map)
                audio = [*gather(left, stems.stem_of_bus, len(stems.names)), *beside]
                list(pool.map(StemFile.write, tracks, audio + ([mix_of(audio)] if order.has_mix else [])))
                done = min(frames, block.start_frame + block.buses.shape[2])
                yield BounceProgress(
                    done, frames, tuple((name, bisect_left(b, done), len(b)) for name, b in begins.items())
                )
            list(pool.map(StemFile.finish, tracks))
    finally:
        for track in tracks:
            track.close()
    outputs = [*stems.outputs, *parallel, MIX]
    done_hits = tuple((name, len(b), len(b)) for name, b in begins.items())
    yield BounceProgress(
        frames, frames, done_hits, tuple(t.stem(frames, o) for t, o in zip(tracks, outputs, strict=False))
    )


def _begins(voices: Sequence[Voice], stems: Stems) -> dict[str, list[int]]:
    """The frames, rising, at which the voices of each stem begin."""
    begins: dict[str, list[int]] = {name: [] for name in stems.names}
    named = dict(zip(stems.keys, stems.names, strict=True))
    for voice in voices:
        for key in {stems.key_of(voice.pad, sound) for sound in voice.sounds if sound.mic not in stems.left_out}:
            begins[named[key]].append(voice.start_frame)
    return {name: sorted(frames) for name, frames in begins.items()}


class StemFile:
    """One file being written, its peak and its picture."""

    def __init__(
        self,
        name: str,
        path: Path,
        rate_hz: int,
        order: BounceOrder,
        frames: int,
        number: int,
        *,
        channels: int,
        kind: str = BESIDE,
    ) -> None:
        self._name, self._path, self._channels, self._kind = name, path, channels, kind
        self._writer = WaveWriter(
            path,
            rate_hz=rate_hz,
            channels=self._channels,
            bits=order.bits,
            format=order.format,
            frames=frames,
            dither_seed=[order.seed, number],
        )
        self._lows: list[np.ndarray] = []
        self._highs: list[np.ndarray] = []

    def write(self, bus: np.ndarray) -> None:
        bus = bus[: self._channels]
        self._writer.write(bus)
        starts = np.arange(0, bus.shape[1], PICTURE_HOP)
        self._lows.append(np.minimum.reduceat(bus.min(axis=0), starts))
        self._highs.append(np.maximum.reduceat(bus.max(axis=0), starts))

    def finish(self) -> None:
        """On disk, whole."""
        self._writer.close(sync=True)

    def close(self) -> None:
        self._writer.close()

    def stem(self, frames: int, output: str) -> Stem:
        lows, highs = np.concatenate(self._lows), np.concatenate(self._highs)
        peak = max(float(highs.max()), -float(lows.min()))
        return Stem(
            self._name,
            output,
            self._path.name,
            self._channels,
            frames,
            gain_to_db(peak),
            pack_columns(lows, highs),
            self._kind,
        )
