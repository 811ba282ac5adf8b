"""A recording comes in, is listened to, and becomes a part with the notes of this kit; nothing half stays behind."""

import io
import zipfile
from dataclasses import replace

import numpy as np
import soundfile
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile

from dactyl.core.hits.envelopes import Track
from dactyl.core.hits.playback import BLOCK_FRAMES, PEAK_FRAMES
from dactyl.core.kinds import BY_SLUG
from dactyl.core.tests.test_recordings import played, session, struck
from dactyl.history import edits as history
from dactyl.jobs.models import Job
from dactyl.kits import edits as kit_edits
from dactyl.kits.models import Pad, Take
from dactyl.kits.tests.test_edits import KitCase, recordings, version
from dactyl.parts import blocks
from dactyl.parts.models import Part
from dactyl.parts.queries import part_value
from dactyl.recordings import edits
from dactyl.recordings.models import RecordedPart, Recording, TrackMend
from dactyl.recordings.tasks import find_hits, hear_roles_and_find_hits
from dactyl.shelf.models import Sample
from dactyl.shelf.tests.sounds import bring_in, sound_bytes


def wave(audio: np.ndarray, rate: int, name: str) -> SimpleUploadedFile:
    data = io.BytesIO()
    soundfile.write(data, audio.T, rate, format="WAV", subtype="PCM_24")
    return SimpleUploadedFile(name, data.getvalue())


def folders() -> list[str]:
    return sorted(path.name for path in (settings.DATA / "recordings").glob("*"))


def incoming() -> list[str]:
    return sorted(path.name for path in (settings.DATA / "incoming").glob("*"))


