"""Kits alongside a kit: edits of that kit, heard by the page's tables, taken away as a package, bounced as one."""

from dataclasses import replace

from dactyl.core.compare import compare
from dactyl.core.parts.part import Event as EventValue
from dactyl.core.parts.part import Part as PartValue
from dactyl.history import edits as history
from dactyl.kits import edits
from dactyl.kits.models import Kit, KitFile
from dactyl.kits.queries import kit_value
from dactyl.kits.tasks import open_kit_file
from dactyl.kits.tests.test_edits import KitCase, recordings, version
from dactyl.lineups import queries
from dactyl.lineups.models import Alongside
from dactyl.parts.edits import add_part
from dactyl.shelf import store


class AlongsideCase(KitCase):
    """A kit with a snare, and another kit with one on another note."""

    def setUp(self):
        self.give()
        edits.pads.set_fields([self.fresh()], version(self.kit), {"kind": "snare"})
        edits.pads.set_notes(self.fresh(), version(self.kit), [38])
        self.other = edits.kits.create_kit("Under")
        pad = self.other.pads.select_related("piece", "kit").first()
        self.give_other(pad)

    def give_other(self, pad):
        edits.samples.give_samples(
            pad, version(self.other), recordings(self.samples[:2]), "layers", replace=True, layers=None
        )
        pad = type(pad).objects.select_related("piece", "kit").get(pk=pad.pk)
        edits.pads.set_fields([pad], version(self.other), {"kind": "snare"})
        edits.pads.set_notes(pad, version(self.other), [70])

    def post(self, path: str, **values: str) -> tuple[int, str]:
        headers = {"X-Kit-Version": str(version(self.kit)), "HX-Request": "true", "X-View": "part"}
        answer = self.client.post(f"/kits/{self.kit.pk}/alongside/{path}", values, headers=headers)
        return answer.status_code, answer.content.decode()

    def alongside(self) -> Alongside:
        self.assertEqual(self.post("add/", other=str(self.other.pk))[0], 200)
        return Alongside.objects.get(kit=self.kit)


