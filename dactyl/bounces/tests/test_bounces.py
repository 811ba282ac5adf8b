"""Bouncing in the application: what is asked for is made, proves itself, and is whole or not there."""

import contextlib
import io
import json
import re
import shutil
import tempfile
import zipfile
from pathlib import Path
from unittest.mock import patch

import numpy as np
import soundfile
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile

from dactyl.bounces import store, tasks
from dactyl.bounces.models import Bounce, Stem
from dactyl.cli import main
from dactyl.core.audio.loudness import LoudnessMeter
from dactyl.core.formats.midi import read_midi
from dactyl.core.parts.part import Event, Part
from dactyl.desk import edits as desk_edits
from dactyl.history import edits as history
from dactyl.jobs.models import Job
from dactyl.jobs.run import requeue_abandoned, run_job
from dactyl.kits import edits
from dactyl.kits.edits.samples import NewPad
from dactyl.kits.models import Kit
from dactyl.kits.tests.test_edits import KitCase, recordings, version
from dactyl.parts.edits import add_part
from dactyl.recordings.edits import take_in
from dactyl.recordings.models import RecordedPart


class Bouncing(KitCase):
    def setUp(self):
        shutil.rmtree(settings.DATA / "bounces", ignore_errors=True)  # row numbers begin anew with every test
        self.give()
        low = NewPad("Low drum", "kick", [recordings(self.samples[:1])], [127])
        edits.samples.apply_proposal(self.kit, version(self.kit), [low], None)
        self.low = self.kit.pads.select_related("piece", "kit").get(piece__name="Low drum")
        edits.pads.set_notes(self.low, version(self.kit), [36])
        hits = [(0, 38, 20), (480, 36, 90), (960, 38, 127), (1440, 99, 64)]
        notes = tuple(Event(tick, note, velocity) for tick, note, velocity in hits)
        self.part = add_part(Part(name="Quay", ticks_per_beat=480, tempos=((0, 500_000),), events=notes, end_tick=1920))

    def ask(self, **asked) -> Bounce:
        answer = self.client.post(f"/bounces/of/{self.kit.pk}/begin/", {"part": self.part.pk, "rate": 48_000, **asked})
        self.assertEqual(answer.status_code, 200, answer.content.decode()[:300])
        return Bounce.objects.order_by("-pk")[0]

    def run_jobs(self, bounce: Bounce) -> Bounce:
        run_job.func(bounce.job_id)
        return Bounce.objects.select_related("job").get(pk=bounce.pk)

    def test_stems_by_piece_with_all_that_goes_with_them(self):
        bounce = self.run_jobs(
            self.ask(
                by="piece", bits="24", numbers="desk", template="{part} {number} {name}", with_part="1", with_kit="1"
            )
        )
        self.assertEqual((bounce.job.state, bounce.job.problem), (Job.State.DONE, ""))
        files = [stem.file for stem in bounce.stems.all()]
        self.assertEqual(files, ["Quay 01 Low drum.wav", "Quay 02 Snare.wav", "Quay Mix.wav"])
        report = bounce.report
        self.assertTrue(report["sum_test"]["is_passed"])
        self.assertEqual(
            (report["kit_version"], report["part"], report["seed"]), (version(self.kit), "Quay", self.kit.seed)
        )
        archive = zipfile.ZipFile(io.BytesIO(b"".join(self.client.get(f"/bounces/{bounce.pk}/zip/").streaming_content)))
        self.assertEqual(
            [name.split("/")[1] for name in archive.namelist()], [*files, "bounce.json", "kit.zip", "part.mid"]
        )
        self.assertEqual(json.loads(archive.read(archive.namelist()[3])), report)
        again = read_midi(archive.read(archive.namelist()[5]), "part.mid")
        self.assertEqual([(n.tick, n.note, n.velocity) for n in again.note_ons][0], (0, 38, 20))
        low, snare, mix = (soundfile.read(io.BytesIO(archive.read(name)), dtype="int32", always_2d=True)[0] >> 8 for name in archive.namelist()[:3])  # fmt: skip
        self.assertLessEqual(np.abs(low + snare - mix).max(), 1.5, "24 bit: (stems + 1) / 2 steps")
        self.assertEqual(np.flatnonzero(low.any(1))[0] // 24_000, 1, "the low drum is struck after one beat")

    def test_the_files_of_bounces_go_with_their_kit_and_the_oldest_can_be_reached(self):
        made = self.run_jobs(self.ask())
        folder, left = store.folder_of(made), settings.DATA / "bounces" / "987654"
        left.mkdir()
        Bounce.objects.bulk_create([Bounce(kit=self.kit, kit_version=1, part_name=f"Quay {n}", rate_hz=48_000, order=made.order, kit_snapshot=b"", part_snapshot=b"") for n in range(22)])  # fmt: skip
        page = self.client.get(f"/bounces/of/{self.kit.pk}/", headers={"HX-Request": "true"}).content.decode()
        before = int(re.search(r"/before/(\d+)/", page)[1])
        self.assertContains(self.client.get(f"/bounces/of/{self.kit.pk}/before/{before}/"), f'id="bounce-{made.pk}"')
        edits.kits.put_away(self.kit, True)
        with self.captureOnCommitCallbacks(execute=True):
            edits.kits.delete_kit(Kit.objects.get(pk=self.kit.pk))
        self.assertFalse(folder.exists())
        store.sweep()
        self.assertFalse(left.exists())

    def test_the_recording_a_part_was_found_in_lies_beside_the_stems_in_its_place(self):
        sound = np.zeros((30_000, 1), np.float32)
        sound[22_050] = 0.5  # half a second after its zero
        data = io.BytesIO()
        soundfile.write(data, sound, 44_100, format="WAV", subtype="FLOAT")
        recording = take_in("Quay live", [SimpleUploadedFile("Snare.wav", data.getvalue())])
        RecordedPart.objects.create(recording=recording, part=self.part, zero_seconds=0.25)
        bounce = self.run_jobs(self.ask(by="piece", bits="32f", with_recording="1", with_blend="1"))
        *stems, mix, beside, blend = bounce.stems.all()
        self.assertEqual((beside.name, beside.output, beside.channels), ("Recorded Snare", "recorded", 1))
        self.assertEqual({stem.frames for stem in (*stems, mix)}, {beside.frames})
        self.assertTrue(bounce.report["sum_test"]["is_passed"], "it is not part of the mix")
        audio, _ = soundfile.read(store.folder_of(bounce) / beside.file)
        self.assertEqual((len(audio), int(np.abs(audio).argmax())), (beside.frames, 36_000))
        mixed, both = (soundfile.read(store.folder_of(bounce) / one.file)[0] for one in (mix, blend))
        np.testing.assert_allclose(both, mixed + audio[:, None], atol=1e-6)

    def test_what_comes_is_said_before_and_refused_where_it_cannot_be(self):
        path, asked = f"/bounces/of/{self.kit.pk}/check/", {"part": self.part.pk, "rate": 48_000, "by": "piece"}
        self.assertEqual(self.client.get(path, asked).status_code, 405)
        self.assertContains(self.client.post(path, asked), "1 of 4 hits have no pad")
        with patch("dactyl.bounces.views.shutil.disk_usage", return_value=type("Usage", (), {"free": 1 << 20})):
            answer = self.client.post(path, asked | {"bits": "32f"})
            self.assertContains(answer, "The stems need")
            refused = self.client.post(f"/bounces/of/{self.kit.pk}/begin/", {"part": self.part.pk, "rate": 48_000})
            self.assertContains(refused, "Make room", status_code=422)
        for wrong in (
            {"bits": "20"},
            {"by": "mood"},
            {"template": "{colour}"},
            {"template": "{number[x]}"},
            {"template": "{name:>99999999}"},
            {"template": "{name"},
            {"template": "{number.real}"},
        ):
            with self.subTest(wrong=wrong):
                asked = {"part": self.part.pk, "rate": 48_000, **wrong}
                self.assertEqual(self.client.post(f"/bounces/of/{self.kit.pk}/begin/", asked).status_code, 422)
        self.assertEqual(Bounce.objects.count(), 0)

    def test_the_kit_is_bounced_as_it_was_when_asked_for_and_again_to_the_same_bytes(self):
        first = self.ask(bits="16")
        edits.pads.set_fields([self.low], version(self.kit), {"gain_db": -20.0})
        steps = tasks.make_bounce(first.pk)
        next(steps)
        steps.close()  # killed in the middle, and begun again
        self.assertFalse(store.folder_of(first).exists())
        first = self.run_jobs(first)
        history.undo(self.kit, version(self.kit))
        second = self.run_jobs(self.ask(bits="16"))
        for one, other in zip(store.files_of(first)[:-1], store.files_of(second)[:-1], strict=True):
            self.assertEqual(one.read_bytes(), other.read_bytes(), one.name)
        self.assertEqual(first.report["kit_hash"], second.report["kit_hash"])

    def test_a_job_that_fails_leaves_nothing_and_says_why(self):
        bounce = self.ask()
        full = patch("dactyl.bounces.tasks.bounce_files", side_effect=OSError(28, "No space left on device"))
        with full, self.assertLogs("dactyl.jobs.run", "ERROR"):
            bounce = self.run_jobs(bounce)
        self.assertEqual(bounce.job.problem, "The disk refused: No space left on device. Make room, then try again.")
        self.assertEqual([path for path in (settings.DATA / "bounces").iterdir() if path.stem == str(bounce.pk)], [])
        self.assertFalse(Stem.objects.filter(bounce=bounce).exists())

    def test_while_it_runs_each_stem_tells_its_hits(self):
        notes = (Event(0, 38, 90), Event(480 * 40, 38, 90), Event(480 * 40, 36, 90))  # 20 s apart
        self.part = add_part(
            Part(name="Far", ticks_per_beat=480, tempos=((0, 500_000),), events=notes, end_tick=480 * 41)
        )
        bounce, told = self.ask(by="piece", bits="24"), []
        with patch.object(tasks, "SECONDS_BETWEEN_WRITES", 0):
            for _ in tasks.make_bounce(bounce.pk):
                told.append(Bounce.objects.values_list("hits_done", flat=True).get(pk=bounce.pk))
        self.assertEqual(told[0], [["Snare", 1, 2], ["Low drum", 0, 1]])
        self.assertEqual(told[-1], [["Snare", 2, 2], ["Low drum", 1, 1]])
        Bounce.objects.filter(pk=bounce.pk).update(report=None, hits_done=told[0])
        Stem.objects.all().delete()
        page = self.client.get(f"/bounces/{bounce.pk}/")
        self.assertContains(page, "1 of 2 hits")
        self.assertContains(page, "Hits of Low drum")

    def test_a_bounce_is_forgotten_with_its_files(self):
        bounce = self.run_jobs(self.ask(bits="16", format="flac"))
        folder = store.folder_of(bounce)
        self.assertEqual({path.suffix for path in folder.iterdir()}, {".flac", ".json"})
        stem = bounce.stems.first()
        with self.captureOnCommitCallbacks(execute=True):
            self.client.post(f"/bounces/{bounce.pk}/forget/")
        self.assertFalse(folder.exists())
        self.assertEqual(self.client.get(f"/bounces/stems/{stem.pk}/").status_code, 404)

    def test_groups_of_ones_own_mono_stems_and_wrong_templates(self):
        keys = [
            f"0:{key}" for key in self.kit.pieces.filter(name__in=["Snare", "Low drum"]).values_list("pk", flat=True)
        ]
        bounce = self.run_jobs(self.ask(by="own", piece=keys, group=["Drums", "Drums"], mono="1"))
        stems = list(bounce.stems.all())
        self.assertEqual([(stem.name, stem.channels) for stem in stems], [("Drums", 1), ("Mix", 2)])
        for asked, words in (({"template": "{date}"}, "is not a name for stems"), ({"bits": "32f", "format": "flac"}, "no float"),
                             ({"by": "colour"}, "from the lists"), ({"part": "0"}, "Choose a part")):  # fmt: skip
            answer = self.client.post(
                f"/bounces/of/{self.kit.pk}/begin/", {"part": self.part.pk, "rate": 48_000} | asked
            )
            self.assertContains(answer, words, status_code=422)

    def test_stems_leave_the_desk_or_go_round_its_master_or_round_it_all_here_as_from_the_command_line(self):
        edits.pads.set_fields([self.fresh(self.low.pk)], version(self.kit), {"pan": 60})
        output = self.kit.outputs.get()
        desk_edits.set_channels([output], self.kit, version(self.kit), {"gain_db": -3.0, "parallel_db": -6.0})
        for values in ({"master_db": -6.0}, {"side": "hall"}, {"parallel_is_on": True}):
            desk_edits.set_desk(self.kit, version(self.kit), values)
        said = self.check(taken="desk")
        self.assertIn("<b>Main</b> −3.0 dB, −6.0 dB to the parallel bus", said)
        self.assertIn("the master −6.0 dB, heard from the hall", said)
        self.assertIn("2 stems (Main, Parallel)", said)
        self.assertIn("Dry leaves out the mics overhead, room, levels", self.check(taken="dry"))
        desk, free, dry = (self.files(taken=taken) for taken in ("desk", "no_master", "dry"))
        self.assertEqual([list(desk), list(dry)], [["Main", "Parallel", "Mix"], ["Main", "Mix"]])
        np.testing.assert_allclose(desk["Main"] * 10 ** (6 / 20), free["Main"], atol=1e-6)
        np.testing.assert_allclose(desk["Parallel"] * 10 ** (6 / 20), free["Parallel"], atol=1e-6)
        np.testing.assert_allclose(free["Main"][:, ::-1] * 10 ** (3 / 20), dry["Main"], atol=1e-6)
        self.assertFalse(
            np.array_equal(dry["Main"][:, 0], dry["Main"][:, 1]), "one pad is panned: the sides can be told apart"
        )
        package = store.folder_of(Bounce.objects.order_by("pk")[0]) / tasks.PACKAGE
        for switches, expected in (((), desk), (("--no-master",), free), (("--dry",), dry), (("--groups",), desk)):
            for name, sound in self.from_the_command_line(package, *switches).items():
                np.testing.assert_array_equal(sound, expected[name], f"{switches} {name}")
        np.testing.assert_array_equal(
            self.from_the_command_line(package, "--side", "stool")["Main"], desk["Main"][:, ::-1]
        )

    def check(self, **asked: str) -> str:
        answer = self.client.post(f"/bounces/of/{self.kit.pk}/check/", {"part": self.part.pk, "rate": 48_000, **asked})
        return " ".join(answer.content.decode().split())

    def files(self, **asked: str) -> dict[str, np.ndarray]:
        bounce = self.run_jobs(self.ask(bits="32f", with_kit="1", with_part="1", **asked))
        self.assertTrue(bounce.report["sum_test"]["is_passed"])
        return {
            one.name: soundfile.read(store.folder_of(bounce) / one.file, always_2d=True)[0]
            for one in bounce.stems.all()
        }

    def from_the_command_line(self, package: Path, *switches: str) -> dict[str, np.ndarray]:
        with tempfile.TemporaryDirectory() as out, contextlib.redirect_stderr(io.StringIO()):
            code = main(
                ["bounce", str(package), str(package.with_name(tasks.PART)), "--out", out, "--bits", "32f", *switches]
            )
            self.assertEqual(code, 0)
            stems = json.loads((Path(out) / "bounce.json").read_text())["stems"]
            return {one["name"]: soundfile.read(Path(out) / one["file"], always_2d=True)[0] for one in stems}

    def test_how_loud_a_bounce_is_is_measured_after_it_and_a_bounce_that_went_meanwhile_leaves_nothing(self):
        bounce = self.run_jobs(self.ask(bits="32f"))
        page = f"/bounces/{bounce.pk}/"
        self.assertContains(self.client.get(page), "hx-get", msg_prefix="it looks again until all is measured")
        run_job.func(bounce.measuring_id)
        self.assertNotContains(self.client.get(page), "hx-get")
        for stem in bounce.stems.all():
            audio, rate = soundfile.read(store.folder_of(bounce) / stem.file, always_2d=True)
            meter = LoudnessMeter(rate)
            meter.feed(audio.T)
            self.assertAlmostEqual(stem.loudness_lufs, meter.measured().integrated_lufs, places=6)
            self.assertGreaterEqual(stem.true_peak_db, stem.peak_db - 1e-6)
            self.assertContains(self.client.get(page), f"{stem.loudness_lufs:+.1f} LUFS".replace("-", "−"))
        first = self.run_jobs(self.ask())
        waiting, before = self.ask(), first.measuring_id
        run_job.func(before)
        first.refresh_from_db()
        self.assertNotEqual(first.measuring_id, before, "it goes behind a bounce that waits")
        self.assertFalse(first.stems.exclude(true_peak_db=None).exists())
        self.run_jobs(waiting)
        run_job.func(first.measuring_id)
        self.assertFalse(first.stems.filter(true_peak_db=None).exists())
        gone = self.run_jobs(self.ask())
        self.client.post(f"/bounces/{gone.pk}/forget/")
        run_job.func(gone.measuring_id)
        self.assertEqual(Job.objects.get(pk=gone.measuring_id).state, "done")

    def test_cancelled_before_or_in_the_middle_nothing_is_kept(self):
        waiting, running = self.ask(), self.ask()
        self.client.post(f"/bounces/{waiting.pk}/cancel/")
        self.assertEqual(self.run_jobs(waiting).job.state, Job.State.CANCELLED)
        Job.objects.filter(pk=running.job_id).update(cancel_requested=True)
        self.assertEqual(self.run_jobs(running).job.state, Job.State.CANCELLED)
        self.assertFalse(store.folder_of(running).exists() or store.folder_of(running).with_suffix(".part").exists())

    def test_a_job_that_kills_its_worker_three_times_is_given_up(self):
        bounce = self.ask()
        for attempt in range(3):
            Job.objects.filter(pk=bounce.job_id).update(state=Job.State.RUNNING, attempts=attempt + 1)
            requeue_abandoned()
        job = Job.objects.get(pk=bounce.job_id)
        self.assertEqual(job.state, Job.State.FAILED)
        self.assertIn("given up", job.problem)

    def test_a_stem_is_sent_whole_or_in_part(self):
        stem = self.run_jobs(self.ask(format="flac")).stems.first()
        path = f"/bounces/stems/{stem.pk}/"
        whole = b"".join(self.client.get(path).streaming_content)
        self.assertEqual(whole[:4], b"fLaC")
        some = self.client.get(path, headers={"Range": "bytes=4-9"})
        self.assertEqual((some.status_code, b"".join(some.streaming_content)), (206, whole[4:10]))
        self.assertEqual(some.headers["Content-Type"], "audio/flac")
        self.assertEqual(self.client.get(path, headers={"Range": f"bytes={len(whole)}-"}).status_code, 416)
