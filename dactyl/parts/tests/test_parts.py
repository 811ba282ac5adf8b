"""Parts: documents with a history of their own, edited by hand, played in, brought in and taken away."""

import json
from dataclasses import replace
from unittest.mock import patch

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.db.models import F
from django.test.utils import CaptureQueriesContext

from dactyl.core.errors import PartError
from dactyl.core.formats.midi import read_midi, write_midi
from dactyl.core.formats.musicxml.read import read_musicxml
from dactyl.core.maps import translate
from dactyl.core.parts import packed, structure
from dactyl.core.parts.curves import Curve
from dactyl.core.parts.part import Event, Part, Section
from dactyl.core.parts.reshape import Reshaped
from dactyl.history import edits as history
from dactyl.history.models import Journal
from dactyl.jobs.run import latest, run_job
from dactyl.kits.edits import outputs
from dactyl.kits.edits.kits import create_kit
from dactyl.kits.models import Kit, Output, Translation, TranslationNote
from dactyl.kits.queries import default_notes
from dactyl.kits.tests.test_edits import KitCase, version
from dactyl.maps.models import NoteNames
from dactyl.maps.ways import translated_notes
from dactyl.parts import blocks
from dactyl.parts import edits as part_edits
from dactyl.parts.edits import add_part, reshape
from dactyl.parts.models import Part as PartRow
from dactyl.parts.models import Score
from dactyl.parts.queries import about, events, part_value
from dactyl.parts.scores import MOST_AT_ONCE, WORK, held_files
from dactyl.shelf.store import incoming_folder


def a_part(*events: Event, **settings) -> Part:
    fields = {"name": "Harbour", "ticks_per_beat": 480, "tempos": ((0, 500_000),), "end_tick": 3840}
    return Part(events=events, **fields | settings)


class PartCase(KitCase):
    def setUp(self):
        self.give()  # the snare answers note 38
        self.row = add_part(a_part(Event(0, 38, 100), Event(490, 38, 60), Event(960, 99, 64)))

    @property
    def now(self) -> int:
        return PartRow.objects.get(pk=self.row.pk).version

    def ids(self, **where) -> list[int]:
        return [
            one.id for one in events(self.row) if all(getattr(one, name) in values for name, values in where.items())
        ]

    def ticks(self) -> list[int]:
        return [event.tick for event in events(self.row)]

    def of_pass(self, name: str) -> list[Event]:
        key = self.row.passes.get(recorded_as=name).pk
        return [event for event in events(self.row) if event.pass_id == key]

    def post(self, what: str, seen: int | None = None, part: PartRow | None = None, **values):
        headers = {"X-Part-Version": str(self.now if seen is None else seen), "X-Rate": "48000"}
        url = f"/parts/{(part or self.row).pk}/{what}/"
        return self.client.post(url, json.dumps(values), content_type="application/json", headers=headers)

    def edit(self, what: str, **values) -> dict:
        answer = self.post(f"edit/{what}", **values)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()


