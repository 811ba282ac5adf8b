"""What comes after the sum of an output's voices: channels to stems, and the parallel bus, block by block."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby
from types import MappingProxyType

import numpy as np

from dactyl.core.desk.moving import Motion
from dactyl.core.desk.parallel import ParallelBus, find_peaks
from dactyl.core.desk.tables import AS_IT_IS, STEP_FRAMES, STRETCH_FRAMES, Channel, Desk, pieces_of, steps_of

RUN_BUSES, RUN_FRAMES = 16, 4096  # worked on at once: half a megabyte, which stays near the processor


@dataclass(frozen=True, slots=True)
class _Run:
    """Buses beside each other that stand still, and are worked on at once."""

    buses: slice
    become: np.ndarray | None  # float32, (buses, 2, 2); None: they stay as they are
    sends: tuple[tuple[int, np.ndarray], ...]  # (parallel bus, float32 of shape (2, 2 x buses))


class Stage:
    """The desk over buses that each are part of an output. It has a state only where there is a parallel bus."""

    def __init__(
        self, desk: Desk, output_of_bus: Sequence[int], motions: Mapping[int, Motion] = MappingProxyType({})
    ) -> None:
        """motions : of outputs that move, by their number"""
        channels = [desk.channels[output] for output in output_of_bus]
        self._moving = [
            (bus, channels[bus], motions[output]) for bus, output in enumerate(output_of_bus) if output in motions
        ]
        self._still = list(_runs(channels, {bus for bus, _, _ in self._moving}))
        self._parallel = [ParallelBus(compressor) for compressor in desk.compressors]
        self._frame = 0

    def process(
        self, buses: np.ndarray, *, each: Callable[..., Iterable[None]] = map
    ) -> tuple[list[np.ndarray], list[np.ndarray]]:
        """buses : float32, (buses, 2, frames), a block of whole steps unless it is the last one. each : ``map``, or a pool's

        Makes of each bus what leaves, in place, and returns them, and what the parallel buses play beside them.
        """
        frames = buses.shape[2]
        if self._frame % STEP_FRAMES and (self._parallel or self._moving):
            raise ValueError("only the last block may end within a step")
        sent = np.zeros((len(self._parallel), 2, frames), np.float32)
        peaks = np.empty((len(self._parallel), steps_of(frames)), np.float32)

        def work(stretch: slice) -> None:
            for at in pieces_of(stretch.start, stretch.stop, RUN_FRAMES):
                for run in self._still:
                    _work_on(run, buses[run.buses, :, at], sent[:, :, at])
                for bus, channel, motion in self._moving:
                    motion.move(buses[bus, :, at], sent[:, :, at], channel, self._frame + at.start)
                for own, of_steps in zip(sent, peaks, strict=True):
                    of_steps[at.start // STEP_FRAMES : steps_of(at.stop)] = find_peaks(own[:, at])

        for _ in each(work, pieces_of(0, frames, STRETCH_FRAMES)):
            pass
        self._frame += frames
        return list(buses), [
            bus.process(own, of_steps, each=each)
            for bus, own, of_steps in zip(self._parallel, sent, peaks, strict=True)
        ]


def _runs(channels: Sequence[Channel], moving: set[int]) -> Iterator[_Run]:
    for (_, moves), company in groupby(enumerate(channels), lambda one: (one[0] // RUN_BUSES, one[0] in moving)):
        if not moves:
            numbers, still = zip(*company, strict=True)
            stays = all(channel.matrix == AS_IT_IS for channel in still)
            become = None if stays else np.array([channel.matrix for channel in still], np.float32).reshape(-1, 2, 2)
            yield _Run(slice(numbers[0], numbers[-1] + 1), become, tuple(_sends(still)))


def _sends(channels: Sequence[Channel]) -> Iterator[tuple[int, np.ndarray]]:
    sends = [channel.sends for channel in channels]
    for number in sorted({number for of_one in sends for number in of_one}):
        of_each = [of_one.get(number) for of_one in sends]
        matrices = np.array([matrix or (0.0,) * 4 for matrix in of_each], np.float32).reshape(-1, 2, 2)
        yield number, matrices.transpose(1, 0, 2).reshape(2, -1)


def _work_on(run: _Run, sound: np.ndarray, sent: np.ndarray) -> None:
    """sound : float32, (buses, 2, frames), in place. sent : (parallel buses, 2, frames), is added to.

    Products of matrices over whole steps: their columns are alike wherever a block is cut, but for single ones.
    """
    buses, _, frames = sound.shape
    whole = sound if frames >= STEP_FRAMES else np.pad(sound, ((0, 0), (0, 0), (0, STEP_FRAMES - frames)))
    for number, matrix in run.sends:
        sent[number] += np.dot(matrix, whole.reshape(2 * buses, -1))[:, :frames]
    if run.become is not None:
        sound[:] = np.matmul(run.become, whole)[:, :, :frames]
