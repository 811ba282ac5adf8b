"""Everything that a pad, a layer, a take, a piece, a mic and an output can be set to, said once.

From this table come the rows of the database and the values of the core, both ways; the page's forms and what they
refuse; the history's words; what packages and files may hold; what is copied; and the table in docs/formats.md.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from operator import attrgetter
from typing import Any

from dactyl.core.errors import KitError
from dactyl.core.kinds import BY_SLUG
from dactyl.core.kit import (
    CLOSING_MS,
    CURVE_EXPONENTS,
    FADE_MS,
    FILTERS,
    GRAB_MS,
    MAX_BANKS,
    MAX_SIDE,
    NOTES,
    PLAYED_BY,
    ROTATIONS,
    SHARED_BY,
    SIDES,
    STOOL,
    STRENGTHS,
    VOICES,
    ChokeGroup,
    Envelope,
    Filter,
    Kit,
    Parallel,
    Variation,
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Field:
    words: str  # as the history and refusals name it
    kind: type = float  # float, int, bool or str
    low: float | None = None
    high: float | None = None
    unit: str = ""
    path: str = ""  # in the core's value, where it is called otherwise than in the row
    scale: float = 1.0  # how much a row's number is of the core's: percents are kept as percents
    is_optional: bool = False  # None: nothing is set
    choices: Mapping[str, str] | None = None  # value -> words
    longest: int = 0  # of a text
    may_be_empty: bool = False
    label: str = ""  # as the page names it, where that is shorter
    reset: Any = 0
    step: float = 0.0  # of an arrow key; 0: not a number
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


def _number(words: str, low: float, high: float, unit: str = "", **more: Any) -> Field:
    return Field(words=words, low=low, high=high, unit=unit, **more)


def _whole(words: str, low: int, high: int, **more: Any) -> Field:
    return Field(words=words, kind=int, low=low, high=high, digits=0, **more)


def _db(words: str, low: float = -96, high: float = 24, **more: Any) -> Field:
    return _number(words, low, high, "dB", **{"step": 0.5} | more)


def _ms(words: str, high: float = 20_000, **more: Any) -> Field:
    return _number(words, 0, high, "ms", **{"step": 1} | more)


def _pan(words: str = "Pan", low: float = -100, **more: Any) -> Field:
    return _number(words, low, 100, scale=100, step=5, digits=0, **{"hint": "−100 left to 100 right"} | more)


def _cents(words: str, low: float = -4800, high: float = 4800, **more: Any) -> Field:
    return _number(words, low, high, "ct", step=10, digits=0, hint="Cents, or semitones: 2 st 30", **more)


def _yes_no(words: str, *, reset: bool = False, **more: Any) -> Field:
    return Field(words=words, kind=bool, reset=reset, **more)


def _text(words: str, longest: int, **more: Any) -> Field:
    return Field(words=words, kind=str, longest=longest, reset="", **more)


COLOURS = {
    "": "none",
    "A": "A blue",
    "B": "B orange",
    "C": "C green",
    "D": "D purple",
    "E": "E red",
    "F": "F teal",
    "G": "G brown",
}
"""A letter and a colour together: the palette is told apart by colour-blind eyes, and the letter stands beside it."""
LONGEST_SAMPLE = 1 << 40  # frames
DRAWN = "drawn"
PAD: dict[str, Field] = {
    "kind": Field(words="Kind", kind=str, choices={slug: kind.label for slug, kind in BY_SLUG.items()}, reset="other"),
    "gain_db": _db("Level"),
    "pan": _pan(),
    "muted": _yes_no("Mute"),
    "max_voices": _whole("Voices at most", 1, 64, label="Voices", reset=VOICES, step=1),
    "rotation": Field(words="Order of takes", kind=str, choices=ROTATIONS, label="Takes", reset="in_turn"),
    "shared_counter": _yes_no("Shared round robin", label="Layers share a round robin"),
    "cuts_itself": _yes_no("Cutting itself", label="Cuts itself"),
    "delay_ms": _ms("Delay", 1000, step=0.1, digits=2, hint="By which it sounds behind its hits: for one drum under another"),
    "dynamics": _number("Dynamics", 0, 1, reset=1, step=0.05, digits=2, hint="0: every velocity as loud; 1: level follows velocity fully"),
    "crossfade": _whole("Crossfade", 0, 64, step=2, hint="Velocities over which neighbouring layers blend"),
    "tune_cents": _cents("Tuning", label="Tune"),
    "cents_per_key": _number("Cents per key", -200, 200, "ct", step=10, digits=0, hint="0: the drum keeps its pitch wherever it is put; 100: it plays like a keyboard"),
    "root": _whole("Root", 0, 127, is_optional=True, step=1, reset="", hint="The note that keeps the pitch; by itself the lowest"),
    "is_held": _yes_no("Holding", label="Held: a note-off releases it"),
    "attack_ms": _ms("Attack", path="envelope.attack_ms"),
    "hold_ms": _ms("Hold", path="envelope.hold_ms"),
    "decay_ms": _ms("Decay", path="envelope.decay_ms", is_optional=True, step=10, reset="", hint="Empty: the sound runs to its end"),
    "sustain": _number("Sustain", 0, 1, path="envelope.sustain", step=0.05, digits=2),
    "release_ms": _ms("Release", path="envelope.release_ms", reset=50),
    "filter_kind": Field(words="Filter", kind=str, choices=FILTERS, path="filter.kind", reset="off"),
    "cutoff_hz": _number("Cutoff", 20, 22_000, "Hz", path="filter.cutoff_hz", step=100, digits=0, reset=8000),
    "filter_q": _number("Filter Q", 0.1, 30, path="filter.q", label="Q", step=0.1, digits=2, reset=0.7071),
    "filter_octaves": _number("Filter by velocity", 0, 8, "oct", path="filter.octaves", label="By velocity", step=0.5, hint="Octaves by which the softest hit is darker"),
    "weight_db": _db("Weight", -18, 18, hint="The low end"),
    "snap_db": _db("Snap", -18, 18, hint="The transient"),
    "vary_tune_cents": _cents("Variation of tuning", 0, 200, path="variation.tune_cents", label="Tune ±"),
    "vary_gain_db": _db("Variation of level", 0, 12, path="variation.gain_db", label="Level ±"),
    "vary_pan": _pan("Variation of pan", 0, path="variation.pan", label="Pan ±", hint=""),
    "vary_delay_ms": _ms("Variation of time", 100, path="variation.delay_ms", label="Random delay"),
    "open_to": _whole("Open to", 0, 127, is_optional=True, step=1, reset="", hint="The openness up to which it stands for its piece; empty: the pedal does not choose it"),
    "played_by": Field(words="Also played by", kind=str, choices=PLAYED_BY, reset=""),
}  # fmt: skip
LAYER: dict[str, Field] = {"gain_db": _db("Level")}
TAKE: dict[str, Field] = {
    "gain_db": _db("Level"),
    "pan": _pan(),
    "tune_cents": _cents("Tuning", label="Tune"),
    "start_frame": _whole("Start", 0, LONGEST_SAMPLE, step=1),
    "end_frame": _whole("End", 1, LONGEST_SAMPLE, is_optional=True, step=1, reset=""),
    "fade_in_ms": _ms("Fade in"),
    "fade_out_ms": _ms("Fade out"),
    "is_reversed": _yes_no("Reverse"),
    "is_flipped": _yes_no("Polarity", label="Flip polarity"),
    "is_enabled": _yes_no("Playing", path="enabled", reset=True),
}
PIECE: dict[str, Field] = {
    "name": _text("Name", 60),
    "gain_db": _db("Level"),
    "pan": _pan(),
    "place_x": _number("Place across", -100, 100, is_optional=True, step=1, digits=0, reset="", hint="On the floor plan, from the player's left to right"),
    "place_y": _number("Place in depth", 0, 100, is_optional=True, step=1, digits=0, reset="", hint="On the floor plan, from the front to the player"),
    "colour": Field(words="Colour", kind=str, choices=COLOURS, reset=""),
    "shared_by": Field(words="Pads chosen by", kind=str, choices=SHARED_BY, reset=""),
    "controller": _whole("Controller", 0, 127, reset=4, step=1),
    "is_turned": _yes_no("127 is closed"),
    "blend": _whole("Blend", 0, 64, step=2, hint="Openness over which neighbouring pads blend"),
    "closing_ms": _ms("Closing time", 5000, reset=CLOSING_MS),
    "grab_from": _whole("Grabbed from", 1, 127, is_optional=True, step=1, reset="", hint="Aftertouch of its key from which on a hand grabs it; empty: never"),
    "grab_note": _whole("Note of a grab", 0, 127, is_optional=True, step=1, reset="", hint="Empty: none"),
    "grab_ms": _ms("Grab time", 5000, reset=GRAB_MS),
}  # fmt: skip
MIC: dict[str, Field] = {
    "name": _text("Name", 40),
    "gain_db": _db("Level"),
    "follows_pan": _yes_no("Pan", label="follows the pan", reset=True),
    "is_ambience": _yes_no("Ambience", label="is ambience"),
}
OUTPUT: dict[str, Field] = {
    "name": _text("Name", 40),
    "gain_db": _db("Level"),
    "width": _number("Width", 0, 200, scale=100, step=10, digits=0, reset=100, hint="0 mono, 100 as it is"),
    "balance": _pan("Balance"),
    "muted": _yes_no("Mute"),
    "parallel_db": _db("To the parallel bus", is_optional=True, label="To the bus", reset="", hint="Empty: nothing goes there"),
}  # fmt: skip
OUTPUT_GROUP: dict[str, Field] = {
    "name": _text("Name", 40),
    "gain_db": _db("Level"),
    "muted": _yes_no("Mute"),
    "colour": Field(words="Colour", kind=str, choices=COLOURS, reset=""),
}
GROUP: dict[str, Field] = {"fade_ms": _ms("Fade", 5000, reset=FADE_MS)}
MAP: dict[str, Field] = {"name": _text("Name", 60)}
SURFACE: dict[str, Field] = {
    "name": _text("Name", 60),
    "rows": _whole("Rows", 1, MAX_SIDE),
    "columns": _whole("Columns", 1, MAX_SIDE),
    "banks": _whole("Banks", 1, MAX_BANKS),
}
MEMBER: dict[str, Field] = {
    "low": _whole("Lowest note", 0, NOTES - 1, reset=0),
    "high": _whole("Highest note", 0, NOTES - 1, reset=NOTES - 1),
    "gain_db": _db("Level"),
    "muted": _yes_no("Mute"),
    "delay_ms": _ms("Delay", 1000),
}
"""How a kit of a lineup is reached by hits."""
KIT: dict[str, Field] = {"name": _text("Name", 80), "seed": _whole("Seed", 0, 2**31 - 1)}
DESK: dict[str, Field] = {
    "master_db": _db("Master"),
    "side": Field(words="Side", kind=str, choices=SIDES, reset=STOOL),
    "parallel_is_on": _yes_no("Parallel bus", path="parallel.is_on"),
    "parallel_threshold_db": _db("Threshold", -96, 0, path="parallel.threshold_db", reset=-24),
    "parallel_ratio": _number("Ratio", 1, 50, path="parallel.ratio", step=0.5, reset=4, hint="To 1"),
    "parallel_attack_ms": _ms("Attack", 1000, path="parallel.attack_ms", reset=10),
    "parallel_release_ms": _ms("Release", 5000, path="parallel.release_ms", reset=120, step=10),
    "parallel_knee_db": _db("Knee", 0, 48, path="parallel.knee_db", reset=6),
    "parallel_gain_db": _db("Level of the bus", path="parallel.gain_db", label="Level"),
}  # fmt: skip
"""What a kit's desk has beside its channels: fields of the kit."""
# Fields of their own shape, whose words and limits the forms need all the same.
PAD_NAME = _text("Name", 60, may_be_empty=True)
CURVE = Field(words="Velocity curve", kind=str, choices={**{name: name for name in CURVE_EXPONENTS}, DRAWN: DRAWN}, label="Curve", reset="even")  # fmt: skip
STRENGTH = _number("Strength", *STRENGTHS)
MUTE_NUMBER = _whole("Mute group", 1, 999)
MOST_POINTS = 32  # of a drawn velocity curve
Table = Mapping[str, Field]


