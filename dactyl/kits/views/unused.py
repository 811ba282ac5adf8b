"""Samples made one or deleted for good, asked for on the shelf: kits must agree."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from dactyl.core.units import counted
from dactyl.kits import edits
from dactyl.shelf.models import Sample
from dactyl.shelf.views import picked_ids, shelf_changed


@require_POST
def merge(request: HttpRequest, sample_id: int, other_id: int) -> HttpResponse:
    """Keep the first of two samples of equal sound in the place of the other."""
    kept, other = get_object_or_404(Sample, pk=sample_id), get_object_or_404(Sample, pk=other_id)
    kits = edits.shelf.merge(kept, other)
    where = f"; {counted(kits, 'kit')} {'plays' if kits == 1 else 'play'} it now" if kits else ""
    response = shelf_changed(f"{other.name} is kept as {kept.name}{where}.")
    if kits:
        response["HX-Refresh"] = "true"  # the kit that is open may be one of them
    return response


@require_POST
def delete(request: HttpRequest) -> HttpResponse:
    gone, kept = edits.shelf.delete_unused(picked_ids(request))
    stay = f" {kept} stay: a kit or its history uses them." if kept else ""
    return shelf_changed(f"{counted(gone, 'sample')} deleted.{stay}")
