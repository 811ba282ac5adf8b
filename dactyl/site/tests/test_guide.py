"""The guide says what stands on the pages: every label that it names is there, and every page is followed by a browser test."""

import re
from importlib import import_module

from django.conf import settings
from django.test import TestCase

from dactyl.site.guide import FOLDER, titles

FOLDERS = (
    "dactyl/*/templates/**/*.html",
    "dactyl/*/views/*.py",
    "dactyl/*/views.py",
    "frontend/js/**/*.js",
)  # where labels are written
SOURCES = [path for folder in FOLDERS for path in settings.ROOT.glob(folder)]
SAYS = {"You have", "You leave with"}


class Guide(TestCase):
    def test_every_label_that_it_names_stands_on_a_page(self):
        shown = " ".join(
            " ".join(re.sub(r"<[^>]*>|{%.*?%}", " ", path.read_text(encoding="utf-8")).split()) for path in SOURCES
        )
        for slug in titles():
            text = (FOLDER / f"{slug}.md").read_text(encoding="utf-8")
            for label in set(re.findall(r"\*\*(.+?)\*\*", text)) - SAYS:
                with self.subTest(slug, label=label):
                    self.assertTrue(all(part.strip() in shown for part in label.split("…")), label)

    def test_every_page_is_listed_followed_and_served(self):
        self.assertEqual({path.stem for path in FOLDER.glob("*.md")} - {"README"}, set(titles()))
        for slug, (title, _) in titles().items():
            tests = re.search(r"<!-- followed by: (.+?) -->", (FOLDER / f"{slug}.md").read_text(encoding="utf-8"))[
                1
            ].split()
            for name in tests:
                self.assertTrue(import_module(name))
            page = self.client.get(f"/guide/{slug}/")
            self.assertContains(page, f"<h1>{title}</h1>")
            self.assertNotContains(page, "followed by")
        self.assertContains(self.client.get("/guide/"), 'href="/guide/beat/"')
        self.assertEqual(self.client.get("/guide/nothing/").status_code, 404)
        found = self.client.get("/find/", {"words": "slices"}).json()["found"]
        self.assertIn(
            {"what": "guide: One long recording of a beat.", "name": "A loop in slices", "url": "/guide/loop/"}, found
        )
