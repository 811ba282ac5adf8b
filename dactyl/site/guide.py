"""The guide: pages of ``docs/guide``, as they stand in the repository, shown beside the work."""

import re
from functools import cache

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils.safestring import mark_safe
from django.views.decorators.http import require_GET
from markdown_it import MarkdownIt

FOLDER = settings.ROOT / "docs" / "guide"
FIRST = "README"
_COMMENT = re.compile(r"<!--.*?-->", re.DOTALL)


@cache
def titles() -> dict[str, tuple[str, str]]:
    """(title, what one has) of each page, in the order of the first one."""
    rows = re.findall(r"^- \[(.+?)\]\((\S+?)\.md\): (.+)$", (FOLDER / f"{FIRST}.md").read_text(encoding="utf-8"), re.M)
    return {slug: (title, have) for title, slug, have in rows}


@require_GET
def guide(request: HttpRequest, slug: str = FIRST) -> HttpResponse:
    if slug != FIRST and slug not in titles():
        raise Http404
    text = _COMMENT.sub("", (FOLDER / f"{slug}.md").read_text(encoding="utf-8"))
    for other in titles():
        text = text.replace(f"({other}.md)", f"({reverse('guide_page', args=[other])})")
    shown = MarkdownIt("commonmark", {"html": False}).render(text)
    context = {"text": mark_safe(shown), "slug": slug, "pages": titles()}  # noqa: S308
    return render(request, "guide.html", context)
