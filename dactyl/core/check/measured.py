"""A kit with what was measured of everything it plays: the one value that the rules read."""

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import InitVar, dataclass, field, replace
from itertools import chain
from typing import Any, NamedTuple, TypeVar

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


T = TypeVar("T")


def stretches_of(kit: Kit, but: Collection[int] = ()) -> dict[Stretch, Sample]:
    """Everything the kit's takes play, each once, in the order of use. but : ids of pads that are passed over"""
    found: dict[Stretch, Sample] = {}
    for _, pad in kit.pads():
        for layer in pad.layers if pad.id not in but else ():
            for take in layer.takes:
                for _, sample in take.samples:
                    stretch = stretch_of(take, sample)
                    if stretch is not None:
                        found.setdefault(stretch, sample)
    return found


def first_stretches(kit: Kit, but: Collection[int] = ()) -> set[Stretch]:
    """What first mics play: a take's kind is heard by it. but : as above"""
    takes = [take for _, pad in kit.pads() if pad.id not in but for layer in pad.layers for take in layer.takes]
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
    first: Sound  # of its first mic

    @property
    def name(self) -> str:
        return f"Take {self.number} of {self.pad.name}, layer {self.layer_number}"

    @property
    def level_db(self) -> float:
        """Of its first mic with its own and its layer's level."""
        return self.first.level_db + self.take.gain_db + self.layer.gain_db


@dataclass(frozen=True, eq=False)
class Kept:
    """What of a measured kit holds for the kit as it is now: after an edit of one pad, nearly all."""

    groups: Mapping[int, list[Heard]] = field(default_factory=dict)  # of pads that are as they were, all of them heard
    sounds: Mapping[Stretch, Sound] = field(default_factory=dict)
    made: Mapping[tuple[Any, int], Any] = field(default_factory=dict)  # of those groups


NOTHING_KEPT = Kept()


@dataclass(frozen=True, eq=False)
class MeasuredKit:
    kit: Kit
    sounds: Mapping[Stretch, Sound]
    parts: Sequence[Part] = ()  # that are played on it, through its default map
    damage: Mapping[str, str] = field(default_factory=dict)  # by hash of a sample: why it can't be used
    files: Mapping[str, str] = field(default_factory=dict)  # by hash: what it is called
    kept: InitVar[Kept] = NOTHING_KEPT

    def __post_init__(self, kept: Kept) -> None:
        groups = ((pad.id, kept.groups.get(pad.id) or list(self._heard(piece, pad))) for piece, pad in self.kit.pads())
        by_pad = {pad: group for pad, group in groups if group}
        by_layer: dict[int, list[Heard]] = {}
        for heard in chain.from_iterable(by_pad.values()):
            by_layer.setdefault(heard.layer.id, []).append(heard)
        object.__setattr__(self, "_takes", tuple(chain.from_iterable(by_pad.values())))
        object.__setattr__(self, "_by_layer", by_layer)
        object.__setattr__(self, "_by_pad", by_pad)
        object.__setattr__(self, "_made", dict(kept.made))

    def _heard(self, piece: Piece, pad: Pad) -> Iterator[Heard]:
        for layer_number, layer in enumerate(pad.layers, start=1):
            for number, take in enumerate(layer.takes, start=1):
                found = {
                    mic: self.sounds[stretch]
                    for mic, sample in take.samples
                    if (stretch := stretch_of(take, sample)) in self.sounds
                }
                if take.enabled and found:
                    first = next(iter(found.values()))
                    yield Heard(piece, pad, layer, layer_number, number, take, found, first)

    def kept_for(self, kit: Kit) -> Kept:
        """What of it holds for another state of its kit."""
        if kit.mics != self.kit.mics:
            return Kept(sounds=self.sounds)
        groups = {}
        for piece in kit.pieces:
            alone = replace(piece, pads=())
            for pad in piece.pads:
                group = self._by_pad.get(pad.id)
                if group and _is_whole(group, pad) and replace(group[0].piece, pads=()) == alone:
                    groups[pad.id] = group
        lists = {id(group) for group in groups.values()}
        return Kept(groups, self.sounds, {key: made for key, made in self._made.items() if key[1] in lists})

    def of_each_pad(self, make: Callable[["MeasuredKit", list[Heard]], Iterable[T]]) -> Iterator[list[T]]:
        """What `make` makes of each pad's takes, by them and the kit's mics alone; made anew only where these change."""
        for group in self.pads:
            key = make, id(group)
            if key not in self._made:
                self._made[key] = list(make(self, group))
            yield self._made[key]

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


def _is_whole(group: list[Heard], pad: Pad) -> bool:
    """Whether these are all the takes of a pad that is still as it was, with all their mics."""
    sounding = sum(len(take.samples) for layer in pad.layers for take in layer.takes if take.enabled)
    return group[0].pad == pad and sum(len(heard.sounds) for heard in group) == sounding
