"""What the pages of a kit answer: right values, refused ones, stale ones, and the tables a player needs."""

import inspect
import json
import re
import time
from contextlib import suppress
from importlib import import_module
from pathlib import Path

import numpy as np
from django.apps import apps
from django.test import TestCase

from dactyl import kits
from dactyl.core.audio.prepare import to_int16
from dactyl.history import edits as history
from dactyl.jobs.models import Job
from dactyl.jobs.run import latest, run_job
from dactyl.kits import edits, queries
from dactyl.kits.models import Kit, Output, Proposal, Take
from dactyl.kits.staircase import staircase
from dactyl.kits.tasks import LISTEN
from dactyl.kits.tests.test_edits import KitCase, dump, version
from dactyl.kits.views.pages import NOT_TOLD, WORDS_OF_WORK, under_way_jobs
from dactyl.playing.tables import recipes_of
from dactyl.shelf.models import Sample, Span
from dactyl.shelf.sounds import prepared_sound
from dactyl.shelf.tests.sounds import bring_in, hit, sound_bytes


class Answers(KitCase):
    def post(self, path: str, value: str = "", *, seen: int | None = None, **data):
        headers = {
            "X-Kit-Version": str(seen or version(self.kit)),
            "X-Selected-Pads": str(self.pad.pk),
            "HX-Request": "true",
        }
        return self.client.post(f"/kits/{self.kit.pk}/{path}", {"value": value, **data}, headers=headers)

    def test_typed_values_are_set_or_refused_with_a_sentence(self):
        self.give()
        table = [
            ("gain_db", "−3,5 dB", 200, "Level of Snare: −3.5 dB"),
            ("gain_db", "3 ms", 422, "is not a number from"),
            ("tune_cents", "-2 st 30 ct", 200, "Tuning of Snare: −230 ct"),
            ("gain_db", "loud", 422, "not a number from −96 to 24"),
            ("pan", "140", 422, "not a number from −100 to 100"),
            ("notes", "D1, 40", 200, "Note of Snare: D1 · 38, E1 · 40"),
            ("notes", "H9", 422, "is not a note"),
            ("choke", "a", 200, "in choke group A"),
            ("choke", "44", 422, "one letter from A to Z"),
            ("output", "Snare bus", 200, "to output Snare bus"),
            ("output", "x" * 41, 422, "40 is the most"),
            ("piece_name", "  ", 422, "empty"),
            ("kind", "gong", 422, "not a kind"),
            ("nonsense", "1", 422, "no setting named"),
        ]
        for field, value, status, words in table:
            with self.subTest(field=field, value=value):
                answer = self.post(f"pads/{self.pad.pk}/set/{field}/", value)
                self.assertEqual(answer.status_code, status)
                self.assertContains(answer, words, status_code=status, html=False)
        self.pad.refresh_from_db()
        self.assertEqual((self.pad.gain_db, self.pad.choke.letter, self.pad.output.name), (-3.5, "A", "Snare bus"))

    def test_a_damaged_sample_is_marked_in_its_row_and_named_on_the_card(self):
        self.give()
        sample = self.pad.layers.first().takes.first().samples.first().sample
        page = f"/kits/{self.kit.pk}/"
        self.assertNotContains(self.client.get(page), 'class="damaged"')
        type(sample).objects.filter(pk=sample.pk).update(damage="is gone")
        answer = self.client.get(page)
        self.assertContains(answer, 'class="damaged"', 1)
        self.assertContains(answer, f"Damaged: {sample.name}. Bring")

    def test_choosing_an_output_makes_it_once_and_the_rest_stays_on_main(self):
        self.give()
        for name in ("Snare", "snare"):
            self.post(f"pads/{self.pad.pk}/set/output/", name)
        self.assertEqual([output.name for output in Output.objects.filter(kit=self.kit)], ["Main", "Snare"])

    def test_a_stale_tab_is_told_and_shown_the_kit_as_it_is(self):
        self.give()
        seen = version(self.kit)
        self.post(f"pads/{self.pad.pk}/set/pan/", "20", seen=seen)
        answer = self.post(f"pads/{self.pad.pk}/set/gain_db/", "-9", seen=seen)
        self.assertContains(
            answer, "“Level of Snare: −9.0 dB” was not done: this kit was changed in another tab", status_code=409
        )
        self.assertContains(answer, f'data-version="{version(self.kit)}"', status_code=409)
        self.pad.refresh_from_db()
        self.assertEqual((self.pad.gain_db, self.pad.pan), (0.0, 20.0))

    def test_what_an_edit_touched_is_named_for_the_player(self):
        self.give()
        changed = json.loads(self.post(f"pads/{self.pad.pk}/set/gain_db/", "-9").headers["HX-Trigger"])["kit-changed"]
        self.assertEqual(
            changed,
            {
                "version": version(self.kit),
                "pads": [self.pad.pk],
                "touched": [self.pad.pk],
                "refused": False,
                "ways": False,
            },
        )
        moved = json.loads(self.post(f"pads/{self.pad.pk}/notes/", "60").headers["HX-Trigger"])["kit-changed"]
        self.assertEqual((moved["pads"], moved["ways"]), ([], True), "no pad sounds another way")
        self.post("undo/")
        undone = json.loads(self.post("undo/").headers["HX-Trigger"])["kit-changed"]
        self.assertEqual(undone["pads"], [self.pad.pk])

    def test_many_on_one_pad_asks_with_a_drawing_of_each_way(self):
        ids = ",".join(str(sample.pk) for sample in self.samples)
        asked = self.client.get(
            f"/kits/{self.kit.pk}/pads/{self.pad.pk}/give/?samples={ids}", headers={"HX-Request": "true"}
        )
        self.assertContains(asked, 'name="layers" min="1" max="127" value="3"')
        self.assertContains(asked, "Stacked as layers: 1 to 42 at")
        answer = self.post(f"pads/{self.pad.pk}/give/", samples=ids, way="layers", mode="replace", layers="2")
        self.assertEqual((answer.status_code, self.pad.layers.count()), (200, 2))

    def test_sounds_come_as_they_are_ready_and_scaled_to_16_bits(self):
        self.give(samples=self.samples[:1])
        book = self.client.get(f"/kits/{self.kit.pk}/playbook/44100/").json()
        key, frames, *_ = book["members"][0]["pads"][0]["regions"][0]["sounds"][0]
        for _ in range(100):
            answer = self.client.get(f"/kits/sounds/whole/{key}/")
            if answer.status_code == 200:
                break
            time.sleep(0.02)
        self.assertIn("immutable", answer.headers["Cache-Control"])
        length = int.from_bytes(answer.content[:4], "little")
        (entry,) = json.loads(answer.content[4 : 4 + length])["sounds"]
        values, scale = to_int16(prepared_sound(recipes_of([key])[0]))
        self.assertEqual((entry["key"], entry["frames"], entry["scale"]), (key, frames, scale))
        self.assertEqual(answer.content[4 + length :], values.tobytes())
        self.assertEqual(self.client.get(f"/kits/sounds/whole/{'0' * 32}/").status_code, 404)


