"""What comes after the sum of an output's voices: channels to stems, and the parallel bus, block by block."""

from collections.abc import Callable, Iterable, Sequence

import numpy as np

from dactyl.core.desk.parallel import ParallelBus
from dactyl.core.desk.tables import Desk, apply_matrix


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

        Returns each bus as it leaves, and what the parallel bus plays beside them.
        """
        left = list(each(apply_matrix, buses, [channel.matrix for channel in self._channels]))
        if self._bus is None:
            return left, None
        sent = np.zeros(buses.shape[1:], np.float32)
        for bus, channel in zip(buses, self._channels, strict=True):
            if channel.to_bus:
                sent += apply_matrix(bus, channel.to_bus)
        return left, self._bus.process(sent, is_last=is_last)
