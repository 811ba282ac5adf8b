"""The Map view: notes of many pads at once, surfaces, devices, translations; each undone in one step."""

import json

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test.utils import CaptureQueriesContext

from dactyl.core import kit as core
from dactyl.core.formats.midi_names import read_names, write_names
from dactyl.core.formats.package import portable
from dactyl.core.formats.values import from_json, to_json
from dactyl.core.maps.devices import in_order
from dactyl.core.maps.surfaces import SHAPES, SurfaceGrid
from dactyl.history.queries import undo_state
from dactyl.kits import edits, queries
from dactyl.kits.edits.from_value import open_kit
from dactyl.kits.models import Kit, Translation, TranslationNote
from dactyl.kits.queries import default_notes
from dactyl.kits.tests.test_edits import KitCase, version
from dactyl.kits.values import whole_kit_value
from dactyl.maps import edits as map_edits
from dactyl.maps.models import NoteNames
from dactyl.maps.ways import translated_notes, ways_in
from dactyl.shelf.models import Sample


class Maps(KitCase):
    def post(self, path: str, **values: str):
        headers = {"X-Kit-Version": str(version(self.kit)), "X-Selected-Pads": str(self.pad.pk), "X-View": "map", "HX-Request": "true"}  # fmt: skip
        return self.client.post(f"/kits/{self.kit.pk}/map/{path}/", values, headers=headers)

    def notes(self, kit: Kit | None = None) -> list[tuple[int, ...]]:
        return [pad.notes for pad in queries.pad_notes(kit or self.kit)]

    def test_confirming_a_line_leaves_the_note_that_two_pads_share(self):
        self.post("arrange", which="all", how="row", first="C2")
        other = self.kit.pads.select_related("piece", "kit").order_by("position")[1]
        edits.pads.set_notes(other, version(self.kit), [48])
        for pad in (self.fresh(), self.fresh(other.pk)):
            translation = Translation.objects.create(kit=self.kit, source=f"names:{pad.pk}", name="Hall")
            TranslationNote.objects.create(translation=translation, note=5, pad=pad, is_sure=False)
            self.post(f"translations/{translation.pk}/sure", notes="5")
            self.assertTrue(TranslationNote.objects.get(translation=translation).is_sure)
            self.assertEqual(self.notes()[:2], [(48,), (48,)])

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

    def test_what_a_list_of_notes_names_is_given_to_the_pads_it_means_and_read_back_equal(self):
        self.post("arrange", which="all", how="standard")
        before = queries.pad_notes(self.kit)
        written = {kind: self.client.get(f"/kits/{self.kit.pk}/map/{kind}").content for kind in ("notes.csv", "notes.midnam")}  # fmt: skip
        for name, data in written.items():
            self.post("arrange", which="all", how="row", first="C4")
            self.assertContains(self.post("arrange", which="all", how="list", file=SimpleUploadedFile(name, data)), "Notes of 16 pads from")  # fmt: skip
            self.assertEqual(self.notes(), [pad.notes for pad in before], name)
        foreign = SimpleUploadedFile("quay.midnam", write_names("Quay", {5: before[2].name, 6: "Gull"}))
        self.assertContains(self.post("arrange", which="all", how="list", file=foreign), "Without a pad here: Gull.")
        self.assertEqual(self.notes()[2:4], [(5,), before[3].notes])
        for bad in (b"note,pad\r\n200,Kick\r\n", b"\xff\xfe", b"", b"pad\r\nKick\r\n"):
            said = self.post("arrange", which="all", how="list", file=SimpleUploadedFile("bad.csv", bad))
            self.assertContains(said, "bad.csv", status_code=422)

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

    def test_another_map_has_its_own_notes_and_can_become_the_default(self):
        first = self.notes()
        self.post("add/of-map", value="Left hand")
        other = self.kit.maps.get(is_default=False)
        headers = {"X-Kit-Version": str(version(self.kit)), "X-View": "map", "X-Shown": str(other.pk)}
        self.client.post(f"/kits/{self.kit.pk}/pads/{self.pad.pk}/notes/", {"value": "100"}, headers=headers)
        self.assertEqual(self.notes(), first, "the default map stays")
        self.assertEqual(queries.pad_notes(self.kit, other)[0].notes, (100,))
        headers |= {"X-Kit-Version": str(version(self.kit))}
        self.client.post(f"/kits/{self.kit.pk}/map/default/of-map/", headers=headers)
        self.assertEqual(self.notes()[0], (100,))
        self.assertEqual(default_notes(self.kit)[100], [self.pad.pk])
        self.client.post(f"/kits/{self.kit.pk}/undo/", headers={"X-Kit-Version": str(version(self.kit))})
        self.assertEqual(self.notes(), first)

    def test_octaves_are_named_as_the_browser_wishes(self):
        edits.pads.set_notes(self.pad, version(self.kit), [60])
        self.assertContains(self.client.get(f"/kits/{self.kit.pk}/map/"), "C3 · 60")
        self.client.post("/kits/octaves/", {"value": "5"})
        self.assertContains(self.client.get(f"/kits/{self.kit.pk}/map/"), "C5 · 60")
        self.client.post(f"/kits/{self.kit.pk}/pads/{self.pad.pk}/notes/", {"value": "D5"}, headers={"X-Kit-Version": str(version(self.kit))})  # fmt: skip
        self.assertEqual(self.notes()[0], (62,))