class Proposing(KitCase):
    def test_a_proposal_is_changed_by_hand_and_applied_as_one_edit(self):
        ids = ",".join(str(sample.pk) for sample in self.samples)
        self.client.get(f"/kits/{self.kit.pk}/stack/?samples={ids}")
        self.assertEqual(self.kit.proposals.count(), 0, "looking proposes nothing")
        self.client.post(f"/kits/{self.kit.pk}/stack/propose/", {"samples": ids})
        row = self.kit.proposals.get()
        base = f"/kits/{self.kit.pk}/stack/{row.pk}/"

        def change(what: str, seen: int | None = None, **asked):
            now = Proposal.objects.get(pk=row.pk).version if seen is None else seen
            return self.client.post(f"{base}{what}/", asked, headers={"X-Proposal-Version": str(now)})

        def layers() -> list[int]:
            row.refresh_from_db()
            return [len(layer["takes"]) for layer in row.state["pads"][0]["layers"]]

        self.assertEqual(layers(), [2, 2, 2])
        for what, asked, expected in [
            ("split", {"pad": 0, "layer": 1}, [2, 1, 1, 2]),
            ("join", {"pad": 0, "layer": 1}, [2, 2, 2]),
            ("move", {"takes": "0.0.0", "pad": 0, "layer": 2}, [1, 2, 3]),
            ("leave-out", {"takes": "0.0.0"}, [2, 3]),
            ("reverse", {"pad": 0}, [3, 2]),
            ("by-level", {"pad": 0, "count": 2}, [3, 2]),
        ]:
            with self.subTest(what):
                self.assertEqual(change(what, **asked).status_code, 200)
                self.assertEqual(layers(), expected)
        self.assertContains(change("split", pad=7, layer=0), "has changed since it was drawn", status_code=422)
        self.assertContains(change("kind", pad=0, value="gong"), "not on the list", status_code=422)
        stale = change("reverse", seen=1, pad=0)
        self.assertContains(stale, "changed in another tab", status_code=409)
        self.assertContains(self.client.post(f"{base}reverse/"), "did not say which version", status_code=422)
        change("name", pad=0, value="Quay snare")
        applied = self.client.post(f"{base}apply/", headers={"X-Kit-Version": str(version(self.kit))})
        self.assertContains(applied, "5 samples stacked on 1 pad")
        (first,) = queries.sheet_rows(self.kit, [self.pad.pk])
        self.assertEqual((first.name, [len(layer.levels) for layer in first.layers]), ("Quay snare", [3, 2]))
        self.assertEqual(self.kit.proposals.count(), 0)

    def test_a_pad_that_a_proposal_waits_for_can_go_and_come_back(self):
        edits.pads.add_pads(self.kit, version(self.kit), 1)
        last = self.kit.pads.select_related("piece", "kit").order_by("-position").first()
        ids = ",".join(str(sample.pk) for sample in self.samples)
        self.client.post(f"/kits/{self.kit.pk}/stack/propose/", {"samples": ids, "pad": last.pk})
        page = f"/kits/{self.kit.pk}/stack/"
        self.assertContains(self.client.get(page), f"for {last.full_name}")
        history.undo(self.kit, version(self.kit))
        self.assertContains(self.client.get(page), "on the next free pads")
        history.redo(self.kit, version(self.kit))
        edits.pads.delete_pads([last], version(self.kit))
        row = self.kit.proposals.get()
        applied = self.client.post(f"{page}{row.pk}/apply/", headers={"X-Kit-Version": str(version(self.kit))})
        self.assertContains(applied, "stacked on 1 pad")


