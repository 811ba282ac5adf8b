"""Playing in: each pass is one entry of the history, written once however often it is sent."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from django.db.models import BooleanField
from django.db.models.expressions import RawSQL

from dactyl.core.parts import packed
from dactyl.core.parts.controls import Control, with_recorded
from dactyl.core.parts.part import Event as EventValue
from dactyl.core.parts.part import Part as PartValue
from dactyl.core.parts.reshape import Reshaped, held_inside
from dactyl.core.parts.timing import Grid, tighten
from dactyl.core.units import counted
from dactyl.history.edits import edit
from dactyl.history.models import Revision
from dactyl.parts import blocks, queries
from dactyl.parts.models import Part, Pass


@dataclass(frozen=True, slots=True, kw_only=True)
class Taken:
    """A pass as it was played."""

    name: str  # the page's own: it is written once
    hits: Sequence[EventValue]
    replaces: range | None  # ticks in which it takes away what stood on the notes that were played
    grid: Grid | None = None  # tightened to it as it is recorded; the played places stay known
    strength: float = 0.0
    turn: tuple[int, int] | None = None  # the stretch that was looped
    said: Sequence[Control] = ()  # by controllers
    said_in: range = range(0)  # ticks in which it takes the place of what the same controllers said


def record_pass(part: Part, version: int, taken: Taken) -> tuple[Revision | None, str]:
    """Write a pass. Sent again, as when the answer was lost on its way, it is answered as the first time."""
    if row := Pass.objects.filter(part=part, recorded_as=taken.name).first():
        return _again(part, row)
    if not (taken.hits or taken.said):
        return None, ""
    if _was_undone(part, taken.name):
        return None, "This pass was written, and undone since. Ctrl Y brings it back."
    number = (part.passes.order_by("-number").values_list("number", flat=True).first() or 0) + 1
    removed = _replaced(part, taken) if taken.replaces else ()
    sentence = f"Pass {number}: {counted(len(taken.hits), 'hit')}"
    if taken.replaces:
        sentence += f", {counted(len(removed), 'hit')} taken away"
    if taken.said:
        sentence += ", with what the pedal or the hand said"
    with edit(part, version, sentence) as change:
        row = change.create(Pass(part=part, number=number, recorded_as=taken.name))
        hits = _tightened(queries.about(part), taken) if taken.grid else taken.hits
        own = tuple(hit._replace(pass_id=row.pk) for hit in hits)
        blocks.write(change, blocks.Edited.of(Reshaped(added=own, removed=removed)))
        if taken.said:
            about = queries.about(part)
            kept = with_recorded(about.controls, taken.said, taken.said_in, about.loop_ticks)
            change.update(part, controls=[list(one) for one in kept])
    return change.revision, ""


def _again(part: Part, row: Pass) -> tuple[Revision, str]:
    """The answer to a repetition: the hits of the pass, which nothing changed."""
    rows = blocks.rows(part)
    own = rows[rows["pass_id"] == row.pk]
    said = f"Pass {row.number}: {counted(len(own), 'hit')}"
    steps = [["block", 0, None, {"data": packed.pack(own)}], ["part", part.pk, None, {"controls": part.controls}]]
    return Revision(sentence=said, rows=steps, touched=[]), said


def _was_undone(part: Part, name: str) -> bool:
    undone = Revision.objects.filter(journal=part.journal_id, is_undone=True)
    return undone.filter(RawSQL("instr(rows, %s) > 0", [name], BooleanField())).exists()


def _tightened(about: PartValue, taken: Taken) -> list[EventValue]:
    numbered = [hit._replace(id=place, played_tick=hit.tick) for place, hit in enumerate(taken.hits, start=1)]
    new = held_inside(about, numbered, tighten(about, numbered, taken.grid, taken.strength), taken.turn)
    moved = {hit.id: hit for hit in new}
    return [moved.get(hit.id, hit)._replace(id=0) for hit in numbered]


def _replaced(part: Part, taken: Taken) -> tuple[int, ...]:
    """What stood on the notes that were played, in the stretch that was played over."""
    rows, span = blocks.rows(part), taken.replaces
    played = np.isin(rows["note"], list({hit.note for hit in taken.hits})) & (rows["velocity"] > 0)
    return tuple(rows["id"][played & (rows["tick"] >= span.start) & (rows["tick"] < span.stop)].tolist())


def mute_pass(part: Part, version: int, row: Pass, is_muted: bool) -> Revision | None:
    with edit(part, version, f"Pass {row.number} {'muted' if is_muted else 'heard'}") as change:
        change.update(row, is_muted=is_muted)
    return change.revision


def choose_pass(part: Part, version: int, row: Pass) -> Revision | None:
    """Only this pass is heard."""
    with edit(part, version, f"Only pass {row.number} heard") as change:
        for other in part.passes.all():
            change.update(other, is_muted=other.pk != row.pk)
    return change.revision