class SurfacesAndDevices(KitCase):
    def setUp(self):
        self.give()
        self.other = self.kit.pads.all()[1]
        map_edits.surfaces.add_surface(self.kit, version(self.kit), "Hands", SurfaceGrid(4, 4), is_filled=True)
        self.surface = self.kit.surfaces.get()

    def cells(self) -> dict[int, int]:
        return dict(self.surface.cells.values_list("place", "pad"))

    def post(self, what: str, seen: int | None = None, **values: str):
        seen = version(self.kit) if seen is None else seen
        headers = {"X-Kit-Version": str(seen), "X-View": "surfaces", "X-Shown": str(self.surface.pk), "X-Played-Surface": str(self.surface.pk)}  # fmt: skip
        return self.client.post(f"/kits/{self.kit.pk}/map/surfaces/{self.surface.pk}/{what}/", values, headers=headers)

    def test_cells_are_arranged_with_one_undo_each_and_only_notes_are_sent_again(self):
        self.assertEqual(self.cells(), {0: self.pad.pk})
        told = json.loads(self.post("across", places="0").headers["HX-Trigger"])["kit-changed"]
        self.assertEqual((told["pads"], told["ways"]), ([], True))
        self.post("place", to="5", pad=str(self.other.pk))
        self.assertEqual(self.cells(), {0: self.pad.pk, 3: self.pad.pk, 5: self.other.pk})
        self.assertContains(self.post("swap", places="0"), "Two cells are swapped. Select two.", status_code=422)
        self.assertContains(self.post("clear", seen=1, places="0"), "changed in another tab", status_code=409)
        self.post("size", rows="2", columns="3", banks="1")
        self.assertEqual(self.cells(), {0: self.pad.pk, 4: self.other.pk}, "what stood outside is off it")
        for _ in range(3):
            self.client.post(f"/kits/{self.kit.pk}/undo/", headers={"X-Kit-Version": str(version(self.kit))})
        self.assertEqual(self.cells(), {0: self.pad.pk})

    def test_every_tool_arranges_the_selected_cells_and_says_what_it_did(self):
        snare, other = self.pad.pk, self.other.pk
        self.post("size", rows="2", columns="2", banks="2")
        table = [
            ("spread", {"pads": f"{other},{snare}", "to": "1"}, "2 pads spread on Hands", {0: snare, 1: other, 2: snare}),
            ("mirror", {"places": "0,1"}, "2 cells mirrored on Hands", {0: other, 1: snare, 2: snare}),
            ("swap", {"places": "0,3"}, "Two cells swapped on Hands", {1: snare, 2: snare, 3: other}),
            ("copy", {"places": "3", "to": "0"}, "1 cell copied on Hands", {0: other, 1: snare, 2: snare, 3: other}),
            ("move", {"places": "1", "to": "2"}, "1 cell moved on Hands", {0: other, 2: snare, 3: other}),
            ("bank", {"places": "2,3", "bank": "2"}, "2 cells copied to bank 2 on Hands", {0: other, 2: snare, 3: other, 6: snare, 7: other}),
            ("clear", {"places": "0,2,3,6"}, "4 cells cleared on Hands", {7: other}),
            ("rename", {"value": "Feet"}, "Surface Hands is called Feet", {7: other}),
        ]  # fmt: skip
        for what, values, sentence, cells in table:
            with self.subTest(what):
                answer = self.post(what, **values)
                self.assertEqual((answer.status_code, self.cells()), (200, cells), answer.content[:200])
                self.assertEqual(undo_state(self.kit).undoes.sentence, sentence)
        self.post("new", to="5")
        self.assertEqual(self.kit.pads.count(), 17)
        for what, words in (("mirror", "No cell is selected"), ("dance", "No cell is selected")):
            self.assertContains(self.post(what), words, status_code=422)
        self.assertContains(self.post("dance", places="1"), "Choose what to do with the cells", status_code=422)
        self.assertContains(self.post("size", rows="0", columns="2", banks="1"), "Rows", status_code=422)
        self.post("delete")
        self.assertFalse(self.kit.surfaces.exists())

    def test_surfaces_are_begun_from_the_shapes_that_are_offered(self):
        def add(**values: str):
            headers = {"X-Kit-Version": str(version(self.kit)), "X-View": "surfaces"}
            return self.client.post(f"/kits/{self.kit.pk}/map/surfaces/add/", values, headers=headers)

        shape, (rows, columns) = next(iter(SHAPES.items()))
        add(shape=shape, filled="1", name="Left")
        made = self.kit.surfaces.get(name="Left")
        self.assertEqual((made.grid, made.cells.get().pad_id), (SurfaceGrid(rows, columns, 1), self.pad.pk))
        add(shape=shape, filled="0")
        self.assertFalse(self.kit.surfaces.get(name=shape).cells.exists(), "it is called as its shape")
        self.assertContains(add(shape="a circle"), "Choose a shape from the list", status_code=422)

    def test_a_device_plays_cell_by_cell_whatever_its_notes_and_packages_carry_surfaces(self):
        device = map_edits.devices.add_device("Foreign box", 4, 4, in_order("falling", 4, 4))
        (way,) = ways_in(self.kit)["devices"]
        self.assertEqual((way["surface"], way["pads"][51], way["pads"][50]), (self.surface.pk, [self.pad.pk], []))
        headers = {"X-Device-Version": str(device.version), "HX-Request": "true"}
        taught = self.client.post(
            f"/kits/devices/{device.pk}/taught/for/{self.kit.pk}/",
            {"value": "0:99,5:12", "port": "box 1", "channel": "3"}, headers=headers,
        )  # fmt: skip
        self.assertContains(taught, "Notes of Foreign box taught")
        self.assertEqual(ways_in(self.kit)["devices"][0]["pads"][99], [self.pad.pk])
        self.client.post(
            f"/kits/devices/{device.pk}/undo/for/{self.kit.pk}/", headers=headers | {"X-Device-Version": "2"}
        )
        device.refresh_from_db()
        self.assertEqual((device.notes[0], device.port, device.channel), (51, "", None), "one undo of a learned row")
        self.client.post(f"/kits/{self.kit.pk}/map/devices/{device.pk}/plays/", {"value": "map"}, headers={"X-Kit-Version": str(version(self.kit))})  # fmt: skip
        self.assertIsNone(ways_in(self.kit)["devices"][0]["pads"], "the default map says")
        value = from_json(core.Kit, to_json(portable(whole_kit_value(self.kit.pk))))
        opened = open_kit(value, {sample.sha256: sample for sample in Sample.objects.all()}, "a test")
        self.assertEqual([(s.name, s.cells.count()) for s in opened.surfaces.all()], [("Hands", 1)])
        self.assertEqual(edits.kits.duplicate_kit(self.kit).surfaces.get().cells.get().pad.full_name, "Snare")

    def test_a_device_meets_wrong_values_with_a_sentence(self):
        device = map_edits.devices.add_device("Box", 2, 2, in_order("rising", 2, 2))
        for what, value, words in (("order", "sideways", "Choose an order"), ("cell", "H9", "is not a note"), ("dance", "", "Choose what to do")):  # fmt: skip
            answer = self.client.post(f"/kits/devices/{device.pk}/{what}/for/{self.kit.pk}/", {"value": value, "place": "1"}, headers={"X-Device-Version": "1"})  # fmt: skip
            self.assertContains(answer, words, status_code=422)
        answer = self.client.post(f"/kits/devices/{device.pk}/channel/for/{self.kit.pk}/", {"value": "2"}, headers={"X-Device-Version": "7"})  # fmt: skip
        self.assertEqual(answer.status_code, 409)

    def test_each_setting_of_a_device_is_one_edit_that_can_be_undone(self):
        device = map_edits.devices.add_device("Box", 2, 2, in_order("rising", 2, 2))

        def state() -> tuple:
            now = map_edits.devices.device(device.pk)
            return now.name, now.port, now.channel, now.falls_through, now.is_forgotten, now.notes

        def do(what: str, **values: str) -> str:
            headers = {"X-Device-Version": str(map_edits.devices.device(device.pk).version)}
            answer = self.client.post(f"/kits/devices/{device.pk}/{what}/for/{self.kit.pk}/", values, headers=headers)
            self.assertEqual((answer.status_code, "ways-changed" in answer.headers["HX-Trigger"]), (200, True))
            return answer.content.decode()

        first = state()
        self.assertIn("Box is called Floor box", do("rename", value="Floor box"))
        do("port", value="USB pads 1")
        do("channel", value="10")
        self.assertIn("do nothing", do("through", value="0"))
        do("order", value="falling", first="C3")
        do("cell", place="1", value="")
        self.assertEqual(state(), ("Floor box", "USB pads 1", 9, False, False, [63, None, 61, 60]))
        do("taught", value="0:5,3:300,9:1,x", port="USB pads 2", channel="3")
        self.assertEqual(state(), ("Floor box", "USB pads 2", 3, False, False, [5, None, 61, 127]))
        do("channel", value="0")
        self.assertIn("forgotten", do("forget"))
        last = state()
        self.assertEqual((last[2], last[4]), (None, True))
        self.assertIn("is back", do("remember"))
        undone = [do("undo") for _ in range(11)][-1]
        self.assertIn("There is nothing to undo", undone)
        self.assertEqual(state(), first)
        for _ in range(9):
            do("redo")
        self.assertEqual(state(), last)