class Trying(KitCase):
    def test_a_sample_is_heard_in_place_and_kept_only_when_asked(self):
        self.give(samples=self.samples[:2], way="takes")
        take, other = self.takes()[0], self.samples[4]
        before = dump(self.kit)
        book = self.client.get(
            f"/kits/{self.kit.pk}/playbook/48000/?pads={self.pad.pk}&try={take.pk}:{other.pk}"
        ).json()
        plain = self.client.get(f"/kits/{self.kit.pk}/playbook/48000/?pads={self.pad.pk}").json()
        keys = [
            [sound[0] for region in table["members"][0]["pads"][0]["regions"] for sound in region["sounds"]]
            for table in (book, plain)
        ]
        self.assertNotEqual(keys[0][0], keys[1][0])
        self.assertEqual(keys[0][1], keys[1][1])
        self.assertEqual(dump(self.kit), before)
        headers = {"X-Kit-Version": str(version(self.kit))}
        self.client.post(f"/kits/{self.kit.pk}/takes/{take.pk}/keep/", {"sample": other.pk}, headers=headers)
        self.assertEqual(self.takes()[0].samples.get().sample, other)


class Mending(KitCase):
    def test_takes_are_brought_in_line_with_their_layer(self):
        self.give(samples=[self.samples[0], self.samples[0]], way="takes")
        start = self.samples[0].onset_frame
        off = {"gain_db": 6.0, "is_flipped": True, "start_frame": start - 60}
        edits.takes.set_fields(self.takes()[:1], version(self.kit), off)
        for what, words in [
            ("level", "Levelled"),
            ("polarity", "Flipped the polarity"),
            ("onset", "Aligned the starts"),
        ]:
            headers = {"X-Kit-Version": str(version(self.kit))}
            answer = self.client.post(f"/kits/{self.kit.pk}/takes/{self.takes()[0].pk}/mend/{what}/", headers=headers)
            self.assertContains(answer, words)
        rows = queries.card_layers(*queries.sheet_rows(self.kit, [self.pad.pk]))[0].takes
        self.assertLess(abs(rows[0].level_db - rows[1].level_db), 0.02)
        self.assertEqual((rows[0].take.start_frame, rows[0].take.is_flipped), (start, False))