class Recordings(KitCase):
    def setUp(self):
        for pad, kind in zip(self.kit.pads.all(), ("snare", "kick", "closed_hat"), strict=False):
            kit_edits.pads.set_fields([pad], version(self.kit), {"kind": kind})
            pad = Pad.objects.select_related("piece", "kit").get(pk=pad.pk)
            kit_edits.pads.set_notes(pad, version(self.kit), [BY_SLUG[kind].notes[0] + 20])
        self.tracks = session(played())[:4]

    def post(self, path: str, **values):
        return self.client.post(f"/recordings/of/{self.kit.pk}/{path}", values, headers={"HX-Request": "true"})

    def listened(self) -> Recording:
        files = [wave(t.read(0, t.frames), t.rate_hz, f"Take {n} {t.name}") for n, t in enumerate(self.tracks)]
        self.assertContains(self.post("new/", tracks=files), "Cancel", msg_prefix="it is listened to at once")
        recording = Recording.objects.get()
        for _ in range(2):  # a job may run twice
            list(hear_roles_and_find_hits(recording.pk))
        return recording

    def edit(self, recording: Recording, path: str, version: int | None = None, **values) -> dict:
        seen = Recording.objects.get(pk=recording.pk).version if version is None else version
        headers = {"X-Recording-Version": str(seen)}
        url = f"/recordings/of/{self.kit.pk}/{recording.pk}/{path}/"
        answer = self.client.post(url, values, content_type="application/json", headers=headers)
        return {**answer.json(), "status": answer.status_code}

    def test_tracks_without_a_name_are_known_by_their_sound_until_somebody_says_otherwise(self):
        self.tracks = [replace(self.tracks[n], name=f"Track {n}.wav") for n in (0, 1, 3)]
        recording = self.listened()
        heard = ("kick", "snare", "hat")
        self.assertEqual([(t.role, t.is_role_heard) for t in recording.tracks.all()], [(role, True) for role in heard])
        Job.objects.filter(pk=recording.job_id).update(state="done")
        page = self.client.get(f"/recordings/of/{self.kit.pk}/{recording.pk}/").content.decode()
        self.assertEqual(page.count("by its sound"), 3)
        kick, snare, hat = recording.tracks.all()
        edits.begin(recording, {kick.pk: "kick", snare.pk: "other", hat.pk: "ride"})
        list(find_hits(recording.pk))
        told = [(track.role, track.is_role_heard) for track in recording.tracks.all()]
        self.assertEqual(told, [("kick", True), ("other", False), ("ride", False)])

    def test_what_a_person_says_after_the_first_listening_was_cancelled_is_not_heard_over(self):
        self.tracks = [replace(self.tracks[n], name=f"Track {n}.wav") for n in (0, 1)]
        files = [wave(t.read(0, t.frames), t.rate_hz, t.name) for t in self.tracks]
        self.post("new/", tracks=files)
        recording = Recording.objects.get()
        self.assertTrue(recording.job.work.endswith("hear_roles_and_find_hits"))
        self.post(f"{recording.pk}/cancel/")
        Job.objects.filter(pk=recording.job_id).update(state="cancelled")
        roles = {f"role-{track.pk}": "other" for track in recording.tracks.all()}
        self.post(f"{recording.pk}/find/", **roles)
        recording.refresh_from_db()
        self.assertTrue(recording.job.work.endswith(".find_hits"))
        list(find_hits(recording.pk))
        self.assertEqual([track.role for track in recording.tracks.all()], ["other", "other"])

    def test_tracks_become_a_part_with_this_kits_notes(self):
        recording = self.listened()
        self.assertEqual((recording.name, [track.role for track in recording.tracks.all()]), ("Take", ["kick", "snare", "tom", "hat"]))  # fmt: skip
        kick, snare, tom, hat = recording.tracks.all()
        self.assertEqual([len(kick.taken()), len(hat.taken())], [10, 40])
        self.assertLess(len(tom.taken()), 2)
        for track in (snare, tom):
            self.edit(recording, f"tracks/{track.pk}", pad=0)
        answer = self.post(f"{recording.pk}/make/")
        part = Part.objects.latest("pk")
        self.assertIn(f"part={part.pk}", answer.headers["HX-Location"])
        value = part_value(part)
        self.assertEqual({event.note for event in value.note_ons}, {56, 62})
        times = sorted(round(hit.time * 48_000) for track in (kick, hat) for hit in track.taken())
        self.assertEqual([hit.frame for hit in value.hits(48_000)], times, "exact to the frame")
        beside = self.client.get(f"/recordings/of/{self.kit.pk}/part/{part.pk}/").json()
        self.assertEqual((beside["zero"], len(beside["tracks"])), (0.0, 4))
        url = f"/recordings/of/{self.kit.pk}/part/{part.pk}/zero/"
        seen = {"X-Part-Version": str(part.version)}
        moved = self.client.post(url, {"seconds": -0.25}, content_type="application/json", headers=seen).json()
        self.assertEqual((moved["recordedZero"], moved["undoes"]), (-0.25, "Recording begins at -250 ms"))
        self.assertEqual(self.client.post(url, {"seconds": 1}, content_type="application/json", headers=seen).status_code, 409)  # fmt: skip
        history.undo(Part.objects.get(pk=part.pk), moved["version"])
        self.assertEqual(RecordedPart.objects.get(part=part).zero_seconds, 0.0)
        self.post(f"{recording.pk}/make/", each="1")
        self.assertEqual([one.name for one in Part.objects.order_by("-pk")[:2]], ["Take hat", "Take kick"])
        for track in (kick, hat):
            self.edit(recording, f"tracks/{track.pk}", pad=0)
        self.assertContains(self.post(f"{recording.pk}/make/"), "No hit is left", status_code=422)
        listed = f"/recordings/of/{self.kit.pk}/"
        self.assertContains(self.client.get(listed, headers={"HX-Request": "true"}), "Take")
        self.assertRedirects(self.client.get(listed), f"{listed}{recording.pk}/")
        self.post(f"{recording.pk}/forget/")
        self.assertFalse(recording.folder.exists())
        self.assertEqual(Part.objects.count(), 3)

    def test_the_tracks_of_a_zip_come_in_and_what_is_beside_them_stays_out(self):
        data = io.BytesIO()
        with zipfile.ZipFile(data, "w") as packed:
            for track in self.tracks[:2]:
                packed.writestr(f"Take/{track.name}", wave(track.read(0, 4000), track.rate_hz, track.name).read())
            packed.writestr("Take/notes.txt", b"third try")
        self.assertContains(self.post("new/", tracks=[SimpleUploadedFile("Take.zip", data.getvalue())]), "Cancel")
        self.assertEqual([track.role for track in Recording.objects.get().tracks.all()], ["kick", "snare"])
        broken = SimpleUploadedFile("Take.zip", data.getvalue()[:200])
        self.assertContains(self.post("new/", tracks=[broken]), "Take.zip: It is damaged or cut short", status_code=422)

    def test_hits_are_mended_with_undo_and_a_stale_page_is_told(self):
        recording = self.listened()
        snare = recording.tracks.get(role="snare")
        whole = self.client.get(f"/recordings/of/{self.kit.pk}/{recording.pk}/data/").json()
        times = [hit[0] for hit in whole["hits"][str(snare.pk)]]
        taken = [hit.time for hit in snare.taken()]
        place = times.index(taken[0])
        found = self.edit(recording, f"tracks/{snare.pk}/rise", time=taken[0] + 0.004)
        self.assertTrue(found["isRise"])
        self.assertAlmostEqual(found["time"], taken[0], delta=0.0005)
        self.edit(
            recording, "mend", sentence="One left out", mends=[{"track": snare.pk, "place": place, "isHit": False}]
        )
        said = self.edit(recording, "mend", mends=[{"track": snare.pk, "isHit": True, "time": 7.125, "level": -20.0, "velocity": 99}])  # fmt: skip
        self.assertEqual(said["undoes"], "Hits mended")
        own = next(mend for mend in said["tracks"][1]["mends"] if mend[1] is None)
        self.assertEqual([hit.time for hit in snare.taken()], sorted({*taken[1:], 7.125}))
        moved = [{"track": snare.pk, "mend": own[0], "isHit": True, "time": 7.25, "velocity": 99}]
        self.edit(recording, "mend", mends=moved)
        self.assertIn(7.25, [hit.time for hit in snare.taken()])
        self.edit(recording, "mend", mends=[{"track": snare.pk, "mend": own[0], "isHit": False}])
        self.edit(recording, f"tracks/{snare.pk}", softest=-3)
        stale = self.edit(recording, f"tracks/{snare.pk}", version=1, sure=0.9)
        self.assertEqual((stale["status"], stale["tracks"][1]["softest"]), (409, -3))
        for _ in range(5):
            self.edit(recording, "undo")
        snare.refresh_from_db()
        self.assertEqual([hit.time for hit in snare.taken()], taken)
        self.assertEqual(self.edit(recording, "redo")["redoes"], "Hits mended")
        for path, values, words in (
            (f"tracks/{snare.pk}", {"soft": -10, "hard": -20}, "louder than a soft one"),
            ("mend", {"mends": [{"track": snare.pk, "isHit": True}]}, "needs its time"),
            ("mend", {"mends": [{"track": snare.pk, "isHit": True, "time": 1e9}]}, "Time is a number"),
            ("mend", {"mends": "all"}, "did not arrive whole"),
            ("bars", {"bars": [{"bar": 0, "seconds": 2}, {"bar": 1, "seconds": 1}], "beats": 4}, "rise in time"),
        ):
            answer = self.edit(recording, path, **values)
            self.assertEqual(answer["status"], 422, values)
            self.assertIn(words, answer["said"])

    def test_a_decision_changes_what_it_says_and_nothing_else(self):
        recording = self.listened()
        snare = recording.tracks.get(role="snare")
        place = next(n for n, hit in enumerate(snare.found) if hit in snare.taken())
        candidate = {"track": snare.pk, "place": place, "isHit": True}
        self.edit(recording, "mend", mends=[{**candidate, "time": 0.333, "level": -12.5}])
        self.edit(recording, "mend", mends=[{**candidate, "velocity": 77}])
        self.edit(recording, "mend", mends=[{**candidate, "isHit": False}])
        self.edit(recording, "mend", mends=[candidate])
        mend = TrackMend.objects.get(track=snare)
        self.assertEqual((mend.is_hit, mend.time, mend.level_db, mend.velocity), (True, 0.333, -12.5, 77))

    def test_decisions_over_hits_that_were_found_anew_are_refused_and_one_job_listens(self):
        recording = self.listened()
        snare, seen = recording.tracks.get(role="snare"), Recording.objects.get().version
        Job.objects.update(state=Job.State.DONE)
        for _ in range(2):
            self.post(f"{recording.pk}/find/")
        self.assertEqual(
            Job.objects.filter(work__in=(edits.FIRST_WORK, edits.WORK), subject_id=recording.pk).count(), 2
        )
        for _ in range(2):
            stale = self.edit(recording, "mend", version=seen, mends=[{"track": snare.pk, "place": 0, "isHit": False}])
            self.assertEqual(stale["status"], 409)
            seen = Recording.objects.get().version
            list(find_hits(recording.pk))

    def test_bar_lines_that_could_not_be_read_are_not_written_and_old_ones_can_be_undone(self):
        recording = self.listened()
        narrow = [{"bar": 0, "seconds": 0.1}, {"bar": 4000, "seconds": 4.0}]
        for wrong in (narrow, [{"bar": 0, "seconds": 599.0}, {"bar": 1, "seconds": 599.1}]):
            self.assertEqual(self.edit(recording, "bars", bars=wrong)["status"], 422)
        self.assertEqual(Recording.objects.get().bars, [])
        self.edit(recording, "bars", bars=[{"bar": 0, "seconds": 0.5}, {"bar": 1, "seconds": 2.5}])
        Recording.objects.update(bars=[[0, 599.0], [1, 599.1]])
        whole = self.client.get(f"/recordings/of/{self.kit.pk}/{recording.pk}/data/").json()
        self.assertIn("further apart", whole["damage"])
        self.assertEqual((self.edit(recording, "undo")["damage"], Recording.objects.get().bars), ("", []))

    def test_one_part_each_keeps_tracks_of_one_role_apart(self):
        recording = self.listened()
        recording.tracks.filter(role="hat").update(role="kick")
        pads = {pad.kind: pad.pk for pad in self.kit.pads.all()}
        for track in recording.tracks.all():
            self.edit(recording, f"tracks/{track.pk}", pad=pads["kick"] if track.role == "kick" else 0)
        self.post(f"{recording.pk}/make/", each="1")
        counts = {one.name: blocks.count(one) for one in Part.objects.all()}
        self.assertEqual(counts, {"Take kick 1": 10, "Take kick 2": 40})

    def test_bar_lines_become_the_tempo_of_the_part_and_no_hit_moves(self):
        recording = self.listened()
        kick = recording.tracks.get(role="kick")
        first = kick.taken()[0].time
        said = self.edit(recording, "bars", bars=[{"bar": 3, "seconds": first}, {"bar": 4, "seconds": first + 2.0}], beats=4)  # fmt: skip
        self.assertLessEqual(said["lines"][0], 0)
        self.post(f"{recording.pk}/make/")
        part = Part.objects.latest("pk")
        value, zero = part_value(part), part.recorded.zero_seconds
        self.assertAlmostEqual(value.bpm, 120, places=2)
        heard = [hit.frame / 48_000 - zero for hit in value.hits(48_000) if hit.note == 56]
        np.testing.assert_allclose(heard, [hit.time for hit in kick.taken()], atol=1.01 / 48_000)

    def test_what_is_heard_and_drawn_of_a_track_is_its_sound(self):
        recording = self.listened()
        kick = recording.tracks.get(role="kick")
        block = np.frombuffer(self.client.get(f"/recordings/tracks/{kick.pk}/sound/0/").content, "<i2")
        peaks = np.frombuffer(self.client.get(f"/recordings/tracks/{kick.pk}/peaks/").content, np.uint8)
        self.assertEqual(len(block), BLOCK_FRAMES)
        strike = round(kick.taken()[0].time * 48_000)
        self.assertGreater(np.abs(block[strike : strike + 2000]).max(), 4 * np.abs(block[: strike - 500].astype(int) - int(block[0])).max())  # fmt: skip
        self.assertGreater(peaks[strike // PEAK_FRAMES + 2], 180)
        self.assertEqual(self.client.get(f"/recordings/tracks/{kick.pk}/sound/9999/").content, b"")

    def test_what_is_no_recording_is_refused_whole_and_leaves_nothing(self):
        good, before = self.tracks[0], (folders(), incoming())
        for files, words in (
            ([], "1 to 16 tracks"),
            ([wave(good.read(0, 5000), good.rate_hz, "a.wav"), SimpleUploadedFile("b.wav", b"RIFFnonsense")], "b.wav: It is not a sound file"),
            ([wave(np.zeros((3, 900), np.float32), 48_000, "many.wav")], "many.wav: It has 3 channels"),
        ):  # fmt: skip
            self.assertContains(self.post("new/", tracks=files), words, status_code=422)
        self.assertEqual(Recording.objects.count(), 0)
        self.assertEqual(before, (folders(), incoming()))

    def test_what_a_kill_leaves_of_an_upload_is_swept_at_the_next_start(self):
        kept = self.listened()
        half = Recording.objects.create(name="Half")
        for name in ("987654", str(half.pk)):
            (settings.DATA / "recordings" / name).mkdir(parents=True, exist_ok=True)
        edits.sweep()
        self.assertEqual((list(Recording.objects.all()), folders()), ([kept], [str(kept.pk)]))

    def test_a_pad_is_measured_against_its_track_and_brought_nearer_one_thing_at_a_time(self):
        """The pad's take is the recorded drum itself, 4 dB softer, the other way round, and 2 ms late."""
        dry = np.concatenate([np.zeros(441), 10 ** (-4 / 20) * struck("snare", 0.9, np.random.default_rng(5))])
        bring_in({"Own snare.wav": sound_bytes(dry[:, np.newaxis], rate_hz=44_100)})
        kit_edits.samples.give_samples(self.pad, version(self.kit), recordings(Sample.objects.filter(name="Own snare.wav")), "takes", replace=True, layers=None)  # fmt: skip
        take = Take.objects.select_related("layer__pad__piece", "layer__pad__kit").get(layer__pad=self.pad)
        kit_edits.takes.set_each([(take, {"start_frame": 441 - 88})], version(self.kit), "Start")
        kick, snare, tom, hat = (track.read(0, track.frames)[0] for track in self.tracks)
        pair = np.stack([0.2 * hat + 0.6 * snare + 0.3 * kick, 0.6 * hat + 0.2 * snare + 0.3 * kick])
        rate = self.tracks[0].rate_hz
        self.tracks.append(Track("Overheads", "overhead", lambda a, b: pair[:, a:b], pair.shape[1], rate))
        recording = self.listened()
        track = recording.tracks.get(role="snare")
        url = f"/recordings/of/{self.kit.pk}/{recording.pk}/tracks/{track.pk}/"

        def told() -> dict[str, str]:
            answer = self.client.post(f"{url}match/", {}, content_type="application/json")
            self.assertTrue(answer.json()["pad"].startswith(self.fresh().full_name), answer.json())
            return {row["what"]: row["words"] for row in answer.json()["rows"]}

        def give(what: str, status: int = 200) -> str:
            answer = self.client.post(f"{url}give/{what}/", headers={"X-Kit-Version": str(version(self.kit)), "HX-Request": "true"})  # fmt: skip
            self.assertEqual(answer.status_code, status, what)
            return answer.content.decode()

        first = told()
        self.assertEqual(first["polarity"], "polarity the other way round")
        self.assertAlmostEqual(float(first["time"].removesuffix(" ms sooner")), 2.0, delta=0.1)
        for what in ("polarity", "time", "level", "pan"):
            give(what)
        take.refresh_from_db()
        pad = self.fresh()
        self.assertTrue(take.is_flipped)
        self.assertAlmostEqual(take.start_frame, 441, delta=3)
        self.assertAlmostEqual(pad.gain_db, 4, delta=0.3)
        self.assertAlmostEqual(pad.pan, -60, delta=8)
        kit_edits.pads.set_piece(pad, version(self.kit), "pan", 25)
        give("pan")
        self.assertAlmostEqual(self.fresh().pan, -85, delta=8, msg="what the piece leaves over")
        self.assertFalse({"polarity", "time", "tune"} & set(told()))
        self.assertIn("could not be told", give("dance", 422))
        silent = recording.tracks.get(role="tom")
        answer = self.client.post(f"{url.replace(str(track.pk), str(silent.pk))}match/", {}, content_type="application/json")  # fmt: skip
        self.assertContains(answer, "Choose one first", status_code=422)
        kit_edits.layers.insert_layer(self.fresh(), version(self.kit))
        answer = self.client.post(f"{url}match/", {}, content_type="application/json")
        self.assertContains(answer, "has no take in its loudest layer to compare", status_code=422)
