"""How the history names what an edit touched."""

from collections.abc import Mapping, Sequence
from typing import Any

from dactyl.core.units import counted
from dactyl.kits.fields import Field
from dactyl.kits.models import Pad, Take


def pads_named(pads: Sequence[Pad]) -> str:
    return pads[0].full_name if len(pads) == 1 else counted(len(pads), "pad")


def takes_named(takes: Sequence[Take]) -> str:
    """``"take 3 of Snare"``, ``"4 takes of Snare"``, ``"4 takes"``."""
    pads = {take.layer.pad.pk: take.layer.pad for take in takes}
    what = f"take {takes[0].position + 1}" if len(takes) == 1 else f"{len(takes)} takes"
    return f"{what} of {next(iter(pads.values())).full_name}" if len(pads) == 1 else what


def settings_named(table: Mapping[str, Field], values: Mapping[str, Any], of: str) -> str:
    """``"Level of Snare: −3.0 dB"``, ``"Start and end of take 2 of Snare"``"""
    name = " and ".join(dict.fromkeys(table[field].words.lower() for field in values))
    said = [table[field].said(value) for field, value in values.items()]
    return f"{name[:1].upper()}{name[1:]} of {of}" + (f": {said[0]}" if len(said) == 1 and said[0] else "")
