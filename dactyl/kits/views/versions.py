"""Versions: listed beside the changes, compared in sentences, gone back to, opened as kits of their own."""

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from dactyl.core.compare import compare
from dactyl.history.queries import listed, reading
from dactyl.kits import edits, queries
from dactyl.kits.models import Kit, Version
from dactyl.kits.views.answer import Answer, find, kit_edit
from dactyl.kits.views.pages import kit_page
from dactyl.request_values import number_in, plain


def _shown(request: HttpRequest, kit: Kit) -> HttpResponse:
    return kit_page(request, kit, "history", "kits/_history_list.html", {"revisions": listed(kit)})


@require_POST
def keep(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    edits.versions.keep(kit, plain(request.POST.get("name", ""), "A version's name", 80))
    return _shown(request, kit)


@require_POST
def delete(request: HttpRequest, kit_id: int, version_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    get_object_or_404(Version, pk=version_id, kit=kit).delete()
    return _shown(request, kit)


@require_POST
def open_as_kit(request: HttpRequest, kit_id: int, version_id: int) -> HttpResponse:
    made = edits.versions.open_as_kit(
        get_object_or_404(Version.objects.select_related("kit"), pk=version_id, kit=kit_id)
    )
    return HttpResponseRedirect(reverse("kits:kit", args=[made.pk]))


@kit_edit
def go_back(request: HttpRequest, kit: Kit, version: int, version_id: int) -> Answer:
    kept = find(Version.objects, version_id, kit, kit=kit)
    kept.kit = kit
    return edits.versions.go_back(kept, version)


@require_GET
def compared(request: HttpRequest, kit_id: int, version_id: int) -> HttpResponse:
    """What differs between a version and the kit as it is, or another version: ``with``."""
    kit = get_object_or_404(Kit, pk=kit_id)
    one = get_object_or_404(Version, pk=version_id, kit=kit)
    other = Version.objects.filter(pk=number_in(request.GET.get("with", "")), kit=kit).first()
    with reading():
        after = edits.versions.value_of(other) if other else queries.whole_kit_value(kit.pk)
    sentences = compare(edits.versions.value_of(one), after)
    return render(request, "kits/_compared.html", {"kit": kit, "version": one, "other": other, "sentences": sentences})
