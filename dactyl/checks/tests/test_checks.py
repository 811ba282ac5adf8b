"""The check of a kit as rows: what is heard once, what is told, mended and left, each undone like any other edit."""

import io

import numpy as np
import soundfile
from django.test import TestCase
from django.utils.html import escape

from dactyl.checks import queries, tasks
from dactyl.checks.models import HeardStretch, KitCheck, LeftFinding
from dactyl.core.check import sound
from dactyl.core.check.finding import mended
from dactyl.core.compare import compare
from dactyl.core.parts.part import Event
from dactyl.core.parts.part import Part as PartValue
from dactyl.history import edits as history
from dactyl.jobs.models import Job
from dactyl.kits import edits
from dactyl.kits.edits.samples import NewTake
from dactyl.kits.models import Kit, Pad, Take
from dactyl.kits.tests.test_edits import dump, version
from dactyl.kits.values import kit_value
from dactyl.lineups.edits import lineup_of
from dactyl.parts.edits import add_part
from dactyl.shelf.models import Sample
from dactyl.shelf.tests.sounds import bring_in


def stroke(level: float, seed: int, *, late_ms: float = 0, turned: bool = False) -> bytes:
    rng, time = np.random.default_rng(seed), np.arange(12_000) / 48_000
    wave = np.sin(2 * np.pi * 170 * (1 + rng.normal(0, 0.002)) * time) + 0.4 * rng.standard_normal(len(time))
    sound = np.concatenate([np.zeros(96 + int(48 * late_ms)), level * 0.3 * wave * np.exp(-20 * time)])
    file = io.BytesIO()
    soundfile.write(file, -sound if turned else sound, 48_000, "PCM_24", format="WAV")
    return file.getvalue()