class Curves(PartCase):
    KICK = {"of": "output:Kick", "what": "gain_db", "points": [[0, -6.0], [960, 2.5]]}
    LANE = {"of": "lane:38", "what": "pan", "points": [[10, 0.5]]}

    def curves(self, part: PartRow | None = None) -> list:
        return PartRow.objects.get(pk=(part or self.row).pk).curves

    def test_they_are_drawn_told_with_their_frames_copied_exported_and_undone(self):
        told = self.edit("curves", curves=[self.KICK, self.LANE])
        self.assertEqual(told["curves"][0], ["output:Kick", "gain_db", [[0, -6.0, 0.0], [960, 2.5, 48_000.0]]])
        self.assertEqual(told["undoes"], "Level of Kick: 2 points")
        self.assertEqual(told["events"], [], "its hits are not told again")
        kit = Kit.objects.first().pk
        made = self.client.post(f"/parts/of/{kit}/{self.row.pk}/duplicate/")
        copy = PartRow.objects.get(pk=int(made.url.split("part=")[1]))
        self.assertEqual(self.curves(copy), self.curves())
        written = json.loads(self.client.get(f"/parts/of/{kit}/{self.row.pk}/curves/").content)
        self.assertEqual(written, {"ticks_per_beat": 480, "curves": [self.KICK, self.LANE]})
        self.edit("duplicate-bars", bar=1, count=1)
        self.assertEqual(self.curves()[1], ["lane:38", "pan", [[10, 0.5]]], "level all along, it needs no more points")
        self.edit("curves", curves=[{**self.KICK, "points": []}])
        self.assertEqual([of for of, _, _ in self.curves()], ["lane:38"])
        for _ in range(3):
            self.assertEqual(self.post("undo").status_code, 200)
        self.assertEqual(self.curves(), [])
        self.assertEqual(self.curves(copy)[0][0], "output:Kick")

    def test_an_edit_answers_with_the_automation_that_it_changed_and_no_other(self):
        self.edit("curves", curves=[self.KICK, self.LANE])
        told = self.edit("curves", curves=[{**self.LANE, "points": [[20, 0.25]]}])
        self.assertEqual(([row[0] for row in told["curves"]], told["curvesGone"]), (["lane:38"], []))
        told = self.edit("curves", curves=[{**self.KICK, "points": []}])
        self.assertEqual((told["curves"], told["curvesGone"]), ([], [["output:Kick", "gain_db"]]))
        back = self.post("undo").json()
        self.assertEqual(([row[0] for row in back["curves"]], back["curvesGone"]), (["output:Kick"], []))
        self.assertEqual(self.edit("rename", name="Other")["curves"], [])

    def test_a_file_that_counts_other_ticks_is_scaled_as_it_is_brought_in(self):
        fine = {**self.KICK, "points": [[0, -6.0], [96_000, 2.5], [10**9, 0.0]]}
        self.edit("curves", curves=[fine], ticks_per_beat=96_000)
        points = self.curves()[0][2]
        self.assertEqual(
            (points[:2], points[-1][0]),
            ([[0, -6.0], [480, 2.5]], about(PartRow.objects.get(pk=self.row.pk)).loop_ticks),
        )

    def test_automation_behind_the_end_bars_no_other(self):
        """As a part of an earlier version may hold it: its loop became shorter."""
        PartRow.objects.filter(pk=self.row.pk).update(curves=[["output:Kick", "gain_db", [[0, 1.0], [10**7, 2.0]]]])
        self.edit("curves", curves=[self.LANE])
        self.assertEqual([of for of, _, _ in self.curves()], ["output:Kick", "lane:38"])

    def test_automation_follows_an_output_that_is_renamed_and_back_by_undo(self):
        kit = Kit.objects.first()
        output = Output.objects.create(kit=kit, name="Kick", position=1)
        self.edit("curves", curves=[self.KICK])
        outputs.rename_output(output, kit.version, "Low")
        self.assertEqual(self.curves()[0][0], "output:Low")
        kit.refresh_from_db()
        history.undo(kit, kit.version)
        self.assertEqual(self.curves()[0][0], "output:Kick")
        elsewhere = create_kit("Other")
        Output.objects.create(kit=elsewhere, name="Kick", position=1)
        kit.refresh_from_db()
        outputs.rename_output(Output.objects.get(pk=output.pk), kit.version, "Low")
        self.assertEqual(self.curves()[0][0], "output:Kick", "which another kit has too")

    def test_automation_follows_outputs_that_exchange_their_names(self):
        kit = Kit.objects.first()
        steps = [
            ("output", n, {"name": old}, {"name": new})
            for n, (old, new) in enumerate([("Kick", "Low"), ("Low", "Kick")])
        ]
        low = {**self.KICK, "of": "output:Low", "points": [[0, 1.0]]}
        self.edit("curves", curves=[self.KICK, low])
        before = {of: points for of, _, points in self.curves()}
        part_edits.follow_renamed(kit, steps)
        self.assertEqual(
            {of: points for of, _, points in self.curves()},
            {"output:Low": before["output:Kick"], "output:Kick": before["output:Low"]},
        )

    def test_a_part_that_rests_where_the_kit_is_set_otherwise(self):
        kit = Kit.objects.first()
        Output.objects.create(kit=kit, name="Kick", position=1, width=40.0)
        other = add_part(replace(a_part(Event(0, 38, 9)), curves=(Curve("output:Kick", "width", ((0, 2.0),)),)))
        told = self.edit("put-behind", **{"from": other.pk, "kit": kit.pk})
        self.assertEqual([at for _, at, _ in told["curves"][0][2]], [0.4, 2.0])
        over = self.edit("lay-over", **{"from": other.pk, "kit": kit.pk})
        self.assertIn(
            "its automation is left out where it would move hits of this part too: width of Kick", over["said"]
        )

    def test_what_can_be_no_curve_is_refused_and_changes_nothing(self):
        before = self.now
        for wrong in (
            {"points": [[0, 99]]}, {"points": [[5, 1.0], [5, 2.0]]}, {"points": [[0, True]]}, {"points": "x"}, {"what": "colour"}, {"of": "lane:999"},
            {"points": [[0, 10**400]]}, {"of": "output:"},
        ):  # fmt: skip
            with self.subTest(wrong):
                self.assertEqual(self.post("edit/curves", curves=[{**self.KICK, **wrong}]).status_code, 422)
        self.assertEqual(self.post("edit/curves", curves=[]).status_code, 422)
        self.assertEqual((self.curves(), self.now), ([], before))

    def test_a_translation_that_is_written_takes_lanes_along(self):
        self.edit("curves", curves=[{**self.LANE, "of": "lane:99"}, self.LANE])
        kit = Kit.objects.first()
        table = {99: 38}
        part_edits.write_translation(
            PartRow.objects.get(pk=self.row.pk), self.now, "k", table, default_notes(kit).keys()
        )
        self.assertEqual([of for of, _, _ in self.curves()], ["lane:38"], "what stood on 38 was silent, and went")


class Gates(PartCase):
    def test_names_pass_one_gate_whatever_the_way_in(self):
        marked = a_part(Event(0, 38, 9), name="Up\u202ebeat \x07", sections=(Section(0, 480, "A\u2066\n1"),))
        row = add_part(marked)
        self.assertEqual((row.name, row.sections), ("Upbeat", [[0, 480, "A 1"]]))

    def test_a_pass_of_half_a_stretch_is_refused(self):
        asked = {"name": "p", "hits": [[0, 38, 90, 9, 0]], "rate": 48_000, "replace": True, "span": [5]}
        self.assertEqual(self.post("record", **asked).status_code, 422)


