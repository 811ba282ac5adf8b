"""Note names and numbers. Programs call MIDI note 60 C3, C4 or C5; the caller says which."""

import re
from collections.abc import Iterable

from dactyl.core.errors import KitError

PITCH_CLASSES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")
SEMITONE = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
_NAME = re.compile(r"([A-Ga-g])([#♯b♭]?)(-?[0-9]{1,2})")
_LABEL = re.compile(r"\b[A-G]#?-?[0-9]{1,2} · ([0-9]{1,3})\b")
_NUMBER = re.compile(r"-?[0-9]{1,4}")


def note_name(note: int, *, middle_c_octave: int = 3) -> str:
    """``36 -> "C1"`` where middle C (60) is C3."""
    return f"{PITCH_CLASSES[note % 12]}{note // 12 - 5 + middle_c_octave}"


def note_label(note: int, *, middle_c_octave: int = 3) -> str:
    """Name and number together: ``"C1 · 36"``."""
    return f"{note_name(note, middle_c_octave=middle_c_octave)} · {note}"


def relabelled(text: str, *, middle_c_octave: int) -> str:
    """A sentence with its note labels named as its reader names them; the number in each says which note it is."""
    return _LABEL.sub(lambda found: note_label(int(found[1]), middle_c_octave=middle_c_octave), text)


def runs_of(notes: Iterable[int]) -> list[tuple[int, int]]:
    """Neighbouring notes as ranges, both ends inclusive, from low to high."""
    own = set(notes)
    starts, ends = (sorted(note for note in own if note + by not in own) for by in (-1, 1))
    return list(zip(starts, ends, strict=True))


def note_in(text: str) -> int | None:
    """The note that a list names by its number, zeros before it or not; None where it is none of 0 to 127."""
    digits = text.strip().lstrip("0") or text.strip()[-1:]
    is_number = digits.isascii() and digits.isdecimal() and len(digits) <= 3
    return int(digits) if is_number and int(digits) <= 127 else None


def parse_note(text: str, *, middle_c_octave: int = 3) -> int:
    """Read ``"38"``, ``"D1"``, ``"Eb2"`` or ``"D1 · 38"`` (the number wins). Raises KitError outside 0..127."""
    words = text.replace("·", " ").split()
    note = None
    if words and _NUMBER.fullmatch(words[-1]):
        note = int(words[-1])
    elif words and (found := _NAME.fullmatch(words[-1])):
        letter, accidental, octave = found.groups()
        shift = {"#": 1, "♯": 1, "b": -1, "♭": -1}.get(accidental, 0)
        note = SEMITONE[letter.upper()] + shift + 12 * (int(octave) + 5 - middle_c_octave)
    if note is None or not 0 <= note <= 127:
        raise KitError(f"“{text.strip()[:40]}” is not a note: write a number from 0 to 127, or a name such as D1.")
    return note
