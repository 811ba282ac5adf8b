"""A part written for other notes: a table from its notes to a kit's, proposed from names and kinds, with its doubts.

The part is never changed by playing it; ``applied`` writes the table into a copy.
"""

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from dactyl.core.kinds import BY_SLUG, OF_NOTE
from dactyl.core.maps.notes import STANDARD, TOGETHER, PadNotes
from dactyl.core.parts import controls
from dactyl.core.parts.curves import renoted
from dactyl.core.parts.part import Part
from dactyl.core.stack.kind import kind_from_name

NEAR = {  # kinds that stand in for one another, the nearest first
    "side_stick": ("snare",), "clap": ("snare",), "pedal_hat": ("closed_hat",), "open_hat": ("crash", "closed_hat"),
    "closed_hat": ("pedal_hat", "open_hat"), "low_tom": ("mid_tom", "high_tom"), "mid_tom": ("low_tom", "high_tom"),
    "high_tom": ("mid_tom", "low_tom"), "crash": ("ride",), "ride": ("crash", "ride_bell"), "ride_bell": ("ride", "cowbell"),
    "cowbell": ("ride_bell",), "tambourine": ("shaker",), "shaker": ("tambourine", "closed_hat"), "snare": ("clap",),
}  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """What one note of the source becomes."""

    note: int
    name: str  # in the source
    to: int | None  # note of the kit; None: it has no counterpart
    pad: str = ""
    why: str = ""  # "the same name", "the same kind", "stands in", "no pad is like it"
    is_sure: bool = False
    near: tuple[int, ...] = ()  # pads that are offered in its place, the nearest first


def standard_source() -> list[PadNotes]:
    """The standard drum notes as a source of parts."""
    return [PadNotes(id=note, name=name, kind=OF_NOTE[note], notes=(note,)) for note, name in sorted(STANDARD.items())]


def named_source(names: Mapping[int, str]) -> list[PadNotes]:
    """A list of note names as a source; kinds are told by the words of the names."""
    return [PadNotes(id=note, name=name, kind=kind_from_name(name) or "other", notes=(note,)) for note, name in sorted(names.items())]  # fmt: skip


def taken_over(source: Sequence[PadNotes], kit: Sequence[PadNotes]) -> tuple[dict[int, tuple[int, ...]], list[str]]:
    """The notes of a list given to the pads that it means: by name, else by kind; what stands in only is not taken.

    Returns notes by pad id, and the names in the list that no pad answers to. A name may mean several pads (``A + B``).
    """
    each = [replace(pad, name=name) for pad in source for name in pad.name.split(TOGETHER)]
    numbered = [replace(pad, notes=(n,)) for n, pad in enumerate(kit)]  # so that a line says which pad, not which note
    found: dict[int, list[int]] = {}
    unknown = []
    for line in propose(each, numbered):
        if line.to is None or not line.is_sure:
            unknown.append(line.name)
        else:
            found.setdefault(kit[line.to].id, []).append(line.note)
    return {pad: tuple(sorted(set(notes))) for pad, notes in found.items()}, unknown


def propose(source: Sequence[PadNotes], kit: Sequence[PadNotes]) -> list[Line]:
    """One line for each note of the source: by name, else by kind in the order of both, else the nearest kind."""
    heard = [pad for pad in kit if pad.notes]
    by_name = {pad.name.casefold(): pad for pad in reversed(heard)}
    by_kind: dict[str, list[PadNotes]] = {}
    for pad in heard:
        by_kind.setdefault(pad.kind, []).append(pad)
    given = Counter(by_name[pad.name.casefold()].kind for pad in source if pad.name.casefold() in by_name)
    lines = [
        replace(_line(pad, note, place, by_name, by_kind, given), near=_near(pad.kind, by_kind))
        for pad in source
        for place, note in enumerate(pad.notes)
    ]
    return sorted(lines, key=lambda line: line.note)


