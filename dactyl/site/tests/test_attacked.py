"""Files and requests that were made to break things: each ends in a sentence, in the application and on the shell."""

import contextlib
import io
import json
import os
import struct
import tempfile
from pathlib import Path
from unittest.mock import patch

import numpy as np
import soundfile
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError
from django.test import TestCase

from dactyl.cli import main
from dactyl.core.errors import AudioError, DactylError, KitFileError
from dactyl.core.formats.unzip import unzip
from dactyl.core.hits.tracks import opened
from dactyl.core.maps.notes import PadNotes, as_csv, read_csv
from dactyl.core.parts.part import Event, Part
from dactyl.core.wave.read import read_sound
from dactyl.jobs.models import Job
from dactyl.jobs.run import run_job
from dactyl.kits import edits
from dactyl.kits.models import KitFile
from dactyl.kits.tests.test_edits import version
from dactyl.parts.edits import add_part
from dactyl.parts.models import Part as PartRow
from dactyl.shelf import store
from dactyl.shelf.models import ImportFile, Sample
from dactyl.shelf.tests.sounds import bring_in, hit, sound_bytes, zipped


def nameless() -> bytes:
    """A zip with a member whose name ends before it begins."""
    return zipped({"Kit/a.wav": sound_bytes(hit()), "zeb.wav": sound_bytes(hit())}).replace(b"zeb.wav", b"\0eb.wav")


def shifted(by: int) -> bytes:
    """A zip whose directory is not where it says."""
    whole = zipped({"Snare.wav": sound_bytes(hit()), "Kick.wav": sound_bytes(hit(seed=2))})
    at = struct.unpack("<I", whole[-6:-2])[0]
    return whole[:-6] + struct.pack("<I", (at + by) % (1 << 32)) + whole[-2:]


def surrogate_hash() -> bytes:
    """A kit package with half a character in the place of a hash."""
    described = {"format": "dactyl-kit", "version": 3, "kit": {"name": "Quay", "pieces": [{"pads": [{"id": 1, "layers": [
        {"id": 2, "low": 1, "high": 127, "takes": [{"id": 3, "samples": [["close", {"sha256": "\ud800" * 64, "frames": 9, "rate_hz": 48000, "channels": 1}]]}]},
    ]}]}], "mics": [{"name": "close"}]}, "samples": []}  # fmt: skip
    return zipped({"kit.json": json.dumps(described).encode()})


ZIPS = {"nameless": nameless(), "shifted": shifted(40), "shifted back": shifted(-40), "surrogate": surrogate_hash()}


def torn_mp3(dice: np.random.Generator) -> bytes:
    """An MP3 with a stretch of other bytes in it, or one cut out."""
    whole = bytearray(
        sound_bytes(np.tile(hit(seconds=1.0), (4, 1)), rate_hz=44_100, subtype="MPEG_LAYER_III", container="MP3")
    )
    at, length = int(dice.integers(200, len(whole) - 900)), int(dice.integers(20, 800))
    whole[at : at + length] = dice.bytes(length if dice.random() < 0.5 else 0)
    return bytes(whole)


@contextlib.contextmanager
def quiet():
    """What the decoder's own library writes to the process's errors is not seen."""
    kept = os.dup(2)
    with open(os.devnull, "w") as nowhere:
        os.dup2(nowhere.fileno(), 2)
    try:
        yield
    finally:
        os.dup2(kept, 2)
        os.close(kept)


