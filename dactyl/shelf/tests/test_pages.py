"""The shelf's pages: found a page at a time, heard, described, brought in and stopped."""

import json
import struct
import threading
import time
from unittest import mock

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from dactyl.core.audio.prepare import Recipe
from dactyl.jobs.models import Job
from dactyl.shelf import edits, sounds
from dactyl.shelf.models import Import, ImportFile, Sample
from dactyl.shelf.queries import PAGE
from dactyl.shelf.tasks import import_files
from dactyl.shelf.tests.sounds import bring_in, hit, shelf_of, sound_bytes

HTMX = {"HX-Request": "true"}


class Pages(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.samples = shelf_of([-3.0 * n for n in range(8)], name="snare")

    def test_a_server_that_stops_makes_no_more_of_the_sounds_that_were_asked_for(self):
        made, may_go_on = [], threading.Event()
        recipes = [Recipe("0" * 64, 48_000, 1, n, n + 100, 48_000) for n in range(20)]
        self.addCleanup(may_go_on.set)
        with mock.patch.object(sounds, "prepared_sound", lambda recipe: (may_go_on.wait(10), made.append(recipe))):
            self.assertEqual(sounds.ready_sounds(recipes), [])
            sounds.stop_preparing()
            may_go_on.set()
            last = sounds._pool.submit(bool)
            last.result(10)
        self.assertLess(len(made), 5)

    def test_an_empty_shelf_says_what_to_do(self):
        Sample.objects.all().delete()
        self.assertContains(self.client.get("/shelf/"), "Bring in files")

    def test_samples_come_a_page_at_a_time_and_all_can_be_found(self):
        rows = [Sample.objects.get(pk=self.samples[0].pk) for _ in range(PAGE + 5)]
        for number, row in enumerate(rows):
            row.pk, row.sha256, row.name = None, f"{number:064x}", f"copy {number:03}.wav"
        Sample.objects.bulk_create(rows)
        first = self.client.get("/shelf/samples/?sort=name", headers=HTMX).content.decode()
        self.assertEqual(first.count('role="option"'), PAGE)
        rest = self.client.get(f"/shelf/samples/?sort=name&start={PAGE}", headers=HTMX).content.decode()
        self.assertEqual(rest.count('role="option"'), 5 + 8)
        found = self.client.get("/shelf/found/?q=copy+00&sort=name").json()["samples"]
        names = [Sample.objects.get(pk=pk).name for pk in found]
        self.assertEqual(names, [f"copy {n:03}.wav" for n in range(PAGE + 5) if "00" in f"{n:03}"])

    def test_a_sample_is_described_with_its_measures_and_every_name_it_came_under(self):
        bring_in(
            {
                "Second/other name.wav": sound_bytes(hit(-1.5, seed=5, lead_ms=5)),
                "First/one.wav": sound_bytes(hit(-1.5, seed=5, lead_ms=5)),
            }
        )
        sample = Sample.objects.get(name__in=["other name.wav", "one.wav"])
        page = self.client.get(f"/shelf/samples/{sample.pk}/", headers=HTMX)
        for words in ("24 bit", "48000 Hz", "mono", "peak −1.5", "one.wav", "other name.wav"):
            self.assertContains(page, words)

    def test_a_sample_is_heard_from_its_onset_as_16_bit_values_with_a_scale(self):
        sample = self.samples[0]
        path = f"/shelf/samples/{sample.pk}/sound/48000/"
        answer = self.client.get(path)
        for _ in range(200):
            if answer.status_code == 200:
                break
            self.assertEqual((answer.status_code, answer.headers["Cache-Control"]), (202, "no-store"))
            time.sleep(0.02)
            answer = self.client.get(path)
        (length,) = struct.unpack_from("<I", answer.content)
        (entry,) = json.loads(answer.content[4 : 4 + length])["sounds"]
        values = np.frombuffer(answer.content, "<i2", offset=4 + length) * entry["scale"]
        self.assertEqual(len(values), sample.frames - sample.onset_frame)
        self.assertAlmostEqual(20 * np.log10(np.abs(values).max()), sample.peak_db, delta=0.01)
        self.assertIn("immutable", answer.headers["Cache-Control"])

    def test_kinds_are_set_for_many_and_only_to_kinds_that_are(self):
        ids = [str(sample.pk) for sample in self.samples[:3]]
        answer = self.client.post("/shelf/kind/", {"sample": ids, "kind": "clap"}, headers=HTMX)
        self.assertEqual(answer.status_code, 204)
        self.assertIn("shelf-changed", answer.headers["HX-Trigger"])
        self.assertEqual(Sample.objects.filter(kind="clap").count(), 3)
        self.assertEqual(self.client.post("/shelf/kind/", {"sample": ids, "kind": "gong"}).status_code, 422)

    def test_what_is_put_away_is_off_the_shelf_until_it_is_brought_back_or_comes_in_again(self):
        away = self.samples[0]
        found = lambda which="": self.client.get(f"/shelf/found/?which={which}").json()["samples"]  # noqa: E731
        answer = self.client.post("/shelf/away/", {"sample": [away.pk], "away": "1"}, headers=HTMX)
        self.assertIn("1 sample put away", answer.headers["HX-Trigger"])
        self.assertEqual((len(found()), found("away")), (7, [away.pk]))
        self.assertNotContains(self.client.get("/shelf/samples/", headers=HTMX), f'id="sample-{away.pk}"')
        self.client.post("/shelf/away/", {"sample": [away.pk], "away": "0"}, headers=HTMX)
        self.assertEqual((len(found()), found("away")), (8, []))
        edits.put_away([away.pk], True)
        bring_in({"again.wav": edits.store.sample_path(away.sha256).read_bytes()})
        self.assertEqual((len(found()), found("away")), (8, []))


class Imports(TestCase):
    def upload(self, batch: int, name: str, data: bytes, path: str = ""):
        file = SimpleUploadedFile(name, data)
        return self.client.post(f"/shelf/imports/{batch}/files/", {"file": file, "path": path})

    def begin(self) -> int:
        return self.client.post("/shelf/imports/").json()["import"]

    def test_files_are_followed_until_all_are_read(self):
        batch = self.begin()
        self.assertEqual(self.upload(batch, "a.wav", sound_bytes(hit(seed=1)), "Folder/Snare/a.wav").status_code, 204)
        self.upload(batch, "b.txt", b"words")
        self.assertContains(self.client.get(f"/shelf/imports/{batch}/?uploading=3", headers=HTMX), "0 of 3")
        self.assertEqual(Job.objects.count(), 1, "one job for all files")
        for _ in import_files(batch):
            pass
        Job.objects.update(state=Job.State.DONE)
        page = self.client.get(f"/shelf/imports/{batch}/", headers=HTMX)
        self.assertContains(page, "1 came in")
        found = self.client.get(f"/shelf/found/?import={batch}").json()["samples"]
        self.assertEqual(found, [Sample.objects.get().pk], "what came in can be selected as one")
        self.assertContains(page, "b.txt")
        self.assertContains(page, "is not a sound file")
        self.assertEqual(Sample.objects.get().folder, "Folder/Snare")

    def test_a_file_that_comes_as_the_job_ends_gets_a_job_of_its_own(self):
        batch = self.begin()
        self.upload(batch, "a.wav", sound_bytes(hit(seed=1)))
        Job.objects.update(state=Job.State.DONE)
        self.upload(batch, "late.wav", sound_bytes(hit(seed=2)))
        self.assertEqual(Job.objects.exclude(state=Job.State.DONE).count(), 1)

    def test_stopping_leaves_what_was_read_and_says_what_was_not(self):
        batch = self.begin()
        self.upload(batch, "a.wav", sound_bytes(hit(seed=1)))
        for _ in import_files(batch):
            pass
        self.upload(batch, "b.wav", sound_bytes(hit(seed=2)))
        self.assertContains(self.client.post(f"/shelf/imports/{batch}/stop/", headers=HTMX), "You stopped the import")
        self.assertEqual(Sample.objects.count(), 1)
        self.assertEqual(ImportFile.objects.filter(state="refused").count(), 1)
        self.assertTrue(Job.objects.filter(cancel_requested=True).exists())

    def test_too_large_a_file_is_refused_by_name(self):
        with self.settings(MAX_SAMPLE_BYTES=1000):
            batch = self.begin()
            self.assertEqual(self.upload(batch, "huge.wav", bytes(2000)).status_code, 204)
        self.assertIn("larger than", ImportFile.objects.get().reason)
        self.assertEqual(self.client.post(f"/shelf/imports/{batch}/files/").status_code, 422)

    def test_an_upload_that_was_lost_is_said_and_the_rest_goes_on(self):
        batch = edits.begin_import()
        edits.add_file(batch, "here.wav", [sound_bytes(hit(seed=1))])
        lost = edits.add_file(batch, "lost.wav", [sound_bytes(hit(seed=2))])
        edits.store.forget_incoming(lost.stored_as)
        for _ in import_files(batch.pk):
            pass
        lost.refresh_from_db()
        self.assertIn("upload was lost", lost.reason)
        self.assertEqual(Import.objects.get().files.filter(state="in").count(), 1)