def _near(kind: str, by_kind: Mapping[str, Sequence[PadNotes]]) -> tuple[int, ...]:
    """The pads of a kind and of those that stand in for it."""
    return tuple(pad.id for near in (kind, *NEAR.get(kind, ())) for pad in by_kind.get(near, ()) if near != "other")[:4]


def _line(pad: PadNotes, note: int, place: int, by_name: Mapping, by_kind: Mapping, given: Counter[str]) -> Line:
    if same := by_name.get(pad.name.casefold()):
        to = same.notes[min(place, len(same.notes) - 1)]
        return Line(note=note, name=pad.name, to=to, pad=same.name, why="the same name", is_sure=True)
    if pad.kind != "other" and (alike := by_kind.get(pad.kind)):
        one = alike[min(given[pad.kind], len(alike) - 1)]
        is_sure = given[pad.kind] < len(alike)  # a second snare note, where the kit has one snare, is a guess
        given[pad.kind] += 1
        return Line(note=note, name=pad.name, to=one.notes[0], pad=one.name, why="the same kind", is_sure=is_sure)
    for kind in NEAR.get(pad.kind, ()):
        if alike := by_kind.get(kind):
            label = BY_SLUG[kind].label
            return Line(note=note, name=pad.name, to=alike[0].notes[0], pad=alike[0].name, why=f"a {label} stands in")
    return Line(note=note, name=pad.name, to=None, why="no pad is like it")


def meeting(ours: Sequence[PadNotes], theirs: Sequence[PadNotes]) -> dict[int, tuple[int, ...]]:
    """For notes that one kit answers the pads of another: on the same note, else the nearest by name and kind.

    Kits made in the same order meet note by note. Notes that only the other answers keep its pads.
    """
    by_note: dict[int, list[int]] = {}
    for pad in theirs:
        for note in pad.notes:
            by_note.setdefault(note, []).append(pad.id)
    kinds = {pad.id: pad.kind for pad in theirs}
    result = {note: tuple(pads) for note, pads in by_note.items()}
    for line in propose(ours, theirs):
        kind = next(pad.kind for pad in ours if line.note in pad.notes)
        is_met = any(kinds[pad] == kind for pad in by_note.get(line.note, ()))
        if not is_met and line.to is not None and (line.is_sure or line.note not in by_note):
            result[line.note] = tuple(by_note[line.to])
    return result


def table_of(lines: Sequence[Line]) -> dict[int, int]:
    return {line.note: line.to for line in lines if line.to is not None}


def unmet(part: Part, table: Mapping[int, int]) -> dict[int, int]:
    """Notes of the part that the table does not know, with how many hits each has."""
    counts = Counter(event.note for event in part.note_ons)
    return {note: count for note, count in sorted(counts.items()) if note not in table}


def played(part: Part, table: Mapping[int, int]) -> Part:
    """The part as it is heard through the table: notes that have no counterpart are silent."""
    kept = (event for event in part.events if event.note in table)
    return replace(
        part,
        events=tuple(event._replace(note=table[event.note], lane=event.note) for event in kept),
        controls=controls.renoted(part.controls, table.get),
    )


def applied(part: Part, table: Mapping[int, int], answered: Collection[int] = ()) -> Part:
    """The part with the table written into it; notes it does not know stay.

    answered : notes that the kit it is written for answers: hits that have no counterpart are left out where their note
        would sound as something else
    """
    kept = [event for event in part.events if event.note in table or event.note not in answered]
    return replace(
        part,
        events=tuple(event._replace(note=table.get(event.note, event.note)) for event in kept),
        curves=renoted(part.curves, lambda note: table.get(note, note), {event.note for event in kept}),
        controls=controls.renoted(part.controls, lambda note: table.get(note, note)),
    )


def left_out(part: Part, table: Mapping[int, int], answered: Collection[int]) -> dict[int, int]:
    """Notes of the part that ``applied`` leaves out, with how many hits each has."""
    return {note: count for note, count in unmet(part, table).items() if note in answered}
