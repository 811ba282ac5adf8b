"""What every template may use: notes, levels and pictures as they are written on the page."""

from django import template
from django.conf import settings
from django.utils.html import format_html
from django.utils.safestring import SafeString

from dactyl.core.audio import overview
from dactyl.core.formats import notes
from dactyl.core.kinds import BY_SLUG
from dactyl.kits.queries import PadRow
from dactyl.kits.staircase import Staircase, staircase

register = template.Library()
KEYS = "ASDFJKL;QWERUIOP"
CODES = ["Semicolon" if key == ";" else f"Key{key}" for key in KEYS]


@register.filter
def note(number: int) -> str:
    return notes.note_label(number, middle_c_octave=settings.MIDDLE_C_OCTAVE)


@register.filter
def notes_label(numbers: list[int]) -> str:
    return ", ".join(note(number) for number in numbers)


@register.filter
def db(level: float, digits: int = 1) -> str:
    """A level with a real minus sign, and a plus where it raises."""
    text = f"{level:.{digits}f}"
    text = "0" if float(text) == 0 and digits == 0 else text.replace("-0.0", "0.0") if float(text) == 0 else text
    return text.replace("-", "−")


@register.filter
def signed(level: float) -> str:
    return f"{level:+.1f}".replace("-", "−")


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


@register.simple_tag
def steps(row: PadRow) -> Staircase:
    """The staircase of a row: measured levels with the gains of pad, piece and output's way there."""
    layers = [(layer.low, layer.high, [level for level, enabled in layer.levels if enabled]) for layer in row.layers]
    pad = row.pad
    return staircase(layers, gain_db=pad.gain_db + pad.piece.gain_db, dynamics=pad.dynamics, curve=pad.curve)


@register.simple_tag
def steps_of(layers: list[tuple[int, int, list[float]]], dynamics: float = 1.0) -> Staircase:
    return staircase(layers, dynamics=dynamics)


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
def key_of(index: int) -> dict[str, str]:
    """The computer key of a place on the surface, by position: the lower row first."""
    return {"label": KEYS[index], "code": CODES[index]} if index < len(KEYS) else {}


@register.simple_tag
def glyph(slug: str, label: str = "") -> SafeString:
    """The drawing of a kind. It stands beside the kind's name or carries it as its label."""
    if label:
        return format_html(
            '<svg class="glyph" role="img" aria-label="{}"><use href="#kind-{}"/></svg>', BY_SLUG[slug].label, slug
        )
    return format_html('<svg class="glyph" aria-hidden="true"><use href="#kind-{}"/></svg>', slug)
