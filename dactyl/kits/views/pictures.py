"""The pictures of a kit that stand beside its sheet, each of an app above: found by name, drawn anew after an edit."""

from collections.abc import Callable
from typing import Any, NamedTuple

from django.http import HttpRequest

from dactyl.kits.models import Kit
from dactyl.web.headers import told


class Picture(NamedTuple):
    """One of the pictures of a view, which is drawn anew where an edit changed what it shows."""

    main_view: str  # the tab that it belongs to
    template: str
    shows: Callable[[Kit, str], dict[str, Any]]  # of the kit; and the key of what is chosen in it, where something is


PICTURES: dict[str, Picture] = {}
"""By the name that the page sends; apps above put theirs here, as all are."""


def picture_context(request: HttpRequest, kit: Kit, view: str) -> dict[str, Any]:
    """What a picture shows, and the template that shows it."""
    picture = PICTURES[view]
    return {"main_view": picture.main_view, "view_template": picture.template, **picture.shows(kit, shown_in(request))}


def shown_in(request: HttpRequest) -> str:
    """What is chosen in the picture: what a request just made; of a page by its address; of an edit what the page shows."""
    if made := getattr(request, "shown", None):
        return str(made)
    asked = request.GET.get("shown", "") if request.method == "GET" else told(request, "shown")
    return asked[:40]
