"""Sets of kits: an order in which they are flipped through while a part plays."""

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from dactyl.core.errors import KitError
from dactyl.kits import queries
from dactyl.kits.models import Kit
from dactyl.kits.views.pages import kit_page
from dactyl.sets import edits
from dactyl.sets.models import KitSet
from dactyl.web.request_values import number_in, plain

MOVES = (("up", "earlier"), ("down", "later"), ("out", "out"))


@require_GET
def page(request: HttpRequest, kit_id: int) -> HttpResponse:
    return _page(request, get_object_or_404(Kit, pk=kit_id), number_in(request.GET.get("shown", "")))


def _page(request: HttpRequest, kit: Kit, shown: int = 0) -> HttpResponse:
    every = list(KitSet.objects.all())
    chosen = next((one for one in every if one.pk == shown), every[0] if every else None)
    kits = {one.pk: one for one in queries.home_kits(put_away=False) if one.pad_count}  # a lineup can't be flipped to
    own = [kits[place.kit_id] for place in chosen.places.all() if place.kit_id in kits] if chosen else []
    context = {
        "main_view": "kit",
        "sets": every,
        "set": chosen,
        "set_kits": own,
        "set_moves": MOVES,
        "other_kits": [one for one in kits.values() if one not in own],
        "new_set_url": reverse("sets:new_set", args=[kit.pk]),
        "add_url": reverse("sets:change_set", args=[kit.pk, chosen.pk, "add"]) if chosen else "",
    }
    return kit_page(request, kit, "sets", "sets/_sets.html", context)


@require_GET
def of(request: HttpRequest, set_id: int) -> JsonResponse:
    """The kits of a set in their order."""
    row = get_object_or_404(KitSet, pk=set_id)
    kits = row.places.filter(kit__is_put_away=False).values_list("kit", "kit__name")
    return JsonResponse({"id": row.pk, "name": row.name, "kits": [[pk, name] for pk, name in kits]})


@require_POST
def new(request: HttpRequest, kit_id: int) -> HttpResponse:
    """A set that begins with the kit in ``kit``, or with the one that is open."""
    kit = get_object_or_404(Kit, pk=kit_id)
    first = Kit.objects.filter(pk=number_in(request.POST.get("kit", ""))).first() or kit
    name = plain(request.POST.get("name", ""), "A set's name", 80)
    return _page(request, kit, edits.new_set(name, first).pk)


@require_POST
def change(request: HttpRequest, kit_id: int, set_id: int, what: str) -> HttpResponse:
    """what : add, out, up, down (of the kit in ``kit``), rename or delete"""
    kit, row = get_object_or_404(Kit, pk=kit_id), get_object_or_404(KitSet, pk=set_id)
    other = Kit.objects.filter(pk=number_in(request.POST.get("kit", ""))).first()
    if what == "rename":
        edits.rename_set(row, plain(request.POST.get("value", ""), "A set's name", 80) or row.name)
    elif what == "delete":
        edits.delete_set(row)
    elif other is None:
        raise KitError("This kit is no longer there. Choose another.")
    elif what == "add":
        edits.add_kit(row, other)
    elif what == "out":
        edits.take_out(row, other)
    elif what in ("up", "down"):
        edits.move_kit(row, other, -1 if what == "up" else 1)
    return _page(request, kit, row.pk or 0)
