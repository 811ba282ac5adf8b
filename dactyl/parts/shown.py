"""A part as the page reads it: tables of numbers, whole or what an edit changed. ``docs/formats.md`` describes them."""

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from typing import Any

import numpy as np

from dactyl.core.formats.notes import note_label
from dactyl.core.parts import packed
from dactyl.core.parts.controls import CHANNEL_PRESSURE, CONTROLLER, KEY_PRESSURE
from dactyl.core.parts.part import Event
from dactyl.core.parts.part import Part as PartValue
from dactyl.history.models import Revision
from dactyl.history.queries import undo_state
from dactyl.kits.models import Kit
from dactyl.kits.queries import PadRow, sheet_rows
from dactyl.kits.staircase import level_table
from dactyl.parts import blocks, queries
from dactyl.parts.models import Part

CONTROLS = ("", "")  # stands for all that controllers say, where it is told what an edit changed
SAID = (CONTROLLER, CHANNEL_PRESSURE, KEY_PRESSURE)  # kinds by the numbers that the page has for them
COLUMNS = ("id", "tick", "order", "note", "velocity", "channel", "length", "played", "pass", "frame", "until")
STORED = (
    "id",
    "tick",
    "order",
    "note",
    "velocity",
    "channel",
    "length_ticks",
    "played_tick",
    "pass_id",
)  # of packed.ROW


def whole(part: Part, rate_hz: int) -> dict[str, Any]:
    """Everything: what it is, its passes, its events by column."""
    value = queries.about(part)
    return {**_about(part, value, rate_hz), "events": _rows(value, blocks.rows(part), rate_hz)}


def changed(part: Part, revision: Revision | None, rate_hz: int) -> dict[str, Any]:
    """What an edit changed; the whole part where its time map did. Of automation what it changed, and nothing else."""
    rows = revision.rows if revision else []
    if any(table == "part" and _moves_time(before, after) for table, _, before, after in rows):
        return {**whole(part, rate_hz), "isWhole": True}
    value = queries.about(part)
    keys = _keys([(before, after) for table, _, before, after in rows if table == "block"])
    now = blocks.rows_of(part, keys)
    about = _about(part, value, rate_hz, moved=_moved(rows))
    return {
        **about,
        "events": _rows(value, now, rate_hz),
        "removed": np.setdiff1d(keys, now["id"], assume_unique=True).tolist(),
    }


def _keys(states: Sequence[tuple[dict | None, dict | None]]) -> np.ndarray:
    """Of the hits that blocks hold otherwise after an edit than before it, one way or the other."""
    found = []
    for before, after in states:
        was, now = (packed.unpack(state["data"]) if state else packed.NONE for state in (before, after))
        changed, gone = packed.different(was, now)
        found += [changed["id"], gone]
    return packed.distinct(np.concatenate([packed.NONE["id"], *found]))


def _moved(rows: Iterable[list]) -> set[tuple[str, str]]:
    """Which automation an edit, or several at once, changed: (of, what)."""
    found = set()
    for before, after in ((before or {}, after or {}) for table, _, before, after in rows if table == "part"):
        was, now = ({(of, what): points for of, what, points in state.get("curves") or []} for state in (before, after))
        found |= {key for key in {*was, *now} if was.get(key) != now.get(key)}
        found |= {CONTROLS} if "controls" in before or "controls" in after else set()
    return found


def _moves_time(before: dict | None, after: dict | None) -> bool:
    return bool({"tempos", "meters", "ticks_per_beat"} & {*(before or {}), *(after or {})})


ALONG: dict[str, Callable[[Part], Any]] = {}
"""What apps above tell of a part with every answer, by its name there."""


