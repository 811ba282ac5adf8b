"""Work in steps: generators that say how far they are, and return what they made."""

from collections.abc import Generator
from typing import Any, TypeVar

Made = TypeVar("Made")


def result_of(steps: Generator[Any, None, Made]) -> Made:
    """Do all steps, whatever they say."""
    while True:
        try:
            next(steps)
        except StopIteration as end:
            return end.value