# Rows and values ------------------------------------------------------------------------------------------------------


def values_of(table: Table, row: Any) -> dict[str, Any]:
    """What a row holds, as the core names and measures it; what lies deeper as a value of its own."""
    return values_in(table, _getter(table, of_rows=True)(row))


def values_in(table: Table, columns: Sequence[Any]) -> dict[str, Any]:
    """The same of the columns alone, in the order of the table: many rows are read so without an object each."""
    if id(table) not in _readers:
        _readers[id(table)] = _reader(tuple(table.items()))
    return _readers[id(table)](columns)


def are_alike(table: Table, one: Any, other: Any) -> bool:
    """Whether two values of the core have the same settings."""
    get = _getter(table, of_rows=False)
    return get(one) == get(other)


# Made once for each table; they live as long as the program.
_readers: dict[int, Callable[[Sequence[Any]], dict[str, Any]]] = {}
_getters: dict[tuple[int, bool], Callable[[Any], tuple[Any, ...]]] = {}


def _getter(table: Table, *, of_rows: bool) -> Callable[[Any], tuple[Any, ...]]:
    """Reads all settings of a row, or of a value of the core."""
    key = (id(table), of_rows)
    if key not in _getters:
        names = [name if of_rows else field.path or name for name, field in table.items()]
        _getters[key] = attrgetter(*names, names[0])  # one more, so that it is a tuple always
    return _getters[key]