class Site(TestCase):
    def test_pages_say_what_went_wrong_in_a_sentence(self):
        for path, status in [("/kits/999/", 404), ("/nothing/", 404), ("/kits/sounds/head/zz/", 404)]:
            answer = self.client.get(path)
            self.assertEqual(answer.status_code, status)
            self.assertNotIn(b"Traceback", answer.content)

    def test_foreign_hosts_and_forged_forms_are_refused(self):
        self.assertEqual(self.client.get("/", headers={"host": "elsewhere.example"}).status_code, 400)
        strict = type(self.client)(enforce_csrf_checks=True)
        self.assertContains(strict.post("/kits/new/", {"name": "x"}), "too old to be trusted", status_code=403)
        self.assertEqual(Kit.objects.count(), 0)

    def test_no_inline_script_or_style_is_allowed_or_needed(self):
        kit = edits.kits.create_kit("k")
        answer = self.client.get(f"/kits/{kit.pk}/")
        policy = answer.headers["Content-Security-Policy"]
        self.assertRegex(policy, r"script-src 'self'(;|$)")
        self.assertNotIn("unsafe", policy)
        self.assertNotRegex(answer.content.decode(), r"<script>|<style|\sstyle=|\son\w+=")

    def test_a_new_kit_opens_with_sixteen_pads_that_say_how_to_fill_them(self):
        answer = self.client.post("/kits/new/", {"name": ""}, follow=True)
        self.assertContains(answer, "Drop samples here", count=16)
        self.assertContains(answer, 'Add<span class="of-what"> samples</span>…', count=16)


class Drawing(TestCase):
    def test_a_quiet_pad_fills_its_own_drawing_and_shows_its_steps_among_others(self):
        layers = [(1, 64, [-60.0]), (65, 127, [-49.0])]
        among, alone = (staircase(layers, dynamics=0.0, fits=fits) for fits in (False, True))
        self.assertEqual(among.edge.replace("L", "M").split("M")[1::3], ["0.0 40.0 ", "64.0 38.2 "])
        self.assertEqual(alone.edge.replace("L", "M").split("M")[1::3], ["0.0 12.0 ", "64.0 1.0 "])
        self.assertEqual(alone.axis, (-60.0, -72.0, -84.0))

    def test_steps_stand_at_the_measured_levels(self):
        drawn = staircase([(1, 64, [-30.0, -29.0]), (65, 127, [-10.0, -15.0])], dynamics=0.0)
        self.assertEqual(drawn.edge, "M0.0 29.5 L31.5 29.5 L64.0 29.5M64.0 12.5 L95.0 12.5 L127.0 12.5")
        self.assertEqual(drawn.dots.count("h0"), 4)
        self.assertEqual(drawn.rings, "M79.8 10.0h0M111.2 15.0h0")
        self.assertEqual(drawn.borders, "M64 0V42")
        self.assertEqual(drawn.summary, "1 to 64 at -30 dB; 65 to 127 at -12 dB")


