"""Every setting of a pad, a layer, a take, a piece, a mic and an output, in tables: its words, what it takes, its step.

Forms read what a person typed by these tables, the history speaks by them, and the page draws its fields from them.
"""

import json
import math
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from dactyl.core.errors import KitError
from dactyl.core.formats.notes import parse_note
from dactyl.core.kinds import BY_SLUG
from dactyl.core.kit import CURVE_EXPONENTS, FADE_MS, FILTERS, ROTATIONS, VOICES
from dactyl.kits.models import DRAWN

Read = Callable[[str], Any]


@dataclass(frozen=True, slots=True)
class Field:
    words: str  # as the history names it
    read: Read
    label: str = ""  # as the page names it, where that is shorter
    reset: Any = 0
    step: float = 0.0  # of an arrow key; 0: not a number
    unit: str = ""
    digits: int = 1
    hint: str = ""

    @property
    def shown(self) -> str:
        return self.label or self.words

    def said(self, value: Any) -> str:
        """A number as the history says it, with its unit; nothing of other values."""
        if isinstance(value, bool) or not isinstance(value, int | float):
            return ""
        return f"{value:.{self.digits}f} {self.unit}".replace("-", "−").strip()


SCALES = {  # unit -> what may be typed behind a number, and how much of the unit it is
    "": {},
    " dB": {"db": 1},
    " ms": {"ms": 1, "s": 1000},
    " Hz": {"hz": 1, "khz": 1000, "k": 1000},
    " cents": {"ct": 1, "cent": 1, "cents": 1, "st": 100},
}
_AMOUNT = re.compile(r"([+-]?)(\d+\.?\d*|\.\d+)\s*([a-z%]*)\s*")


def number(name: str, low: float, high: float, unit: str = "", *, digits: int = 2) -> Read:
    """Reads a number with or without its unit: ``"−3,5 dB"``, ``"1.2 s"``, ``"-2 st 30 ct"``."""

    def read(text: str) -> float:
        value = _amount(text.strip().lower().replace("−", "-").replace(",", "."), SCALES[unit])
        if not low <= value <= high:
            shown = text.strip()[:20] or "nothing"
            raise KitError(f"{name} “{shown}” is not a number from {low:g} to {high:g}{unit}.".replace("-", "−"))
        return round(value, digits)

    return read


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


def number_or_none(name: str, low: float, high: float, unit: str = "") -> Read:
    read_number = number(name, low, high, unit)
    return lambda text: None if text.strip() in ("", "—", "off", "none") else read_number(text)


def whole(name: str, low: int, high: int) -> Callable[[str], int]:
    def read(text: str) -> int:
        value = number(name, low, high)(text)
        if value != int(value):
            raise KitError(f"{name} is a whole number from {low} to {high}.")
        return int(value)

    return read


def words(name: str, longest: int, *, may_be_empty: bool = False) -> Callable[[str], str]:
    def read(text: str) -> str:
        value = " ".join(text.replace("\0", "").split())
        if not value and not may_be_empty:
            raise KitError(f"{name} can't be empty.")
        if len(value) > longest:
            raise KitError(f"{name} has {len(value)} characters; {longest} is the most.")
        return value

    return read


def one_of(name: str, choices: Any) -> Callable[[str], str]:
    def read(text: str) -> str:
        if text not in choices:
            raise KitError(f"“{text[:30]}” is not a {name}. Choose one from the list.")
        return text

    return read


def yes_no(text: str) -> bool:
    return text in ("1", "on", "true")


def choke_letter(text: str) -> str:
    letter = text.strip().upper()
    if letter and not (len(letter) == 1 and letter.isascii() and letter.isalpha()):
        raise KitError(f"A choke group is one letter from A to Z, not “{text.strip()[:20]}”.")
    return letter


def mute_number(text: str) -> int | None:
    return whole("A mute group", 1, 99)(text) if text.strip() else None


def notes(text: str, *, middle_c_octave: int) -> list[int]:
    """Notes and ranges, parted by commas: ``"D1, 40, C3-C4"``."""
    found: list[int] = []
    for part in filter(str.strip, text.split(",")):
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
        points = [[float(x), float(y)] for x, y in json.loads(text)]
    except (ValueError, TypeError):
        raise KitError("The drawn curve did not arrive whole; draw it again.") from None
    rising = [x for x, _ in points]
    inside = all(1 <= value <= 127 for point in points for value in point)
    if not (2 <= len(points) <= 32 and inside and rising[0] == 1 and rising[-1] == 127):
        raise KitError("A drawn curve runs from velocity 1 to 127 over at most 32 points.")
    if any(a >= b for a, b in zip(rising, rising[1:], strict=False)):
        raise KitError("The points of a drawn curve follow each other from left to right.")
    return [[round(x, 1), round(y, 1)] for x, y in points]


def _db(words_: str, low: float = -96, high: float = 24, **more: Any) -> Field:
    return Field(words_, number(words_, low, high, " dB"), unit="dB", step=0.5, **more)


def _ms(words_: str, high: float = 20_000, **more: Any) -> Field:
    return Field(words_, number(words_, 0, high, " ms"), unit="ms", step=1, **more)


def _pan() -> Field:
    return Field("Pan", number("Pan", -100, 100), step=5, digits=0, hint="−100 left to 100 right")


