"""Mix voices to one bus for each output, a block at a time.

Blocks, threads and the number of outputs never change a bit of the result: each frame of a bus is a sum of
float32 products in the order of the hits.
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from dactyl.core.audio.prepare import Recipe
from dactyl.core.parts.part import Hit
from dactyl.core.play.playbook import OutputTable, Playbook, Region
from dactyl.core.play.player import Player, Voice

BLOCK_FRAMES = 1 << 16
LoadSound = Callable[[Recipe], np.ndarray]


@dataclass(frozen=True, slots=True)
class Block:
    start_frame: int
    stems: np.ndarray  # float32, (outputs, 2, frames)
    mix: np.ndarray  # float32, (2, frames): the stems added in output order


def voices_of(playbook: Playbook, hits: Iterable[Hit]) -> list[Voice]:
    """Every voice of a part, in hit order, with all its cuts decided."""
    player = Player(playbook)
    return [voice for hit in hits for voice in player.play(hit)]


def bounce_frames(voices: Sequence[Voice], part_end_frame: int) -> int:
    """Stems end where the last voice ends, or where the part does if that is later."""
    return max([part_end_frame, *(voice.last_frame for voice in voices)])


def render(
    voices: Sequence[Voice],
    outputs: Sequence[OutputTable],
    frames: int,
    load_sound: LoadSound,
    *,
    block_frames: int = BLOCK_FRAMES,
    threads: int = 1,
) -> Iterator[Block]:
    """Yield the buses from frame 0 to ``frames``, block by block."""
    waiting = sorted(voices, key=lambda voice: voice.start_frame)  # stable: hit order within a frame
    waiting.reverse()
    sounding: list[Voice] = []
    with ThreadPoolExecutor(threads) as pool:
        for start in range(0, frames, block_frames):
            stop = min(frames, start + block_frames)
            while waiting and waiting[-1].start_frame < stop:
                sounding.append(waiting.pop())
            stems = np.zeros((len(outputs), 2, stop - start), np.float32)
            heard: list[list[tuple[Voice, Region]]] = [[] for _ in outputs]
            for voice in sounding:
                for region in voice.regions:
                    heard[region.output].append((voice, region))
            span = ([start] * len(outputs), [stop] * len(outputs), [load_sound] * len(outputs))
            list(pool.map(_mix_bus, outputs, stems, heard, *span))
            mix = np.zeros((2, stop - start), np.float32)
            for stem in stems:
                mix += stem
            yield Block(start, stems, mix)
            sounding = [voice for voice in sounding if voice.last_frame > stop]


def _mix_bus(
    output: OutputTable,
    bus: np.ndarray,
    parts: Sequence[tuple[Voice, Region]],
    start: int,
    stop: int,
    load_sound: LoadSound,
) -> None:
    for voice, region in parts:
        first = max(start, voice.start_frame)
        last = min(stop, voice.last_frame, voice.start_frame + region.recipe.frames)
        if first >= last:
            continue
        sound = load_sound(region.recipe)[:, first - voice.start_frame : last - voice.start_frame]
        if voice.fades and last > voice.fades[0][0]:
            sound = sound * fade_curve(voice.fades, first, last)
        bus[0, first - start : last - start] += np.float32(voice.gain * region.left) * sound[0]
        bus[1, first - start : last - start] += np.float32(voice.gain * region.right) * sound[-1]
    if output.gain != 1.0:
        bus *= np.float32(output.gain)


def fade_curve(fades: Sequence[tuple[int, int]], first: int, last: int) -> np.ndarray:
    """Gain of a cut voice in frames ``first..last``: 1 at the cut, falling on a line to 0; a sooner end starts
    from where the earlier fade had come to. float32, shape (last - first,)."""
    frames = np.arange(first, last)
    gain = np.ones(last - first)
    level = 1.0
    for number, (at, length) in enumerate(fades):
        if number:
            before_at, before_length, before_level = *fades[number - 1], level
            level = before_level * max(0.0, 1 - (at - before_at) / before_length)
        falling = level * np.clip(1 - (frames - at) / max(1, length), 0.0, 1.0)
        gain = np.where(frames >= at, falling, gain)
    return gain.astype(np.float32)