class Editing(PartCase):
    def test_every_operation_can_be_undone_and_done_again(self):
        ids = self.ids
        other = add_part(a_part(Event(20, 38, 90), Event(240, 38, 40)))
        table = {
            "draw": {"events": [[240, 38, 90, 9, 60], [240, 36, 80, 9, 0]]},
            "remove": {"ids": ids()[:1]},
            "move": {"ids": ids()[:2], "ticks": 120, "notes": [[38, 40]]},
            "strike": {"velocities": [[ids()[0], 20]]},
            "numbers": {"ids": ids()[:1], "field": "ms", "value": 250},
            "paste": {"events": [[0, 38, 90, 9, 0, 0], [120, 36, 90, 9, 0, 120]], "at": 1920},
            "duplicate": {"ids": ids()[:2]},
            "repeat": {"ids": ids()[:2]},
            "velocity": {"ids": ids(), "how": "scale", "value": 50},
            "tighten": {"ids": ids(), "strength": 70, "grid": "1/16"},
            "nudge": {"ids": ids(), "ms": 12.5},
            "loosen": {"ids": ids(), "ms": 9, "seed": 4},
            "feel": {"ids": ids(), "from": other.pk, "grid": "1/8", "time": 100},
            "grace": {"ids": ids()[1:2], "figure": "drag", "ms": 22},
            "roll": {"ids": ids()[:1], "grid": "1/32", "first": 30, "last": 100, "beats": 1},
            "ghost": {"ids": ids()[:2], "grid": "1/16", "places": 1, "strength": 30},
            "hats": {"how": "foot", "open": [46], "closed": [42], "pedal": 44},
            "alternate": {"ids": ids(), "one": 38, "other": 40},
            "rename": {"name": "Quay"},
            "tempo": {"tick": 960, "bpm": 90},
            "meter": {"bar": 2, "beats": 7, "unit": 8},
            "section": {"start": 0, "end": 1920, "name": "A"},
            "insert-bars": {"bar": 1, "count": 2},
            "delete-bars": {"bar": 1, "count": 1},
            "duplicate-bars": {"bar": 1, "count": 1},
            "clear-bars": {"bar": 1, "count": 1},
            "put-behind": {"from": other.pk},
            "lay-over": {"from": other.pk},
        }
        for what, values in table.items():
            with self.subTest(what):
                before = part_value(PartRow.objects.get(pk=self.row.pk))
                said = self.edit(what, **values)
                after = part_value(PartRow.objects.get(pk=self.row.pk))
                self.assertNotEqual(before, after)
                self.assertEqual(said["undoes"], said["said"])
                self.post("undo")
                self.assertEqual(part_value(PartRow.objects.get(pk=self.row.pk)), before)
                self.post("redo")
                self.assertEqual(part_value(PartRow.objects.get(pk=self.row.pk)), after)
                self.post("undo")

    def test_an_answer_holds_what_changed_and_nothing_else(self):
        first = self.ids()[0]
        body = self.edit("strike", velocities=[[first, 33]])
        self.assertEqual([row[:5] for row in body["events"]], [[first, 0, 0, 38, 33]])
        self.assertEqual((body["removed"], body["version"]), ([], self.now))
        self.assertEqual(self.edit("remove", ids=[first])["removed"], [first])
        back = self.post("undo").json()
        self.assertEqual(([row[0] for row in back["events"]], back["redoes"]), ([first], "1 hit removed"))
        whole = self.edit("tempo", tick=0, bpm=60)
        self.assertTrue(whole["isWhole"])
        self.assertEqual([row[9] for row in whole["events"]], [0, 49_000, 96_000])

    def test_a_stale_or_missing_version_is_refused_and_nothing_is_lost(self):
        seen = self.now
        self.edit("remove", ids=self.ids()[:1])
        stale = self.post("edit/remove", seen=seen, ids=self.ids()[:1])
        self.assertEqual((stale.status_code, len(stale.json()["events"])), (409, 2))
        self.assertIn("changed in another tab", stale.json()["said"])
        for header in ({}, {"X-Part-Version": "x"}, {"X-Part-Version": "-1"}):
            with self.subTest(header):
                answer = self.client.post(
                    f"/parts/{self.row.pk}/edit/remove/", "{}", content_type="application/json", headers=header
                )
                self.assertContains(answer, "did not say which version", status_code=422)
        self.assertEqual(len(self.ticks()), 2)

    def test_what_no_part_can_hold_is_refused_with_a_reason(self):
        ids = self.ids()
        table = [
            ("draw", {"events": [[99_999, 38, 90, 9, 0]]}, "Add bars"),
            ("draw", {"events": [[0, 200, 90, 9, 0]]}, "holds 200"),
            ("draw", {"events": [[0, 38, 90]]}, "did not arrive whole"),
            ("draw", {"events": "x"}, "did not arrive whole"),
            ("remove", {"ids": [999_999]}, "No hits are selected"),
            ("velocity", {"ids": ids, "how": "shout"}, "not a choice"),
            ("velocity", {"ids": ids, "how": "set", "value": 1e400}, "is a number from 1 to 127"),
            ("tighten", {"ids": ids, "strength": 70, "grid": "1/7"}, "not a choice"),
            ("tempo", {"tick": 0, "bpm": 0}, "is a number from 10"),
            ("rename", {"name": " \ud800 \u0000"}, "can't be empty"),
            ("rename", {"name": "x" * 81}, "80 is the most"),
            ("delete-bars", {"bar": 1, "count": 2}, "at least one bar"),
            ("nonsense", {}, "can't be changed by"),
        ]
        for what, values, words in table:
            with self.subTest(what, words=words):
                answer = self.post(f"edit/{what}", **values)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(words, answer.json()["said"])
        broken = self.client.post(
            f"/parts/{self.row.pk}/edit/draw/", "[" * 100_000, content_type="application/json",
            headers={"X-Part-Version": str(self.now)},
        )  # fmt: skip
        self.assertContains(broken, "does not understand", status_code=422)

    def test_what_finds_no_room_or_is_gone_is_refused_with_the_way_out_and_changes_nothing(self):
        last, gone = self.ids()[-1:], add_part(a_part(Event(0, 38, 90)))
        gone_pk = gone.pk
        gone.delete()
        held = [[0, 38, 90, 9, 60, 0], [480, 38, 90, 9, 60, 480]]
        before = part_value(self.row).events, self.now
        table = [
            ("move", {"ids": last, "ticks": 3000}, "Add bars first"),
            ("nudge", {"ids": last, "ticks": 2880}, "Add bars first"),
            ("nudge", {"ids": last, "ms": 2001}, "is a number from"),
            ("paste", {"events": [], "at": 0}, "nothing to paste"),
            ("paste", {"events": held, "at": 3840, "start": 0}, "Add bars, or move the playhead"),
            ("feel", {"ids": last, "from": gone_pk, "grid": "1/16"}, "Choose another"),
            ("put-behind", {"from": gone_pk}, "The other part is gone. Choose another."),
            ("meter", {"bar": 1, "beats": 33, "unit": 4}, "from 1 to 32"),
        ]
        for what, values, words in table:
            with self.subTest(what, words=words):
                answer = self.post(f"edit/{what}", **values)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(words, answer.json()["said"])
        self.assertEqual((part_value(self.row).events, self.now), before)

    def test_what_stands_behind_the_end_is_left_away_and_the_rest_is_made(self):
        held = [[0, 38, 90, 9, 60, 7], [480, 38, 90, 9, 60, 480]]
        said = self.edit("paste", events=held, at=3600, start=0)["said"]
        (pasted,) = (event for event in events(self.row) if event.tick == 3600)
        self.assertEqual((said, pasted.played_tick, len(self.ticks())), ("1 hit pasted", 3607, 4))
        copied = self.edit("move", ids=self.ids(tick=[0]), ticks=-50, notes=[[38, 40]], copy=True)
        self.assertEqual((copied["said"], self.ids(tick=[0], note=[40]) != []), ("1 hit copied", True))
        for field, value, name in (("tick", 700, "tick"), ("note", 41, "note"), ("velocity", 9, "velocity"), ("channel", 3, "channel"), ("length", 55, "length_ticks")):  # fmt: skip
            with self.subTest(field):
                self.edit("numbers", ids=[pasted.id], field=field, value=value)
                self.assertEqual(getattr(events(self.row, [pasted.id])[0], name), value)

    def test_choosing_and_previewing_change_nothing(self):
        before = self.now
        chosen = self.post("choose", rule="softer", velocity=70).json()["ids"]
        self.assertEqual(chosen, self.ids(velocity=[60, 64]))
        self.assertEqual(self.post("choose", rule="louder", velocity=70).json()["ids"], self.ids(velocity=[100]))
        made = self.post("preview/grace", ids=chosen[:1], figure="flam").json()
        self.assertEqual([row[1] for row in made["added"]], [466])
        self.assertEqual((self.now, len(self.ticks())), (before, 3))

    def test_an_edit_of_a_large_part_takes_as_many_queries_as_of_a_small_one(self):
        large = add_part(a_part(*(Event(10 * n, 38, 90) for n in range(2000)), end_tick=20_000))
        counts = []
        for part in (self.row, large):
            first = events(part)[0].id
            with CaptureQueriesContext(
                connection,
            ) as queries:
                answer = self.post("edit/strike", seen=part.version, part=part, velocities=[[first, 1]])
            self.assertEqual((answer.status_code, len(answer.json()["events"])), (200, 1))
            counts.append(len(queries))
        self.assertEqual(counts[0], counts[1])
        self.assertLess(counts[0], 20)

    def test_a_deleted_part_takes_its_history_along(self):
        journals = Journal.objects.count()
        self.edit("remove", ids=self.ids())
        self.client.post(f"/parts/of/{self.kit.pk}/{self.row.pk}/delete/")
        self.assertEqual((PartRow.objects.count(), Journal.objects.count()), (0, journals - 1))


