"""A data folder of an earlier version: it is migrated, and nothing a person had is lost."""

import gzip
import json
import os
import re
import sqlite3
import subprocess
import sys
import tempfile
from contextlib import closing
from pathlib import Path

from django.conf import settings
from django.test import SimpleTestCase

FOLDER = Path(__file__).parent / "before"
JOURNALS = FOLDER / "before-journals.sqlite3.gz"
"""Made by the version that kept the history with the kits and a part's hits in one column: a kit of the demo with three
edits, the last undone; three parts; a proposal; a bounce that has not run."""
LOOK = """
import json
from dactyl.bounces.edits import read_kit, read_part
from dactyl.bounces.models import Bounce
from dactyl.history import edits as history
from dactyl.history.queries import undo_state
from dactyl.kits.values import kit_value
from dactyl.kits.models import Kit, MapNote, Proposal
from dactyl.parts.models import Part
from dactyl.parts.queries import part_value

kit, bounce = Kit.objects.get(), Bounce.objects.get()
before = {"undoes": undo_state(kit).undoes.sentence, "redoes": undo_state(kit).redoes.sentence, "version": kit.version}
notes = MapNote.objects.count()
history.undo(kit, kit.version)
print(json.dumps(before | {
    "undone": kit.pads.get(piece__name="Snare").notes.count(),
    "notes": notes,
    "gain": kit.pads.first().gain_db,
    "layers": sum(len(pad.layers) for _, pad in kit_value(kit.pk).pads()),
    "parts": [[part.name, len(part_value(part).note_ons), part_value(part).bars, part.version] for part in Part.objects.all()],
    "proposals": [row.version for row in Proposal.objects.all()],
    "bounce": [bounce.part_name, len(read_part(bounce).note_ons), read_kit(bounce).name],
}))
"""


MENDING = FOLDER / "before-mending.sqlite3.gz"
"""Made by the version in which recordings had no history and pieces no place: a kit with two edits and a version, a recording
with two candidates; its tables have triggers that read one another."""
LOOK_AT_MENDING = """
import json
from dactyl.history import edits as history
from dactyl.versions import edits as versions
from dactyl.kits.models import Kit
from dactyl.recordings.models import Recording

kit, recording = Kit.objects.get(), Recording.objects.get()
piece = kit.pieces.first()
history.undo(kit, kit.version)
print(json.dumps({
    "piece": [piece.name, piece.place_x, piece.colour],
    "notes": kit.pads.first().notes.count(),
    "version": [note for note, _ in versions.value_of(kit.versions.get()).maps[0].notes],
    "taken": [hit.time for hit in recording.tracks.get().taken()],
    "recording": recording.version,
}))
"""


BLOCKS = FOLDER / "before-blocks.sqlite3.gz"
"""Made by the version that kept each hit in a row: a part with a shaped stretch, a pass that replaced hits, and hits removed, which
was undone."""
LOOK_AT_BLOCKS = """
import json
from hashlib import sha256
from dactyl.history import edits as history
from dactyl.parts.models import Part
from dactyl.parts.queries import part_value

part = Part.objects.get()
found = []
for step in (None, history.redo, history.undo, history.undo, history.undo, history.redo):
    if step:
        step(part, part.version)
    hits = [[hit.tick, hit.note, hit.velocity] for hit in part_value(part).events]
    found.append([len(hits), sha256(json.dumps(hits).encode()).hexdigest()[:12]])
print(json.dumps(found))
"""


def manage(folder: str, *command: str) -> str:
    run = {"cwd": settings.ROOT, "env": os.environ | {"DACTYL_DATA": folder}, "check": True}
    return subprocess.run([sys.executable, "manage.py", *command], stdout=subprocess.PIPE, **run).stdout.decode()


def tables(folder: str) -> dict[str, list[str]]:
    """What is declared in a database: columns may stand in another order."""
    with closing(sqlite3.connect(Path(folder) / "dactyl.sqlite3")) as base:
        rows = base.execute("SELECT name, sql FROM sqlite_master WHERE sql IS NOT NULL").fetchall()
    between, around = re.compile(r', (?="|CONSTRAINT )'), re.compile(r"^CREATE TABLE[^(]*\(|\)$")
    return {name: sorted(between.split(around.sub("", sql))) for name, sql in rows}


class Before(SimpleTestCase):
    maxDiff = None

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        with tempfile.TemporaryDirectory() as new:
            manage(new, "prepare")
            cls.tables_of_a_new_folder = tables(new)

    def found_in(self, kept: Path, look: str) -> dict:
        """What a look finds in a data folder of before, once it is migrated."""
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "dactyl.sqlite3").write_bytes(gzip.decompress(kept.read_bytes()))
            manage(folder, "prepare")
            self.assertEqual(tables(folder), self.tables_of_a_new_folder)
            return json.loads(manage(folder, "shell", "-v0", "-c", look))

    def test_kits_histories_parts_and_bounces_are_as_they_were(self):
        found = self.found_in(JOURNALS, LOOK)
        self.assertEqual(found, {
            "undoes": "Note of Snare: D1 · 38, E1 · 40", "redoes": "Stamp cleared", "version": 5,
            "undone": 1, "notes": 11, "gain": -3.0, "layers": 13,
            "parts": [["Harbour Bell", 66, 4, 1], ["Storm Watch", 186, 8, 1], ["Slow Tide", 64, 6, 1]],
            "proposals": [1], "bounce": ["Harbour Bell", 66, "Ticket Machine"],
        })  # fmt: skip

    def test_recordings_and_pieces_are_as_they_were(self):
        self.assertEqual(self.found_in(MENDING, LOOK_AT_MENDING), {
            "piece": ["Snare", None, ""], "notes": 0, "version": [38, 40], "taken": [0.5], "recording": 1,
        })  # fmt: skip

    def test_hits_are_as_they_were_at_each_step_of_their_history(self):
        self.assertEqual(self.found_in(BLOCKS, LOOK_AT_BLOCKS), [  # as the version before walked its own history
            [600, "77d7f22c0979"], [500, "7a6c14baa866"], [600, "77d7f22c0979"], [600, "70e0eeee3ed5"],
            [600, "9a7381e18bb6"], [600, "70e0eeee3ed5"],
        ])  # fmt: skip
