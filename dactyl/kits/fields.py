"""What a person may type into a field, read by the core's table of fields."""

import json
import math
import re
from collections.abc import Callable, Mapping
from typing import Any

from dactyl.core import fields as core
from dactyl.core.errors import KitError
from dactyl.core.fields import Field
from dactyl.core.formats.notes import parse_note
from dactyl.core.kit import FOLLOWS, STAYS
from dactyl.web.request_values import plain

Read = Callable[[str], Any]

PAD_FIELDS: Mapping[str, Field] = {
    "name": core.PAD_NAME,
    **{name: field for name, field in core.PAD.items() if name != "muted"},  # which has words of its own
    "curve": core.CURVE,
    "curve_points": core.CURVE,
}
LAYER_FIELDS, TAKE_FIELDS, PIECE_FIELDS = core.LAYER, core.TAKE, core.PIECE
MIC_FIELDS, OUTPUT_FIELDS = core.MIC, core.OUTPUT
CHOKE_FADE = core.GROUP["fade_ms"]
COPIED = tuple(name for name in PAD_FIELDS if name not in ("name", "kind", "open_to", "played_by"))
"""What copying and pasting a pad's settings carries, besides its output and groups."""
SCALES = {  # unit -> what may be typed behind a number, and how much of the unit it is
    "": {},
    "dB": {"db": 1},
    "ms": {"ms": 1, "s": 1000},
    "Hz": {"hz": 1, "khz": 1000, "k": 1000},
    "ct": {"ct": 1, "cent": 1, "cents": 1, "st": 100},
    "oct": {"oct": 1},
}
ENDINGS = {"ct": "cents"}  # as a sentence says a unit
_AMOUNT = re.compile(r"([+-]?)(\d+\.?\d*|\.\d+)\s*([a-z%]*)\s*")
LONGEST = 60  # characters of an amount
NONE = ("", "—", "off", "none")


def read(table: Mapping[str, Field], name: str, text: str) -> Any:
    """The value of field ``name`` that was typed as ``text``. raises : KitError with what it takes"""
    if name == "curve_points":
        return curve_points(text)
    field = table[name]
    if field.kind is bool:
        return yes_no(text)
    if field.choices is not None:
        return one_of(field.words.lower(), field.choices)(text)
    if field.kind is str:
        return words(field.words, field.longest, may_be_empty=field.may_be_empty)(text)
    if field.is_optional and text.strip() in NONE:
        return None
    if field.kind is int:
        return whole(field.words, int(field.low), int(field.high))(text)
    return number(field.words, field.low, field.high, field.unit, digits=4 if field.high <= 30 else 2)(text)


def number(name: str, low: float, high: float, unit: str = "", *, digits: int = 2) -> Callable[[str], float]:
    """Reads a number with or without its unit: ``"−3,5 dB"``, ``"1.2 s"``, ``"-2 st 30 ct"``."""

    def read_number(text: str) -> float:
        value = _amount(text.strip().lower().replace("−", "-").replace(",", ".")[:LONGEST], SCALES[unit])
        if not low <= value <= high:
            shown = plain(text[:20], name, 20) or "nothing"
            ending = f" {ENDINGS.get(unit, unit)}" if unit else ""
            raise KitError(f"{name} “{shown}” is not a number from {low:g} to {high:g}{ending}.".replace("-", "−"))
        return round(value, digits)

    return read_number


def _amount(text: str, scale: dict[str, float]) -> float:
    """The sum of the amounts in ``text``, the sign of the first for all that have none; not a number if it is none."""
    found = _AMOUNT.findall(text)
    if "".join(_AMOUNT.split(text)[::4]) or (len(found) != 1 and "st" not in scale):
        return math.nan
    total = 0.0
    for sign, digits, unit in found:
        if unit and unit not in scale:
            return math.nan
        total += float(f"{sign or found[0][0]}{digits}") * scale.get(unit, 1)
    return total if found else math.nan


def whole(name: str, low: int, high: int) -> Callable[[str], int]:
    def read_whole(text: str) -> int:
        value = number(name, low, high)(text)
        if value != int(value):
            raise KitError(f"{name} is a whole number from {low} to {high}.")
        return int(value)

    return read_whole


