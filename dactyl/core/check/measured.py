"""A kit with what was measured of everything it plays: the one value that the rules read."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from dactyl.core.check.sound import Sound
from dactyl.core.kit import Kit, Layer, Pad, Piece, Sample, Take
from dactyl.core.parts.part import Part
from dactyl.core.play.compile import span_of


class Stretch(NamedTuple):
    """What of a sample is played, as it is heard: backwards its frames count from the end."""

    sha256: str
    start_frame: int
    end_frame: int
    is_reversed: bool


def stretch_of(take: Take, sample: Sample) -> Stretch | None:
    """None where the sample has nothing in the take's span of time."""
    span = span_of(take, sample)
    return None if span is None else Stretch(sample.sha256, span[0], span[1], take.is_reversed)


def stretches_of(kit: Kit) -> dict[Stretch, Sample]:
    """Everything the kit's takes play, each once, in the order of use."""
    found: dict[Stretch, Sample] = {}
    for _, pad in kit.pads():
        for layer in pad.layers:
            for take in layer.takes:
                for _, sample in take.samples:
                    stretch = stretch_of(take, sample)
                    if stretch is not None:
                        found.setdefault(stretch, sample)
    return found


def first_stretches(kit: Kit) -> set[Stretch]:
    """What first mics play: a take's kind is heard by it."""
    takes = [take for _, pad in kit.pads() for layer in pad.layers for take in layer.takes]
    return {stretch for take in takes if (stretch := stretch_of(take, take.samples[0][1])) is not None}


@dataclass(frozen=True, slots=True, eq=False)
class Heard:
    """A take in its place, with what each of its mics plays."""

    piece: Piece
    pad: Pad
    layer: Layer
    layer_number: int  # from 1
    number: int  # of the take in its layer, from 1
    take: Take
    sounds: dict[str, Sound]  # by mic, in the kit's order; those that could be read

    @property
    def first(self) -> Sound:
        return next(iter(self.sounds.values()))

    @property
    def name(self) -> str:
        return f"Take {self.number} of {self.pad.name}, layer {self.layer_number}"

    @property
    def level_db(self) -> float:
        """Of its first mic with its own and its layer's level."""
        return self.first.level_db + self.take.gain_db + self.layer.gain_db


@dataclass(frozen=True, eq=False)
class MeasuredKit:
    kit: Kit
    sounds: Mapping[Stretch, Sound]
    parts: Sequence[Part] = ()  # that are played on it, through its default map
    damage: Mapping[str, str] = field(default_factory=dict)  # by hash of a sample: why it can't be used
    files: Mapping[str, str] = field(default_factory=dict)  # by hash: what it is called

    def __post_init__(self) -> None:
        object.__setattr__(self, "_takes", tuple(self._heard()))
        by_layer: dict[int, list[Heard]] = {}
        by_pad: dict[int, list[Heard]] = {}
        for heard in self._takes:
            by_layer.setdefault(heard.layer.id, []).append(heard)
            by_pad.setdefault(heard.pad.id, []).append(heard)
        object.__setattr__(self, "_by_layer", by_layer)
        object.__setattr__(self, "_by_pad", by_pad)

    def _heard(self) -> Iterator[Heard]:
        for piece, pad in self.kit.pads():
            for layer_number, layer in enumerate(pad.layers, start=1):
                for number, take in enumerate(layer.takes, start=1):
                    found = {
                        mic: self.sounds[stretch]
                        for mic, sample in take.samples
                        if (stretch := stretch_of(take, sample)) in self.sounds
                    }
                    if take.enabled and found:
                        yield Heard(piece, pad, layer, layer_number, number, take, found)

    @property
    def takes(self) -> tuple[Heard, ...]:
        """Those that sound: not switched off, and readable."""
        return self._takes

    @property
    def layers(self) -> list[list[Heard]]:
        """The takes of each layer that has some."""
        return list(self._by_layer.values())

    @property
    def pads(self) -> list[list[Heard]]:
        return list(self._by_pad.values())

    def of_layer(self, layer: Layer) -> list[Heard]:
        return self._by_layer.get(layer.id, [])

    def of_pad(self, pad: Pad) -> list[Heard]:
        return self._by_pad.get(pad.id, [])