class Checks(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.kit = edits.kits.create_kit("Checked")
        cls.pad = cls.kit.pads.select_related("piece", "kit").first()
        files = {
            f"tom {layer} {take}.wav": stroke(
                level, 10 * layer + take, late_ms=12.0 * ((layer, take) == (1, 2)), turned=(layer, take) == (0, 1)
            )
            for layer, level in enumerate((0.2, 1.0))
            for take in range(4)
        }
        bring_in(files)
        samples = [Sample.objects.get(name=name) for name in files]
        given = [NewTake.of({"close": one}) for one in samples]
        edits.samples.give_samples(cls.pad, version(cls.kit), given, "layers", replace=True, layers=2)
        edits.pads.set_fields(
            [Pad.objects.select_related("piece", "kit").get(pk=cls.pad.pk)], version(cls.kit), {"kind": "low_tom"}
        )
        Take.objects.filter(samples__sample__name="tom 1 2.wav").update(start_frame=0)  # it was put at its onset
        list(tasks.check_kit(cls.kit.pk))

    def found(self) -> list[tuple[str, int, int]]:
        rows = queries.found(self.kit)[1]
        return [(row["rule"], row["place"].get("layer", 0), row["place"].get("take", 0)) for row in rows]

    def post(self, path: str, **values: str) -> tuple[int, str]:
        headers = {"X-Kit-Version": str(version(self.kit)), "HX-Request": "true", "X-View": "check"}
        answer = self.client.post(f"/kits/{self.kit.pk}/check/{path}", values, headers=headers)
        return answer.status_code, answer.content.decode()

    def test_what_is_wrong_is_found_and_nothing_is_heard_twice(self):
        self.assertEqual(set(self.found()), {("onsets", 2, 3), ("polarity", 1, 2)})
        heard = HeardStretch.objects.count()
        self.assertEqual(heard, 8)
        before = set(HeardStretch.objects.values_list("pk", "packed"))
        list(tasks.hear_missing(kit_value(self.kit.pk)))
        self.assertEqual(set(HeardStretch.objects.values_list("pk", "packed")), before)
        HeardStretch.objects.update(measures=sound.MEASURES - 1)  # of an earlier program
        self.assertEqual(queries.known_sounds(kit_value(self.kit.pk)), {})
        list(tasks.hear_missing(kit_value(self.kit.pk)))
        self.assertEqual(len(queries.known_sounds(kit_value(self.kit.pk))), 8)

    def test_a_mend_is_what_the_core_makes_of_it_and_one_undo(self):
        before, value = dump(self.kit), kit_value(self.kit.pk)
        row = next(row for row in queries.found(self.kit)[1] if row["rule"] == "polarity")
        status, page = self.post("mend/", key=row["key"])
        self.assertEqual(status, 200)
        self.assertFalse(f"finding-{row['key']}" in page, "it is told no more")
        self.assertEqual(kit_value(self.kit.pk), mended(value, queries.changes_of([row])))
        self.assertEqual(len(compare(value, kit_value(self.kit.pk))), 1)
        list(tasks.check_kit(self.kit.pk))
        self.assertNotIn("polarity", [rule for rule, *_ in self.found()])
        history.undo(Kit.objects.get(pk=self.kit.pk), version(self.kit))
        self.assertEqual(dump(self.kit), before)
        list(tasks.check_kit(self.kit.pk))
        self.assertIn(("polarity", 1, 2), self.found())

    def test_all_of_a_kind_are_mended_at_once_and_what_is_gone_is_said(self):
        self.assertEqual(self.post("mend/", rule="onsets")[0], 200)
        list(tasks.check_kit(self.kit.pk))
        self.assertNotIn("onsets", [rule for rule, *_ in self.found()])
        for asked, words in (
            ({"rule": "onsets"}, "nothing left to mend"),
            ({"rule": "magic"}, "no such rule"),
            ({"key": "x"}, "no longer found"),
        ):
            status, said = self.post("mend/", **asked)
            self.assertEqual((status, words in said), (422, True), said)
        headers = {"X-Kit-Version": "1", "HX-Request": "true", "X-View": "check"}
        answer = self.client.post(f"/kits/{self.kit.pk}/check/mend/", {"rule": "polarity"}, headers=headers)
        self.assertEqual(answer.status_code, 409)

    def test_what_was_set_since_the_look_is_not_overwritten(self):
        row = next(row for row in queries.found(self.kit)[1] if row["rule"] == "onsets")
        (_, key, _, value), *_ = row["mend"]
        Take.objects.filter(pk=key).update(start_frame=value + 100)  # by a hand
        for asked in ({"key": row["key"]}, {"rule": "onsets"}):
            status, said = self.post("mend/", **asked)
            self.assertEqual((status, "next look tells" in said), (422, True), said)
        self.assertEqual(Take.objects.get(pk=key).start_frame, value + 100)

    def test_mends_of_every_sort_are_written(self):
        """A choke group, a note, a layer's level, a curve: as the core has them."""
        value = kit_value(self.kit.pk)
        layer = value.pieces[0].pads[0].layers[0]
        mends = [
            ["pad", self.pad.pk, "choke", ["C", 12.0]],
            ["pad", self.pad.pk, "note", 99],
            ["layer", layer.id, "gain_db", 2.5],
            ["pad", self.pad.pk, "curve", "hard"],
            ["take", layer.takes[0].id, "enabled", False],
        ]
        rows = [
            {
                "key": "k" * 24,
                "rule": "onsets",
                "severity": "wrong",
                "message": "All of it.",
                "place": {"pad": self.pad.pk},
                "fellow": None,
                "mend": mends,
                "mend_words": "",
                "hear": [],
                "share": 0.5,
            }
        ]
        KitCheck.objects.filter(kit=self.kit).update(findings=rows)
        before = dump(self.kit)
        self.assertEqual(self.post("mend/", key="k" * 24)[0], 200)
        self.assertEqual(compare(mended(value, queries.changes_of(rows)), kit_value(self.kit.pk)), [])
        pad = Pad.objects.select_related("choke").get(pk=self.pad.pk)
        self.assertEqual((pad.choke.letter, pad.choke.fade_ms, pad.curve), ("C", 12.0, "hard"))
        history.undo(Kit.objects.get(pk=self.kit.pk), version(self.kit))
        self.assertEqual(dump(self.kit), before)

    def test_what_is_left_is_told_no_more_until_it_is_asked_for(self):
        row = next(row for row in queries.found(self.kit)[1] if row["rule"] == "onsets")
        self.assertEqual(self.post("leave/", key=row["key"])[0], 200)
        list(tasks.check_kit(self.kit.pk))
        self.assertNotIn("onsets", [rule for rule, *_ in self.found()])
        page = self.client.get(f"/kits/{self.kit.pk}/check/").content.decode()
        self.assertIn("1 left as it is", page)
        self.assertEqual(self.post("take-up/")[0], 200)
        self.assertIn(("onsets", 2, 3), self.found())
        history.undo(Kit.objects.get(pk=self.kit.pk), version(self.kit))
        self.assertEqual(LeftFinding.objects.get().key, row["key"])

    def test_the_page_asks_for_a_look_once_and_hears_when_it_is_there(self):
        def ask() -> dict:
            return self.client.post(f"/kits/{self.kit.pk}/check/ask/").json()

        self.assertTrue(ask()["isCurrent"])
        edits.kits.rename_kit(Kit.objects.get(pk=self.kit.pk), version(self.kit), "Other")
        self.assertFalse(ask()["isCurrent"])
        ask()
        self.assertEqual(Job.objects.filter(work=tasks.WORK).count(), 1)
        list(tasks.check_kit(self.kit.pk))
        said = ask()
        self.assertTrue(said["isCurrent"])
        self.assertEqual(sum(count for *_, count in said["counts"]), len(self.found()))
        self.assertIn(str(self.pad.pk), said["pads"])
        list(tasks.check_kit(10**9))  # one that is gone

    def test_a_bounce_names_what_concerns_it_and_a_mend_is_heard_before_it_is_made(self):
        edits.pads.set_notes(Pad.objects.select_related("piece", "kit").get(pk=self.pad.pk), version(self.kit), [45])
        events = tuple(Event(480 * n, 45, 100) for n in range(4))
        part = add_part(
            PartValue(name="Pier", ticks_per_beat=480, tempos=((0, 500_000),), events=events, end_tick=1920)
        )
        said = self.client.post(f"/bounces/of/{self.kit.pk}/check/", {"part": part.pk}).content.decode()
        self.assertIn("the other way round", said)
        row = next(row for row in queries.found(self.kit)[1] if row["rule"] == "polarity")
        self.assertEqual(row["mend_pads"], [self.pad.pk])
        plain, auditioned = (
            self.client.get(f"/kits/{self.kit.pk}/playbook/48000/{query}").json()["members"][0]
            for query in ("", f"?mend={row['key']}")
        )
        keys = [
            {sound[0] for pad in book["pads"] for region in pad["regions"] for sound in region["sounds"]}
            for book in (plain, auditioned)
        ]
        self.assertEqual((len(keys[0] - keys[1]), len(keys[1] - keys[0])), (1, 1))
        self.assertEqual(self.client.get(f"/kits/{self.kit.pk}/playbook/48000/?mend=no").status_code, 200)

    def test_pictures_and_an_empty_kit(self):
        for row in queries.found(self.kit)[1]:
            answer = self.client.get(f"/kits/{self.kit.pk}/check/picture/{row['key']}/")
            self.assertEqual((answer.status_code, b"<svg" in answer.content), (200, True), row["rule"])
        self.assertEqual(self.client.get(f"/kits/{self.kit.pk}/check/picture/none/").content, b"")
        empty = edits.kits.create_kit("Empty")
        list(tasks.check_kit(empty.pk))
        page = self.client.get(f"/kits/{empty.pk}/check/").content.decode()
        self.assertIn("Nothing to check yet", page)

    def test_a_lineup_tells_of_all_its_kits(self):
        other = edits.kits.duplicate_kit(self.kit)
        lineup = lineup_of("Both", [self.kit, other])
        page = self.client.get(f"/kits/{lineup.pk}/check/").content.decode()
        self.assertIn("listening for the first time", page)
        self.assertFalse(
            Job.objects.filter(work=tasks.WORK, subject_id=other.pk).exists(), "to look at a page asks for nothing"
        )
        self.assertFalse(self.client.post(f"/kits/{lineup.pk}/check/ask/").json()["isCurrent"])
        self.assertTrue(Job.objects.filter(work=tasks.WORK, subject_id=other.pk).exists(), "it is looked at")
        list(tasks.check_kit(other.pk))
        KitCheck.objects.filter(kit=self.kit).update(version=Kit.objects.get(pk=self.kit.pk).version)
        page = self.client.get(f"/kits/{lineup.pk}/check/").content.decode()
        for row in queries.found(other)[1][: queries.MOST_OF_MEMBER]:
            self.assertIn(escape(row["message"]), page)
        self.assertNotIn("every 1500ms", page)