def words(name: str, longest: int, *, may_be_empty: bool = False) -> Callable[[str], str]:
    def read_words(text: str) -> str:
        value = plain(text, name, longest)
        if not value and not may_be_empty:
            raise KitError(f"{name} can't be empty.")
        return value

    return read_words


def one_of(name: str, choices: Any) -> Callable[[str], str]:
    def read_choice(text: str) -> str:
        if text not in choices:
            raise KitError(f"“{core.printable(text[:30])}” is not a {name}. Choose one from the list.")
        return text

    return read_choice


def yes_no(text: str) -> bool:
    return text in ("1", "on", "true")


def choke_letter(text: str) -> str:
    letter = text.strip().upper()
    if letter and not (len(letter) == 1 and letter.isascii() and letter.isalpha()):
        raise KitError(f"A choke group is one letter from A to Z, not “{core.printable(text.strip()[:20])}”.")
    return letter


def mute_numbers(text: str) -> list[int]:
    """Parted by commas or spaces."""
    read = whole("A mute group", int(core.MUTE_NUMBER.low), int(core.MUTE_NUMBER.high))
    return sorted({read(one) for one in text[:1000].replace(",", " ").split()})


def notes(text: str, *, middle_c_octave: int) -> list[int]:
    """Notes and ranges, separated by commas: ``"D1, 40, C3-C4"``."""
    found: list[int] = []
    for part in filter(str.strip, text[:1000].split(",")):
        low, _, high = part.replace("–", "-").replace(" - ", "…").replace("...", "…").partition("…")
        if not high and part.count("-") == 1 and not part.strip().startswith("-"):
            low, _, high = part.partition("-")
        first = parse_note(low, middle_c_octave=middle_c_octave)
        last = parse_note(high, middle_c_octave=middle_c_octave) if high.strip() else first
        found += range(first, last + 1) if first <= last else range(last, first + 1)
    return list(dict.fromkeys(found))


def curve_points(text: str) -> list[list[float]]:
    """Points of a drawn velocity curve as JSON: [[in, out], ...], both 1..127, rising from 1 to 127 in the first."""
    try:
        points = [[float(x), float(y)] for x, y in json.loads(text[:4000])]
    except (ValueError, TypeError, RecursionError):
        raise KitError("The drawn curve did not arrive whole; draw it again.") from None
    rising = [x for x, _ in points]
    inside = all(1 <= value <= 127 for point in points for value in point)
    if not (2 <= len(points) <= core.MOST_POINTS and inside and rising[0] == 1 and rising[-1] == 127):
        raise KitError(f"A drawn curve runs from velocity 1 to 127 over at most {core.MOST_POINTS} points.")
    if any(a >= b for a, b in zip(rising, rising[1:], strict=False)):
        raise KitError("The points of a drawn curve follow each other from left to right.")
    return [[round(x, 1), round(y, 1)] for x, y in points]


def of_piece_mic(what: str, text: str) -> dict[str, Any]:
    """What a piece says of a mic, as its columns. what : gain_db, is_flipped or place"""
    if what == "gain_db":
        return {"gain_db": read(MIC_FIELDS, "gain_db", text)}
    if what == "is_flipped":
        return {"is_flipped": yes_no(text)}
    if what != "place":
        raise KitError(f"A piece says nothing of a mic named “{core.printable(what[:30])}”. Reload the page.")
    typed = text.strip().lower()
    if typed in (*NONE, "as the mic", "mic"):
        return {"way": "", "pan": None}
    if typed in (FOLLOWS, STAYS):
        return {"way": typed, "pan": None}
    side = {"l": "-", "r": "", "c": "0"}.get(typed[:1])
    return {"way": "", "pan": number("A place", -100, 100, digits=0)(typed if side is None else side + typed[1:])}


velocity = whole("Velocity", 1, 127)
output_name = words("An output's name", core.OUTPUT["name"].longest, may_be_empty=True)
kit_name = words("A kit's name", core.KIT["name"].longest)
strength = number("Strength", core.STRENGTH.low, core.STRENGTH.high)


def group_fade_ms(text: str) -> float:
    return read(core.GROUP, "fade_ms", text)