def _reader(names: tuple[tuple[str, Field], ...]) -> Callable[[Sequence[Any]], dict[str, Any]]:
    if all(field.scale == 1 and "." not in field.path for _, field in names):
        own = [field.path or name for name, field in names]
        return lambda found: dict(zip(own, found, strict=False))
    flat = [(at, field.path or name, field.scale) for at, (name, field) in enumerate(names) if "." not in field.path]
    deep: dict[str, list[tuple[int, str, float]]] = {}
    for at, (_, field) in enumerate(names):
        if "." in field.path:
            inside, _, own = field.path.partition(".")
            deep.setdefault(inside, []).append((at, own, field.scale))
    plain, scaled = [(at, own) for at, own, s in flat if s == 1], [(at, own, s) for at, own, s in flat if s != 1]

    def to_value(found: Sequence[Any]) -> dict[str, Any]:
        values = {own: found[at] for at, own in plain}
        for at, own, scale in scaled:
            values[own] = found[at] / scale
        for inside, of in deep.items():
            values[inside] = _INSIDE[inside](**{own: found[at] / s if s != 1 else found[at] for at, own, s in of})
        return values

    return to_value


_INSIDE = {"envelope": Envelope, "filter": Filter, "variation": Variation, "parallel": Parallel}


def row_of(table: Table, value: Any) -> dict[str, Any]:
    """The columns of a row for a value of the core."""
    return {name: _scaled(_at(value, field.path or name), field.scale) for name, field in table.items()}


