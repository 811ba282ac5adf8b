"""Bringing sounds in: what is kept, what is left out and why, and that a kill loses nothing."""

import io
import struct
import zipfile

import numpy as np
from django.conf import settings
from django.test import TestCase, override_settings

from dactyl.core.audio.prepare import Recipe
from dactyl.jobs.models import Job
from dactyl.shelf import edits, queries, tasks
from dactyl.shelf.models import ImportFile, Sample
from dactyl.shelf.sounds import prepared_sound, shrink_cache
from dactyl.shelf.store import incoming_folder, prepared_path, sample_path
from dactyl.shelf.tests.sounds import bring_in, hit, shelf_of, sound_bytes, zipped


def states(batch) -> dict[str, str]:
    return {f"{file.folder}/{file.name}".lstrip("/"): file.state for file in batch.files.exclude(state="unpacked")}


class Importing(TestCase):
    def test_good_files_come_in_though_bad_ones_are_among_them(self):
        good = sound_bytes(hit(-12, lead_ms=20, channels=2))
        batch = bring_in({
            "Set/Snare/sn_1.wav": good,
            "Set/Snare/again.wav": good,
            "Set/broken.wav": good[:40],
            "Set/notes.txt": b"soft, then loud",
            "Set/beat.mid": b"MThd",
            "Set/kick.aif": sound_bytes(hit(-3), container="AIFF", subtype="PCM_16"),
        })  # fmt: skip
        self.assertEqual(
            states(batch),
            {"Set/Snare/sn_1.wav": "in", "Set/Snare/again.wav": "same", "Set/broken.wav": "refused",
             "Set/notes.txt": "refused", "Set/beat.mid": "refused", "Set/kick.aif": "in"},
        )  # fmt: skip
        snare = Sample.objects.get(name="sn_1.wav")
        self.assertEqual((snare.kind, snare.channels, snare.rate_hz, snare.folder), ("snare", 2, 48_000, "Set/Snare"))
        self.assertAlmostEqual(snare.peak_db, -12, delta=0.01)
        self.assertAlmostEqual(snare.onset_frame / 48, 20, delta=1)
        self.assertEqual([other.name for other in snare.other_names.all()], ["again.wav"])
        self.assertEqual(sample_path(snare.sha256).read_bytes(), good)
        self.assertIn("Part page", batch.files.get(name="beat.mid").reason)
        self.assertEqual(list(incoming_folder().iterdir()), [])

    def test_zips_are_opened_and_their_paths_are_evidence_only(self):
        sound = sound_bytes(hit(-9))
        batch = bring_in({"kit.zip": zipped({
            "../../../escape.wav": sound, "Kick/close/k1.wav": sound_bytes(hit(-8, seed=1)), "readme.md": b"hello",
            "__MACOSX/k1.wav": b"x", "inner.zip": b"PK",
        })})  # fmt: skip
        self.assertEqual(
            {f.name: (f.folder, f.state) for f in batch.files.exclude(state="unpacked")},
            {
                "escape.wav": ("kit", "in"),
                "k1.wav": ("Kick/close", "in"),
                "readme.md": ("kit", "refused"),
                "inner.zip": ("kit", "refused"),
            },
        )
        self.assertFalse((settings.DATA.parent / "escape.wav").exists())

    @override_settings(MAX_ZIP_FILES=3)
    def test_bombs_and_damaged_zips_are_refused_before_they_unpack(self):
        lying = bytearray(zipped({"a.wav": bytes(3_000_000)}))
        table = {
            "many.zip": (zipped({f"{n}.wav": b"" for n in range(4)}), "4 files; 3 is the most"),
            "dense.zip": (zipped({"zeros.wav": bytes(50_000_000)}), "thousand times"),
            "cut.zip": (zipped({"a.wav": b"abc"})[:30], "damaged or cut short"),
        }
        batch = bring_in({name: data for name, (data, _) in table.items()})
        for name, (_, words) in table.items():
            with self.subTest(name=name):
                self.assertRegex(batch.files.get(name=name).reason, words)
        central = lying.rindex(b"PK\x01\x02")
        lying[central + 24 : central + 28] = struct.pack("<I", 10)  # declares ten bytes
        liar = bring_in({"liar.zip": bytes(lying)})
        self.assertEqual({file.state for file in liar.files.all()} - {"unpacked"}, {"refused"})

    def test_a_damaged_file_of_a_zip_is_named_and_the_others_come_in(self):
        whole = zipped({f"k{n}.wav": sound_bytes(hit(-6, seed=n)) for n in range(3)})
        with zipfile.ZipFile(io.BytesIO(whole)) as archive:
            begins = archive.getinfo("k1.wav").header_offset + 60  # behind its header: within its packed bytes
        data = bytearray(whole)
        data[begins : begins + 300] = bytes(byte ^ 0x5A for byte in data[begins : begins + 300])
        batch = bring_in({"kit.zip": bytes(data)})
        self.assertEqual(
            {file.name: file.state for file in batch.files.exclude(state="unpacked")},
            {"k0.wav": "in", "k1.wav": "refused", "k2.wav": "in"},
        )
        self.assertIn("damaged inside the zip", batch.files.get(name="k1.wav").reason)

    def test_a_job_killed_in_the_middle_goes_on_when_run_again(self):
        batch = edits.begin_import()
        for n in range(60):
            edits.add_file(batch, f"s{n}.wav", [sound_bytes(hit(-n / 2 - 1, seed=n, seconds=0.02))])
        steps = tasks.import_files(batch.pk)
        next(steps)
        steps.close()  # killed after its first batch
        half = Sample.objects.count()
        self.assertTrue(0 < half < 60)
        waiting = ImportFile.objects.filter(state="waiting").first()
        tasks.hear(waiting.stored_as, waiting.name, "")  # killed between the file's final name and its row
        for _ in tasks.import_files(batch.pk):
            pass
        self.assertEqual((Sample.objects.count(), set(states(batch).values())), (60, {"in"}))

    def test_a_file_of_four_channels_comes_in_as_four_mics(self):
        rows = np.concatenate([hit(-6 - 3 * n, seed=n) for n in range(4)], axis=1)
        batch = bring_in({"Tom/tom_v1.wav": sound_bytes(rows)})
        self.assertEqual({file.state for file in batch.files.all()}, {"unpacked", "in"})
        names = list(Sample.objects.order_by("name").values_list("name", "folder", "channels"))
        self.assertEqual(names, [(f"tom_v1 (mic {n}).wav", "Tom", 1) for n in range(1, 5)])

    def test_markup_in_names_is_harmless(self):
        bring_in({"<img src=x onerror=alert(1)>.wav": sound_bytes(hit())})
        page = self.client.get("/shelf/").content.decode()
        self.assertNotIn("<img", page)
        self.assertIn("&lt;img src=x", page)

    def test_upload_takes_one_file_for_each_request(self):
        begun = self.client.post("/shelf/imports/").json()["import"]
        upload = io.BytesIO(sound_bytes(hit()))
        upload.name = "x.wav"
        self.assertEqual(
            self.client.post(f"/shelf/imports/{begun}/files/", {"file": upload, "path": "A/x.wav"}).status_code, 204
        )
        file = ImportFile.objects.get()
        self.assertEqual((file.folder, file.state, file.batch.job.state), ("A", "waiting", "queued"))


