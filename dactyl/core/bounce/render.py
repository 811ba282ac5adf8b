"""Mix voices to buses, a block at a time.

Blocks, threads and the number of buses never change a bit of the result: each frame of a bus is a sum of float32
products in the order of the hits, and what a voice carries from block to block (a filter's state) is float64.
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
import scipy

from dactyl.core.audio.interpolate import interpolate, stretched_frames
from dactyl.core.audio.prepare import Recipe
from dactyl.core.parts.part import Gesture, Hit
from dactyl.core.play.playbook import MicSound, Playbook
from dactyl.core.play.player import Player, Voice

BLOCK_VALUES, MOST_FRAMES = 1 << 22, 1 << 18  # of a block: in all its buses, 16 MB, and in time
LoadSound = Callable[[Recipe], np.ndarray]
BusOf = Callable[[Voice, MicSound], int | None]
"""Which bus a sound goes to; None: to none."""


@dataclass(frozen=True, slots=True)
class Block:
    start_frame: int
    buses: np.ndarray  # float32, (buses, 2, frames)


@dataclass(slots=True)
class _Part:
    """One sound of a voice on its way to a bus."""

    voice: Voice
    sound: MicSound
    filter_state: np.ndarray | None = None


def voices_of(playbook: Playbook, hits: Iterable[Hit | Gesture]) -> list[Voice]:
    """Every voice of a part, in hit order, with all its cuts decided."""
    player = Player(playbook)
    voices = [voice for hit in hits for voice in player.play(hit)]
    return [voice for voice in voices if voice.last_frame > voice.start_frame]


def bounce_frames(voices: Sequence[Voice], part_end_frame: int) -> int:
    """Stems end where the last voice ends, or where the part does if that is later."""
    return max([part_end_frame, *(voice.last_frame for voice in voices)])


def render(
    voices: Sequence[Voice],
    bus_count: int,
    frames: int,
    load_sound: LoadSound,
    *,
    bus_of: BusOf = lambda voice, sound: sound.output,
    block_frames: int | None = None,
    threads: int = 1,
) -> Iterator[Block]:
    """Yield the sums of the buses from frame 0 to ``frames``, block by block: what the desk makes of them comes after it.

    block_frames : by default as many as the buses leave room for; a power of two
    """
    block_frames = block_frames or frames_at_once(bus_count)
    waiting = sorted(voices, key=lambda voice: voice.start_frame)  # stable: hit order within a frame
    waiting.reverse()
    sounding: list[tuple[int, _Part]] = []
    with ThreadPoolExecutor(threads) as pool:
        for start in range(0, frames, block_frames):
            stop = min(frames, start + block_frames)
            while waiting and waiting[-1].start_frame < stop:
                sounding += _parts(waiting.pop(), bus_of)
            buses = np.zeros((bus_count, 2, stop - start), np.float32)
            heard: list[list[_Part]] = [[] for _ in buses]
            for bus, part in sounding:
                heard[bus].append(part)
            jobs = [
                pool.submit(_mix_bus, bus, parts, start, stop, load_sound)
                for bus, parts in zip(buses, heard, strict=True)
            ]
            for job in jobs:
                job.result()
            yield Block(start, buses)
            sounding = [(bus, part) for bus, part in sounding if part.voice.last_frame > stop]


def frames_at_once(buses: int) -> int:
    """Long blocks where there are few buses, so that the time goes into sound and not into steps."""
    return min(MOST_FRAMES, 1 << (BLOCK_VALUES // (2 * buses)).bit_length() - 1)


def _parts(voice: Voice, bus_of: BusOf) -> list[tuple[int, _Part]]:
    buses = [(bus_of(voice, sound), sound) for sound in voice.sounds]
    return [(bus, _Part(voice, sound)) for bus, sound in buses if bus is not None]


def _mix_bus(bus: np.ndarray, parts: Sequence[_Part], start: int, stop: int, load_sound: LoadSound) -> None:
    for part in parts:
        voice = part.voice
        first, last = max(start, voice.start_frame), min(stop, voice.last_frame)
        if first >= last:
            continue
        audio = _played(part, load_sound(part.sound.recipe), first - voice.start_frame, last - voice.start_frame)
        last = first + audio.shape[1]
        if not voice.pad.envelope.is_flat:
            at = np.arange(first, last)
            if voice.released_frame is not None:
                at = np.minimum(at, voice.released_frame)
            audio = audio * voice.pad.envelope.gains(at - voice.start_frame).astype(np.float32)
        if voice.fades and last > voice.fades[0][0]:
            audio = audio * fade_curve(voice.fades, first, last)
        into = slice(first - start, last - start)
        bus[0, into] += np.float32(voice.gain * part.sound.left) * audio[0]
        bus[1, into] += np.float32(voice.gain * part.sound.right) * audio[-1]


def _played(part: _Part, audio: np.ndarray, first: int, last: int) -> np.ndarray:
    """Frames ``first..last`` of a voice's sound, at its pitch and through its filter; shorter where it has ended."""
    voice = part.voice
    length = audio.shape[1] if voice.ratio == 1.0 else stretched_frames(audio.shape[1], voice.ratio)
    if voice.ratio == 1.0:
        played = audio[:, first:last]
    else:
        played = interpolate(audio, voice.ratio, first, max(first, min(last, length)))
    if not voice.pad.filter:
        return played
    tail = last - first - played.shape[1]
    if tail > 0:
        played = np.pad(played, ((0, 0), (0, tail)))
    b0, b1, b2, a1, a2 = voice.pad.filter.coefficients[voice.velocity - 1]
    if part.filter_state is None:
        part.filter_state = np.zeros((1, len(audio), 2))
    played, part.filter_state = scipy.signal.sosfilt([[b0, b1, b2, 1.0, a1, a2]], played, axis=1, zi=part.filter_state)
    return played.astype(np.float32)


def fade_curve(fades: Sequence[tuple[int, int]], first: int, last: int) -> np.ndarray:
    """Gain of a cut voice in frames ``first..last``: 1 at the cut, falling on a line to 0; a sooner end starts
    from where the earlier fade had come to. float32, shape (last - first,)."""
    frames = np.arange(first, last)
    gain = np.ones(last - first)
    level = 1.0
    for number, (at, length) in enumerate(fades):
        if number:
            before_at, before_length = fades[number - 1]
            level *= max(0.0, 1 - (at - before_at) / max(1, before_length))
        falling = level * np.clip(1 - (frames - at) / max(1, length), 0.0, 1.0)
        gain = np.where(frames >= at, falling, gain)
    return gain.astype(np.float32)
