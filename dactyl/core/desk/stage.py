"""What comes after the sum of an output's voices: channels to stems, and the parallel bus, block by block."""

from collections.abc import Callable, Iterable, Sequence

import numpy as np

from dactyl.core.desk.parallel import ParallelBus
from dactyl.core.desk.tables import Desk, add_matrix, become, pieces_of


class Stage:
    """The desk over buses that each are part of an output. It has a state only where there is a parallel bus."""

    def __init__(self, desk: Desk, output_of_bus: Sequence[int]) -> None:
        self._channels = [desk.channels[output] for output in output_of_bus]
        self._bus = ParallelBus(desk.compressor) if desk.compressor else None

    @property
    def has_bus(self) -> bool:
        return self._bus is not None

    def process(
        self, buses: np.ndarray, *, is_last: bool, each: Callable[..., Iterable[np.ndarray]] = map
    ) -> tuple[list[np.ndarray], np.ndarray | None]:
        """buses : float32, (buses, 2, frames), a block of whole steps unless it is the last one. each : ``map``, or a pool's

        Makes of each bus what leaves, in place, and returns them, and what the parallel bus plays beside them.
        """
        sent = np.zeros(buses.shape[1:], np.float32) if self._bus else None

        def work(at: slice) -> None:
            for bus, channel in zip(buses, self._channels, strict=True):
                if sent is not None and channel.to_bus:
                    add_matrix(sent[:, at], bus[:, at], channel.to_bus)
                become(bus[:, at], channel.matrix)

        for _ in each(work, pieces_of(buses.shape[2])):
            pass
        return list(buses), None if sent is None else self._bus.process(sent, is_last=is_last)
