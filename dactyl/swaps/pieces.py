"""All pieces of all kits, as drums that might stand in another's place: what each sounds like, in a constant number of queries."""

from collections import defaultdict
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field

from django.db.models import Avg, Max, Q

from dactyl.core.kinds import KINDS
from dactyl.core.stack.hearing import family_of
from dactyl.kits.models import Layer, Pad, Take, TakeSample
from dactyl.kits.queries import with_levels
from dactyl.shelf.queries import LONGEST

MOST = 200


@dataclass(slots=True)
class Articulation:
    id: int  # of its pad
    name: str
    kind: str
    layers: list[tuple[int, int, list[float]]] = field(default_factory=list)  # (low, high, levels of its takes)

    @property
    def hard_db(self) -> float | None:
        """The mean level of its loudest layer."""
        levels = self.layers[-1][2] if self.layers else []
        return sum(levels) / len(levels) if levels else None


@dataclass(slots=True)
class Drum:
    """A piece of some kit."""

    kit: int
    kit_name: str
    piece: int | str  # its key, or of samples that are in no kit what shelf_drums calls them
    name: str
    articulations: list[Articulation]
    mics: list[str] = field(default_factory=list)
    seconds: float = 0.0
    brightness_hz: float = 0.0

    @property
    def kind(self) -> str:
        return self.articulations[0].kind


def kinds_like(kind: str) -> set[str]:
    """The kinds of a kind's family."""
    return {other.slug for other in KINDS if family_of(other.slug) == family_of(kind)}


def drums(kinds: Collection[str] = (), words: str = "", *, but: int = 0, kit: int = 0) -> list[Drum]:
    """Pieces with takes that have a pad of one of the kinds, by kit and place. but : a piece that is left out"""
    pads = Pad.objects.filter(kit__is_put_away=False).exclude(piece=but).select_related("piece", "kit")
    if kinds:
        pads = pads.filter(piece__in=Pad.objects.filter(kind__in=kinds).values("piece"))
    if kit:
        pads = pads.filter(kit=kit)
    for word in words[:LONGEST].split()[:8]:
        pads = pads.filter(Q(piece__name__icontains=word) | Q(name__icontains=word) | Q(kit__name__icontains=word))
    of_pad = {pad.pk: pad for pad in pads.order_by("kit__name", "kit", "position")[: MOST * 4]}
    found: dict[int, Drum] = {}
    for key, own in _articulations(of_pad).items():
        pad = of_pad[key]
        drum = found.setdefault(pad.piece_id, Drum(pad.kit_id, pad.kit.name, pad.piece_id, pad.piece.name or pad.full_name, []))  # fmt: skip
        drum.articulations.append(own)
    _measures(found)
    return list(found.values())[:MOST]


def _articulations(pads: dict[int, Pad]) -> dict[int, Articulation]:
    """Those that have takes, with the levels of their layers."""
    made = {key: Articulation(key, pad.full_name, pad.kind) for key, pad in pads.items()}
    layers = {}
    for pk, pad, high, gain_db in Layer.objects.filter(pad__in=pads).values_list("pk", "pad", "high", "gain_db"):
        low = made[pad].layers[-1][1] + 1 if made[pad].layers else 1
        layers[pk] = (gain_db, (low, high, []))
        made[pad].layers.append(layers[pk][1])
    takes = with_levels(Take.objects.filter(layer__pad__in=pads, is_enabled=True))
    for layer, gain_db, level_db in takes.values_list("layer", "gain_db", "level_db"):
        if level_db is not None:
            layers[layer][1][2].append(level_db + gain_db + layers[layer][0])
    return {key: one for key, one in made.items() if any(levels for _, _, levels in one.layers)}


def _measures(found: dict[int, Drum]) -> None:
    mics = defaultdict(list)
    rows = TakeSample.objects.filter(take__layer__pad__piece__in=found)
    for piece, mic in rows.order_by("mic__position").values_list("take__layer__pad__piece", "mic__name").distinct():
        mics[piece].append(mic)
    measures = rows.order_by().values("take__layer__pad__piece").annotate(
        seconds=Max("sample__seconds"), bright=Avg("sample__brightness_hz")
    )  # fmt: skip
    for row in measures:
        drum = found[row["take__layer__pad__piece"]]
        drum.seconds, drum.brightness_hz = row["seconds"], row["bright"]
    for piece, drum in found.items():
        drum.mics = mics[piece]


def drum_of(piece: int, pads: Collection[int] = ()) -> Drum | None:
    """One piece, or some of its pads; None where it has no takes. It may be of a kit that is put away."""
    of_pad = {
        pad.pk: pad for pad in Pad.objects.filter(piece=piece).select_related("piece", "kit").order_by("position")
    }
    some = {key: pad for key, pad in of_pad.items() if not pads or key in pads}
    own = list(_articulations(some).values())
    first = next(iter(of_pad.values()), None)
    if not own:
        return None
    drum = Drum(first.kit_id, first.kit.name, piece, first.piece.name or first.full_name, own)
    _measures({piece: drum})
    return drum


def level_gains(ours: Drum, theirs: Drum, pairs: Mapping[int, int | None]) -> dict[int, float]:
    """By pad what makes the other drum's hardest hits as loud as its own."""
    own = {one.id: one.hard_db for one in ours.articulations}
    other = {one.id: one.hard_db for one in theirs.articulations}
    known = {pad: (own.get(pad), other.get(with_)) for pad, with_ in pairs.items()}
    return {pad: round(a - b, 2) for pad, (a, b) in known.items() if a is not None and b is not None}
