"""What every template may use: notes, levels and pictures as they are written on the page."""

import json
from collections.abc import Iterable

from django import template
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import SafeString

from dactyl.core.audio import overview
from dactyl.core.bounce.response import Response
from dactyl.core.formats import notes
from dactyl.core.kinds import BY_SLUG, IN_SCORE_ORDER, Kind
from dactyl.core.kit import ROTATIONS
from dactyl.core.play.compile import curve_table
from dactyl.core.play.cycles import take_cycle
from dactyl.core.units import counted, gain_to_db
from dactyl.kits import fields
from dactyl.kits.models import DRAWN, Kit, Pad, Piece, Proposal, Take
from dactyl.kits.queries import CardLayer, PadRow
from dactyl.kits.staircase import Staircase, down_to, staircase, top_above
from dactyl.kits.values import curve_of
from dactyl.web.headers import HEADERS
from dactyl.web.note_naming import middle_c_octave

register = template.Library()


@register.filter
def note(number: int) -> str:
    return notes.note_label(number, middle_c_octave=middle_c_octave())


@register.filter
def in_octaves(sentence: object) -> str:
    """A sentence that was written for all, as this browser names octaves."""
    return notes.relabelled(str(sentence), middle_c_octave=middle_c_octave())


@register.filter
def notes_label(numbers: list[int]) -> str:
    return ", ".join(note(number) for number in numbers)


@register.filter
def first_note(numbers: list[int]) -> str:
    """The first, and how many more there are, where there is no room for all."""
    return notes_label(numbers[:1]) + (f" +{len(numbers) - 1}" if len(numbers) > 1 else "")


@register.filter
def db(level: float, digits: int = 1) -> str:
    """A level with a real minus sign, and a plus where it raises."""
    text = f"{level:.{digits}f}"
    text = "0" if float(text) == 0 and digits == 0 else text.replace("-0.0", "0.0") if float(text) == 0 else text
    return text.replace("-", "−")


@register.filter
def signed(level: float) -> str:
    return f"{round(level, 1) + 0.0:+.1f}".replace("-", "−")  # adding zero turns −0.0 to +0.0


@register.filter
def pan(value: float) -> str:
    """``-30 -> "L30"``, the centre a C."""
    return "C" if round(value) == 0 else f"{'L' if value < 0 else 'R'}{abs(value):.0f}"


@register.filter
def kind_label(slug: str) -> str:
    return BY_SLUG[slug].label


@register.filter
def khz(rate_hz: int) -> str:
    return f"{rate_hz / 1000:g}"


@register.filter
def length_of(seconds: float) -> str:
    return f"{seconds * 1000:.0f} ms" if seconds < 1 else f"{seconds:.2f} s" if seconds < 60 else clock(seconds)


@register.filter
def clock(seconds: float) -> str:
    return f"{int(seconds // 60)}:{int(seconds % 60):02}"


@register.filter
def outline(packed: bytes, size: str = "120x20") -> str:
    """A sample's overview as an SVG path in a box of this size."""
    width, height = (float(side) for side in size.split("x"))
    return overview.outline(bytes(packed), width, height)


@register.filter
def small_outline(packed: bytes) -> str:
    """A sample's overview as a small SVG path, 64 wide and 24 high: there are a hundred in a list."""
    return overview.small_outline(bytes(packed), 64, 24)


@register.simple_tag(takes_context=True)
def steps(context: dict, row: PadRow, fits: bool = False) -> Staircase:
    """The staircase of a row: measured levels with the gains of pad, piece and output's way there."""
    layers = [(layer.low, layer.high, [level for level, enabled in layer.levels if enabled]) for layer in row.layers]
    pad = row.pad
    gain_db = pad.gain_db + pad.piece.gain_db
    return staircase(
        layers, gain_db=gain_db, dynamics=pad.dynamics, curve=curve_of(pad), fits=fits, axis=context.get("axis")
    )


@register.simple_tag
def steps_of(layers: list[tuple[int, int, list[float]]], dynamics: float = 1.0, fits: bool = False) -> Staircase:
    return staircase(layers, dynamics=dynamics, fits=fits)


@register.simple_tag
def small_steps(layers: list[tuple[int, float]]) -> str:
    """The edge of a pad's steps for the picture of a kit: (high, level) of each layer; 24 wide, 20 high."""
    points, low = [], 0
    for high, level in layers:
        y = 20 - max(0.5, min(20.0, (level + 48) / 48 * 20))
        points.append(f"{low / 127 * 24:.1f} {y:.1f}L{high / 127 * 24:.1f} {y:.1f}")
        low = high
    return f"M0 20L{'L'.join(points)}L24 20Z" if points else ""


@register.simple_tag
def open_proposal(kit: Kit) -> str:
    """What a proposal that waits in the kit is of; nothing where none does."""
    row = Proposal.objects.filter(kit=kit).order_by("-pk").first()
    if row is None:
        return ""
    return counted(len(row.state.get("pads", ())), "pad")


@register.simple_tag
def header(name: str) -> str:
    """The header by which the page tells this (``web.headers``)."""
    return HEADERS[name]


@register.simple_tag
def kinds_list() -> tuple[Kind, ...]:
    return IN_SCORE_ORDER


