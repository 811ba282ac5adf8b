"""A set of kits is flipped through: each answers the part's notes as its own kit meets them, and leaves nothing changed."""

from dactyl.core.maps.notes import PadNotes
from dactyl.core.maps.translate import meeting
from dactyl.kits import edits
from dactyl.kits.models import Kit, Pad
from dactyl.kits.tests.test_edits import KitCase, recordings, version
from dactyl.sets import edits as set_edits
from dactyl.sets.models import KitSet


def pads(*rows: tuple[int, str, str, tuple[int, ...]]) -> list[PadNotes]:
    return [PadNotes(id=id, name=name, kind=kind, notes=notes) for id, name, kind, notes in rows]


class Sets(KitCase):
    def setUp(self):
        self.give()
        edits.pads.set_notes(self.fresh(), version(self.kit), [38])
        self.other = edits.kits.create_kit("Hall")
        pad = self.other.pads.select_related("piece", "kit").first()
        edits.samples.give_samples(pad, version(self.other), recordings(self.samples[4:]), "layers", replace=True, layers=None)  # fmt: skip
        self.theirs = Pad.objects.select_related("piece", "kit").get(pk=pad.pk)
        for kit, of in ((self.kit, self.fresh()), (self.other, self.theirs)):
            edits.pads.set_fields([of], version(kit), {"kind": "snare"})
        edits.pads.set_notes(Pad.objects.select_related("piece", "kit").get(pk=pad.pk), version(self.other), [60])

    def test_kits_meet_on_notes_else_by_kind_and_their_own_stay(self):
        ours = pads((1, "Kick", "kick", (36,)), (2, "Snare", "snare", (38,)), (3, "Bell", "ride_bell", (53,)))
        theirs = pads((11, "Boom", "kick", (36,)), (12, "Crack", "snare", (60,)), (13, "Drop", "low_tom", (38,)))
        self.assertEqual(meeting(ours, theirs), {36: (11,), 38: (12,), 60: (12,)})

    def test_another_kit_is_heard_through_this_ones_notes_and_its_own_desk(self):
        before = [version(self.kit), version(self.other)]
        book = self.client.get(f"/kits/{self.kit.pk}/flipped/{self.other.pk}/48000/").json()
        self.assertEqual(book["notes"]["38"], [self.theirs.pk])
        self.assertEqual(book["lights"], {str(self.theirs.pk): self.pad.pk})
        (own,) = self.client.get(f"/kits/{self.other.pk}/playbook/48000/").json()["members"]
        del own["outputs"][0]["key"]
        self.assertEqual((book["outputs"], book["pads"]), (own["outputs"], own["pads"]))
        self.assertEqual([version(self.kit), version(self.other)], before, "flipping marks nothing as changed")

    def test_a_set_is_ordered_named_and_its_kits_stay(self):
        page = f"/kits/{self.kit.pk}/sets/"
        self.assertContains(self.client.post(f"{page}new/", {"name": "House"}), "House")
        (row,) = KitSet.objects.all()
        for what, kit in (("add", self.other), ("add", self.other), ("up", self.other)):
            self.client.post(f"{page}{row.pk}/{what}/", {"kit": str(kit.pk)})
        self.assertEqual(self.client.get(f"/kits/sets/{row.pk}/").json()["kits"], [[self.other.pk, "Hall"], [self.kit.pk, "Test kit"]])  # fmt: skip
        self.client.post(f"{page}{row.pk}/out/", {"kit": str(self.other.pk)})
        self.assertEqual(row.places.count(), 1)
        self.assertEqual(self.client.post(f"{page}{row.pk}/add/", {"kit": "0"}).status_code, 422)
        self.client.post(f"{page}{row.pk}/delete/")
        self.assertEqual((KitSet.objects.count(), Kit.objects.count()), (0, 2))

    def test_pages_that_saw_the_same_order_add_to_what_is_there(self):
        first = set_edits.new_set("House", self.kit)
        second = KitSet.objects.get()
        another = edits.kits.create_kit("Quay", pads=1)
        list(first.places.all()), list(second.places.all())
        set_edits.add_kit(first, self.other)
        set_edits.add_kit(second, another)
        set_edits.move_kit(first, another, -2)
        order = list(KitSet.objects.get().places.values_list("kit", flat=True))
        self.assertEqual(order, [another.pk, self.kit.pk, self.other.pk])
