"""How the history names what an edit touched."""

from collections.abc import Sequence

from dactyl.core.units import counted
from dactyl.kits.models import Pad, Take


def pads_named(pads: Sequence[Pad]) -> str:
    return pads[0].full_name if len(pads) == 1 else counted(len(pads), "pad")


def takes_named(takes: Sequence[Take]) -> str:
    """``"take 3 of Snare"``, ``"4 takes of Snare"``, ``"4 takes"``."""
    pads = {take.layer.pad.pk: take.layer.pad for take in takes}
    what = f"take {takes[0].position + 1}" if len(takes) == 1 else f"{len(takes)} takes"
    return f"{what} of {next(iter(pads.values())).full_name}" if len(pads) == 1 else what