class Measured(KitCase):
    """The staircase shows what takes really play: their own stretch of a recording, forwards or backwards."""

    def levels(self) -> list[float]:
        return [
            round(level) for row in queries.sheet_rows(self.kit) for layer in row.layers for level, _ in layer.levels
        ]

    def post(self, path: str, **data):
        headers = {"X-Kit-Version": str(version(self.kit)), "HX-Request": "true"}
        return self.client.post(f"/kits/{self.kit.pk}/{path}", data, headers=headers)

    def setUp(self):
        loop = np.concatenate([hit(-3, seed=1, seconds=0.5), hit(-40, seed=2, seconds=0.5)])
        bring_in({"loop.wav": sound_bytes(loop)})
        self.loop = Sample.objects.get(name="loop.wav")
        self.post(f"pads/{self.pad.pk}/cut/now/", sample=str(self.loop.pk), cuts="0,24000")

    def test_a_long_loop_is_listened_to_in_a_job_and_only_when_asked(self):
        bring_in({"long.wav": sound_bytes(np.concatenate([hit(-6, seed=n, seconds=0.8) for n in range(40)]))})
        sample = Sample.objects.get(name="long.wav")
        cut = f"/kits/{self.kit.pk}/pads/{self.pad.pk}/cut/"
        self.assertContains(self.client.get(cut, {"sample": sample.pk}), "Find transients")
        self.assertIsNone(latest(LISTEN, sample.pk), "nothing is begun by looking")
        for _ in range(2):
            self.post(f"pads/{self.pad.pk}/cut/listen/", sample=str(sample.pk))
        self.assertContains(self.client.get(cut, {"sample": sample.pk}), "Listening for transients")
        self.assertEqual(Job.objects.filter(work=LISTEN).count(), 1)
        run_job.func(latest(LISTEN, sample.pk).pk)
        self.assertContains(self.client.get(cut, {"sample": sample.pk}), 'id="cut-pieces">40<')

    def test_each_slice_of_a_loop_has_its_own_level(self):
        loud, soft = self.levels()
        self.assertTrue(-14 < loud < -8, loud)
        self.assertEqual(soft, loud - 37)

    def test_a_take_turned_around_or_moved_is_measured_anew_and_what_is_known_is_not_measured_twice(self):
        take = Take.objects.filter(layer__pad=self.pad).get()
        before = self.levels()[0]
        self.post(f"takes/{take.pk}/set/is_reversed/", value="1")
        self.assertLess(self.levels()[0], before - 4, "backwards it begins with its tail")
        self.post(f"takes/{take.pk}/set/is_reversed/", value="0")
        self.assertEqual((self.levels()[0], Span.objects.count()), (before, 3))
        self.post(f"takes/{take.pk}/set/start_frame/", value="9600")
        self.assertLess(self.levels()[0], before - 20)


class BackgroundWork(TestCase):
    def test_every_work_has_words_or_is_one_that_nobody_waits_for(self):
        works = set()
        for app in apps.get_app_configs():
            with suppress(ModuleNotFoundError):
                tasks = import_module(f"{app.name}.tasks")
                own = inspect.getmembers(tasks, inspect.isgeneratorfunction)
                works |= {name for name, work in own if work.__module__ == tasks.__name__ and not name.startswith("_")}
        queued = set(
            re.findall(
                r'"dactyl\.\w+\.tasks\.(\w+)"',
                "".join(
                    path.read_text()
                    for path in Path(kits.__file__).parents[1].rglob("*.py")
                    if "tests" not in path.parts
                ),
            )
        )
        self.assertLessEqual(queued, works)
        self.assertGreater(len(queued), 6)
        self.assertEqual(queued, set(WORDS_OF_WORK) | NOT_TOLD)
        for name in queued:
            Job.objects.create(work=f"dactyl.some.tasks.{name}", subject_id=1, queue="imports")
        self.assertEqual({words for words, _ in under_way_jobs()}, set(WORDS_OF_WORK.values()))
