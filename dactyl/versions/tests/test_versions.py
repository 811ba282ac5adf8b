"""Versions: a kit kept whole, compared in sentences, gone back to with one undo, opened as a kit of its own."""

from django.db import connection

from dactyl.core.maps.surfaces import SurfaceGrid
from dactyl.kits import edits
from dactyl.kits.models import DeviceUse, Kit, Mic, Surface, Version
from dactyl.kits.tests.test_edits import KitCase, dump, version
from dactyl.kits.values import whole_kit_value
from dactyl.maps import edits as map_edits
from dactyl.maps.ways import translated_notes
from dactyl.shelf.models import Sample
from dactyl.versions import edits as version_edits


class Versions(KitCase):
    def setUp(self):
        self.give()
        map_edits.surfaces.add_surface(self.kit, version(self.kit), "Hands", SurfaceGrid(4, 4), is_filled=True)

    def post(self, path: str, **values: str):
        headers = {"X-Kit-Version": str(version(self.kit)), "X-View": "history", "HX-Request": "true"}
        return self.client.post(f"/kits/{self.kit.pk}/versions/{path}", values, headers=headers)

    def test_a_version_is_kept_compared_gone_back_to_and_undone(self):
        self.assertContains(self.post("keep/", name="First rehearsal"), "First rehearsal")
        kept = Version.objects.get()
        before = whole_kit_value(self.kit.pk)
        pads = [self.fresh()]
        edits.pads.set_fields(pads, version(self.kit), {"gain_db": -3.0, "rotation": "random"})
        edits.pads.route_pads([self.fresh()], version(self.kit), "Snare bus")
        layers = list(self.pad.layers.all())
        edits.layers.set_border(layers[0], version(self.kit), layers[0].high + 7)
        edits.pads.set_notes(self.fresh(), version(self.kit), [99])
        compared = self.client.get(f"/kits/{self.kit.pk}/versions/{kept.pk}/compared/").content.decode()
        for words in ("Output Snare bus is new", "level 0.0 dB → −3.0 dB", "order of takes in turn → random",
                      "output Main → Snare bus", f"border {layers[0].high - 7} → {layers[0].high}", "· 99"):  # fmt: skip
            self.assertIn(words, compared)
        changed = dump(self.kit)
        self.assertContains(self.post(f"{kept.pk}/back/"), "Gone back to First rehearsal")
        after = whole_kit_value(self.kit.pk)
        self.assertEqual([(p.name, after.notes().get(p.id), [x.high for x in p.layers]) for _, p in after.pads()],
                         [(p.name, before.notes().get(p.id), [x.high for x in p.layers]) for _, p in before.pads()])  # fmt: skip
        self.assertEqual([(s.name, len(s.cells)) for s in after.surfaces], [("Hands", 1)])
        self.assertEqual([output.name for output in after.outputs], ["Main"])
        self.client.post(f"/kits/{self.kit.pk}/undo/", headers={"X-Kit-Version": str(version(self.kit))})
        self.assertEqual(dump(self.kit), changed)

    def test_what_points_to_a_kit_finds_it_again_and_what_came_later_goes(self):
        edits.pads.choke_pads([self.fresh()], version(self.kit), "A")
        edits.pads.set_notes(self.pad, version(self.kit), [70])
        headers = {"X-Kit-Version": str(version(self.kit)), "X-View": "translations", "HX-Request": "true"}
        self.client.post(f"/kits/{self.kit.pk}/map/translations/propose/", {"source": "standard"}, headers=headers)
        hands = Surface.objects.get()
        DeviceUse.objects.create(kit=self.kit, device_id=5, surface=hands)
        self.post("keep/", name="")
        kept, translated = Version.objects.get(), translated_notes(self.kit, "standard")
        self.assertTrue(translated)
        edits.pads.set_choke_fade(self.fresh(), version(self.kit), 90.0)
        edits.outputs.add_mic(self.kit, version(self.kit), "Street")
        edits.outputs.route_mic(Mic.objects.get(name="Street"), version(self.kit), "Rooms")
        changed = dump(self.kit)
        for _ in range(2):  # from the version itself nothing moves either
            self.assertContains(self.post(f"{kept.pk}/back/"), "Gone back to")
            connection.check_constraints()
            self.assertEqual(whole_kit_value(self.kit.pk), version_edits.value_of(kept))
        self.assertEqual(
            (self.fresh().choke.fade_ms, self.kit.mics.filter(name="Street").count(), self.kit.outputs.count()),
            (8.0, 0, 1),
        )
        self.assertEqual(DeviceUse.objects.get().surface.name, "Hands")
        self.assertEqual(translated_notes(self.kit, "standard"), translated)
        for _ in range(2):
            self.client.post(f"/kits/{self.kit.pk}/undo/", headers={"X-Kit-Version": str(version(self.kit))})
        self.assertEqual(dump(self.kit), changed)
        edits.pads.delete_pads([self.fresh()], version(self.kit))
        self.post(f"{kept.pk}/back/")
        self.assertEqual(whole_kit_value(self.kit.pk), version_edits.value_of(kept))

    def test_a_version_opens_as_a_kit_and_keeps_its_samples(self):
        self.post("keep/", name="")
        self.post("keep/", name="")
        first = Version.objects.get(number=1)
        self.assertContains(
            self.client.get(f"/kits/{self.kit.pk}/versions/{first.pk}/compared/?with={first.pk + 1}"), "Nothing differs"
        )
        answer = self.post(f"{first.pk}/open/")
        made = Kit.objects.latest("pk")
        self.assertIn(f"/kits/{made.pk}/", answer.headers["Location"])
        self.assertEqual(made.pads.filter(layers__isnull=False).distinct().count(), 1)
        samples = list(Sample.objects.filter(uses__isnull=False).distinct().values_list("pk", flat=True))
        self.client.post(
            f"/kits/{self.kit.pk}/pads/{self.pad.pk}/delete/", headers={"X-Kit-Version": str(version(self.kit))}
        )
        for kit in Kit.objects.exclude(pk=self.kit.pk):
            kit.delete()
        self.kit.journal.revisions.all().delete()
        self.assertEqual(edits.shelf.delete_unused(samples), (0, len(samples)), "a version plays them")
        self.post(f"{first.pk}/delete/")
        self.post(f"{first.pk + 1}/delete/")
        self.assertEqual(edits.shelf.delete_unused(samples)[1], 0)
