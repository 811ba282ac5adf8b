"""``dactyl translate PART --from SOURCE --to KIT``: a part written for other notes, written for a kit's."""

import argparse
import json
from collections.abc import Sequence
from pathlib import Path

from dactyl.cli.notes import pads_in
from dactyl.cli.part import read_part, write_whole
from dactyl.cli.say import warn
from dactyl.core.errors import DactylError
from dactyl.core.formats.midi import write_midi
from dactyl.core.formats.midi_names import read_names
from dactyl.core.formats.notes import note_label
from dactyl.core.maps.notes import PadNotes
from dactyl.core.maps.translate import Line, applied, named_source, propose, standard_source, table_of, unmet
from dactyl.core.units import counted


def run(asked: argparse.Namespace) -> int:
    part = read_part(asked.part)
    if str(asked.table).endswith(".json"):
        table = _table(asked.table)
    else:
        used = {event.note for event in part.note_ons}
        lines = [line for line in propose(_source(asked.table), pads_in(asked.to)) if line.note in used]
        table = table_of(lines)
        warn(_doubts(lines))
    answered = {note for pad in pads_in(asked.to) for note in pad.notes} if asked.to else set()
    warn([
        f"{note_label(note)} has no counterpart and {'is left out, since another pad answers it' if note in answered else 'stays'}: "
        f"{counted(hits, 'hit')}."
        for note, hits in unmet(part, table).items()
    ])  # fmt: skip
    if asked.write_table:
        write_whole(
            asked.write_table, json.dumps({str(note): to for note, to in sorted(table.items())}, indent=1).encode()
        )
    written = applied(part, table, answered)
    write_whole(asked.out, write_midi(written))
    print(f"{asked.out}: {counted(len(written.note_ons), 'hit')}, {counted(len(table), 'note')} translated")
    return 0


def _doubts(lines: Sequence[Line]) -> list[str]:
    return [f"{note_label(line.note)} {line.name} becomes {line.pad}: {line.why}." for line in lines if line.to is not None and not line.is_sure]  # fmt: skip


def _source(text: str) -> list[PadNotes]:
    if text == "standard":
        return standard_source()
    path = Path(text)
    if path.suffix.lower() in (".midnam", ".xml"):
        return named_source(read_names(_bytes(path), path.name))
    return pads_in(path)


def _table(path: str) -> dict[int, int]:
    """``{"36": 40, …}``, as ``--write-table`` writes it."""
    try:
        read = json.loads(_bytes(Path(path)))
        table = {int(note): to for note, to in read.items()}
    except (ValueError, AttributeError, RecursionError):
        raise DactylError(f'{path}: It is no table of notes. Write one as {{"36": 40}}.') from None
    if not all(0 <= note < 128 and type(to) is int and 0 <= to < 128 for note, to in table.items()):
        raise DactylError(f"{path}: Its notes are numbers from 0 to 127.")
    return table


def _bytes(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as problem:
        raise DactylError(f"{path}: It can't be read ({problem.strerror}). Is it there?") from None
