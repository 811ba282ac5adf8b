"""Sets of kits: an order in which they are flipped through while a part plays."""

from collections.abc import Sequence

from django.db import transaction
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET, require_POST

from dactyl.core.errors import KitError
from dactyl.kits import queries
from dactyl.kits.models import Kit, KitOfSet, KitSet
from dactyl.kits.views.pages import kit_page
from dactyl.request_values import number_in, plain

MOST = 64  # kits of a set
MOVES = (("up", "earlier"), ("down", "later"), ("out", "out"))


@require_GET
def page(request: HttpRequest, kit_id: int) -> HttpResponse:
    return _page(request, get_object_or_404(Kit, pk=kit_id), number_in(request.GET.get("shown", "")))


def _page(request: HttpRequest, kit: Kit, shown: int = 0) -> HttpResponse:
    every = list(KitSet.objects.all())
    chosen = next((one for one in every if one.pk == shown), every[0] if every else None)
    kits = {one.pk: one for one in queries.home_kits(put_away=False)}
    own = [kits[place.kit_id] for place in chosen.places.all() if place.kit_id in kits] if chosen else []
    context = {
        "main_view": "kit",
        "sets": every,
        "set": chosen,
        "set_kits": own,
        "set_moves": MOVES,
        "other_kits": [one for one in kits.values() if one not in own],
    }
    return kit_page(request, kit, "sets", "kits/_sets.html", context)


@require_GET
def of(request: HttpRequest, set_id: int) -> JsonResponse:
    """The kits of a set in their order."""
    row = get_object_or_404(KitSet, pk=set_id)
    kits = row.places.filter(kit__is_put_away=False).values_list("kit", "kit__name")
    return JsonResponse({"id": row.pk, "name": row.name, "kits": [[pk, name] for pk, name in kits]})


@require_POST
def new(request: HttpRequest, kit_id: int) -> HttpResponse:
    """A set that begins with the kit that is open."""
    kit = get_object_or_404(Kit, pk=kit_id)
    name = plain(request.POST.get("name", ""), "A set's name", 80) or f"Set {KitSet.objects.count() + 1}"
    with transaction.atomic():
        row = KitSet.objects.create(name=name)
        KitOfSet.objects.create(of_set=row, kit=kit, position=0)
    return _page(request, kit, row.pk)


@require_POST
def change(request: HttpRequest, kit_id: int, set_id: int, what: str) -> HttpResponse:
    """what : add, out, up, down (of the kit in ``kit``), rename or delete"""
    kit, row = get_object_or_404(Kit, pk=kit_id), get_object_or_404(KitSet, pk=set_id)
    other = Kit.objects.filter(pk=number_in(request.POST.get("kit", ""))).first()
    order = list(row.places.values_list("kit", flat=True))
    if what == "rename":
        row.name = plain(request.POST.get("value", ""), "A set's name", 80) or row.name
        row.save(update_fields=["name"])
    elif what == "delete":
        row.delete()
    elif other is None:
        raise KitError("This kit is no longer there. Choose another.")
    elif what == "add" and other.pk not in order:
        if len(order) >= MOST:
            raise KitError(f"A set holds at most {MOST} kits.")
        _write(row, [*order, other.pk])
    elif what == "out":
        _write(row, [key for key in order if key != other.pk])
    elif what in ("up", "down") and other.pk in order:
        at = order.index(other.pk)
        to = max(0, min(len(order) - 1, at + (-1 if what == "up" else 1)))
        order.insert(to, order.pop(at))
        _write(row, order)
    return _page(request, kit, row.pk or 0)


@transaction.atomic
def _write(row: KitSet, order: Sequence[int]) -> None:
    row.places.all().delete()
    KitOfSet.objects.bulk_create([KitOfSet(of_set=row, kit_id=key, position=n) for n, key in enumerate(order)])