def _at(value: Any, path: str) -> Any:
    for name in path.split("."):
        value = getattr(value, name)
    return value


def _scaled(number: Any, scale: float) -> Any:
    return number * scale if scale != 1 and number is not None else number


# Limits ---------------------------------------------------------------------------------------------------------------


def check_limits(kit: Kit) -> None:
    """Refuse what no form would accept, by its name. raises : KitError"""
    check(KIT, kit, "the kit")
    check(DESK, kit, "the desk")
    for group in kit.groups:
        check(OUTPUT_GROUP, group, f"group {group.name[:40]}")
    for output in kit.outputs:
        check(OUTPUT, output, f"output {output.name[:40]}")
    for mic in kit.mics:
        check(MIC, mic, f"mic {mic.name[:40]}")
    for surface in kit.surfaces:
        check(SURFACE, surface, f"surface {surface.name[:40]}")
    for other in kit.maps:
        check(MAP, other, f"map {other.name[:40]}")
    for piece in kit.pieces:
        check(PIECE, piece, f"piece {piece.name[:40]}")
        for mic, gain_db in piece.mic_gains_db:
            check_one(MIC["gain_db"], gain_db, f"mic {mic[:40]} of piece {piece.name[:40]}")
        for pad in piece.pads:
            of = pad.name[:40] or "a pad"
            check_one(_text("Name", 121, may_be_empty=True), pad.name, of)  # of its piece, and its own
            check(PAD, pad, of)
            if not isinstance(pad.curve, str) and len(pad.curve) > MOST_POINTS:
                raise KitError(f"The velocity curve of {of} has over {MOST_POINTS} points.")
            for group in [g for g in (pad.choke, *pad.silences, *pad.silenced_by) if g]:
                check(GROUP, group, f"a group of {of}")
                if isinstance(group, ChokeGroup) and not (len(group.letter) == 1 and "A" <= group.letter <= "Z"):
                    raise KitError(f"A choke group of {of} is called {group.letter[:20]!r}; a letter from A to Z is.")
                if not isinstance(group, ChokeGroup):
                    check_one(MUTE_NUMBER, group.number, of)
            for layer in pad.layers:
                check(LAYER, layer, f"a layer of {of}")
                for take in layer.takes:
                    check(TAKE, take, f"a take of {of}")


