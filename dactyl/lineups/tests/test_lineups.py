"""Kits alongside a kit: edits of that kit, heard by the page's tables, taken away as a package, bounced as one."""

from dataclasses import replace
from importlib import import_module
from io import BytesIO
from unittest.mock import patch

from django.apps import apps
from django.urls import reverse
from mido import MidiFile

from dactyl.core.compare import compare
from dactyl.core.errors import KitError
from dactyl.core.formats.earlier import lineup_brought_up
from dactyl.core.formats.lineup import portable_lineup
from dactyl.core.parts.part import Event as EventValue
from dactyl.core.parts.part import Part as PartValue
from dactyl.core.play.together import compile_lineup
from dactyl.history import edits as history
from dactyl.kit_files.tasks import open_kit_file
from dactyl.kits import alongside, edits
from dactyl.kits.models import Kit, KitFile, Output, Piece
from dactyl.kits.tests.test_edits import KitCase, recordings, version
from dactyl.kits.values import kit_value
from dactyl.lineups import queries
from dactyl.lineups.edits import lineup_of
from dactyl.lineups.models import Alongside, LineupGroup
from dactyl.maps.models import Device
from dactyl.parts.edits import add_part
from dactyl.playing import tables as playing
from dactyl.shelf import store
from dactyl.versions import edits as version_edits


