"""The documents say what the code does: every field of a package, every file they name."""

import re
from dataclasses import fields
from pathlib import Path

from django.test import SimpleTestCase

from dactyl.core import kit
from dactyl.core.formats.package import SampleFile

ROOT = Path(__file__).parents[3]
DESCRIBED = (
    SampleFile, kit.Kit, kit.Output, kit.Mic, kit.Piece, kit.Pad, kit.ChokeGroup, kit.MuteGroup, kit.Envelope, kit.Filter,
    kit.Variation, kit.Layer, kit.Take, kit.Sample,
)  # fmt: skip


class Documents(SimpleTestCase):
    def test_the_published_schema_names_every_field_and_no_other(self):
        rows = dict(re.findall(r"^\| (\w+) \| (.*) \|$", (ROOT / "docs/formats.md").read_text("utf-8"), re.MULTILINE))
        for described in DESCRIBED:
            with self.subTest(described.__name__):
                named = set(re.findall(r"`(\w+)`", rows[described.__name__]))
                self.assertEqual(named, {field.name for field in fields(described)})

    def test_what_the_documents_point_to_is_there(self):
        for document in ("README.md", "docs/architecture.md", "docs/formats.md"):
            text = (ROOT / document).read_text("utf-8")
            for target in re.findall(r"\]\(([^)#]+?)\)", text):
                with self.subTest(document, target=target):
                    self.assertTrue((ROOT / document).parent.joinpath(target).exists())

    def test_settings_are_described_and_exist(self):
        said = set(re.findall(r"DACTYL_\w+", (ROOT / "README.md").read_text("utf-8")))
        known = set(re.findall(r"DACTYL_\w+", (ROOT / "dactyl/site/settings.py").read_text("utf-8")))
        self.assertEqual(said - known, set())
