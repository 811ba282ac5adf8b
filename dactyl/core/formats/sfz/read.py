"""Regions of an SFZ file, each with all that it inherits, checked."""

import math
from dataclasses import dataclass, field
from pathlib import Path

from dactyl.core.errors import KitError, KitFileError
from dactyl.core.formats.notes import parse_note
from dactyl.core.formats.sfz.opcodes import (
    ALIASES,
    CONTROL,
    KEY,
    OPCODES,
    OUTPUT_LABEL,
    SET_BY_KEY,
    VELOCITY_CURVE,
    Opcode,
)
from dactyl.core.formats.sfz.text import Notes, Place, Token, tokens_of

MAX_REGIONS = 50_000
SFZ_MIDDLE_C = 4  # note 60 is C4
NO_KEY = "-1"  # as lokey and hikey: the region answers no key (SFZ v1)
_LEVELS = ("global", "master", "group", "region")


@dataclass(slots=True)
class SfzRegion:
    """One region: values by opcode, defaults filled in."""

    place: Place
    values: dict[str, object]
    sample: str  # as a path from the kit's folder; "" for silence
    velocity_curve: dict[int, float] = field(default_factory=dict)

    def __getitem__(self, opcode: str):
        return self.values[opcode]


@dataclass(slots=True)
class SfzFile:
    path: Path
    regions: list[SfzRegion]
    output_names: dict[int, str]
    warnings: list[str]

    @property
    def folder(self) -> Path:
        return self.path.parent.resolve()


def read_sfz(path: Path) -> SfzFile:
    """Read the file at ``path`` and what it includes.

    raises : KitFileError where the text cannot be used; what is only not understood stands in ``warnings``
    """
    notes = Notes()
    builder = _Builder(path, notes)
    for token in tokens_of(path, notes):
        builder.take(token)
    builder.end_region()
    if not builder.regions:
        problem = "None of its regions answers a key." if builder.left_out else "It has no <region>."
        raise KitFileError(problem, "Is it an SFZ file of drums?", file=path.name)
    return SfzFile(path, builder.regions, builder.output_names, notes.lines)


