"""Kits as files: taken away as a package, opened on another machine exactly as they were."""

import io
import json
import shutil
import zipfile
from importlib import import_module
from unittest.mock import patch

from django.apps import apps
from django.conf import settings
from django.test import TransactionTestCase

from dactyl.core.formats.package import portable
from dactyl.core.formats.values import to_json
from dactyl.core.play.compile import compile_kit
from dactyl.core.tests.test_soundfonts import font
from dactyl.jobs.models import Job
from dactyl.jobs.run import latest, run_job
from dactyl.kit_files.queries import FONT
from dactyl.kit_files.tasks import open_kit_file
from dactyl.kits import edits, queries
from dactyl.kits.edits.samples import NewPad, NewTake
from dactyl.kits.models import Kit, KitFile, Take
from dactyl.kits.tests.test_edits import version
from dactyl.kits.values import kit_value
from dactyl.shelf.models import Sample
from dactyl.shelf.store import incoming_folder, sweep
from dactyl.shelf.tests.sounds import hit, shelf_of, sound_bytes, zipped


def rich_kit() -> Kit:
    """A kit that uses every kind of row a package has to hold."""
    close, far = shelf_of([-24.0, -12.0, -6.0]), shelf_of([-30.0, -20.0, -12.0], name="far")
    kit = edits.kits.create_kit("Salt & Ferry", pads=0)
    recordings = [NewTake.of({"close": one, "overhead": other}) for one, other in zip(close, far, strict=True)]
    new = [
        NewPad("Snare", "snare", [recordings[:1], recordings[1:]], [70, 127]),
        NewPad("Hat open", "open_hat", [recordings[2:]], [127]),
        NewPad("Hat closed", "closed_hat", [recordings[:1]], [127]),
    ]
    edits.samples.apply_proposal(kit, version(kit), new, None)
    snare, hat_open, hat_closed = kit.pads.select_related("piece", "kit").order_by("position")

    def edit(function, *args, **named):
        head, *rest = args
        function(head, version(kit), *rest, **named)

    edit(edits.pads.set_fields, [snare], {
        "gain_db": -3.5, "pan": 20.0, "crossfade": 12, "rotation": "no_repeat", "tune_cents": -130.0,
        "attack_ms": 2.0, "hold_ms": 40.0, "decay_ms": 300.0, "sustain": 0.25, "filter_kind": "low",
        "cutoff_hz": 4000.0, "filter_octaves": 2.0, "weight_db": 3.0, "snap_db": -2.0, "vary_tune_cents": 8.0,
        "curve_points": [[1, 9], [64, 80], [127, 127]], "root": 40, "cents_per_key": 100.0, "is_held": True,
    })  # fmt: skip
    edit(edits.pads.set_notes, snare, [38, 39, 40])
    edit(edits.pads.choke_pads, [hat_open, hat_closed], "H")
    edit(edits.pads.set_mute_groups, [hat_closed], "silences", [4, 5])
    edit(edits.pads.set_mute_groups, [hat_open], "silenced_by", [4])
    edit(edits.pads.set_companion, snare, hat_open, 0.3)
    edit(edits.pads.route_pads, [snare], "Snare bus")
    edit(edits.outputs.route_mic, kit.mics.get(name="overhead"), "Air")
    edits.outputs.set_piece_mic(snare.piece, kit.mics.get(name="overhead"), version(kit), {"gain_db": -4.0})
    for said in ({"is_flipped": True}, {"way": "", "pan": -30.0}):
        edits.outputs.set_piece_mic(snare.piece, kit.mics.get(name="overhead"), version(kit), said)
    edits.outputs.set_piece_mic(
        hat_open.piece, kit.mics.get(name="overhead"), version(kit), {"way": "follows", "pan": None}
    )
    take = Take.objects.select_related("layer__pad__piece", "layer__pad__kit").filter(layer__pad=snare).first()
    edit(edits.takes.set_fields, [take], {"gain_db": 2.0, "is_reversed": True, "fade_out_ms": 9.0, "is_flipped": True})
    return kit


