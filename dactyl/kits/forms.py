"""Check what a person typed, before an edit: one sentence for what is wrong."""

from collections.abc import Callable
from typing import Any

from dactyl.core.errors import KitError
from dactyl.core.formats.notes import parse_note
from dactyl.core.kinds import BY_SLUG
from dactyl.core.kit import CURVE_EXPONENTS, ROTATIONS


def number(name: str, low: float, high: float, unit: str = "") -> Callable[[str], float]:
    def read(text: str) -> float:
        cleaned = text.strip().replace("−", "-").replace(",", ".").removesuffix("dB").removesuffix("ms").strip()
        try:
            value = float(cleaned)
        except ValueError:
            value = float("nan")
        if not low <= value <= high:
            raise KitError(
                f"{name} “{text.strip()[:20]}” is not a number from {low:g} to {high:g}{unit}.".replace("-", "−")
            )
        return round(value, 2)

    return read


def whole(name: str, low: int, high: int) -> Callable[[str], int]:
    def read(text: str) -> int:
        value = number(name, low, high)(text)
        if value != int(value):
            raise KitError(f"{name} is a whole number from {low} to {high}.")
        return int(value)

    return read


def words(name: str, longest: int, *, may_be_empty: bool = False) -> Callable[[str], str]:
    def read(text: str) -> str:
        value = " ".join(text.split())
        if not value and not may_be_empty:
            raise KitError(f"{name} can't be empty.")
        if len(value) > longest:
            raise KitError(f"{name} has {len(value)} characters; {longest} is the most.")
        return value

    return read


def one_of(name: str, choices: dict[str, Any]) -> Callable[[str], str]:
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


def notes(text: str, *, middle_c_octave: int) -> list[int]:
    return [parse_note(part, middle_c_octave=middle_c_octave) for part in text.split(",") if part.strip()]


PAD_FIELDS = {
    "name": words("A pad's name", 60, may_be_empty=True),
    "kind": one_of("kind", BY_SLUG),
    "gain_db": number("Level", -96, 24, " dB"),
    "pan": number("Pan", -100, 100),
    "max_voices": whole("Voices", 1, 64),
    "dynamics": number("Dynamics", 0, 1),
    "curve": one_of("velocity curve", CURVE_EXPONENTS),
    "crossfade": whole("Crossfade", 0, 64),
    "shared_counter": yes_no,
}
piece_name = words("A piece's name", 60)
rotation = one_of("rotation", ROTATIONS)
fade_ms = number("Fade", 0, 5000, " ms")
velocity = whole("Velocity", 1, 127)
output_name = words("An output's name", 40, may_be_empty=True)
gain_db = PAD_FIELDS["gain_db"]