def _about(
    part: Part, value: PartValue, rate_hz: int, *, moved: Collection[tuple[str, str]] | None = None
) -> dict[str, Any]:
    """moved : the automation that is told, and what of it is gone; None: all there is"""
    now, frame_at, seconds_at = undo_state(part), value.frames(rate_hz), value.seconds()
    return {
        "id": part.pk,
        "version": part.version,
        "name": part.name,
        "writtenFor": part.written_for,
        "rate": rate_hz,
        "ticksPerBeat": part.ticks_per_beat,
        "tempos": part.tempos,
        "tempoFrames": [frame_at(tick) for tick, _ in value.tempos],
        "tempoTimes": value.tempo_times,
        "meters": part.meters,
        "sections": part.sections,
        "curves": [
            [curve.of, curve.what, [[tick, at, seconds_at(tick) * rate_hz] for tick, at in curve.points]]
            for curve in value.curves
            if moved is None or (curve.of, curve.what) in moved
        ],
        "curvesGone": None
        if moved is None
        else sorted(set(moved) - {CONTROLS} - {(one.of, one.what) for one in value.curves}),
        **_controls(value, frame_at, moved),
        **{name: tell(part) for name, tell in ALONG.items()},
        "bars": value.bars,
        "bpm": round(value.bpm, 3),
        "loopTicks": value.loop_ticks,
        "loopFrames": value.loop_frames(rate_hz),
        "passes": list(part.passes.values_list("pk", "number", "is_muted")),
        "undoes": now.undoes.sentence if now.undoes else "",
        "redoes": now.redoes.sentence if now.redoes else "",
        "changes": now.done,
    }


def _controls(value: PartValue, frame_at: Callable[[int], int], moved: Collection | None) -> dict[str, Any]:
    """What controllers say: [frame, tick, kind, number, value, channel]; left out where an edit did not change it."""
    if moved is not None and CONTROLS not in moved:
        return {}
    return {
        "controls": [
            [frame_at(c.tick), c.tick, SAID.index(c.kind), c.number, c.value, c.channel] for c in value.controls
        ]
    }


def _rows(value: PartValue, rows: np.ndarray, rate_hz: int) -> list[list[int]]:
    """Rows in the order of COLUMNS; ``until`` is the frame of its note-off, 0 where nothing ends it."""
    ticks, lengths = rows["tick"], rows["length_ticks"]
    until = np.where(lengths > 0, value.frames_of(ticks + lengths, rate_hz), 0)
    own = [rows[name] for name in STORED]
    return np.column_stack([*own, value.frames_of(ticks, rate_hz), until]).tolist()


def preview(
    part: Part, changed_: Sequence[Event], added: Sequence[Event], removed: Iterable[int], rate_hz: int
) -> dict:
    """What an operation would make, before it is done."""
    value = queries.about(part)
    return {
        "changed": _rows(value, packed.rows_of(changed_), rate_hz),
        "added": _rows(value, packed.rows_of(added), rate_hz),
        "removed": list(removed),
    }


def lanes(kit: Kit, middle_c_octave: int, table: Mapping[int, int] | None = None) -> dict[str, Any]:
    """The filled pads of a kit in the order of the sheet, with the level that each velocity would be heard at.

    table : what the part's notes become in the kit's map, where it was written for others
    """
    return {
        "lanes": lanes_of(kit, table),
        "notes": [note_label(note, middle_c_octave=middle_c_octave) for note in range(128)],
        "outputs": list(kit.outputs.values_list("name", flat=True)),
        "groups": list(kit.output_groups.values_list("name", flat=True)),
    }


def lanes_of(kit: Kit, table: Mapping[int, int] | None = None) -> list[dict[str, Any]]:
    return [_lane(row, table) for row in sheet_rows(kit) if not row.is_empty]


def _lane(row: PadRow, table: Mapping[int, int] | None) -> dict[str, Any]:
    return {
        "pad": row.pad.pk,
        "name": row.name,
        "piece": row.pad.piece_id,
        "pieceName": row.pad.piece.name,
        "kind": row.kind,
        "notes": row.notes if table is None else [note for note, to in table.items() if to in row.notes],
        "borders": [layer.high for layer in row.layers[:-1]],
        "levels": [round(level, 1) for level in level_table(row)],
        "output": row.output.position,
        "controller": row.pad.piece.controller if row.pad.open_to is not None and row.pad.piece.shared_by else None,
    }
