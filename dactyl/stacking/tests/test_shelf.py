"""The shelf and the kits together: equal sounds made one, and only what nothing can bring back is deleted."""

import io

import soundfile

from dactyl.history import edits as history
from dactyl.history.queries import last_done
from dactyl.kits import edits
from dactyl.kits.models import TakeSample
from dactyl.kits.tests.test_edits import KitCase, version
from dactyl.shelf.models import Sample
from dactyl.shelf.store import sample_path
from dactyl.shelf.tests.sounds import bring_in, hit, shelf_of, sound_bytes
from dactyl.stacking.proposals import begin


class Deleting(KitCase):
    def test_only_samples_that_no_kit_history_or_proposal_names_are_deleted_with_their_files(self):
        self.give()  # self.samples, in the kit
        undone, proposed, free = shelf_of([-3.0, -6.0, -9.0], name="spare")
        take = self.pad.layers.first().takes.first()
        mic = self.kit.mics.first().pk
        edits.takes.replace_sample(take, version(self.kit), undone, mic)
        history.undo(self.kit, version(self.kit))
        begin(self.kit, [proposed, self.samples[0]], None)
        self.assertEqual(list(Sample.objects.filter(uses=None, pk=free.pk)), [free])
        everything = [str(pk) for pk in Sample.objects.values_list("pk", flat=True)]
        answer = self.client.post("/kits/samples/delete/", {"sample": everything})
        self.assertIn(f"1 sample deleted. {len(everything) - 1} stay", answer.headers["HX-Trigger"])
        self.assertFalse(Sample.objects.filter(pk=free.pk).exists() or sample_path(free.sha256).exists())
        self.assertTrue(all(sample_path(sample.sha256).exists() for sample in (undone, proposed, *self.samples)))
        history.redo(self.kit, version(self.kit))
        self.assertTrue(TakeSample.objects.filter(sample=undone).exists(), "what undo could bring back is there")


class Merging(KitCase):
    def test_equal_sounds_become_one_by_an_edit_that_can_be_undone(self):
        data = sound_bytes(hit(-6.0, seed=90))
        rows, rate_hz = soundfile.read(io.BytesIO(data))
        bring_in({"a.wav": data, "Copies/b.flac": sound_bytes(rows, rate_hz=rate_hz, container="FLAC")})
        kept, other = Sample.objects.get(name="a.wav"), Sample.objects.get(name="b.flac")
        self.give(samples=[other])
        answer = self.client.post(f"/kits/samples/{kept.pk}/instead-of/{other.pk}/")
        self.assertIn("1 kit plays it now", answer.headers["HX-Trigger"])
        self.assertEqual(list(TakeSample.objects.values_list("sample", flat=True)), [kept.pk])
        self.assertEqual([name.name for name in kept.other_names.all()], ["b.flac"])
        self.assertTrue(Sample.objects.get(pk=other.pk).is_away)
        self.assertIn("the same sound", last_done(self.kit).sentence)
        history.undo(self.kit, version(self.kit))
        self.assertEqual(list(TakeSample.objects.values_list("sample", flat=True)), [other.pk])
        refused = self.client.post(f"/kits/samples/{kept.pk}/instead-of/{self.samples[0].pk}/")
        self.assertContains(refused, "do not hold the same sound", status_code=422)
