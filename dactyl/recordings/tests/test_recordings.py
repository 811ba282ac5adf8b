"""A recording comes in, is listened to, and becomes a part with the notes of this kit; nothing half stays behind."""

import io

import numpy as np
import soundfile
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile

from dactyl.core.kinds import BY_SLUG
from dactyl.core.tests.test_recordings import played, session
from dactyl.kits import edits as kit_edits
from dactyl.kits.models import Pad
from dactyl.kits.tests.test_edits import KitCase, version
from dactyl.parts.models import Part
from dactyl.parts.queries import part_value
from dactyl.recordings.models import Recording
from dactyl.recordings.tasks import find_hits


def wave(audio: np.ndarray, rate: int, name: str) -> SimpleUploadedFile:
    data = io.BytesIO()
    soundfile.write(data, audio.T, rate, format="WAV", subtype="PCM_24")
    return SimpleUploadedFile(name, data.getvalue())


class Recordings(KitCase):
    def setUp(self):
        for pad, kind in zip(self.kit.pads.all(), ("snare", "kick", "closed_hat"), strict=False):
            kit_edits.pads.set_fields([pad], version(self.kit), {"kind": kind})
            pad = Pad.objects.select_related("piece", "kit").get(pk=pad.pk)
            kit_edits.pads.set_notes(pad, version(self.kit), [BY_SLUG[kind].notes[0] + 20])
        self.tracks = session(played())[:4]

    def post(self, path: str, **values):
        return self.client.post(f"/recordings/of/{self.kit.pk}/{path}", values, headers={"HX-Request": "true"})

    def test_tracks_become_a_part_with_this_kits_notes(self):
        files = [wave(t.read(0, t.frames), t.rate_hz, f"{n} {t.name}") for n, t in enumerate(self.tracks)]
        self.assertContains(self.post("new/", tracks=files), "Find the hits")
        recording = Recording.objects.get()
        roles = [track.role for track in recording.tracks.all()]
        self.assertEqual(roles, ["kick", "snare", "tom", "hat"])
        self.assertContains(self.post(f"{recording.pk}/find/"), "Listening")
        for _ in range(2):  # a job may run twice
            list(find_hits(recording.pk))
        kick, snare, tom, hat = recording.tracks.all()
        self.assertEqual([len(kick.taken()), len(hat.taken())], [10, 40])
        self.assertLess(len(tom.taken()), 2)
        before = len(snare.taken())
        self.post(f"{recording.pk}/tracks/{snare.pk}/", softest="-20", sure="90")
        snare.refresh_from_db()
        self.assertLess(len(snare.taken()), before)
        self.assertContains(
            self.post(f"{recording.pk}/tracks/{snare.pk}/", softest="loud", sure="50"), "softest hit", status_code=422
        )
        pads = {pad.kind: pad.pk for pad in self.kit.pads.all()}
        answer = self.post(
            f"{recording.pk}/make/", **{f"pad-{kick.pk}": pads["kick"], f"pad-{hat.pk}": pads["closed_hat"]}
        )
        part = Part.objects.latest("pk")
        self.assertIn(f"part={part.pk}", answer.headers["HX-Location"])
        value = part_value(part)
        self.assertEqual({event.note for event in value.note_ons}, {56, 62})
        times = sorted(round(hit[0] * 48_000) for track in (kick, hat) for hit in track.taken())
        self.assertEqual([hit.frame for hit in value.hits(48_000)], times, "exact to the frame")
        self.assertContains(self.post(f"{recording.pk}/make/"), "No hit is left", status_code=422)
        self.post(f"{recording.pk}/forget/")
        self.assertFalse(recording.folder.exists())

    def test_what_is_no_recording_is_refused_whole_and_leaves_nothing(self):
        good = self.tracks[0]
        for files, words in (
            ([], "1 to 16 tracks"),
            ([wave(good.read(0, 5000), good.rate_hz, "a.wav"), SimpleUploadedFile("b.wav", b"RIFFnonsense")], "b.wav: It is not a sound file"),
            ([wave(np.zeros((3, 900), np.float32), 48_000, "many.wav")], "many.wav: It has 3 channels"),
        ):  # fmt: skip
            self.assertContains(self.post("new/", tracks=files), words, status_code=422)
        self.assertEqual(Recording.objects.count(), 0)
        self.assertEqual([path for path in (settings.DATA / "recordings").glob("*") if path.is_dir()], [])