def check(table: Table, value: Any, of: str) -> None:
    for name, field in table.items():
        check_one(field, _at(value, field.path or name), of)


def check_one(field: Field, value: Any, of: str) -> None:
    """value : as the core measures it. raises : KitError"""
    if value is None and field.is_optional:
        return
    if field.kind is str and field.choices is None:
        if len(value) > field.longest or not value.isprintable() or any("\ud800" <= c <= "\udfff" for c in value):
            raise KitError(
                f"{field.words} of {printable(of)} is not a name of at most {field.longest} plain characters."
            )
    elif field.choices is not None:
        if value not in field.choices:
            raise KitError(
                f"{printable(str(value))[:40]} is not a {field.words.lower()} that {printable(of)} can have."
            )
    elif field.low is not None:
        low, high, unit = field.low / field.scale, field.high / field.scale, f" {field.unit}" if field.unit else ""
        if not low - 1e-9 <= value <= high + 1e-9:
            raise KitError(
                f"{field.words} of {printable(of)} is {printable(_short(value))}; {_short(low)} to {_short(high)}{unit} can be."
            )


def fitted(table: Table, value: Any, of: str) -> tuple[Any, list[str]]:
    """The value with each number as near as its field takes, and a sentence for each that is another now."""
    changes: dict[str, Any] = {}
    said = []
    for name, field in table.items():
        path = field.path or name
        number = _at(value, path)
        if field.low is None or number is None:
            continue
        near = min(field.high / field.scale, max(field.low / field.scale, number))
        if near != number:
            said.append(f"{of}: {field.words.lower()} is {_short(number)} there; it becomes {near:g}.")
            inside, _, own = path.rpartition(".")
            if inside:
                changes[inside] = replace(changes.get(inside, getattr(value, inside)), **{own: near})
            else:
                changes[path] = near
    return (replace(value, **changes) if changes else value), said


def _short(value: Any) -> str:
    if isinstance(value, float) and not (value.is_integer() and abs(value) < 1e15):
        return f"{value:g}"
    return f"{int(value):,}" if abs(value) < 10**15 else str(value)[:20]


def cleaned(text: str) -> str:
    """Text as a name can be kept: no control signs, no halves of characters, spaces as one."""
    kept = (
        " " if c.isspace() else c for c in text if c.isspace() or (c.isprintable() and not "\ud800" <= c <= "\udfff")
    )
    return " ".join("".join(kept).split())


def printable(text: str) -> str:
    """Text that can be shown and kept whatever it holds."""
    return "".join(c if c.isprintable() and not "\ud800" <= c <= "\udfff" else "?" for c in text)


# The document ---------------------------------------------------------------------------------------------------------


def described() -> Iterator[str]:
    """Lines of the table in docs/formats.md: each field of a kit in a package, with what it takes."""
    tables = {"Kit": KIT, "Output": OUTPUT, "Mic": MIC, "Piece": PIECE, "Pad": PAD, "Layer": LAYER, "Take": TAKE, "OutputGroup": OUTPUT_GROUP, "Kit, desk": DESK, "ChokeGroup, MuteGroup": GROUP, "Surface": SURFACE, "NoteMap": MAP}  # fmt: skip
    for of, table in tables.items():
        for name, field in table.items():
            yield f"| `{field.path or name}` of {of} | {_takes(field)} |"


def _takes(field: Field) -> str:
    null = ", or null" if field.is_optional else ""
    if field.choices is not None:
        return ", ".join(f'"{choice}"' for choice in field.choices)
    if field.kind is bool:
        return "true or false"
    if field.kind is str:
        return f"text of at most {field.longest} characters"
    unit = f" {field.unit}" if field.unit else ""
    what = "whole number" if field.kind is int else "number"
    return f"{what} from {field.low / field.scale:g} to {field.high / field.scale:g}{unit}{null}".replace("-", "−")
