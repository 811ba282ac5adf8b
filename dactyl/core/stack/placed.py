"""A file on its way to a place in the proposal."""

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable
from dataclasses import dataclass, field

from dactyl.core.audio.measure import Measure
from dactyl.core.stack.names import Named


@dataclass(slots=True)
class PlacedFile:
    """One file, and the place its name gives it."""

    named: Named
    measure: Measure
    channels: int = 1
    frames: int = 0
    pad: tuple[str, ...] = ()  # words that tell the pad apart
    layer: float | None = None
    take: tuple[int, ...] = ()  # orders takes; () where the name says nothing
    mic: str = ""
    doubts: list[str] = field(default_factory=list)

    @property
    def level_db(self) -> float:
        return self.measure.level_db


def grouped(hits: Iterable[PlacedFile], key: Callable[[PlacedFile], Hashable]) -> dict[Hashable, list[PlacedFile]]:
    """Hits by what ``key`` says of them, in their order."""
    groups: dict[Hashable, list[PlacedFile]] = defaultdict(list)
    for hit in hits:
        groups[key(hit)].append(hit)
    return groups