class Finding(TestCase):
    def test_search_filters_and_sorts(self):
        shelf_of([-3, -20, -10])
        bring_in({"Low/kick.wav": sound_bytes(hit(-1, seed=9, seconds=0.5))})
        self.assertEqual(
            [s.name for s in queries.search("snare", "", "level")], ["snare_0.wav", "snare_2.wav", "snare_1.wav"]
        )
        self.assertEqual([s.name for s in queries.search("low kick")], ["kick.wav"])
        self.assertEqual([s.name for s in queries.search(kind="kick")], ["kick.wav"])
        self.assertEqual(queries.search("nothing like it").count(), 0)

    def test_more_samples_cost_no_more_queries(self):
        shelf_of([-3])
        for extra in (1, 20):
            shelf_of([-3 - n / 10 for n in range(extra)], name=f"more{extra}")
            with self.assertNumQueries(3):
                self.client.get("/shelf/samples/?start=0", headers={"HX-Request": "true"})

    def test_equal_sound_in_other_bytes_is_said(self):
        rows = (hit(-6) * 32767).astype("int16")
        files = {"a.wav": "WAV", "b.flac": "FLAC"}
        bring_in({name: sound_bytes(rows, subtype="PCM_16", container=kind) for name, kind in files.items()})
        a, b = Sample.objects.order_by("name")
        self.assertEqual(queries.equal_sounds([a, b]), {a.pk: b, b.pk: a})

    def test_samples_that_an_earlier_version_heard_are_heard_again(self):
        bring_in(
            {
                "xq.wav": sound_bytes(hit(-3)),
                "snare.wav": sound_bytes(hit(-5, seed=1)),
                "none.wav": sound_bytes(np.zeros((900, 1))),
            }
        )
        before = {sample.name: (sample.timbre, sample.kind) for sample in Sample.objects.all()}
        self.assertEqual(set(queries.unheard()), set(), "silence has no timbre")
        edits.hear_again()
        self.assertFalse(Job.objects.filter(work=edits.HEAR_AGAIN).exists())
        Sample.objects.update(timbre=b"", kind="cowbell")
        gone = sample_path(Sample.objects.get(name="snare.wav").sha256)
        kept = gone.read_bytes()
        gone.unlink()
        edits.hear_again()
        self.assertEqual(Job.objects.get(work=edits.HEAR_AGAIN).queue, "imports")
        list(tasks.hear_again(0))
        guessed = Sample.objects.get(name="xq.wav")
        self.assertEqual((guessed.timbre, guessed.kind), before["xq.wav"])
        self.assertEqual([sample.name for sample in queries.unheard()], ["snare.wav"], "its file is gone")
        gone.write_bytes(kept)
        list(tasks.hear_again(0))
        named = Sample.objects.get(name="snare.wav")
        self.assertEqual((named.timbre, named.kind), (before["snare.wav"][0], "cowbell"), "no guess: it stays as it is")

    def test_a_wrong_guess_can_be_changed(self):
        (sample,) = shelf_of([-3])
        self.assertEqual(self.client.post("/shelf/kind/", {"sample": sample.pk, "kind": "clap"}).status_code, 204)
        sample.refresh_from_db()
        self.assertEqual(sample.kind, "clap")
        self.assertEqual(self.client.post("/shelf/kind/", {"sample": sample.pk, "kind": "gong"}).status_code, 422)


class PreparedCache(TestCase):
    def test_the_cache_shrinks_to_its_limit_and_makes_again_what_it_lost(self):
        recipes = [Recipe(s.sha256, s.rate_hz, 1, 0, s.frames, 44_100) for s in shelf_of([-3, -9, -12])]
        before = [prepared_sound(recipe).tobytes() for recipe in recipes]
        shrink_cache(prepared_path(recipes[0].key).stat().st_size)
        self.assertEqual(sum(prepared_path(recipe.key).exists() for recipe in recipes), 1)
        self.assertEqual([prepared_sound(recipe).tobytes() for recipe in recipes], before)