class Lineups(AlongsideCase):
    def test_it_is_added_set_and_taken_away_each_one_undo(self):
        row = self.alongside()
        for name, typed, kept in [
            ("gain_db", "−6 dB", -6.0), ("delay_ms", "12,5", 12.5), ("channels", "10, 11", [9, 10]), ("channels", "", None),
            ("low", "D1", 38), ("muted", "1", True), ("curve", "hard", "hard"), ("pieces", "Snare", ["Snare"]), ("is_met", "0", False),
        ]:  # fmt: skip
            at = version(self.kit)
            self.assertEqual(self.post(f"{row.pk}/{name}/", value=typed)[0], 200, name)
            row.refresh_from_db()
            self.assertEqual((getattr(row, name), version(self.kit)), (kept, at + 1), name)
        for name, typed, words in [
            ("gain_db", "loud", "not a number"),
            ("channels", "17", "1 to 16"),
            ("low", "D1, E1", "one note"),
            ("high", "37", "above the highest"),
            ("delay_ms", "5000", "from 0 to 1000"),
            ("colour", "1", "no such setting"),
        ]:
            status, said = self.post(f"{row.pk}/{name}/", value=typed)
            self.assertEqual((status, words in said), (422, True), name)
        self.assertEqual(self.post(f"{row.pk}/remove/")[0], 200)
        self.assertEqual(queries.rows_of(self.kit), [])
        self.assertEqual(self.post(f"{row.pk}/gain_db/", value="0")[0], 409)
        history.undo(Kit.objects.get(pk=self.kit.pk), version(self.kit))
        self.assertEqual(queries.rows_of(self.kit)[0].curve, "hard")
        self.assertEqual(self.post("add/", other=str(self.kit.pk))[0], 422)
        self.assertContains(self.client.get(f"/kits/{self.kit.pk}/alongside/"), "Under")

    def test_channels_of_a_part_are_shared_out_as_is_usual(self):
        hits = [EventValue(0, 38, 90, 10), EventValue(0, 38, 90, 9), EventValue(5, 38, 90, 10)]
        part = add_part(
            PartValue(name="p", ticks_per_beat=480, tempos=((0, 500_000),), events=tuple(hits), end_tick=960)
        )
        row = self.alongside()
        panel = f"/kits/{self.kit.pk}/alongside/?part={part.pk}"
        self.assertContains(self.client.get(panel), f"{self.kit.name} 10, Under 11")
        self.assertEqual(self.post(f"by-channel/?part={part.pk}")[0], 200)
        row.refresh_from_db()
        self.assertEqual((queries.own_row(self.kit).channels, row.channels, row.is_met), ([9], [10], False))
        self.assertNotContains(self.client.get(panel), f"{self.kit.name} 10, Under 11")
        members = queries.members_of(self.kit, kit_value(self.kit))
        self.assertEqual([member.channels for member in members], [(9,), (10,)])
        tables = self.client.get(f"/kits/{self.kit.pk}/alongside/tables/48000/").json()
        self.assertEqual((tables["own"], len(tables["kits"])), ([9], 1))
        lanes = self.client.get(f"/kits/{self.kit.pk}/alongside/lanes/").json()
        told = [(kit["name"], kit["channels"], [lane["notes"] for lane in kit["lanes"]]) for kit in lanes["kits"]]
        self.assertEqual((lanes["own"], told), ([9], [("Under", [10], [[70]])]))
        self.assertEqual(self.post("own/channels/", value="10, 12")[0], 200)
        self.assertEqual(queries.own_row(self.kit).channels, [9, 11])
        for _ in range(2):
            history.undo(Kit.objects.get(pk=self.kit.pk), version(self.kit))
        self.assertIsNone(queries.own_row(self.kit))

    def test_pieces_that_are_several_or_gone_are_told(self):
        row = self.alongside()
        for pieces, told in (
            (["Snare", "Kick"], "only Snare, Kick (not in it now)"),
            (["Gone"], "only Gone (not in it now)"),
        ):
            Alongside.objects.filter(pk=row.pk).update(pieces=pieces)
            self.assertContains(self.client.get(f"/kits/{self.kit.pk}/alongside/"), told)

    def test_a_kit_that_is_deleted_sounds_no_longer_and_no_undo_fails_for_it(self):
        row = self.alongside()
        self.post(f"{row.pk}/remove/")
        edits.kits.put_away(self.other, True)
        edits.kits.delete_kit(Kit.objects.get(pk=self.other.pk))
        history.undo(Kit.objects.get(pk=self.kit.pk), version(self.kit))
        self.assertEqual(queries.rows_of(self.kit), [])
        self.assertEqual(self.client.get(f"/kits/{self.kit.pk}/alongside/tables/48000/").json()["kits"], [])
        self.assertIsNone(queries.lineup_value(self.kit, kit_value(self.kit)))
        self.assertEqual(self.client.get(f"/kits/{self.kit.pk}/alongside/").status_code, 200)

    def test_the_page_hears_its_pads_by_what_notes_mean_at_its_level(self):
        row = self.alongside()
        self.post(f"{row.pk}/gain_db/", value="-6")
        (told,) = self.client.get(f"/kits/{self.kit.pk}/alongside/tables/48000/").json()["kits"]
        self.assertEqual(told["way"]["notes"], {"38": 70})
        (pad,) = [pad for pad in told["book"]["pads"] if pad["regions"]]
        self.assertEqual(told["book"]["notes"]["70"], [pad["id"]])
        self.assertAlmostEqual(told["book"]["outputs"][0]["matrix"][0], 10 ** (-6 / 20), places=6)
        self.post(f"{row.pk}/is_met/", value="0")
        (told,) = self.client.get(f"/kits/{self.kit.pk}/alongside/tables/48000/").json()["kits"]
        self.assertEqual(told["way"]["notes"], {})

    def test_its_package_opens_again_as_two_kits_of_which_one_sounds_alongside_the_other(self):
        row = self.alongside()
        for name, value in (("gain_db", "-6"), ("channels", "11")):
            self.post(f"{row.pk}/{name}/", value=value)
        data = b"".join(self.client.get(f"/kits/{self.kit.pk}/alongside/package/").streaming_content)
        stored = store.receive(lambda file: file.write(data))
        file = KitFile.objects.create(name="Lineup.zip", stored_as=stored)
        list(open_kit_file(file.pk))
        file.refresh_from_db()
        self.assertEqual(file.notes, [])
        (again,) = queries.rows_of(file.kit)
        self.assertNotIn(again.other, (self.kit, self.other))
        self.assertEqual((again.gain_db, again.channels, again.is_met), (-6.0, [10], True))
        was, now = (queries.lineup_value(kit, kit_value(kit)) for kit in (self.kit, file.kit))
        for member, other in zip(was.members, now.members, strict=True):
            self.assertEqual(compare(member.kit, replace(other.kit, name=member.kit.name)), [])
            self.assertEqual(replace(member, kit=other.kit), other)