class PlayingIn(PartCase):
    HITS = [[0, 38, 90, 9, 0], [12_345, 38, 60, 9, 4800], [24_010, 40, 70, 9, 0]]

    def record(self, name="one", **values):
        return self.post("record", name=name, rate=48_000, hits=self.HITS, **values)

    def test_a_pass_is_written_once_at_its_own_frames(self):
        self.assertEqual(self.record().json()["said"], "Pass 1: 3 hits")
        again = self.record().json()
        self.assertEqual((again["said"], len(again["passes"]), len(again["events"])), ("Pass 1: 3 hits", 1, 3))
        rows = self.of_pass("one")
        value = part_value(PartRow.objects.get(pk=self.row.pk))
        frames = [value.frame_at(row.tick, 48_000) for row in rows]
        self.assertTrue(all(abs(a - b[0]) <= 25 for a, b in zip(frames, self.HITS, strict=True)))  # half a tick
        self.assertEqual([row.length_ticks for row in rows], [0, 96, 0])
        self.assertEqual(self.post("undo").json()["passes"], [])
        late = self.record().json()
        self.assertEqual((late["said"][:22], late["passes"], late["events"]), ("This pass was written,", [], []))
        self.assertEqual(len(self.post("redo").json()["passes"]), 1)

    def test_passes_are_muted_and_chosen(self):
        self.record()
        self.record("two")
        first, second = PartRow.objects.get(pk=self.row.pk).passes.all()
        self.post(f"passes/{first.pk}/mute")
        self.assertEqual(len(part_value(self.row).note_ons), 3 + 3)
        self.assertEqual([row[2] for row in self.post(f"passes/{first.pk}/only").json()["passes"]], [False, True])
        self.assertContains(self.post("passes/999/mute"), "gone", status_code=422)

    def test_replacing_takes_only_the_notes_that_are_played_and_only_where_it_was_played_over(self):
        for span, left, said in (
            (None, [38, 99], "1 hit taken away"),  # from the first hit to the last
            ([0, 24_400], [38, 99], "1 hit taken away"),
            ([0, 96_000], [99], "2 hits taken away"),
            ([24_500, 96_000], [38, 99], "1 hit taken away"),
        ):
            with self.subTest(span):
                answer = self.record(str(span), replace=True, **({"span": span} if span else {})).json()
                self.assertIn(said, answer["said"])
                self.assertEqual([event.note for event in events(self.row) if event.pass_id is None], left)
                self.post("undo")

    def test_what_is_nearest_to_the_next_rounds_first_beat_belongs_to_the_first_beat_of_this_round_while_it_loops(self):
        for name, loop, tick in (("a", [0, 3840], 0), ("b", [1920, 3840], 1920), ("c", None, 3830)):
            with self.subTest(loop):
                hits = [[round(3830 / 960 * 48_000), 38, 90, 9, 0]]
                more = {"strength": 100, "grid": "1/16", **({"loop": loop} if loop else {})}
                self.post("record", name=name, rate=48_000, hits=hits, **more)
                (row,) = self.of_pass(name)
                self.assertEqual((row.tick, row.played_tick), (tick, 3830))

    def test_tightened_while_recording_it_still_knows_what_was_played(self):
        self.record(strength=100, grid="1/16")
        rows = self.of_pass("one")
        self.assertEqual([row.tick for row in rows], [0, 240, 480])
        self.assertEqual([row.played_tick for row in rows], [0, 247, 480])