class _Builder:
    """Follows the headers; a new <global> clears master and group, a new <master> clears group."""

    def __init__(self, path: Path, notes: Notes) -> None:
        self._path, self._notes = path, notes
        self._levels: dict[str, dict[str, Token]] = {level: {} for level in _LEVELS}
        self._header = ""
        self._region_at: Place | None = None
        self._default_path = ""
        self.regions: list[SfzRegion] = []
        self.output_names: dict[int, str] = {}
        self.left_out = 0

    def take(self, token: Token) -> None:
        if token.value is None:
            self._begin(token)
        elif self._header in self._levels:
            self._set(self._levels[self._header], token)
        elif self._header == "control":
            self._control(token)
        elif not self._header:
            self._notes.add(f"{token.name} stands before any header and is left out.", token.place)

    def _set(self, level: dict[str, Token], token: Token) -> None:
        """A later opcode takes the place of an earlier one; ``key`` sets three."""
        if token.name != KEY:
            level[ALIASES.get(token.name, token.name)] = token
        elif _number(token.value, "key") is None:
            self._notes.add(f"key={token.value[:20]} is no key: what it stands for answers none.", token.place)
            level |= dict.fromkeys(SET_BY_KEY, Token(KEY, NO_KEY, token.place))
        else:
            level |= dict.fromkeys(SET_BY_KEY, token)
            if level.get("pitch_keycenter", token).name == KEY:
                level["pitch_keycenter"] = token

    def _begin(self, token: Token) -> None:
        self.end_region()
        self._header = token.name
        if token.name in self._levels:
            for level in _LEVELS[_LEVELS.index(token.name) :]:
                self._levels[level] = {}
            if token.name == "region":
                self._region_at = token.place
        elif token.name != "control":
            self._notes.add(f"<{token.name[:20]}> is not understood; what stands under it is left out.", token.place)

    def _control(self, token: Token) -> None:
        number = token.name.removeprefix(OUTPUT_LABEL)
        if token.name in CONTROL:
            self._default_path = token.value
        elif token.name.startswith(OUTPUT_LABEL) and _is_number(number):
            self.output_names[int(number)] = token.value[:60]
        else:
            self._notes.add(f"{token.name} is not understood.", token.place)

    def end_region(self) -> None:
        if self._region_at is None:
            return
        if len(self.regions) >= MAX_REGIONS:
            raise KitFileError(
                f"It has over {MAX_REGIONS:,} regions.",
                "Split the kit.",
                file=self._path.name,
                line=self._region_at.line,
            )
        given = {name: token for level in _LEVELS for name, token in self._levels[level].items()}
        region = self._region(self._region_at, given)
        if region["lovel"] > region["hivel"]:
            said = f"lovel={region['lovel']} is above hivel={region['hivel']}: it never sounds and is left out."
            self._notes.add(said, given.get("lovel", given["hivel"]).place)
        elif region["lokey"] > region["hikey"] >= 0:
            said = f"lokey={region['lokey']} is above hikey={region['hikey']}: it never sounds and is left out."
            self._notes.add(said, given.get("lokey", given["hikey"]).place)
        elif region["hikey"] >= 0:
            self.regions.append(region)
        self.left_out += region["hikey"] < 0
        self._region_at = None

    def _region(self, place: Place, given: dict[str, Token]) -> SfzRegion:
        values: dict[str, object] = {name: opcode.default for name, opcode in OPCODES.items()}
        curve: dict[int, float] = {}
        answers_none = False
        for name, token in given.items():
            point = name.removeprefix(VELOCITY_CURVE)
            if name in SET_BY_KEY and _number(token.value, "key") is None:
                self._notes.add(f"{name}={token.value[:20]} is no key: the region answers none.", token.place)
                answers_none = True
            elif name in OPCODES:
                values[name] = self._value(OPCODES[name], token)
            elif name.startswith(VELOCITY_CURVE) and _is_number(point) and int(point) <= 127:
                curve[int(point)] = self._value(Opcode("float", 0.0, 0, 1), token)
            else:
                self._notes.add(f"{name[:40]} is not understood.", token.place)
        if answers_none:
            values |= dict.fromkeys(SET_BY_KEY, int(NO_KEY))
        sample = values["sample"]
        if not sample:
            self._notes.add("This region has no sample and is silent.", place)
        elif sample.startswith("*"):
            if sample != "*silence":
                self._notes.add(f"The built-in sound {sample[:20]} is not played.", given["sample"].place)
            sample = ""
        else:
            sample = (self._default_path + sample).replace("\\", "/")
            place = given["sample"].place
        return SfzRegion(place, values, sample, curve)

    def _value(self, opcode: Opcode, token: Token) -> object:
        """The value, or the default with a note about it."""
        name, text, at = token.name, token.value, token.place
        if opcode.kind == "text":
            return text
        if opcode.kind == "choice":
            if text in opcode.choices:
                return text
            self._notes.add(f"{name}={text[:20]} is not played; it is taken as {opcode.default}.", at)
            return opcode.default
        number = _number(text, opcode.kind)
        if number is None:
            self._notes.add(f"{name}={text[:20]} is not a value; it is taken as {opcode.default}.", at)
            return opcode.default
        if not opcode.low <= number <= opcode.high:
            bounded = min(max(number, opcode.low), opcode.high)
            self._notes.add(f"{name}={text[:20]} is out of range; it is taken as {bounded:g}.", at)
            number = bounded
        return float(number) if opcode.kind == "float" else int(number)


def _is_number(text: str) -> bool:
    return text.isascii() and text.isdecimal() and len(text) <= 4


def _number(text: str, kind: str) -> float | None:
    try:
        value = float(text)
    except ValueError:
        if kind != "key":
            return None
        try:
            return parse_note(text, middle_c_octave=SFZ_MIDDLE_C)
        except KitError:
            return None
    if not math.isfinite(value) or len(text) > 30:
        return None
    return value
