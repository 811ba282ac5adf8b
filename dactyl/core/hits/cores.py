"""What is worked out for each track of a recording by itself, on more than one core: numpy and scipy let others work meanwhile."""

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

CORES = 2
Result = TypeVar("Result")


def on_cores(function: Callable[..., Result], *rows: Iterable) -> list[Result]:
    """``function`` of each row, or of the rows of several side by side, in their order."""
    with ThreadPoolExecutor(CORES) as pool:
        return list(pool.map(function, *rows))
