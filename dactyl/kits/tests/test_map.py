"""The Map view: notes of many pads at once, learned, listed, and undone in one step."""

from django.db import connection
from django.test.utils import CaptureQueriesContext

from dactyl.core.formats.midi_names import read_names
from dactyl.kits import edits, queries
from dactyl.kits.models import Kit
from dactyl.kits.tests.test_edits import KitCase, version


class Maps(KitCase):
    def post(self, path: str, **values: str):
        headers = {"X-Kit-Version": str(version(self.kit)), "X-Selected-Pads": str(self.pad.pk), "X-View": "map", "HX-Request": "true"}  # fmt: skip
        return self.client.post(f"/kits/{self.kit.pk}/map/{path}/", values, headers=headers)

    def notes(self, kit: Kit | None = None) -> list[tuple[int, ...]]:
        return [pad.notes for pad in queries.pad_notes(kit or self.kit)]

    def test_notes_are_arranged_and_one_undo_takes_them_back(self):
        before = self.notes()
        self.assertContains(self.post("arrange", which="all", how="row", first="C2"), "16 pads in a row from C2 · 48")
        self.assertEqual(self.notes(), [(48 + n,) for n in range(16)])
        self.assertContains(self.post("arrange", which="all", how="move", by="-12"), "moved down by 12 semitones")
        self.assertEqual(self.notes()[0], (36,))
        self.assertContains(self.post("arrange", which="selected", how="clear"), "Notes of 1 pad taken away")
        self.assertEqual(self.notes()[:2], [(), (37,)])
        self.post("arrange", which="all", how="standard")
        self.assertEqual(len({note for notes in self.notes() for note in notes}), 16)
        for _ in range(4):
            self.client.post(f"/kits/{self.kit.pk}/undo/", headers={"X-Kit-Version": str(version(self.kit))})
        self.assertEqual(self.notes(), before)

    def test_what_can_not_be_arranged_is_said_and_nothing_is_done(self):
        before = self.notes()
        for values, words in (
            ({"how": "row", "first": "G8"}, "go beyond note 127"),
            ({"how": "row", "first": ""}, "from which note"),
            ({"how": "move", "by": "a lot"}, "Semitones"),
            ({"how": "sideways"}, "Choose how to arrange"),
        ):
            self.assertContains(self.post("arrange", which="all", **values), words, status_code=422)
        self.assertEqual(self.post("arrange", which="all", how="like", other="999").status_code, 404)
        self.assertContains(self.post("learned", notes="1:2:3"), "could not be read", status_code=422)
        self.assertContains(self.post("learned", notes=f"{self.pad.pk}:400"), "from 0 to 127", status_code=422)
        self.assertEqual(self.notes(), before)

    def test_learned_notes_are_one_edit_and_doubled_ones_are_said(self):
        first, second, *_ = queries.pad_notes(self.kit)
        answer = self.post("learned", notes=f"{first.id}:60,{first.id}:61,{second.id}:60")
        self.assertContains(answer, "Notes of 2 pads learned")
        self.assertEqual(self.notes()[:2], [(60, 61), (60,)])
        self.assertContains(
            self.client.get(f"/kits/{self.kit.pk}/map/"), f"<b>C3 · 60</b> strikes {first.name} and {second.name}"
        )

    def test_another_kit_gives_its_keys_by_name(self):
        other = edits.kits.create_kit("Other")
        edits.maps.set_all_notes(other, version(other), "x", {other.pads.first().pk: [99]})
        self.assertContains(
            self.post("arrange", which="all", how="like", other=str(other.pk)), "The same keys as Other"
        )
        self.assertEqual(self.notes()[0], (99,))

    def test_lists_say_every_note(self):
        self.post("arrange", which="all", how="row", first="36")
        page = f"/kits/{self.kit.pk}/map/"
        names = [pad.name for pad in queries.pad_notes(self.kit)]
        lines = self.client.get(page + "notes.csv").content.decode("utf-8-sig").splitlines()
        self.assertEqual([line.split(",")[0] for line in lines[1:]], [str(36 + n) for n in range(16)])
        self.assertEqual(list(read_names(self.client.get(page + "notes.midnam").content, "x").values()), names)
        self.assertContains(self.client.get(page + "list/"), "C1 · 36")
        with CaptureQueriesContext(connection) as captured:
            self.client.get(page, headers={"HX-Request": "true"})
        self.assertLessEqual(len(captured), 15)