class AlongsideCase(KitCase):
    """A kit with a snare, and another kit with one on another note."""

    def setUp(self):
        self.give()
        edits.pads.set_fields([self.fresh()], version(self.kit), {"kind": "snare"})
        edits.pads.set_notes(self.fresh(), version(self.kit), [38])
        self.other = edits.kits.create_kit("Under")
        pad = self.other.pads.select_related("piece", "kit").first()
        self.give_other(pad)
        self.piece = pad.piece_id

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
            ("low", "D1", 38), ("muted", "1", True), ("curve", "hard", "hard"), ("pieces", str(self.piece), [self.piece]), ("is_met", "0", False),
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

    def heard(self) -> list[dict]:
        """The tables of all members, as the page gets them."""
        return self.client.get(f"/kits/{self.kit.pk}/playbook/48000/").json()["members"]

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
        self.assertEqual([one.member.channels for one in queries.placed(self.kit)], [(9,), (10,)])
        self.assertEqual([one["channels"] for one in self.heard()], [[9], [10]])
        lanes = self.client.get(f"/kits/{self.kit.pk}/alongside/lanes/").json()
        told = [(kit["name"], kit["channels"], [lane["notes"] for lane in kit["lanes"]]) for kit in lanes["kits"]]
        self.assertEqual((lanes["own"], told), ([9], [("Under", [10], [[70]])]))
        midi = self.client.get(reverse("parts:midi", args=[self.kit.pk, part.pk]), {"by": "kit"}).content
        named = {
            track.name: sum(message.type == "note_on" for message in track)
            for track in MidiFile(file=BytesIO(midi)).tracks[1:]
        }
        self.assertEqual(
            named, {f"1 {self.kit.name}": 1, "No kit answers": 2}, "its own notes are meant, and 38 is none of them"
        )
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

    def test_only_that_piece_follows_it_when_it_is_renamed_and_needs_no_name(self):
        row = self.alongside()
        self.post(f"{row.pk}/pieces/", value=str(self.piece))
        for name in ("Brass", ""):
            with self.subTest(name):
                Piece.objects.filter(pk=self.piece).update(name=name)
                lineup = queries.lineup_value(self.kit, kit_value(self.kit))
                self.assertEqual(lineup.members[1].pieces, (self.piece,))
                book = compile_lineup(lineup, 48_000)
                self.assertEqual([pad.member for pad in book.pads].count(1), 1)
                self.assertIn(38, book.members[1].notes)

    def test_what_told_pieces_by_name_means_all_that_are_called_so(self):
        """Rows and packages of before; two toms may be called Tom."""
        row, second = self.alongside(), Piece.objects.create(kit=self.other, name="Snare", position=90)
        Piece.objects.filter(pk=self.piece).update(name="Snare")
        Alongside.objects.filter(pk=row.pk).update(pieces=["Snare", "Gone"])
        import_module("dactyl.lineups.migrations.0003_pieces_by_key").by_key(apps, None)
        row.refresh_from_db()
        self.assertEqual(row.pieces, [self.piece, second.pk, "Gone"])
        told = {
            "members": [{"kit": {"pieces": [{"name": "Tom"}, {"name": "Kick"}, {"name": "Tom"}]}, "pieces": ["Tom"]}]
        }
        self.assertEqual(lineup_brought_up(told, 1)["members"][0]["pieces"], [1, 3])

    def test_tables_that_are_kept_name_their_sounds_again(self):
        """Those of other kits may have come in between, and taken the place of what was named."""
        self.alongside()
        keys = [sound[0] for pad in self.heard()[1]["pads"] for region in pad["regions"] for sound in region["sounds"]]
        playing._recipes.clear()
        self.heard()
        self.assertEqual(len(playing.recipes_of(keys)), len(keys))

    def test_notes_of_a_kit_by_itself_are_told_without_reading_all_of_it(self):
        pad = self.kit.pads.first()
        asked = f"/kits/{self.kit.pk}/playbook/48000/?pads={pad.pk}&notes=1"
        with patch("dactyl.playing.tables.kit_value", wraps=kit_value) as read:
            self.assertNotIn("heard", self.client.get(asked).json())
            self.assertEqual(read.call_count, 0)
            self.alongside()
            self.assertEqual(len(self.client.get(asked).json()["heard"]), 2)

    def test_a_device_is_given_taken_back_and_given_again(self):
        """A plain number whose column ends as those of references do."""
        row, before = self.alongside(), version(self.kit)
        device = Device.objects.create(name="Pads", rows=4, columns=4, notes=[None] * 16)
        self.assertEqual(self.post(f"{row.pk}/device_id/", value=str(device.pk))[0], 200)
        history.undo(Kit.objects.get(pk=self.kit.pk), before + 1)
        row.refresh_from_db()
        self.assertIsNone(row.device_id)

    def test_a_version_that_a_lineup_plays_is_not_deleted(self):
        row = self.alongside()
        kept = version_edits.keep(Kit.objects.get(pk=self.other.pk), "before")
        Alongside.objects.filter(pk=row.pk).update(version=kept)
        with self.assertRaisesMessage(KitError, "is played by Test kit"):
            version_edits.delete(kept)
        Alongside.objects.filter(pk=row.pk).update(version=None)
        version_edits.delete(kept)

    def test_a_lineup_is_not_made_of_kits_that_were_put_away(self):
        edits.kits.put_away(self.other, True)
        with self.assertRaisesMessage(KitError, "Under was put away"):
            lineup_of("Both", [self.kit, Kit.objects.get(pk=self.other.pk)])

    def test_a_kit_that_is_deleted_sounds_no_longer_and_no_undo_fails_for_it(self):
        row = self.alongside()
        self.post(f"{row.pk}/remove/")
        edits.kits.put_away(self.other, True)
        edits.kits.delete_kit(Kit.objects.get(pk=self.other.pk))
        history.undo(Kit.objects.get(pk=self.kit.pk), version(self.kit))
        self.assertEqual(queries.rows_of(self.kit), [])
        self.assertEqual(len(self.heard()), 1)
        self.assertIsNone(queries.lineup_value(self.kit, kit_value(self.kit)))
        self.assertEqual(self.client.get(f"/kits/{self.kit.pk}/alongside/").status_code, 200)

    def test_the_page_hears_its_pads_by_what_notes_mean_at_its_level(self):
        row = self.alongside()
        self.post(f"{row.pk}/gain_db/", value="-6")
        told = self.heard()[1]
        self.assertEqual(told["playedAs"], {"38": 70})
        (pad,) = [pad for pad in told["pads"] if pad["regions"]]
        self.assertEqual(told["notes"]["70"], [pad["id"]])
        self.assertAlmostEqual(told["outputs"][0]["matrix"][0], 10 ** (-6 / 20), places=6)
        self.post(f"{row.pk}/is_met/", value="0")
        self.assertEqual(self.heard()[1]["playedAs"], {})

    def test_its_package_opens_again_as_a_lineup_that_is_the_same_to_the_last_setting(self):
        row = self.alongside()
        for name, value in (("gain_db", "-6"), ("channels", "11")):
            self.post(f"{row.pk}/{name}/", value=value)
        drawn = {"curve": "drawn", "curve_points": [[0.0, 0.1], [1.0, 0.8]], "notes": [[40, 70]], "is_met": False}
        Alongside.objects.filter(pk=row.pk).update(**drawn)
        self.linked(row)
        data = b"".join(self.client.get(f"/kits/{self.kit.pk}/alongside/package/").streaming_content)
        stored = store.receive(lambda file: file.write(data))
        file = KitFile.objects.create(name="Lineup.zip", stored_as=stored)
        list(open_kit_file(file.pk))
        file.refresh_from_db()
        self.assertEqual(file.notes, [])
        self.assertTrue(alongside.is_lineup(file.kit))
        was, now = (portable_lineup(queries.lineup_value(kit, kit_value(kit))) for kit in (self.kit, file.kit))
        for member, other in zip(was.members, now.members, strict=True):
            self.assertEqual(compare(member.kit, replace(other.kit, name=member.kit.name)), [])
            self.assertEqual(replace(member, kit=other.kit), other)
        self.assertEqual((was.links, was.chokes), (now.links, now.chokes))
        self.assertEqual((len(now.links), now.members[1].notes), (1, ((40, 70),)))

    def linked(self, row):
        """A pad of the kit sounds one of the other along, and a choke group of each cuts the other's."""
        ours, theirs = (kit.pads.order_by("position").first().pk for kit in (self.kit, self.other))
        self.assertEqual(self.post("link/", one=f":{ours}", other=f"{row.pk}:{theirs}", strength="0.5")[0], 200)
        for wrong in (":A", ":B"):
            self.assertEqual(self.post("link/", what="choke", one=wrong, other=f"{row.pk}:B")[0], 422, "no such group")
        for kit, letter in ((self.kit, "A"), (self.other, "B")):
            pad = kit.pads.select_related("piece", "kit").order_by("position").first()
            edits.pads.choke_pads([pad], version(kit), letter)
        self.assertEqual(self.post("link/", what="choke", one=":A", other=f"{row.pk}:B")[0], 200)
        self.assertEqual(self.post("link/", what="choke", one=f"{row.pk}:B", other=f"{row.pk}:B")[0], 422, "itself")
        self.assertEqual(self.post("link/", one=f":{ours}", other=f":{ours}")[0], 422)