class Translations(KitCase):
    def setUp(self):
        self.give()
        edits.pads.set_notes(self.pad, version(self.kit), [70])

    def post(self, path: str, **values: str):
        headers = {"X-Kit-Version": str(version(self.kit)), "X-View": "translations", "X-Shown": "standard"}
        return self.client.post(f"/kits/{self.kit.pk}/map/translations/{path}/", values, headers=headers)

    def test_a_part_for_other_notes_is_proposed_corrected_and_kept(self):
        self.assertContains(self.post("propose", source="standard"), "in doubt")
        self.assertEqual(translated_notes(self.kit, "standard")[38], 70)
        kept = self.kit.translations.get()
        tom = self.kit.pads.all()[3]
        self.assertContains(self.post(f"{kept.pk}/pad", notes="60", value=str(tom.pk)), "chosen by hand")
        free = tom.notes.get().note
        self.assertEqual(translated_notes(self.kit, "standard")[60], free, "a pad without a note got one")
        self.post(f"{kept.pk}/pad", notes="38", value="")
        self.assertNotIn(38, translated_notes(self.kit, "standard"))
        self.assertIsNone(translated_notes(self.kit, "kit:99"))
        self.assertContains(self.post("propose", source="kit:99"), "is gone", status_code=422)

    def test_a_name_document_is_a_source_and_reads_back_equal(self):
        file = SimpleUploadedFile("hall.midnam", write_names("Hall", {5: "Snare", 9: "Whistle"}))
        answer = self.client.post(f"/kits/{self.kit.pk}/map/translations/names/", {"file": file}, headers={"HX-Request": "true"})  # fmt: skip
        row = NoteNames.objects.get()
        self.assertContains(answer, f'data-shown="names:{row.pk}"')
        self.assertEqual((row.name, row.names), ("hall", {"5": "Snare", "9": "Whistle"}))
        self.post("propose", source=f"names:{row.pk}")
        self.assertEqual(translated_notes(self.kit, f"names:{row.pk}"), {5: 70})