class Copies(PartCase):
    """A copy sounds as what it came from, and neither needs the other."""

    def setUp(self):
        super().setUp()
        self.post("record", name="one", rate=48_000, hits=PlayingIn.HITS)
        self.post("written-for", source="standard")

    def made(self, what: str, **values) -> list[PartRow]:
        known = set(PartRow.objects.values_list("pk", flat=True))
        self.client.post(f"/parts/of/{self.kit.pk}/{self.row.pk}/{what}/", values)
        return list(PartRow.objects.exclude(pk__in=known))

    def test_a_duplicate_is_written_for_the_same_notes_and_has_its_own_passes_muted_ones_too(self):
        self.post(f"passes/{self.row.passes.get().pk}/mute")
        (copy,) = self.made("duplicate")
        self.assertEqual((copy.written_for, blocks.count(copy)), ("standard", 6))
        self.assertEqual(list(part_value(copy).hits(48_000)), list(part_value(self.row).hits(48_000)))
        self.assertEqual([(one.part_id, one.is_muted) for one in copy.passes.all()], [(copy.pk, True)])
        for _ in range(3):
            self.assertEqual(self.post("undo").status_code, 200)
        self.assertEqual(
            (self.row.passes.count(), copy.passes.count(), [one.pass_id for one in events(copy)].count(None)), (0, 1, 3)
        )

    def test_pieces_of_a_part_are_named_by_what_plays_them_here(self):
        headers = {"HX-Request": "true", "X-Kit-Version": str(version(self.kit))}
        self.client.post(f"/kits/{self.kit.pk}/map/translations/propose/", {"source": "standard"}, headers=headers)
        pieces = self.made("split", by="pad")
        self.assertEqual([piece.written_for for piece in pieces], ["standard"] * len(pieces))
        self.assertIn("Harbour · Snare", [piece.name for piece in pieces])
        self.assertEqual({one.part_id for piece in pieces for one in piece.passes.all()} & {self.row.pk}, set())

    def test_parts_put_together_keep_no_pass_of_another_and_are_written_for_the_same_notes(self):
        other = add_part(a_part(Event(0, 38, 90)))
        for what in ("put-behind", "lay-over"):
            refused = self.post(
                f"edit/{what}", part=other, seen=PartRow.objects.get(pk=other.pk).version, **{"from": self.row.pk}
            )
            self.assertContains(refused, "written for different notes", status_code=422)
            PartRow.objects.filter(pk=other.pk).update(written_for="standard")
            self.post(
                f"edit/{what}", part=other, seen=PartRow.objects.get(pk=other.pk).version, **{"from": self.row.pk}
            )
            self.assertEqual([event.pass_id for event in events(other)], [None] * 7)
            self.post("undo", part=other, seen=PartRow.objects.get(pk=other.pk).version)
            PartRow.objects.filter(pk=other.pk).update(written_for="")

    def test_a_hit_of_another_parts_pass_cannot_even_be_written(self):
        other = add_part(a_part(Event(0, 38, 90)))
        made = Reshaped(added=(Event(5, 38, 90, pass_id=self.row.passes.get().pk),))
        with self.assertRaisesRegex(ValueError, "pass of another part"):
            reshape(other, other.version, "Drawn", made)
        self.assertEqual((blocks.count(other), PartRow.objects.get(pk=other.pk).version), (1, 1))

    def test_a_part_that_is_full_can_be_played_over_and_one_that_is_damaged_says_so(self):
        full = add_part(a_part(*(Event(10 * n, 38, 90) for n in range(4)), end_tick=3840))
        own = [event.id for event in events(full)]
        with patch.object(blocks, "MAX_NOTES", 4):
            new = (Event(5, 38, 90), Event(6, 38, 90))
            reshape(full, full.version, "Played over", Reshaped(added=new, removed=tuple(own[:2])))
            with self.assertRaisesRegex(PartError, "at most 4 hits"):
                reshape(full, full.version, "One more", Reshaped(added=new[:1]))
        self.assertEqual([event.tick for event in events(full)], [5, 6, 20, 30])
        for data in ("", "AAAA", packed.pack(blocks.rows(full))[:-8]):
            with self.subTest(data):
                full.blocks.update(data=data)
                refused = self.client.get(f"/parts/{full.pk}/data/", headers={"X-Rate": "48000"})
                self.assertContains(refused, "are damaged in the database", status_code=422)

    def test_what_was_silent_stays_silent_where_a_translation_is_written_and_is_said(self):
        """The kit answers 38 alone; of the standard notes 38 has a counterpart, 40 and 99 none."""
        names = NoteNames.objects.create(name="Hall", names={})
        self.post("written-for", source=f"names:{names.pk}")
        translation = Translation.objects.create(kit=self.kit, source=f"names:{names.pk}", name="Hall")
        TranslationNote.objects.create(translation=translation, note=99, pad=self.pad, is_sure=True)
        bounced = translate.played(part_value(self.row), translated_notes(self.kit, translation.source))
        said = self.post(f"translate/for/{self.kit.pk}").json()["said"]
        self.assertIn("4 silent hits left out", said)
        now = PartRow.objects.get(pk=self.row.pk)
        answered = [event for event in part_value(now).note_ons if event.note in default_notes(self.kit)]
        self.assertEqual([(e.tick, e.note) for e in answered], [(e.tick, e.note) for e in bounced.note_ons])
        url = f"/parts/of/{self.kit.pk}/{self.row.pk}/midi/"
        self.post("undo")
        self.assertIn("silent here", self.client.get(url, {"for": "standard", "says": 1}).content.decode())
        left = read_midi(self.client.get(url, {"for": "standard"}).content, "x")
        self.assertEqual(len(left.note_ons), 1)


