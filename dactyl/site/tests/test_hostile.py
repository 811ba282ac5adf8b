"""Whatever an address, a form or a header holds: a page or a sentence, never a traceback, and nothing outside the data."""

import random

from django.test import RequestFactory, TestCase
from django.urls import URLPattern, URLResolver, get_resolver

from dactyl.bounces.models import Bounce
from dactyl.jobs.models import Job
from dactyl.kits import edits
from dactyl.kits.models import Kit
from dactyl.kits.tests.test_edits import recordings, version
from dactyl.shelf.models import Sample
from dactyl.shelf.tests.sounds import shelf_of
from dactyl.site.middleware import Headers

HUGE = "9" * 30
ODD = ["", "0", "-1", "²", HUGE, "1,2,3", "../../etc/passwd", "<script>alert(1)</script>", "\0", "é" * 300, "1e400", "nan", "[]", "{}"]  # fmt: skip
EXPECTED = {200, 202, 204, 206, 301, 302, 304, 403, 404, 405, 409, 410, 413, 416, 422}
WITHOUT_END = ("files/open/",)


def addresses(resolver: URLResolver | None = None, before: str = "/") -> list[str]:
    """Every address of the site, with its placeholders."""
    found = []
    for pattern in (resolver or get_resolver()).url_patterns:
        place = before + str(pattern.pattern)
        if isinstance(pattern, URLPattern):
            found.append(place)
        else:
            found += addresses(pattern, place)
    return found


def filled(address: str, value: str) -> str:
    """The address with ``value`` in the place of every name, and 1 or a huge number for every number."""
    parts = []
    for part in address.split("/"):
        if part.startswith("<int:"):
            part = HUGE if value == HUGE else "1"
        elif part.startswith("<"):
            part = value.replace("/", "-").replace("\0", "").replace("?", "") or "x"
        parts.append(part)
    return "/".join(parts)


class Hostile(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.kit = edits.kits.create_kit("Quay")
        pad = cls.kit.pads.select_related("piece", "kit").first()
        edits.samples.give_samples(
            pad, version(cls.kit), recordings(shelf_of([-20.0, -6.0])), "layers", replace=True, layers=None
        )

    def setUp(self):
        self.client.raise_request_exception = False

    def test_every_address_answers_odd_values_with_a_page_or_a_sentence(self):
        found = [address for address in addresses() if not address.endswith("$") and "static" not in address]
        self.assertGreater(len(found), 60)
        dice = random.Random(7)
        for address in found:
            for value in ("name", HUGE, "<b>x", dice.choice(ODD[3:])):
                place, fields = filled(address, value), self.any_fields(dice)
                self.ask(place, fields, self.client.get(place, fields))
                headers = {"HX-Request": "true", "X-Kit-Version": dice.choice(["", "x", str(version(self.kit))])}
                headers |= {
                    "X-Selected-Pads": dice.choice(["1", HUGE, "²,1"]),
                    "X-Selected-Takes": dice.choice(["1", "a"]),
                }
                if not address.endswith(WITHOUT_END):
                    self.ask(place, fields, self.client.post(place, fields, headers=headers))
        self.assertTrue(Kit.objects.filter(pk=self.kit.pk).exists())
        self.assertEqual(Sample.objects.count(), 2)
        self.assertLessEqual(Job.objects.count(), Bounce.objects.count() + 3)

    def any_fields(self, dice: random.Random) -> dict[str, str]:
        names = ["value", "samples", "sample", "pad", "takes", "layer", "position", "way", "count", "part", "rate", "bits", "by", "q", "sort",
                 "start", "kind", "cuts", "fade_ms", "from", "to", "columns", "pads", "try", "proposal", "source", "before", "values", "name"]  # fmt: skip
        return {name: dice.choice(ODD) for name in dice.sample(names, 12)}

    def ask(self, place: str, fields: dict[str, str], answer) -> None:
        with self.subTest(place, fields=fields):
            self.assertIn(answer.status_code, EXPECTED)
            body = b"".join(answer.streaming_content) if answer.streaming else answer.content
            self.assertNotIn(b"Traceback", body)
            if "json" not in answer.headers.get("Content-Type", ""):  # which no browser takes for a page
                self.assertNotIn(b"<script>alert(1)", body)

    def test_what_is_not_there_is_said_as_a_page_or_as_a_line(self):
        page = self.client.get("/kits/999/")
        self.assertContains(page, "<h1", status_code=404)
        line = self.client.get("/kits/999/card/", headers={"HX-Request": "true"})
        self.assertNotContains(line, "<html", status_code=404)

    def test_what_another_site_asks_for_is_refused(self):
        answer = Headers(lambda request: self.client.get("/"))
        asked = RequestFactory().get("/shelf/", headers={"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "no-cors"})
        self.assertEqual(answer(asked).status_code, 403)
        for headers in ({}, {"Sec-Fetch-Site": "same-origin"}, {"Sec-Fetch-Site": "none"}):
            response = answer(RequestFactory().get("/shelf/", headers=headers))
            self.assertEqual((response.status_code, response["Cross-Origin-Resource-Policy"]), (200, "same-origin"))
        for place in ("/", "/static/worklet.js", "/nowhere/"):
            response = self.client.get(place)
            self.assertIn("default-src 'none'", response["Content-Security-Policy"], place)
