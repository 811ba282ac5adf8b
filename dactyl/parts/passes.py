"""Playing in: each pass is one entry of the history, written once however often it is sent."""

from collections.abc import Sequence

from dactyl.core.parts.part import Event as EventValue
from dactyl.core.parts.part import Part as PartValue
from dactyl.core.parts.reshape import Reshaped
from dactyl.core.parts.timing import Grid, tighten
from dactyl.core.units import counted
from dactyl.history.edits import edit
from dactyl.history.models import Revision
from dactyl.parts import queries
from dactyl.parts.edits import write_events
from dactyl.parts.models import Part, Pass


def record_pass(
    part: Part, version: int, name: str, hits: Sequence[EventValue], *, replace_notes: bool, grid: Grid | None,
    strength: float = 0.0,
) -> Revision | None:  # fmt: skip
    """Write a pass. Where it is written already, as when the answer was lost on its way, nothing changes.

    name : the page's own name of the pass
    replace_notes : whether what stood on the notes that were played goes, in the stretch of the pass
    grid : tightened to it by ``strength`` as it is recorded; the played places stay known
    """
    if not hits or Pass.objects.filter(part=part, recorded_as=name).exists():
        return None
    number = (part.passes.order_by("-number").values_list("number", flat=True).first() or 0) + 1
    sentence = f"Pass {number}: {counted(len(hits), 'hit')}"
    with edit(part, version, sentence) as change:
        row = change.create(Pass(part=part, number=number, recorded_as=name))
        about = queries.about(part)
        if grid:
            hits = _tightened(about, hits, grid, strength)
        removed = _replaced(part, hits) if replace_notes else ()
        own = tuple(hit._replace(pass_id=row.pk) for hit in hits)
        write_events(change, Reshaped(added=own, removed=removed))
    return change.revision


def _tightened(about: PartValue, hits: Sequence[EventValue], grid: Grid, strength: float) -> list[EventValue]:
    numbered = [hit._replace(id=place, played_tick=hit.tick) for place, hit in enumerate(hits)]
    moved = {hit.id: hit for hit in tighten(about, numbered, grid, strength)}
    return [moved.get(hit.id, hit)._replace(id=0) for hit in numbered]


def _replaced(part: Part, hits: Sequence[EventValue]) -> tuple[int, ...]:
    notes = {hit.note for hit in hits}
    return tuple(event.id for event in queries.events(part) if event.velocity and event.note in notes)


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
