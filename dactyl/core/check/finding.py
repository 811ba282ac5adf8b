"""What the check says: findings with their places, and the changes that would mend them."""

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from dactyl.core.kit import ChokeGroup, Kit, Layer, Pad, Take

WRONG, DOUBTFUL, NOTE = "wrong", "doubtful", "note"
SURE_TIMES, LIKELY_TIMES = 2.0, 1.3  # as far off as it must be to be told
SEVERITIES = {WRONG: "wrong", DOUBTFUL: "doubtful", NOTE: "worth knowing"}
"""The most severe first, with their words."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """Where in a kit, as far as there is such. Numbers count from 1, ids are the kit's own."""

    pad: int | None = None
    layer: int | None = None  # number
    take: int | None = None  # number in its layer
    take_id: int | None = None
    mic: str = ""
    note: int | None = None
    output: str = ""
    sha256: str = ""  # of the sample in question


@dataclass(frozen=True, slots=True)
class Change:
    """One setting of one row of the kit: what a mend does. of : "take", "layer" or "pad"; a pad's may be "note" or "choke"."""

    of: str
    id: int
    setting: str
    value: Any


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    rule: str  # a key of rules of check.RULES
    severity: str  # a key of SEVERITIES
    place: Place
    message: str  # one sentence: what, where, how much
    measured: float | None = None
    usual: float | None = None  # in this kit
    limit: float | None = None  # how far from that it must be to be told, in the same unit; None: nothing to measure
    unit: str = ""
    fellow: int | None = None  # id of a take to hear beside it
    mend: tuple[Change, ...] = ()
    mend_words: str = ""  # what the mend does: "Start it 11.8 ms later"

    @property
    def key(self) -> str:
        """The same as long as nothing of it changes: what is left once is told again only where it does."""
        told = f"{self.rule} {self.place.pad} {self.place.take_id} {self.place.sha256} {self.message}"
        return hashlib.sha256(told.encode()).hexdigest()[:24]

    @property
    def times(self) -> float | None:
        """How many times as far off as it must be to be told."""
        if not self.limit or self.measured is None or self.usual is None:
            return None
        return abs(self.measured - self.usual) / self.limit

    @property
    def sureness(self) -> str:
        """How sure it is, as a sentence: by how much it is off, against what is told at all."""
        times = self.times
        if times is None:
            return {WRONG: "Sure.", DOUBTFUL: "Perhaps: it is yours to judge."}.get(self.severity, "")
        off = abs(self.measured - self.usual)
        is_sure = times >= SURE_TIMES or self.severity == WRONG
        how = "Sure" if is_sure else "Likely" if times >= LIKELY_TIMES else "Perhaps"
        if self.unit == "full scale":
            return f"{how}: {off:.1%} of full scale off; it is told from {self.limit:.1%} on."
        unit = f" {self.unit}" if self.unit else ""
        return f"{how}: {off:.3g}{unit} off; it is told from {self.limit:.3g}{unit} on."


@dataclass(slots=True)
class _Changes:
    """Changes by what they are of, and its id."""

    by_row: dict[tuple[str, int], dict[str, Any]] = field(default_factory=dict)

    def of(self, what: str, row_id: int) -> Mapping[str, Any]:
        return self.by_row.get((what, row_id), {})


def mended(kit: Kit, changes: tuple[Change, ...]) -> Kit:
    """The kit with these settings, and nothing else changed."""
    found = _Changes()
    for change in changes:
        found.by_row.setdefault((change.of, change.id), {})[change.setting] = change.value
    pieces = tuple(replace(piece, pads=tuple(_pad(pad, found) for pad in piece.pads)) for piece in kit.pieces)
    notes = tuple((change.value, change.id) for change in changes if change.setting == "note")
    maps = (replace(kit.maps[0], notes=(*kit.maps[0].notes, *notes)), *kit.maps[1:])
    return replace(kit, pieces=pieces, maps=maps)


def _pad(pad: Pad, changes: _Changes) -> Pad:
    values = dict(changes.of("pad", pad.id))
    values.pop("note", None)
    if "choke" in values:
        letter, fade_ms = values["choke"]
        values["choke"] = ChokeGroup(letter=letter, fade_ms=fade_ms)
    layers = tuple(_layer(layer, changes) for layer in pad.layers)
    return replace(pad, layers=layers, **values) if values or layers != pad.layers else pad


def _layer(layer: Layer, changes: _Changes) -> Layer:
    takes = tuple(_take(take, changes) for take in layer.takes)
    values = changes.of("layer", layer.id)
    return replace(layer, takes=takes, **values) if values or takes != layer.takes else layer


def _take(take: Take, changes: _Changes) -> Take:
    values = changes.of("take", take.id)
    return replace(take, **values) if values else take
