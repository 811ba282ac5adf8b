"""Edits of the pictures of a kit: dots of the matrix of cuts, pieces on the floor plan."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.template.loader import render_to_string
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET

from dactyl.core.bounce.order import safe_name
from dactyl.core.cuts import usual
from dactyl.core.errors import KitError
from dactyl.core.plan import pan_of
from dactyl.history.door import Answer
from dactyl.kits import edits, fields, queries
from dactyl.kits.models import Companion, Kit, Piece
from dactyl.kits.views.answer import find, kit_edit, pad_of
from dactyl.pictures.plan import plan_context


@kit_edit
def toggle(request: HttpRequest, kit: Kit, version: int, pad_id: int, other_id: int) -> Answer:
    """One dot of the matrix; ``both=1``: they cut each other."""
    pad, other = pad_of(kit, pad_id), pad_of(kit, other_id)
    return edits.cuts.toggle(kit, version, pad, other, both=request.POST.get("both") == "1")


@kit_edit
def apply_usual(request: HttpRequest, kit: Kit, version: int) -> Answer:
    return edits.cuts.apply_usual(kit, version, usual(queries.pad_cuts(kit)))


@kit_edit
def mute_fade(request: HttpRequest, kit: Kit, version: int, number: int) -> Answer:
    """How fast the members of a mute group fall silent: ``value`` in milliseconds."""
    return edits.pads.set_mute_fade(kit, version, number, fields.group_fade_ms(request.POST.get("value", "")))


@kit_edit
def level_links(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """The strengths of everything that sounds along, multiplied: ``value`` in percent."""
    percent = fields.whole("The shared level", 1, 400)(request.POST.get("value", ""))
    rows = list(Companion.objects.filter(pad__kit=kit))
    if not rows:
        raise KitError("Nothing sounds along yet. Press a place in the matrix first.")
    return edits.cuts.level_links(kit, version, rows, percent / 100)


@kit_edit
def place_piece(request: HttpRequest, kit: Kit, version: int, piece_id: int) -> Answer:
    """Put a piece on the floor plan at ``x`` and ``y``; its pan follows with ``pan=player`` or ``pan=audience``."""
    piece = find(Piece.objects, piece_id, kit, kit=kit)
    x = fields.read(fields.PIECE_FIELDS, "place_x", request.POST.get("x", ""))
    y = fields.read(fields.PIECE_FIELDS, "place_y", request.POST.get("y", ""))
    follows = request.POST.get("pan", "")
    pan = pan_of(x, as_audience=follows == "audience") if follows in ("player", "audience") and x is not None else None
    return edits.pads.place_piece(kit, version, piece, x, y, pan)


@kit_edit
def as_usual(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """All pieces back to where their kinds usually stand; pans stay."""
    return edits.pads.place_as_usual(kit, version)


@require_GET
def plan_svg(request: HttpRequest, kit_id: int) -> HttpResponse:
    """The floor plan as a picture of the kit, for its cover."""
    kit = get_object_or_404(Kit, pk=kit_id)
    text = render_to_string("pictures/plan.svg", {"kit": kit, "is_alone": True, **plan_context(kit)})
    response = HttpResponse(text, content_type="image/svg+xml")
    response["Content-Disposition"] = content_disposition_header(True, f"{safe_name(kit.name)}.svg")
    return response
