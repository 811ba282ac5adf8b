"""Time a thing and its floor in turns, so that both meet the same machine."""

import gc
import os
import time
from collections.abc import Callable
from dataclasses import dataclass

SMALL = "DACTYL_BENCH_SMALL"  # set: everything runs, at sizes that say nothing


def sized(full: int, small: int) -> int:
    return small if os.environ.get(SMALL) else full


@dataclass(frozen=True, slots=True)
class Row:
    name: str
    figure: str  # what was measured, in words
    ratio: float | None  # against the floor; None where there is a count or a time only
    target: str
    is_met: bool


def seconds(work: Callable[[], object]) -> float:
    gc.collect()
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def against(work: Callable[[], object], floor: Callable[[], object], rounds: int = 3) -> tuple[float, float]:
    """The best time of each, taken in turns."""
    times = [(seconds(work), seconds(floor)) for _ in range(rounds)]
    return min(time for time, _ in times), min(time for _, time in times)


def ratio_row(name: str, work_seconds: float, floor_seconds: float, most: float, floor_name: str) -> Row:
    ratio = work_seconds / floor_seconds
    figure = f"{work_seconds:.2f} s against {floor_seconds:.2f} s of {floor_name}"
    return Row(name, figure, ratio, f"at most {most:g} x", ratio <= most)
