"""Curves of a part as a file beside its MIDI file (docs/formats.md); the file says how it counts its ticks."""

from dataclasses import replace

import orjson

from dactyl.core.errors import KitError, PartError
from dactyl.core.formats.values import from_json, to_json
from dactyl.core.parts.curves import MOST_TICKS, Curve, check, counted_as
from dactyl.core.parts.part import Part

MAX_BYTES = 16 * 1024 * 1024
LATEST_TICK = 1 << 40  # of a point in a file; what stands behind the part's end is cut


def write_curves(part: Part) -> bytes:
    written = {"ticks_per_beat": part.ticks_per_beat, "curves": [to_json(curve) for curve in part.curves]}
    return orjson.dumps(written, option=orjson.OPT_INDENT_2)


def read_curves(data: bytes, name: str, part: Part) -> Part:
    """The part with the curves of a file: in the part's own ticks, and up to its end. A file that does not say how it counts
    its ticks counts as the part does.

    raises : PartError where it holds none, or some that can't be
    """
    if len(data) > MAX_BYTES:
        raise PartError(f"{name} is larger than {MAX_BYTES >> 20} MB; no file of curves is.")
    try:
        found = orjson.loads(data)
    except orjson.JSONDecodeError as problem:
        raise PartError(
            f"{name} can't be read as JSON. Choose a file of curves, as a part is exported with."
        ) from problem
    if not isinstance(found, dict) or not {"curves"} <= set(found) <= {"curves", "ticks_per_beat"}:
        raise PartError(f'{name} holds no curves. A file of curves is {{"curves": […]}}, as a part is exported with.')
    ticks = found.get("ticks_per_beat", part.ticks_per_beat)
    if type(ticks) is not int or not 1 <= ticks <= MOST_TICKS:
        raise PartError(f"{name} counts {str(ticks)[:20]} ticks a beat; 1 to {MOST_TICKS:,} can be.")
    try:
        curves = check(from_json(tuple[Curve, ...], found["curves"], "curves"), LATEST_TICK)
    except (KitError, PartError) as problem:
        raise PartError(f"{name}: {problem}") from problem
    return replace(part, curves=counted_as(curves, ticks, part.ticks_per_beat, part.loop_ticks))
