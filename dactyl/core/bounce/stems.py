"""Write a bounce: one file for each output that sounds, and the mix, all from the part's zero and of one length."""

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from dactyl.core.audio.overview import pack_columns
from dactyl.core.bounce.render import BLOCK_FRAMES, LoadSound, bounce_frames, render, voices_of
from dactyl.core.errors import BounceError
from dactyl.core.formats.notes import note_label
from dactyl.core.parts.part import Part
from dactyl.core.play.playbook import Playbook
from dactyl.core.units import gain_to_db
from dactyl.core.wave.write import WaveWriter

RATES_HZ = (44_100, 48_000, 88_200, 96_000)
PICTURE_HOP = 256  # frames reduced to one extreme before the picture's columns are known


@dataclass(frozen=True, slots=True)
class Stem:
    name: str
    file: str
    frames: int
    peak_db: float
    overview: bytes


@dataclass(frozen=True, slots=True)
class Progress:
    done_frames: int
    frames: int
    stems: tuple[Stem, ...] = ()  # filled in the last one


def bounce(
    playbook: Playbook, part: Part, folder: Path, *, bits: str, load_sound: LoadSound, seed: int = 0, threads: int = 1
) -> Iterator[Progress]:
    """Write stems and mix into ``folder``, which must be empty; to cancel is to stop iterating.

    raises : BounceError if nothing in the part sounds
    """
    voices = voices_of(playbook, part.hits(playbook.rate_hz))
    if not voices:
        raise BounceError("Nothing in this part sounds on this kit. Give its notes to pads, or choose another part.")
    frames = bounce_frames(voices, part.end_frame(playbook.rate_hz))
    heard = sorted({region.output for voice in voices for region in voice.regions})
    names = [playbook.outputs[number].name for number in heard] + ["Mix"]
    tracks = [
        _Track(name, folder / file, playbook.rate_hz, bits, frames, seed)
        for name, file in zip(names, stem_files(names), strict=True)
    ]
    try:
        for block in render(voices, playbook.outputs, frames, load_sound, threads=threads):
            for track, number in zip(tracks, heard, strict=False):
                track.write(block.stems[number])
            tracks[-1].write(block.mix)
            yield Progress(min(frames, block.start_frame + BLOCK_FRAMES), frames)
    finally:
        for track in tracks:
            track.close()
    yield Progress(frames, frames, tuple(track.stem(frames) for track in tracks))


def stem_files(names: list[str]) -> list[str]:
    """File names in the order of the outputs: "01 Main.wav", ..., and the mix last without a number."""
    files = []
    for number, name in enumerate(names, start=1):
        safe = re.sub(r"[^\w \-.]+", "-", name).strip(" .-") or "Output"
        files.append("Mix.wav" if number == len(names) else f"{number:02} {safe}.wav")
    return files


@dataclass(frozen=True, slots=True)
class Unanswered:
    note: int
    hits: int

    @property
    def label(self) -> str:
        return note_label(self.note)


def unanswered(playbook: Playbook, part: Part) -> list[Unanswered]:
    """Notes of ``part`` that no filled pad answers, the most frequent first. A muted pad answers by design."""
    answered = {
        note
        for note, pads in playbook.notes.items()
        if any(layer.cycle for index in pads for layer in playbook.pads[index].layers)
    }
    missing = Counter(note.note for note in part.notes if note.note not in answered)
    return [Unanswered(note, hits) for note, hits in missing.most_common()]


class _Track:
    """One file being written, its peak and its picture."""

    def __init__(self, name: str, path: Path, rate_hz: int, bits: str, frames: int, seed: int) -> None:
        self._name, self._path = name, path
        self._writer = WaveWriter(path, rate_hz=rate_hz, channels=2, bits=bits, frames=frames, dither_seed=seed)
        self._lows: list[np.ndarray] = []
        self._highs: list[np.ndarray] = []

    def write(self, bus: np.ndarray) -> None:
        self._writer.write(bus)
        starts = np.arange(0, bus.shape[1], PICTURE_HOP)
        self._lows.append(np.minimum.reduceat(bus.min(axis=0), starts))
        self._highs.append(np.maximum.reduceat(bus.max(axis=0), starts))

    def close(self) -> None:
        self._writer.close()

    def stem(self, frames: int) -> Stem:
        lows, highs = np.concatenate(self._lows), np.concatenate(self._highs)
        peak = max(float(highs.max()), -float(lows.min()))
        return Stem(self._name, self._path.name, frames, gain_to_db(peak), pack_columns(lows, highs))