class ALineupOfItsOwn(AlongsideCase):
    """A kit without pads, in which others sound."""

    def setUp(self):
        super().setUp()
        row = self.alongside()
        self.post(f"{row.pk}/delay_ms/", value="12")
        self.linked(row)
        answer = self.client.post(f"/kits/{self.kit.pk}/alongside/keep/")
        self.lineup = Kit.objects.get(pk=answer.headers["HX-Redirect"].strip("/").split("/")[-1])

    linked = Lineups.linked

    def rows(self):
        return queries.rows_of(self.lineup)

    def post_to_lineup(self, path: str, **values: str):
        headers = {"X-Kit-Version": str(version(self.lineup)), "HX-Request": "true", "X-View": "kit"}
        return self.client.post(f"/kits/{self.lineup.pk}/{path}", values, headers=headers)

    def test_it_sounds_as_the_kit_with_what_is_alongside_and_leaves_that_alone(self):
        was, now = (queries.lineup_value(kit, kit_value(kit)) for kit in (self.kit, self.lineup))
        self.assertEqual((was.members, was.links, was.chokes), (now.members, now.links, now.chokes))
        self.assertEqual(now.name, f"{self.kit.name} + Under")
        books = [compile_lineup(lineup, 48_000) for lineup in (was, now)]
        self.assertEqual(*books)
        self.assertEqual(alongside.kit_of_notes(self.lineup), self.kit)

    def test_it_has_one_master_and_is_seen_from_one_side(self):
        for setting, value in (("master_db", "-3"), ("side", "hall")):
            self.assertEqual(self.post_to_lineup(f"desk/set/{setting}/", value=value).status_code, 200)
        fresh = Kit.objects.get(pk=self.lineup.pk)
        lineup = queries.lineup_value(fresh, kit_value(fresh))
        self.assertEqual((lineup.master_db, lineup.side), (-3.0, "hall"))
        self.assertEqual([member.gain_db for member in lineup.members], [0.0, 0.0], "what is its own stays")

    def places(self) -> list[str]:
        return [f"{row.pk}:{row.other.outputs.get(name='Main').pk}" for row in self.rows()]

    def desk(self):
        fresh = Kit.objects.get(pk=self.lineup.pk)
        lineup = queries.lineup_value(fresh, kit_value(fresh))
        return lineup.groups, lineup.outputs, lineup.parallel

    def test_a_group_takes_outputs_of_several_kits_and_each_output_has_a_channel_behind_its_own_desk(self):
        one, other = self.places()
        nothing = self.desk()
        self.assertEqual(self.post_to_lineup("alongside/desk/group/", outputs=one).status_code, 422, "two at least")
        twice = f"{one},{one.replace(':', ':0')}"
        self.assertEqual(
            self.post_to_lineup("alongside/desk/group/", outputs=twice).status_code, 422, "one, said twice"
        )
        self.assertEqual(self.post_to_lineup("alongside/desk/group/", outputs=f"{one},{other}").status_code, 200)
        group = LineupGroup.objects.get(kit=self.lineup)
        for path, value in [
            (f"group/{group.pk}/name/", "Snares"), (f"group/{group.pk}/gain_db/", "-4"), (f"outputs/{one}/width/", "30"),
            (f"outputs/{one}/parallel_db/", "-6"), (f"outputs/{other}/balance/", "50"),
        ]:  # fmt: skip
            self.assertEqual(self.post_to_lineup(f"alongside/desk/{path}", value=value).status_code, 200, path)
        self.assertEqual(self.post_to_lineup("desk/set/parallel_is_on/", value="1").status_code, 200)
        groups, outputs, parallel = kept = self.desk()
        self.assertEqual([(one.name, one.gain_db) for one in groups], [("Snares", -4.0)])
        self.assertEqual(
            [(one.member, one.name, one.group, one.width, one.balance, one.parallel_db) for one in outputs],
            [(0, "Main", "Snares", 0.3, 0.0, -6.0), (1, "Main", "Snares", 1.0, 0.5, None)],
        )
        self.assertTrue(parallel.is_on)
        view = self.client.get(f"/kits/{self.lineup.pk}/desk/").content.decode()
        self.assertLess(view.index("Select Snares"), view.index("Select Main"))
        told = self.client.get(f"/kits/{self.lineup.pk}/playbook/48000/").json()
        self.assertEqual([row["handle"] for member in told["members"] for row in member["outputs"]], ["Snares"] * 2)
        self.assertAlmostEqual(told["members"][0]["outputs"][0]["matrix"][0], 0.65 * 10 ** (-4 / 20))
        self.assertEqual(told["shared"]["name"], "Parallel")
        copy = edits.kits.duplicate_kit(self.lineup)
        self.assertEqual(queries.lineup_value(copy, kit_value(copy)).outputs, outputs)
        for wrong in (f"{one}1", "7:7", "x"):
            answer = self.post_to_lineup(f"alongside/desk/outputs/{wrong}/gain_db/", value="0")
            self.assertEqual(answer.status_code, 409, wrong)
        self.assertEqual(self.post_to_lineup(f"alongside/desk/outputs/{one}/group/", value="").status_code, 200)
        self.assertEqual(self.post_to_lineup(f"alongside/desk/outputs/{other}/group/", value="").status_code, 200)
        self.assertFalse(LineupGroup.objects.filter(kit=self.lineup).exists(), "a group of nothing is gone")
        for _ in range(2):
            history.undo(Kit.objects.get(pk=self.lineup.pk), version(self.lineup))
        self.assertEqual(self.desk(), kept)
        for row in self.rows()[1:]:
            self.post_to_lineup(f"alongside/desk/outputs/{one}/group/", value="")
            self.post_to_lineup(f"alongside/{row.pk}/remove/")
        self.assertEqual(self.desk()[0], (), "a group whose kit went is gone")
        for _ in range(2):
            history.undo(Kit.objects.get(pk=self.lineup.pk), version(self.lineup))
        self.assertEqual(self.desk(), kept)
        for _ in range(7):
            history.undo(Kit.objects.get(pk=self.lineup.pk), version(self.lineup))
        self.assertEqual(self.desk(), nothing)

    def test_what_the_desk_says_follows_a_renamed_output_a_version_and_a_package(self):
        output = edits.outputs.output_called
        with history.edit(self.other, version(self.other), "an output") as change:
            made = output(change, "Room")
        row = self.rows()[1]
        place = f"{row.pk}:{made.pk}"
        self.assertEqual(self.post_to_lineup(f"alongside/desk/outputs/{place}/gain_db/", value="-7").status_code, 200)
        edits.outputs.rename_output(made, version(self.other), "Hall")
        self.assertEqual([(one.name, one.gain_db) for one in self.desk()[1]], [("Hall", -7.0)])
        with history.edit(self.other, version(self.other), "another output of the name it had") as change:
            other_room = output(change, "Room")
        self.assertEqual([one.name for one in self.desk()[1]], ["Hall"], "an output is told by its key, not by a name")
        edits.outputs.delete_output(other_room, version(self.other))
        history.undo(Kit.objects.get(pk=self.other.pk), version(self.other))
        kept = version_edits.keep(self.lineup, "with a hall")
        self.post_to_lineup(f"alongside/desk/outputs/{place}/gain_db/", value="0")
        version_edits.go_back(kept, version(self.lineup))
        self.assertEqual([(one.name, one.gain_db) for one in self.desk()[1]], [("Hall", -7.0)])
        edits.outputs.delete_output(Output.objects.get(pk=made.pk), version(self.other))
        with history.edit(self.other, version(self.other), "a new one of its name") as change:
            output(change, "Hall")
        self.assertEqual(self.desk()[1], (), "what was said of one that is gone is not said of another")
        view = self.client.get(f"/kits/{self.lineup.pk}/desk/").content.decode()
        self.assertNotIn("−7.0", view, "the view shows what sounds")
        for _ in range(2):
            history.undo(Kit.objects.get(pk=self.other.pk), version(self.other))
        self.assertEqual([(one.name, one.gain_db) for one in self.desk()[1]], [("Hall", -7.0)])
        data = b"".join(self.client.get(f"/kits/{self.lineup.pk}/alongside/package/").streaming_content)
        file = KitFile.objects.create(name="Lineup.zip", stored_as=store.receive(lambda file: file.write(data)))
        list(open_kit_file(file.pk))
        file.refresh_from_db()
        now = queries.lineup_value(file.kit, kit_value(file.kit))
        self.assertEqual([(one.member, one.name, one.gain_db) for one in now.outputs], [(1, "Hall", -7.0)])

    def test_a_version_of_it_keeps_what_sounds_and_so_does_a_copy(self):
        kept = version_edits.keep(self.lineup, "two")
        before = queries.lineup_value(self.lineup, kit_value(self.lineup))
        self.post_to_lineup(f"alongside/{self.rows()[1].pk}/gain_db/", value="-9")
        self.post_to_lineup(f"alongside/{self.rows()[0].pk}/remove/")
        compared = self.client.get(f"/kits/{self.lineup.pk}/versions/{kept.pk}/compared/")
        for said in (
            f"{self.kit.name} no longer sounds alongside.",
            "Under alongside: level.",
            "Links between the kits differ.",
        ):
            self.assertContains(compared, said)
        self.assertEqual(self.post_to_lineup(f"versions/{kept.pk}/back/").status_code, 200)
        self.assertEqual(queries.lineup_value(self.lineup, kit_value(self.lineup)), before)
        history.undo(Kit.objects.get(pk=self.lineup.pk), version(self.lineup))
        self.assertEqual([row.gain_db for row in self.rows()], [-9.0])
        history.redo(Kit.objects.get(pk=self.lineup.pk), version(self.lineup))
        for copy in (edits.kits.duplicate_kit(self.lineup), version_edits.open_as_kit(kept)):
            self.assertEqual(replace(queries.lineup_value(copy, kit_value(copy)), name=before.name), before)

    def test_a_member_may_be_a_version_of_its_kit(self):
        other = version_edits.keep(self.other, "as it was")
        row = self.rows()[1]
        self.post_to_lineup(f"alongside/{row.pk}/version_id/", value=str(other.pk))
        pad = self.other.pads.select_related("piece", "kit").first()
        edits.pads.set_fields([pad], version(self.other), {"gain_db": -20.0})
        member = queries.placed(self.lineup)[1].member
        self.assertEqual(next(member.kit.pads())[1].gain_db, 0.0)
        other.delete()
        self.assertEqual(next(queries.placed(self.lineup)[1].member.kit.pads())[1].gain_db, -20.0)

    def test_a_kit_that_lost_its_pads_and_hears_channels_of_its_own_is_no_lineup_of_itself(self):
        kit = edits.kits.create_kit("Bare", pads=0)
        Alongside.objects.create(kit=kit, other=kit, position=0, channels=[9])
        self.assertEqual((alongside.is_lineup(kit), alongside.kit_of_notes(kit)), (False, kit))
        Kit.objects.filter(pk=self.kit.pk).delete()  # the first of the lineup is gone
        self.assertEqual(alongside.kit_of_notes(self.lineup), self.other)

    def test_its_pages_show_its_members(self):
        for path, told in (
            ("sheet", "Under"),
            ("collisions", "Notes that several kits answer"),
            ("", "Under"),
        ):
            self.assertContains(self.client.get(f"/kits/{self.lineup.pk}/alongside/{path}/".replace("//", "/")), told)
        views = [
            reverse(name, args=[self.lineup.pk])
            for name in ("kits:kit", "desk:desk", "maps:map", "parts:part", "bounces:bounce")
        ]
        for view in views:
            self.assertEqual(self.client.get(view).status_code, 200, view)
        self.assertContains(self.client.get(views[1]), "Level of Under")
        answer = self.post_to_lineup("alongside/add/", other=str(self.lineup.pk))
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(
            self.client.post(f"/kits/{self.lineup.pk}/alongside/keep/").status_code, 422, "no lineup in a lineup"
        )
        rows = [row.pk for row in self.rows()]
        gone = self.post_to_lineup("alongside/link/", one=f"{rows[0]}:999999", other=f"{rows[1]}:999998")
        self.assertEqual(gone.status_code, 422)
        lanes = self.client.get(f"/kits/{self.lineup.pk}/alongside/lanes/").json()
        self.assertEqual([kit["name"] for kit in lanes["kits"]], [self.kit.name, "Under"])