def _cents(words_: str, low: float = -4800, high: float = 4800, **more: Any) -> Field:
    hint = "Cents, or semitones: 2 st 30"
    return Field(words_, number(words_, low, high, " cents"), unit="ct", step=10, digits=0, hint=hint, **more)


PAD_FIELDS: dict[str, Field] = {
    "name": Field("Name", words("A pad's name", 60, may_be_empty=True), reset=""),
    "kind": Field("Kind", one_of("kind", BY_SLUG), reset="other"),
    "gain_db": _db("Level"),
    "pan": _pan(),
    "max_voices": Field("Voices at most", whole("Voices", 1, 64), label="Voices", reset=VOICES, step=1, digits=0),
    "rotation": Field("Order of takes", one_of("rotation", ROTATIONS), label="Takes", reset="in_turn"),
    "shared_counter": Field("Counting of takes", yes_no, label="Layers count together", reset=False),
    "cuts_itself": Field("Cutting itself", yes_no, label="Cuts itself", reset=False),
    "dynamics": Field("Dynamics", number("Dynamics", 0, 1), reset=1, step=0.05, digits=2, hint="0: every velocity as loud; 1: level follows velocity fully"),
    "curve": Field("Velocity curve", one_of("velocity curve", (*CURVE_EXPONENTS, DRAWN)), label="Curve", reset="even"),
    "curve_points": Field("Velocity curve", curve_points, reset=None),
    "crossfade": Field("Crossfade", whole("Crossfade", 0, 64), step=2, digits=0, hint="Velocities over which neighbouring layers blend"),
    "tune_cents": _cents("Tuning", label="Tune"),
    "cents_per_key": Field("Cents per key", number("Cents per key", -200, 200), step=10, unit="ct", digits=0, hint="0: the drum keeps its pitch wherever it is put; 100: it plays like a keyboard"),
    "root": Field("Root", number_or_none("Root", 0, 127), step=1, digits=0, reset="", hint="The note that keeps the pitch; by itself the lowest"),
    "is_held": Field("Holding", yes_no, label="Held: a note-off releases it", reset=False),
    "attack_ms": _ms("Attack"),
    "hold_ms": _ms("Hold"),
    "decay_ms": Field("Decay", number_or_none("Decay", 0, 20_000, " ms"), unit="ms", step=10, reset="", hint="Empty: the sound runs to its end"),
    "sustain": Field("Sustain", number("Sustain", 0, 1), step=0.05, digits=2),
    "release_ms": _ms("Release", reset=50),
    "filter_kind": Field("Filter", one_of("filter", FILTERS), reset="off"),
    "cutoff_hz": Field("Cutoff", number("Cutoff", 20, 22_000, " Hz", digits=0), unit="Hz", step=100, digits=0, reset=8000),
    "filter_q": Field("Filter Q", number("Q", 0.1, 30, digits=4), label="Q", step=0.1, digits=2, reset=0.7071),
    "filter_octaves": Field("Filter by velocity", number("Octaves", 0, 8), label="By velocity", step=0.5, unit="oct", hint="Octaves by which the softest hit is darker"),
    "weight_db": _db("Weight", -18, 18, hint="The low end"),
    "snap_db": _db("Snap", -18, 18, hint="The transient"),
    "vary_tune_cents": _cents("Variation of tuning", 0, 200, label="Tune ±"),
    "vary_gain_db": Field("Variation of level", number("Variation of level", 0, 12, " dB"), label="Level ±", unit="dB", step=0.5),
    "vary_pan": Field("Variation of pan", number("Variation of pan", 0, 100), label="Pan ±", step=5, digits=0),
    "vary_delay_ms": Field("Variation of time", number("Variation of time", 0, 100, " ms"), label="Late by", unit="ms", step=1),
}  # fmt: skip
LAYER_FIELDS = {"gain_db": _db("Level")}
TAKE_FIELDS: dict[str, Field] = {
    "gain_db": _db("Level"),
    "pan": _pan(),
    "tune_cents": _cents("Tuning", label="Tune"),
    "start_frame": Field("Start", whole("Start", 0, 1 << 40), step=1, digits=0),
    "end_frame": Field("End", number_or_none("End", 1, 1 << 40), step=1, digits=0, reset=""),
    "fade_in_ms": _ms("Fade in"),
    "fade_out_ms": _ms("Fade out"),
    "is_reversed": Field("Reverse", yes_no, reset=False),
    "is_flipped": Field("Polarity", yes_no, label="Flip polarity", reset=False),
    "is_enabled": Field("Playing", yes_no, reset=True),
}
PIECE_FIELDS = {"name": Field("Name", words("A piece's name", 60), reset=""), "gain_db": _db("Level"), "pan": _pan()}
MIC_FIELDS: dict[str, Field] = {
    "name": Field("Name", words("A mic's name", 40), reset=""),
    "gain_db": _db("Level"),
    "follows_pan": Field("Pan", yes_no, label="follows the pan", reset=True),
}
OUTPUT_FIELDS = {"name": Field("Name", words("An output's name", 40), reset=""), "gain_db": _db("Level")}
choke_fade_ms = number("Fade", 0, 5000, " ms")
velocity = whole("Velocity", 1, 127)
output_name = words("An output's name", 40, may_be_empty=True)
kit_name = words("A kit's name", 80)
strength = number("Strength", 0.01, 2)
CHOKE_FADE = Field("Fade", choke_fade_ms, unit="ms", step=1, reset=FADE_MS)
