"""Curves of a part as a file beside its MIDI file (docs/formats.md): ticks are those of that file."""

from dataclasses import replace

import orjson

from dactyl.core.errors import KitError, PartError
from dactyl.core.formats.midi import as_fine_as_files
from dactyl.core.formats.values import from_json, to_json
from dactyl.core.parts.curves import Curve, check
from dactyl.core.parts.part import Part

MAX_BYTES = 16 * 1024 * 1024


def write_curves(part: Part) -> bytes:
    return orjson.dumps(
        {"curves": [to_json(curve) for curve in as_fine_as_files(part).curves]}, option=orjson.OPT_INDENT_2
    )


def read_curves(data: bytes, name: str, part: Part) -> Part:
    """The part with the curves of a file. raises : PartError where it holds none, or some that can't be"""
    if len(data) > MAX_BYTES:
        raise PartError(f"{name} is larger than {MAX_BYTES >> 20} MB; no file of curves is.")
    try:
        found = orjson.loads(data)
    except orjson.JSONDecodeError as problem:
        raise PartError(
            f"{name} can't be read as JSON. Choose a file of curves, as a part is exported with."
        ) from problem
    if not isinstance(found, dict) or set(found) != {"curves"}:
        raise PartError(f'{name} holds no curves. A file of curves is {{"curves": […]}}, as a part is exported with.')
    try:
        curves = from_json(tuple[Curve, ...], found["curves"], "curves")
        return replace(part, curves=check(curves, part.loop_ticks))
    except (KitError, PartError) as problem:
        raise PartError(f"{name}: {problem}") from problem
