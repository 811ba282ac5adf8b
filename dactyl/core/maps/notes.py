"""Which notes strike which pads: arranged for many pads at once (design rule 2).

A note may strike several pads and a pad may have several notes; neither is forbidden, both are said.
"""

import csv
import io
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from dactyl.core.errors import KitError, KitFileError
from dactyl.core.formats.notes import note_in, note_label, note_name
from dactyl.core.kinds import BY_SLUG, KINDS, free_note
from dactyl.core.kit import NOTES, Kit
from dactyl.core.units import counted

TOGETHER = " + "
"""Between the names of pads that one note strikes, in lists that have one name for a note."""
FORMULA = ("=", "+", "-", "@", "\t", "\r")
_BLACK = {1, 3, 6, 8, 10}  # semitones above C
STANDARD = {
    note: kind.label if place == 1 else f"{kind.label} {place}"
    for kind in reversed(KINDS)
    for place, note in enumerate(kind.notes, start=1)
}
"""What the standard drum notes are called: General MIDI Level 1 percussion, as far as our kinds go."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PadNotes:
    id: int
    name: str
    kind: str  # a key of kinds.BY_SLUG
    notes: tuple[int, ...] = ()


def is_black(note: int) -> bool:
    return note % 12 in _BLACK


def standard(pads: Sequence[PadNotes], taken: Iterable[int] = ()) -> dict[int, tuple[int, ...]]:
    """The standard drum note of each pad's kind, its next one where another pad has it, else a free note.

    taken : notes of other pads, which are left to them
    """
    used, result = set(taken), {}
    for pad in sorted(pads, key=lambda pad: pad.kind == "other"):  # what has no standard note waits for those that have
        note = free_note(pad.kind if pad.kind in BY_SLUG else "other", used)
        if note is None:
            raise KitError("There are not enough free notes for these pads. Clear some first.")
        used.add(note)
        result[pad.id] = (note,)
    return result


def in_a_row(pads: Sequence[PadNotes], first: int) -> dict[int, tuple[int, ...]]:
    """One note for each pad, rising from ``first`` in their order."""
    if first + len(pads) > NOTES:
        raise KitError(f"{counted(len(pads), 'pad')} in a row from {note_label(first)} go beyond note 127. Begin lower.")  # fmt: skip
    return {pad.id: (first + n,) for n, pad in enumerate(pads)}


def shifted(pads: Sequence[PadNotes], semitones: int) -> dict[int, tuple[int, ...]]:
    """All notes higher by ``semitones``; nothing is done where one would leave the keyboard."""
    for pad in pads:
        if any(not 0 <= note + semitones < NOTES for note in pad.notes):
            raise KitError(f"{pad.name} would leave the 128 notes. Move them by less, or without it.")
    return {pad.id: tuple(note + semitones for note in pad.notes) for pad in pads if pad.notes}


def as_in(pads: Sequence[PadNotes], other: Sequence[PadNotes]) -> tuple[dict[int, tuple[int, ...]], list[str]]:
    """The notes of the pads of the same name in another kit; pads it has not keep theirs, and are named."""
    known: dict[str, tuple[int, ...]] = {}
    for pad in other:
        known.setdefault(pad.name.casefold(), pad.notes)
    found = {pad.id: known[pad.name.casefold()] for pad in pads if pad.name.casefold() in known}
    return found, [pad.name for pad in pads if pad.id not in found]


def doubled(pads: Iterable[PadNotes]) -> dict[int, list[str]]:
    """Notes that strike several pads, with their names."""
    return {note: names for note, names in _by_note(pads).items() if len(names) > 1}


def names_of(pads: Iterable[PadNotes]) -> dict[int, str]:
    """What each note strikes."""
    return {note: TOGETHER.join(names) for note, names in _by_note(pads).items()}


def _by_note(pads: Iterable[PadNotes]) -> dict[int, list[str]]:
    """The names of the pads of each note, by note."""
    names = defaultdict(list)
    for pad in pads:
        for note in pad.notes:
            names[note].append(pad.name)
    return dict(sorted(names.items()))


def pads_of(kit: Kit) -> list[PadNotes]:
    notes = kit.notes()
    return [PadNotes(id=pad.id, name=pad.name, kind=pad.kind, notes=notes.get(pad.id, ())) for _, pad in kit.pads()]


def as_csv(pads: Iterable[PadNotes], *, middle_c_octave: int = 3) -> str:
    """A line for each note and pad, by note: ``note,name,pad,kind``."""
    out = io.StringIO()
    lines = csv.writer(out, lineterminator="\r\n")  # RFC 4180
    lines.writerow(["note", "name", "pad", "kind"])
    rows = sorted((note, pad.name, pad.kind) for pad in pads for note in pad.notes)
    lines.writerows(
        [note, note_name(note, middle_c_octave=middle_c_octave), _as_text(name), kind] for note, name, kind in rows
    )
    return out.getvalue()


def _as_text(name: str) -> str:
    """A name that a spreadsheet would run, or one that begins like such a mark, behind the mark of a text.

    OWASP, CSV Injection: =, +, -, @, tab and return begin a formula, an apostrophe a text.
    """
    return f"'{name}" if name.startswith((*FORMULA, "'")) else name


def _from_text(name: str) -> str:
    return name[1:] if name.startswith("'") and name[1:2] in (*FORMULA, "'") and len(name) > 1 else name


def read_csv(data: bytes, file: str) -> list[PadNotes]:
    """What ``as_csv`` writes, one pad for each name: note numbers in the first column, a pad's name under "pad".

    The other columns may be missing; a kind that is not ours is read as "other". raises : KitFileError
    """
    try:
        rows = list(csv.DictReader(io.StringIO(data.decode("utf-8-sig"))))
    except (UnicodeDecodeError, csv.Error):
        raise KitFileError("It is no list of notes.", "Choose a CSV file in UTF-8.", file=file) from None
    notes, kinds = defaultdict(list), {}
    for line, row in enumerate(rows, start=2):
        number, name = (row.get("note") or "").strip(), _from_text((row.get("pad") or "").strip())[:120]
        if note_in(number) is None or not name:
            raise KitFileError("A line needs a note from 0 to 127 and a pad's name.", "Its first line names the columns note and pad.", file=file, line=line)  # fmt: skip
        notes[name].append(note_in(number))
        kinds.setdefault(name, row.get("kind") or "other")
    if not notes:
        raise KitFileError("It names no notes.", "Choose another file.", file=file)
    return [PadNotes(id=n, name=name, kind=kinds[name] if kinds[name] in BY_SLUG else "other", notes=tuple(of)) for n, (name, of) in enumerate(notes.items())]  # fmt: skip