class TheEnd(PartCase):
    """What moves hits passes one gate: nothing stands where it is neither drawn nor looped."""

    def test_no_way_of_moving_hits_puts_one_behind_the_end(self):
        last = add_part(a_part(Event(3839, 38, 100), Event(3800, 38, 60), end_tick=3840))
        late = add_part(a_part(Event(80, 38, 100), Event(3840 - 40, 38, 90)))
        ids = [event.id for event in events(last)]
        acts = {
            "loosen": {"ms": 100, "seed": 5}, "tighten": {"strength": 100, "grid": "1/4"}, "nudge": {"ticks": 1},
            "feel": {"from": late.pk, "grid": "1/4"}, "numbers": {"field": "ms", "value": 4000.0},
            "move": {"ticks": 3840}, "as-played": {},
        }  # fmt: skip
        for what, values in acts.items():
            for loop in ({}, {"loop": [0, 3840]}):
                with self.subTest(what, **loop):
                    seen = PartRow.objects.get(pk=last.pk).version
                    answer = self.post(f"edit/{what}", part=last, seen=seen, ids=ids, **values, **loop)
                    self.assertIn(answer.status_code, (200, 422))
                    self.assertLess(max(event.tick for event in events(last)), 3840)
                    if answer.status_code == 200:
                        self.post("undo", part=last, seen=PartRow.objects.get(pk=last.pk).version)

    def test_a_hit_that_a_file_ends_with_is_inside_the_part(self):
        row = add_part(a_part(Event(0, 38, 90), Event(3840, 38, 90)))
        self.assertGreater(part_value(row).loop_ticks, 3840)

    def test_repeating_knows_its_limit_before_anything_is_built(self):
        tiny = add_part(a_part(*(Event(n, 38, 90) for n in range(60)), end_tick=3840 * 1000, meters=((0, 32, 32),)))
        ids = [event.id for event in events(tiny)]
        with patch.object(structure, "copies", side_effect=AssertionError("built")):
            answer = self.post("edit/repeat", part=tiny, seen=1, ids=ids)
        self.assertContains(answer, "Choose fewer", status_code=422)

    def test_undo_answers_with_the_part_as_it_is_then(self):
        self.edit("tempo", bpm=60)
        self.edit("rename", name="Night")
        self.assertEqual(self.post("undo").json()["name"], "Harbour")
        self.assertEqual(self.post("undo").json()["bpm"], 120)
        self.assertEqual(self.post("redo").json()["bpm"], 60)