class Files(TransactionTestCase):
    def open(self, name: str, data: bytes) -> KitFile:
        upload = io.BytesIO(data)
        upload.name = name
        answer = self.client.post("/kits/files/open/", {"file": upload})
        self.assertContains(answer, "Opening")
        row = KitFile.objects.order_by("-pk")[0]
        run_job.func(row.job_id)
        row.refresh_from_db()
        return row

    def package(self, kit: Kit) -> bytes:
        return b"".join(self.client.get(f"/kits/{kit.pk}/package/").streaming_content)

    def test_a_package_opens_elsewhere_exactly_as_it_was(self):
        kit = rich_kit()
        value = portable(kit_value(kit.pk))
        data = self.package(kit)
        kit.delete()
        Sample.objects.all().delete()
        shutil.rmtree(settings.DATA / "samples")
        opened = self.open("ferry.zip", data)
        self.assertEqual(opened.notes, [])
        self.assertEqual(to_json(portable(kit_value(opened.kit_id))), to_json(value))
        self.assertEqual(compile_kit(portable(kit_value(opened.kit_id)), 48_000), compile_kit(value, 48_000))
        self.assertEqual(self.package(opened.kit), data, "equal kits give equal bytes")

    def test_what_the_sfz_cannot_hold_is_listed_before(self):
        kit = rich_kit()
        about = self.client.get(f"/kits/{kit.pk}/package/about/")
        for words in ("6 samples", "variation", "weight and snap", "sound along"):
            self.assertContains(about, words)

    def test_a_zip_of_an_sfz_opens_with_what_will_differ(self):
        text = "<region> sample=Deep\\thud.wav key=36\n<region> sample=gone.wav key=38\n<region> sample=Deep/thud.wav key=40 sustain_sw=3\n"
        opened = self.open("Harbour.zip", zipped({"set/h.sfz": text.encode(), "set/Deep/thud.wav": sound_bytes(hit())}))
        self.assertEqual(opened.kit.name, "h")
        self.assertEqual([pad.notes.get().note for pad in opened.kit.pads.all()], [36, 40])
        self.assertEqual(opened.kit.pads.first().kind, "kick")
        notes = " ".join(opened.notes)
        for words in ("gone.wav", "h.sfz, line 2", "sustain_sw"):
            self.assertIn(words, notes)

    def test_a_kit_goes_out_as_a_soundfont_and_every_preset_of_one_comes_in_as_a_kit(self):
        kit = rich_kit()
        about = self.client.get(f"/kits/{kit.pk}/package/about/")
        self.assertContains(about, "of several takes the first of each layer is kept")
        self.assertContains(self.client.get(f"/kits/{kit.pk}/soundfont/"), "Write it again", status_code=422)
        self.assertContains(self.client.post(f"/kits/{kit.pk}/soundfont/write/"), "Writing")
        job = latest(FONT, kit.pk)
        run_job.func(job.pk)
        sweep()
        self.assertContains(self.client.get(f"/kits/{kit.pk}/soundfont/about/"), "Download SoundFont")
        data = b"".join(self.client.get(f"/kits/{kit.pk}/soundfont/").streaming_content)
        self.client.post(f"/kits/{kit.pk}/rename/", {"value": "Ferry"}, headers={"X-Kit-Version": str(version(kit))})
        self.assertContains(self.client.get(f"/kits/{kit.pk}/soundfont/about/"), "Write SoundFont")
        opened = self.open("Harbour.sf2", data)
        notes = [set(pad.notes) for pad in queries.pad_notes(kit) if pad.notes]
        self.assertEqual([set(pad.notes) for pad in queries.pad_notes(opened.kit) if pad.notes], sorted(notes, key=min))
        opened = self.open("Two.sf2", font())
        self.assertEqual((opened.kit, opened.choices), (None, ["Dry", "Room"]))
        sweep()
        self.assertContains(self.client.get("/"), "Which shall be opened?")
        choose = f"/kits/files/{opened.pk}/choose/"
        self.assertContains(self.client.post(choose, {}), "Choose one, or open all", status_code=422)
        self.client.post(choose, {"kit": "1"})
        opened.refresh_from_db()
        run_job.func(opened.job_id)
        opened.refresh_from_db()
        self.assertEqual((opened.kit.name, opened.stored_as, opened.became), ("Room", "", "3 pads, 3 samples"))
        all_of_it = self.open("Two.sf2", font())
        self.client.post(f"/kits/files/{all_of_it.pk}/choose/", {"all": "1"})
        all_of_it.refresh_from_db()
        run_job.func(all_of_it.job_id)
        self.assertEqual(
            sorted(Kit.objects.filter(name__in=["Dry", "Room"]).values_list("name", flat=True)), ["Dry", "Room", "Room"]
        )
        refused = self.open("Cut.sf2", data[:3000])
        self.assertIn("damaged", refused.job.problem)

    def test_a_file_that_was_not_opened_outlives_a_stop_a_full_disk_and_the_next_start(self):
        """By a start while it waits, a stop while it is being opened, and a disk that is full: then it is opened after all."""
        name = "Harbour.zip"
        upload = io.BytesIO(self.package(rich_kit()))
        upload.name = name
        self.client.post("/kits/files/open/", {"file": upload})
        row = KitFile.objects.latest("pk")
        sweep()
        steps = open_kit_file(row.pk)
        next(steps)
        self.assertTrue((incoming_folder() / f"kit-{row.pk}").is_dir())
        steps.close()
        with (
            patch("dactyl.shelf.edits.take_in", side_effect=OSError(28, "No space left on device")),
            self.assertLogs("dactyl.jobs"),
        ):
            run_job.func(row.job_id)
        sweep()
        home = self.client.get("/")
        self.assertContains(home, "The disk refused: No space left on device. Make room, then try again.")
        self.assertContains(home, f"<strong>{name}</strong> is still here.")
        self.client.post(f"/kits/files/{row.pk}/again/")
        row.refresh_from_db()
        run_job.func(row.job_id)
        row.refresh_from_db()
        self.assertEqual((row.kit.name, row.stored_as), ("Salt & Ferry", ""))
        sweep()
        self.assertEqual(list(incoming_folder().iterdir()), [])

    def test_files_that_were_refused_before_rows_let_go_of_them_are_not_offered_again(self):
        ended = Job.objects.create(work="w", subject_id=1, queue="imports", state=Job.State.FAILED)
        waits = Job.objects.create(work="w", subject_id=1, queue="imports")
        rows = [KitFile.objects.create(name="A.zip", stored_as="a", job=job) for job in (ended, None, waits)]
        import_module("dactyl.kits.migrations.0017_files_let_go").let_go(apps, None)
        self.assertEqual([KitFile.objects.get(pk=row.pk).stored_as for row in rows], ["", "", "a"])

    def test_a_file_that_is_left_out_is_let_go(self):
        upload = io.BytesIO(self.package(rich_kit()))
        upload.name = "Left.zip"
        before = set(incoming_folder().iterdir())
        self.client.post("/kits/files/open/", {"file": upload})
        row = KitFile.objects.latest("pk")
        self.client.post(f"/kits/files/{row.pk}/leave/")
        run_job.func(row.job_id)
        row.refresh_from_db()
        self.assertEqual((row.kit, row.job.state, set(incoming_folder().iterdir())), (None, "cancelled", before))

    def test_files_that_are_no_kit_are_refused_and_nothing_stays(self):
        package = self.package(rich_kit())
        described = json.loads(zipfile.ZipFile(io.BytesIO(package)).read("kit.json"))
        samples, kits, incoming = Sample.objects.count(), Kit.objects.count(), set(incoming_folder().iterdir())
        table = [
            (b"PK not really", "damaged or cut short"),
            (zipped({"readme.txt": b"hello"}), "holds no .sfz file"),
            (zipped({"kit.json": b"{"}), "This is not JSON"),
            (zipped({"kit.json": json.dumps(described).encode()}), "is missing"),
            (zipped({"kit.sfz": b"<region> sample=../../etc/passwd key=36"}), "can be played"),
        ]
        for data, words in table:
            with self.subTest(words):
                opened = self.open("bad.zip", data)
                self.assertIsNone(opened.kit_id)
                self.assertIn(words, opened.job.problem)
                self.assertNotIn("Traceback", opened.job.problem)
        self.assertEqual((Sample.objects.count(), Kit.objects.count()), (samples, kits))
        self.assertEqual(set(incoming_folder().iterdir()), incoming)