@register.simple_tag
def glyph(slug: str, label: str = "") -> SafeString:
    """The drawing of a kind. It stands beside the kind's name or carries it as its label."""
    if label:
        return format_html(
            '<svg class="glyph" role="img" aria-label="{}"><use href="#kind-{}"/></svg>', BY_SLUG[slug].label, slug
        )
    return format_html('<svg class="glyph" aria-hidden="true"><use href="#kind-{}"/></svg>', slug)


# Settings as fields ---------------------------------------------------------------------------------------------------


@register.inclusion_tag("kits/_setting.html", takes_context=True)
def setting(context: dict, row: Pad | Piece | Take, name: str, label: str = "", style: str = "") -> dict:
    """A labelled field for one setting of a pad, its piece or a take, as the tables in fields.py describe it."""
    kind, known = next(found for of, *found in SETTINGS if isinstance(row, of))
    spec, value, kit = known[name], getattr(row, name), context["kit"].pk
    if kind == "piece":
        url = reverse("kits:set_pad", args=[kit, context["pad"].pk, f"piece_{name}"])
    else:
        url = reverse(f"kits:set_{kind}", args=[kit, row.pk, name])
    return {
        "field": spec,
        "name": name,
        "label": label or spec.shown,
        "id": f"{kind}-{name}",
        "style": style,
        "value": value,
        "text": _typed(value, spec.digits) if spec.step else value,
        "choices": context.get("choices", {}).get(name),
        "is_check": isinstance(value, bool),
        "url": url,
    }


SETTINGS = [(Pad, "pad", fields.PAD_FIELDS), (Piece, "piece", fields.PIECE_FIELDS), (Take, "take", fields.TAKE_FIELDS)]


@register.filter
def stretches(piece: Piece) -> list[tuple[int, int, Pad]]:
    """What a pedal or a place chooses among: (first, last, pad) of each stretch, 0 to 127."""
    found, low = [], 0
    for pad in sorted((pad for pad in piece.pads.all() if pad.open_to is not None), key=lambda pad: pad.open_to):
        if pad.open_to >= low:
            found.append((low, pad.open_to, pad))
            low = pad.open_to + 1
    return [*found[:-1], (found[-1][0], 127, found[-1][2])] if found else []


@register.filter
def less(one: int, other: int) -> int:
    return one - other


def _typed(value: float | None, digits: int) -> str:
    if value is None:
        return ""
    text = f"{value:.{digits}f}"
    return text.replace("-", "−") if float(text) else text.replace("-", "")


@register.filter
def seconds_ms(frames: int, rate_hz: int) -> str:
    """Frames at a rate as ms."""
    return f"{1000 * frames / rate_hz:.1f}"


@register.filter
def opposite(level_db: float) -> str:
    """What undoes a deviation."""
    return signed(-level_db)


@register.filter
def as_json(value: object) -> str:
    """For a data attribute of the page."""
    return json.dumps(value, ensure_ascii=False)


@register.filter
def curve_json(pad: Pad) -> str:
    """Points of the pad's curve for its editor; a named curve as a few points along it."""
    if pad.curve == DRAWN and pad.curve_points:
        return json.dumps(pad.curve_points)
    table = curve_table(pad.curve)
    return json.dumps([[velocity, table[velocity - 1]] for velocity in (1, 32, 64, 96, 127)])


@register.filter
def response_path(response: Response) -> str:
    """The measured levels as a line, on the scale of the pad's own staircase."""
    top_db = top_above(max(response.levels_db))
    return "M" + "L".join(f"{n} {down_to(level, top_db):.1f}" for n, level in enumerate(response.levels_db))


@register.filter
def can_be_evened(response: Response, pad: Pad) -> bool:
    return any(abs(gain) > 0.3 for gain in response.proposed_gains_db) and len(response.proposed_gains_db) > 2


@register.simple_tag
def cycle_picture(pad: Pad, layer: CardLayer) -> SafeString:
    """The layer's rotation: a column for each strike of the cycle, a mark in the row of the take that sounds."""
    enabled = [number for number, row in enumerate(layer.takes) if row.take.is_enabled]
    stream = layer.row.random_stream if layer.row.random_stream is not None else layer.row.pk
    cycle = take_cycle(enabled, pad.rotation, seed=pad.kit.seed, layer=stream)[:32]
    rows = len(layer.takes)
    marks = "".join(f"M{4 * place + 1} {3 * take + 1.5}h2" for place, sounding in enumerate(cycle) for take in sounding)
    words = f"{ROTATIONS[pad.rotation]}: " + ", ".join(
        "+".join(str(take + 1) for take in sounding) for sounding in cycle
    )
    return format_html(
        '<svg class="cycle-picture" viewBox="0 0 {} {}" width="{}" height="{}" role="img" aria-label="{}"><path d="{}"/></svg>',
        4 * len(cycle), 3 * rows, 4 * len(cycle), 3 * rows, words[:200], marks,
    )  # fmt: skip


@register.filter
def as_db(gain: float) -> str:
    """A linear gain in dB."""
    return db(gain_to_db(gain), 0)


@register.filter
def few(values: Iterable, most: int) -> str:
    """The first of them in little room; the others are told elsewhere."""
    shown = [str(value) for value in values]
    return ",".join(shown[:most]) + ("…" if len(shown) > most else "")
