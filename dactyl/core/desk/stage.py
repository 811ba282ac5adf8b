"""What comes after the sum of an output's voices: channels to stems, and the parallel bus, block by block."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from types import MappingProxyType

import numpy as np

from dactyl.core.desk.moving import Motion
from dactyl.core.desk.parallel import ParallelBus
from dactyl.core.desk.tables import Desk, become, become_and_send, pieces_of


class Stage:
    """The desk over buses that each are part of an output. It has a state only where there is a parallel bus."""

    def __init__(
        self, desk: Desk, output_of_bus: Sequence[int], motions: Mapping[int, Motion] = MappingProxyType({})
    ) -> None:
        """motions : of outputs that move, by their number"""
        self._channels = [desk.channels[output] for output in output_of_bus]
        self._matrices = [(channel.matrix, channel.to_bus, channel.bus) for channel in self._channels]
        self._motions = [motions.get(output) for output in output_of_bus]
        self._parallel = [ParallelBus(compressor) for compressor in desk.compressors]
        self._frame = 0

    def process(
        self, buses: np.ndarray, *, is_last: bool, each: Callable[..., Iterable[np.ndarray]] = map
    ) -> tuple[list[np.ndarray], list[np.ndarray]]:
        """buses : float32, (buses, 2, frames), a block of whole steps unless it is the last one. each : ``map``, or a pool's

        Makes of each bus what leaves, in place, and returns them, and what the parallel buses play beside them.
        """
        sent = np.zeros((len(self._parallel), *buses.shape[1:]), np.float32)
        first = self._frame

        def work(at: slice) -> None:
            for number, (bus, (matrix, to_bus, parallel)) in enumerate(zip(buses, self._matrices, strict=True)):
                if motion := self._motions[number]:
                    motion.move(
                        bus[:, at], sent[parallel, :, at] if to_bus else None, self._channels[number], first + at.start
                    )
                    continue
                if to_bus:
                    become_and_send(bus[:, at], sent[parallel, :, at], matrix, to_bus)
                else:
                    become(bus[:, at], matrix)

        for _ in each(work, pieces_of(buses.shape[2])):
            pass
        self._frame += buses.shape[2]
        played = [bus.process(own, is_last=is_last, each=each) for bus, own in zip(self._parallel, sent, strict=True)]
        return list(buses), played
