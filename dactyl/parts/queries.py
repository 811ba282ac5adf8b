"""Reads of parts."""

from collections.abc import Collection
from dataclasses import dataclass

from dactyl.core.formats.notes import note_label
from dactyl.core.parts.part import Note, Off
from dactyl.core.parts.part import Part as PartValue
from dactyl.kits.queries import PadRow
from dactyl.parts.models import Part


def part_value(part: Part) -> PartValue:
    """The part as the core knows it."""
    return PartValue(
        name=part.name,
        ticks_per_beat=part.ticks_per_beat,
        tempos=tuple((tick, tempo) for tick, tempo in part.tempos),
        notes=tuple(Note(*note) for note in part.notes),
        offs=tuple(Off(*off) for off in part.offs),
        end_tick=part.end_tick,
        beats_per_bar=part.beats_per_bar,
        beat_unit=part.beat_unit,
    )


def all_parts() -> list[Part]:
    return list(Part.objects.defer("notes", "offs"))


@dataclass(frozen=True, slots=True)
class Lane:
    """One line of the picture: the hits of one pad, or of a note that nothing answers."""

    name: str
    kind: str
    note_labels: str
    marks: str  # an SVG path, a stroke for each hit, taller for louder; 1000 wide, 20 high
    hits: int
    pad_id: int | None = None
    note: int | None = None  # the one that no filled pad answers

    @property
    def is_answered(self) -> bool:
        return self.pad_id is not None


def lanes(part: PartValue, rows: Collection[PadRow], *, middle_c_octave: int) -> list[Lane]:
    """The hits of ``part`` by pad, in the order of the sheet; then the notes without a filled pad."""
    length = part.bars * part.bar_ticks
    by_note: dict[int, list[Note]] = {}
    for note in part.notes:
        by_note.setdefault(note.note, []).append(note)

    def lane(name: str, kind: str, notes: list[int], pad_id: int | None = None, note: int | None = None) -> Lane:
        hits = [hit for note in notes for hit in by_note.get(note, ())]
        marks = "".join(f"M{1000 * hit.tick / length:.2f} 19v-{2 + 16 * hit.velocity / 127:.1f}" for hit in hits)
        labels = ", ".join(note_label(note, middle_c_octave=middle_c_octave) for note in notes if note in by_note)
        return Lane(name, kind, labels, marks, len(hits), pad_id, note)

    filled = [row for row in rows if not row.is_empty]
    result = [
        lane(row.name, row.kind, row.notes, row.pad.pk) for row in filled if any(note in by_note for note in row.notes)
    ]
    answered = {note for row in filled for note in row.notes}
    return result + [
        lane(note_label(note, middle_c_octave=middle_c_octave), "other", [note], note=note)
        for note in sorted(set(by_note) - answered)
    ]