class Files(PartCase):
    def upload(self, data: bytes, name: str = "Harbour.mid", **more):
        file = SimpleUploadedFile(name, data, content_type="audio/midi")
        url = f"/parts/of/{self.kit.pk}/read/"
        return self.client.post(url, {"file": file, **more}, headers={"HX-Request": "true"})

    def test_a_midi_file_becomes_a_part_that_plays_the_same(self):
        part = a_part(Event(0, 38, 20), Event(480, 38, 120, 9, 30), Event(960, 99, 64))
        answer = self.upload(write_midi(part))
        row = PartRow.objects.last()
        self.assertIn(f"?part={row.pk}", answer.headers["HX-Push-Url"])
        self.assertContains(answer, f'data-part="{row.pk}"')
        self.assertEqual(list(part_value(row).hits(48_000)), list(part.hits(48_000)))
        lanes = self.client.get(f"/parts/of/{self.kit.pk}/lanes/").json()["lanes"]
        self.assertEqual([(lane["name"], lane["notes"], len(lane["levels"])) for lane in lanes], [("Snare", [38], 127)])
        self.assertTrue(lanes[0]["levels"][0] < lanes[0]["levels"][126])

    def test_a_long_score_is_written_by_a_job_and_is_that_of_the_part_as_it_is_now(self):
        hits = [Event(120 * n, 38, 20 + n % 100) for n in range(MOST_AT_ONCE + 1)]
        row = add_part(a_part(*hits, end_tick=1920 * (len(hits) // 16 + 1)))
        base = f"/parts/of/{self.kit.pk}/{row.pk}/score/"
        self.assertContains(self.client.get(f"/parts/of/{self.kit.pk}/?part={row.pk}"), "score/long/")
        self.assertEqual(self.client.get(base).status_code, 422, "it is not written yet")
        self.assertContains(self.client.post(base + "long/"), "Writing the score")
        score = Score.objects.get(part=row)
        self.addCleanup((incoming_folder() / score.file).unlink)  # other tests look whether something is left there
        run_job.func(latest(WORK, score.pk).pk)
        self.assertIn(score.file, held_files())
        self.assertContains(self.client.get(base + "long/"), "Download the score")
        again = read_musicxml(self.client.get(base).getvalue(), "Long.musicxml", lambda _: None)
        self.assertEqual([hit.note for hit in again.hits(48_000)], [38] * (MOST_AT_ONCE + 1))
        self.assertContains(
            self.client.post(base + "long/", {"cancel": "1"}), "Download the score", msg_prefix="it is over"
        )
        Journal.objects.filter(pk=row.journal_id).update(version=F("version") + 1)
        self.assertContains(self.client.get(base + "long/"), "Write the score")
        self.assertEqual(self.client.get(base).status_code, 422, "the part has changed since")

    def test_a_score_goes_out_and_comes_in_as_the_same_hits(self):
        part = a_part(Event(0, 38, 20), Event(485, 38, 120), Event(960, 99, 64))
        self.upload(write_midi(part))
        row = PartRow.objects.last()
        answer = self.client.get(f"/parts/of/{self.kit.pk}/{row.pk}/score/")
        self.assertIn(".musicxml", answer.headers["Content-Disposition"])
        data = answer.getvalue()
        self.assertIn(b"<instrument-name>Snare</instrument-name>", data)
        self.upload(data, "Harbour.musicxml")
        again = PartRow.objects.last()
        self.assertNotEqual(again.pk, row.pk)
        self.assertEqual(
            [hit for hit in part_value(again).hits(48_000) if hit.velocity],
            [hit for hit in part.hits(48_000) if hit.velocity],
        )
        refused = self.upload(b"<score-timewise/>", "Bad.musicxml")
        self.assertContains(refused, "score by time", status_code=422)

    def test_several_files_come_in_as_one_part_whatever_they_count_in(self):
        drums, metal = (
            a_part(Event(0, 38, 90), Event(480, 38, 60)),
            a_part(Event(720, 40, 70, 10), ticks_per_beat=720, end_tick=5760),
        )
        files = [
            SimpleUploadedFile(f"{name}.mid", write_midi(part)) for name, part in (("Drums", drums), ("Metal", metal))
        ]
        before = PartRow.objects.count()
        answer = self.client.post(f"/parts/of/{self.kit.pk}/read/", {"file": files, "as": "together"})
        self.assertEqual((answer.status_code, PartRow.objects.count()), (302, before + 1))
        row = PartRow.objects.last()
        frames = [(hit.frame, hit.note, hit.channel) for hit in part_value(row).hits(48_000)]
        self.assertEqual((row.name, frames), ("Drums", [(0, 38, 9), (24_000, 38, 9), (24_000, 40, 10)]))
        for file in files:
            file.seek(0)
        self.client.post(f"/parts/of/{self.kit.pk}/read/", {"file": files})
        self.assertEqual(PartRow.objects.count(), before + 3)

    def test_a_file_dropped_where_no_kit_is_open_is_shown_with_the_kit_changed_last(self):
        file = SimpleUploadedFile("Quay.mid", write_midi(a_part(Event(0, 38, 90))))
        answer = self.client.post("/parts/read/", {"file": file})
        row = PartRow.objects.last()
        self.assertRedirects(answer, f"/parts/of/{self.kit.pk}/?part={row.pk}")
        Kit.objects.update(is_put_away=True)
        file.seek(0)
        self.assertContains(self.client.post("/parts/read/", {"file": file}), "there is none yet", status_code=422)

    def test_tracks_come_in_one_by_one_and_parts_go_out_by_pad(self):
        url = f"/parts/of/{self.kit.pk}/{self.row.pk}/midi/"
        by_pad = self.client.get(url, {"by": "pad"})
        self.assertIn("Harbour.mid", by_pad.headers["Content-Disposition"])
        self.upload(by_pad.content, **{"as": "tracks"})
        self.assertEqual([row.name for row in PartRow.objects.all()[1:]], ["Snare", "D#6"])
        some = read_midi(self.client.post(url, {"ids": str(self.ids()[1])}).content, "x")
        self.assertEqual([event.tick for event in some.events], [490])
        self.client.post(f"/parts/of/{self.kit.pk}/{self.row.pk}/split/", {"by": "pad"})
        self.assertEqual([row.name for row in PartRow.objects.all()[3:]], ["Harbour · Snare", "Harbour · D#6"])

    def test_what_is_no_part_is_refused_with_a_sentence_and_nothing_is_kept(self):
        whole = write_midi(a_part(Event(0, 38, 90)))
        far = whole.replace(b"\x00\x99\x26\x5a", b"\xff\xff\xff\x7f\x99\x26\x5a")
        far = far[:12] + b"\x7f\xff" + far[14:18] + (len(far) - 22).to_bytes(4, "big") + far[22:]
        for data, words in (
            (b"not a midi file", "is not a MIDI file"),
            (whole[:20], "Harbour.mid"),
            (write_midi(a_part()), "no note"),
            (whole[:12] + bytes.fromhex("e728") + whole[14:], "SMPTE"),
            (whole[:12] + b"\0\1" + far[14:], "bars; 20,000 is the most|hours"),
        ):
            with self.subTest(words):
                answer = self.upload(data)
                self.assertEqual(answer.status_code, 422)
                self.assertRegex(answer.content.decode(), words)
        answer = self.client.post(f"/parts/of/{self.kit.pk}/read/", headers={"HX-Request": "true"})
        self.assertContains(answer, "No file was chosen", status_code=422)
        plain = self.client.post(
            f"/parts/of/{self.kit.pk}/read/", {"file": SimpleUploadedFile("a.mid", whole, content_type="audio/midi")}
        )
        self.assertEqual((plain.status_code, PartRow.objects.count()), (302, 2))

    def test_an_empty_part_is_begun_and_without_any_the_page_says_how(self):
        self.client.post(
            f"/parts/of/{self.kit.pk}/new/", {"name": " New ", "bars": 2, "bpm": "96", "beats": 7, "unit": 8}
        )
        row = PartRow.objects.last()
        self.assertEqual((row.name, part_value(row).bars, row.meters), ("New", 2, [[0, 7, 8]]))
        for wrong in ({"bars": "x"}, {"bpm": "fast"}, {"beats": 0}):
            answer = self.client.post(
                f"/parts/of/{self.kit.pk}/new/", {"bars": 2, "beats": 4, "unit": 4} | wrong, headers={"HX-Request": "1"}
            )
            self.assertEqual(answer.status_code, 422)
        PartRow.objects.all().delete()
        self.assertContains(self.client.get(f"/parts/of/{self.kit.pk}/"), "MIDI file")

    def test_a_note_that_nothing_answers_is_given_a_pad_where_it_is_seen(self):
        headers = {"HX-Request": "true", "X-Kit-Version": str(version(self.kit))}
        given = self.client.post(f"/kits/{self.kit.pk}/notes/99/", {"value": " snare "}, headers=headers)
        self.assertContains(given, "Note of Snare: D1 · 38, D#6 · 99")
        headers["X-Kit-Version"] = str(version(self.kit))
        refused = self.client.post(f"/kits/{self.kit.pk}/notes/98/", {"value": "Gong"}, headers=headers)
        self.assertContains(refused, "No pad is called “Gong”", status_code=422)
