"""What comes after the sum of an output's voices: channels to stems, and the parallel bus, block by block."""

from collections.abc import Callable, Iterable, Sequence

import numpy as np

from dactyl.core.desk.parallel import ParallelBus
from dactyl.core.desk.tables import Desk, add_matrix, become, pieces_of


class Stage:
    """The desk over buses that each are part of an output. It has a state only where there is a parallel bus."""

    def __init__(self, desk: Desk, output_of_bus: Sequence[int]) -> None:
        self._channels = [desk.channels[output] for output in output_of_bus]
        self._parallel = [ParallelBus(compressor) for compressor in desk.compressors]

    def process(
        self, buses: np.ndarray, *, is_last: bool, each: Callable[..., Iterable[np.ndarray]] = map
    ) -> tuple[list[np.ndarray], list[np.ndarray]]:
        """buses : float32, (buses, 2, frames), a block of whole steps unless it is the last one. each : ``map``, or a pool's

        Makes of each bus what leaves, in place, and returns them, and what the parallel buses play beside them.
        """
        sent = np.zeros((len(self._parallel), *buses.shape[1:]), np.float32)

        def work(at: slice) -> None:
            for bus, channel in zip(buses, self._channels, strict=True):
                if channel.to_bus:
                    add_matrix(sent[channel.bus, :, at], bus[:, at], channel.to_bus)
                become(bus[:, at], channel.matrix)

        for _ in each(work, pieces_of(buses.shape[2])):
            pass
        played = [bus.process(own, is_last=is_last) for bus, own in zip(self._parallel, sent, strict=True)]
        return list(buses), played