class InTheApplication(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.kit = edits.kits.create_kit("Quay")

    def setUp(self):
        self.client.raise_request_exception = False

    def test_zips_that_lie_about_themselves_end_in_a_sentence_everywhere(self):
        for name, data in ZIPS.items():
            with self.subTest(name):
                batch = bring_in({"Bag.zip": data})
                self.assertFalse(batch.files.filter(state=ImportFile.State.WAITING).exists())
                self.assertTrue(any(file.reason for file in batch.files.all()))
                upload = SimpleUploadedFile("Kit.zip", data)
                self.client.post("/kits/files/open/", {"file": upload}, headers={"HX-Request": "true"})
                opened_file = KitFile.objects.latest("pk")
                for _ in range(2):
                    Job.objects.filter(pk=opened_file.job_id).update(state=Job.State.QUEUED)
                    run_job.func(opened_file.job_id)
                    job = Job.objects.get(pk=opened_file.job_id)
                    self.assertEqual(job.state, Job.State.FAILED)
                    self.assertIn("Kit.zip", job.problem)
                    self.assertNotIn(str(settings.DATA), job.problem)
                upload.seek(0)
                answer = self.client.post(f"/recordings/of/{self.kit.pk}/new/", {"tracks": upload})
                self.assertEqual(answer.status_code, 422)

    def test_numbers_that_no_float_holds_and_words_that_nobody_looks_for_are_refused(self):
        row = add_part(
            Part(name="Quay", ticks_per_beat=480, tempos=((0, 500_000),), events=(Event(0, 38, 90),), end_tick=1920)
        )
        many = int("9" * 400)
        for what, values in (
            ("edit/tempo", {"bpm": many}),
            ("edit/draw", {"events": [[many, 38, 90, 9, 0]]}),
            ("edit/nudge", {"ms": -many, "ids": [1]}),
        ):
            headers = {"X-Part-Version": str(PartRow.objects.get(pk=row.pk).version)}
            answer = self.client.post(
                f"/parts/{row.pk}/{what}/", json.dumps(values), content_type="application/json", headers=headers
            )
            self.assertEqual(answer.status_code, 422, what)
        pad = self.kit.pads.first()
        words, headers = "harbour " * 8000, {"HX-Request": "true", "X-Kit-Version": str(version(self.kit))}
        long = {"q": "x" * 60_000}
        for url in ("/shelf/samples/", "/shelf/found/", f"/kits/{self.kit.pk}/pads/{pad.pk}/swap/"):
            self.assertEqual(self.client.get(url, long | {"words": words}, headers=headers).status_code, 200, url)
        answer = self.client.post(
            f"/kits/{self.kit.pk}/pads/{pad.pk}/set/piece/", {"value": "x" * 60_000}, headers=headers
        )
        self.assertEqual(answer.status_code, 422)

    def test_huge_values_in_a_floating_point_file_are_refused_with_a_reason(self):
        loud = sound_bytes(hit() * 1e30, subtype="FLOAT")
        (file,) = bring_in({"Loud.wav": loud}).files.all()
        self.assertIn("times full scale", file.reason)
        self.assertEqual(Sample.objects.count(), 0)

    def test_where_the_disk_fills_while_a_form_is_read_it_is_said_and_nothing_is_left(self):
        full = OSError(28, "No space left on device")
        before = sorted(store.incoming_folder().iterdir())
        for at in ("write", "flush", "seek"):
            large = SimpleUploadedFile("Loop.wav", b"x" * (4 << 20))
            with self.subTest(at), patch.object(tempfile._TemporaryFileWrapper, at, side_effect=full, create=True):
                answer = self.client.post(f"/recordings/of/{self.kit.pk}/new/", {"tracks": large})
                if answer.status_code != 422:  # a step that this way of reading does not take
                    self.assertContains(answer, "The disk is full", status_code=507)
            self.assertEqual(sorted(store.incoming_folder().iterdir()), before)

    def test_a_database_that_is_busy_for_long_is_said(self):
        with patch.object(edits.kits, "create_kit", side_effect=OperationalError("database is locked")):
            self.assertContains(
                self.client.post("/kits/new/", {"name": "Quay"}), "Do it again in a moment", status_code=503
            )


class OnTheShell(TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(prefix="dactyl-attacked-")
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name)

    def run_it(self, *arguments: str) -> tuple[int, str, str]:
        said, problems = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(said), contextlib.redirect_stderr(problems):
            return main(arguments), said.getvalue(), problems.getvalue()

    def test_zips_are_unpacked_or_refused_whatever_bytes_they_hold(self):
        dice = np.random.default_rng(3)
        for number in range(400):
            data = bytearray(shifted(0))
            at = int(dice.integers(len(data)))
            data[at : at + int(dice.integers(30))] = dice.bytes(int(dice.integers(30)))
            path = self.path / f"{number}.zip"
            path.write_bytes(data)
            with contextlib.suppress(KitFileError):
                unzip(path, self.path / str(number))

    def test_tracks_that_are_damaged_within_are_heard_as_far_as_they_go_or_refused(self):
        dice, path = np.random.default_rng(4), self.path / "Kick.mp3"
        with quiet():
            for _ in range(25):
                path.write_bytes(torn_mp3(dice))
                with contextlib.suppress(DactylError), opened([(path, path.name, "kick")]) as (track,):
                    self.assertEqual(track.read(0, track.frames).shape[1], track.frames)
            code, _, problems = self.run_it("hits", str(path), "--json")
        self.assertNotIn("Traceback", problems)
        self.assertIn(code, (0, 1))

    def test_a_file_whose_name_is_no_text_is_read_and_named(self):
        path = self.path / os.fsdecode(b"Sn\xe4re.wav")
        with open(path, "wb") as file:
            file.write(sound_bytes(hit()))
        self.assertEqual(read_sound(path).channels, 1)
        code, said, problems = self.run_it("listen", str(self.path), "--json")
        self.assertEqual((code, problems), (0, ""))
        self.assertIn("Sn", json.loads(said)["file"])

    def test_values_beyond_all_sound_are_refused_by_the_reader(self):
        path = self.path / "Loud.wav"
        soundfile.write(path, np.full((400, 1), 3e38), 48_000, "FLOAT")
        with self.assertRaisesRegex(AudioError, "times full scale"):
            read_sound(path)

    def test_lists_of_notes_are_text_to_a_spreadsheet_and_read_back_as_they_were(self):
        names = ("=HYPERLINK(1)", "+1", "-1", "@x", "'quoted", "Snare")
        pads = [PadNotes(id=n, name=name, kind="other", notes=(36 + n,)) for n, name in enumerate(names)]
        written = as_csv(pads)
        cells = [line.split(",")[2] for line in written.splitlines()[1:]]
        self.assertFalse([cell for cell in cells if cell.startswith(("=", "+", "-", "@"))])
        self.assertEqual(
            {pad.name: pad.notes for pad in read_csv(written.encode(), "n.csv")}, {p.name: p.notes for p in pads}
        )
        for number, note in (("000036", 36), ("0", 0), ("127", 127), ("000199", None), ("1" * 5004, None), ("²", None)):
            line = f"note,pad\n{number},Kick\n".encode()
            if note is None:
                with self.assertRaisesRegex(KitFileError, "line 2"):
                    read_csv(line, "n.csv")
            else:
                self.assertEqual(read_csv(line, "n.csv")[0].notes, (note,))
