"""Another drum in the place of a piece is one edit with one undo; pieces come from other kits and go to them."""

from dactyl.core import kit as core
from dactyl.core.bounce.render import voices_of
from dactyl.core.parts.part import Hit
from dactyl.core.play.compile import compile_kit
from dactyl.core.thicken import Layering, thickened
from dactyl.history import edits as history
from dactyl.kits import edits
from dactyl.kits.edits.samples import NewPad, NewTake
from dactyl.kits.models import Kit, Mic, Pad
from dactyl.kits.tests.test_edits import KitCase, recordings, version
from dactyl.kits.values import kit_value, whole_kit_value
from dactyl.shelf.models import Sample
from dactyl.shelf.tests.sounds import shelf_of
from dactyl.swaps import pieces
from dactyl.swaps.edits import add_pieces


class Swapping(KitCase):
    def setUp(self):
        self.give()
        edits.pads.set_piece(self.fresh(), version(self.kit), "name", "Snare")
        edits.pads.set_fields([self.fresh()], version(self.kit), {"kind": "snare", "gain_db": -4.0, "pan": 20.0})
        edits.pads.set_notes(self.fresh(), version(self.kit), [38])
        edits.pads.choke_pads([self.fresh()], version(self.kit), "S")
        self.other = edits.kits.create_kit("Hall")
        self.theirs = self.other.pads.select_related("piece", "kit").first()
        self.fill(self.theirs)

    def fill(self, pad: Pad):
        edits.samples.give_samples(
            pad, version(self.other), recordings(self.samples[4:]), "layers", replace=True, layers=None
        )
        edits.pads.set_piece(self.pad_of(pad), version(self.other), "name", "Brass snare")
        edits.pads.set_fields(
            [self.pad_of(pad)], version(self.other), {"kind": "snare", "dynamics": 0.3, "gain_db": 2.0}
        )
        edits.pads.choke_pads([self.pad_of(pad)], version(self.other), "S")

    def pad_of(self, pad: Pad) -> Pad:
        return Pad.objects.select_related("piece", "kit").get(pk=pad.pk)

    def post(self, to: Kit, path: str, **values):
        headers = {"X-Kit-Version": str(version(to)), "HX-Request": "true"}
        return self.client.post(f"/kits/{to.pk}/{path}", values, headers=headers)

    def value(self, kit: Kit, pad: Pad) -> core.Pad:
        return next(value for _, value in kit_value(kit.pk).pads() if value.id == pad.pk)

    def heard(self, kit: Kit, name: str) -> dict[str, tuple]:
        """What each mic of a pad's first take plays, as it is prepared."""
        table = next(table for table in compile_kit(kit_value(kit.pk), 48_000).pads if table.name == name)
        return {
            sound.mic: (r.sha256, r.start_frame, r.end_frame, r.silence_frames, r.is_reversed)
            for sound in table.regions[0].sounds
            for r in [sound.recipe]
        }

    def test_a_take_starts_where_it_did_in_a_kit_whose_mics_stand_otherwise(self):
        """Start and end count in the first sample: with a room at another rate and of another length, ahead in one kit."""
        close, room = shelf_of([-12.0], name="close"), shelf_of([-14.0], name="room")
        Sample.objects.filter(pk=room[0].pk).update(rate_hz=44_100, frames=room[0].frames - 9000)
        room[0].refresh_from_db()
        new = [
            NewPad("Stroke", "snare", [[NewTake({"close": close[0], "room": room[0]}, {"start_frame": 4608})]], [127])
        ]
        edits.samples.apply_proposal(self.other, version(self.other), new, None)
        stroke = self.other.pads.get(piece__name="Stroke")
        Mic.objects.filter(kit=self.kit, name="close").update(position=9)
        for is_reversed in (False, True):
            with self.subTest(is_reversed=is_reversed):
                take = stroke.layers.get().takes.get()
                edits.takes.set_each([(take, {"is_reversed": is_reversed})], version(self.other), "turned")
                source = kit_value(self.other.pk)
                add_pieces(self.kit, version(self.kit), source, [stroke.pk])
                copy = Pad.objects.filter(kit=self.kit, piece__name="Stroke").latest("pk")
                self.assertEqual(self.heard(self.kit, copy.full_name), self.heard(self.other, "Stroke"))
                swapped = f"{stroke.piece_id}.0.{self.pad.pk}-{stroke.pk}"
                self.post(self.kit, f"pads/{self.pad.pk}/swap/keep/", value=swapped)
                self.assertEqual(self.heard(self.kit, "Snare"), self.heard(self.other, "Stroke"))
                edits.pads.delete_pads([copy], version(self.kit))

    def test_another_pad_s_tables_come_while_a_drum_sounds_along(self):
        """A playbook of some pads holds no pad that has one along."""
        empty = self.kit.pads.filter(layers=None).first()
        along = f"0_0_0_0~{self.theirs.piece_id}.0.{self.pad.pk}-{self.theirs.pk}"
        answer = self.client.get(f"/kits/{self.kit.pk}/playbook/48000/", {"pads": empty.pk, "with": along})
        self.assertEqual([pad["id"] for pad in answer.json()["members"][0]["pads"]], [empty.pk])

    def test_a_drum_is_listed_heard_kept_and_given_back(self):
        before = self.value(self.kit, self.pad)
        page = self.client.get(f"/kits/{self.kit.pk}/pads/{self.pad.pk}/swap/", headers={"HX-Request": "true"})
        self.assertContains(page, "Brass snare")
        self.assertContains(page, f'data-pairs="{self.pad.pk}-{self.theirs.pk}"')
        said = f"{self.theirs.piece_id}.1.{self.pad.pk}-{self.theirs.pk}"
        url = f"/kits/{self.kit.pk}/playbook/48000/?pads={self.pad.pk}"
        plain, auditioned = (self.client.get(url + more).json() for more in ("", f"&swap={said}"))
        self.assertNotEqual(plain["members"][0]["pads"][0]["regions"], auditioned["members"][0]["pads"][0]["regions"])
        self.assertEqual(self.value(self.kit, self.pad), before, "nothing is changed by hearing it")
        self.assertContains(self.post(self.kit, f"pads/{self.pad.pk}/swap/keep/", value=said), "Brass snare of Hall in the place of Snare")  # fmt: skip
        after, theirs = self.value(self.kit, self.pad), self.value(self.other, self.theirs)
        self.assertEqual((after.pan, after.choke, after.name), (before.pan, before.choke, before.name))  # fmt: skip
        self.assertEqual(after.dynamics, 0.3)
        self.assertEqual([[take.samples for take in layer.takes] for layer in after.layers], [[take.samples for take in layer.takes] for layer in theirs.layers])  # fmt: skip
        ours, drum = pieces.drum_of(self.pad.piece_id), pieces.drum_of(self.theirs.piece_id)
        self.assertAlmostEqual(drum.articulations[0].hard_db, ours.articulations[0].hard_db, places=3)
        self.client.post(f"/kits/{self.kit.pk}/undo/", headers={"X-Kit-Version": str(version(self.kit))})
        self.assertEqual(self.value(self.kit, self.pad), before)
        tampered = self.post(self.kit, f"pads/{self.pad.pk}/swap/keep/", value="999.1.x")
        self.assertContains(tampered, "no longer there", status_code=422)

    def test_samples_that_are_in_no_kit_are_drums_too(self):
        rows = shelf_of([-30.0, -18.0, -6.0], name="brass")
        for n, row in enumerate(rows):
            row.name, row.folder, row.kind = f"Brass_v{n + 1}.wav", "Pack/Brass", "snare"
            row.save()
        page = self.client.get(
            f"/kits/{self.kit.pk}/pads/{self.pad.pk}/swap/?from=shelf", headers={"HX-Request": "true"}
        )
        self.assertContains(page, f'data-drum="s{rows[0].pk}"')
        self.assertNotContains(page, "Brass snare")
        said = f"s{rows[0].pk}.0.{self.pad.pk}-{rows[0].pk}"
        self.assertContains(self.post(self.kit, f"pads/{self.pad.pk}/swap/keep/", value=said), "in the place of Snare")
        after = self.value(self.kit, self.pad)
        self.assertEqual([layer.takes[0].samples[0][1].sha256 for layer in after.layers], [row.sha256 for row in rows])
        self.assertContains(self.post(self.kit, f"pads/{self.pad.pk}/swap/keep/", value="s99999.0.1-1"), "no longer there", status_code=422)  # fmt: skip

    def test_a_drum_of_the_shelf_that_was_found_by_words_is_the_one_that_is_tried_and_kept(self):
        rows = shelf_of([-30.0, -20.0, -12.0, -6.0], name="brass")
        names = ("Alder_snare_v1.wav", "Alder_snare_v2.wav", "Brass_snare_v1.wav", "Brass_snare_v2.wav")
        for row, name in zip(rows, names, strict=True):
            row.name, row.folder, row.kind = name, "Pack/All", "snare"
            row.save()
        url = f"/kits/{self.kit.pk}/pads/{self.pad.pk}/swap/?from=shelf&words="
        (found,) = self.client.get(f"{url}brass", headers={"HX-Request": "true"}).context["drums"]
        (pad,) = found["drum"].articulations
        said = f"{found['drum'].piece}.0.{self.pad.pk}-{pad.id}"
        self.assertContains(self.post(self.kit, f"pads/{self.pad.pk}/swap/keep/", value=said), "in the place of Snare")
        kept = [layer.takes[0].samples[0][1].sha256 for layer in self.value(self.kit, self.pad).layers]
        self.assertEqual(kept, [row.sha256 for row in rows[2:]])
        for row in rows[:2]:
            row.kind = "clap"
            row.save()
        (since,) = self.client.get(f"{url}alder&kind=clap", headers={"HX-Request": "true"}).context["drums"]
        self.assertEqual([one.kind for one in since["drum"].articulations], ["clap"], "as was said since")
        again = self.post(self.kit, f"pads/{self.pad.pk}/swap/keep/", value=said)
        self.assertEqual(again.status_code, 422, "its samples are in a kit now")

    def test_a_piece_of_another_kit_comes_with_a_free_note_its_groups_and_its_mics(self):
        Mic.objects.create(kit=self.other, name="hall", position=1, gain_db=-6.0)
        self.post(self.kit, "pieces/add/", piece=str(self.theirs.piece_id))
        pad = self.kit.pads.select_related("piece", "choke").order_by("-position")[0]
        added = self.value(self.kit, pad)
        self.assertEqual(
            (pad.piece.name, pad.notes.get().note, added.gain_db, pad.choke.letter), ("Brass snare", 40, 2.0, "A")
        )
        self.assertIn(("hall", -6.0), self.kit.mics.values_list("name", "gain_db"))
        self.assertContains(
            self.post(self.kit, "pieces/add/", pads=f"{self.theirs.pk},999999"), "Brass snare of Hall added"
        )
        self.assertEqual(self.kit.pieces.filter(name="Brass snare").count(), 2)
        self.assertContains(self.post(self.kit, "pieces/add/", pads=str(self.pad.pk)), "Copy it again", status_code=422)

    def test_a_piece_goes_to_another_kit_and_may_leave_this_one(self):
        answer = self.post(self.kit, f"pads/{self.pad.pk}/copy-to/", kit=str(self.other.pk), move="1")
        self.assertContains(answer, "is in Hall now")
        self.assertFalse(Pad.objects.filter(pk=self.pad.pk).exists())
        self.assertTrue(self.other.pieces.filter(name="Snare").exists())

    def test_a_stale_page_copies_nothing_into_another_kit(self):
        edits.kits.rename_kit(self.kit, version(self.kit), "Later")
        before = self.other.pads.count()
        for move in ("", "1"):
            url = f"/kits/{self.kit.pk}/pads/{self.pad.pk}/copy-to/"
            headers = {"X-Kit-Version": "1", "HX-Request": "true"}
            answer = self.client.post(url, {"kit": self.other.pk, "move": move}, headers=headers)
            self.assertContains(answer, "was not done", status_code=409)
        self.assertEqual(self.other.pads.count(), before)

    def test_a_piece_of_no_kit_goes_nowhere(self):
        self.assertContains(
            self.post(self.kit, f"pads/{self.theirs.pk}/copy-to/", kit="0"), "is no longer", status_code=409
        )

    def test_a_second_drum_under_it_is_heard_measured_kept_as_a_companion_and_undone(self):
        edits.pads.route_pads([self.fresh()], version(self.kit), "Low")
        edits.outputs.add_mic(self.other, version(self.other), "hall")
        value = f"-3_-200_1.5_1~{self.theirs.piece_id}.0.{self.pad.pk}-{self.theirs.pk}."
        tables = self.client.get(f"/kits/{self.kit.pk}/playbook/48000/", {"pads": self.pad.pk, "with": value}).json()[
            "members"
        ][0]
        self.assertEqual([len(one.get("companions", ())) for one in tables["pads"]], [1, 0])
        self.assertEqual(tables["pads"][1]["delay"], 72)
        phase = f"/kits/{self.kit.pk}/pads/{self.pad.pk}/swap/phase/"
        self.assertIn("wonDb", self.client.get(phase, {"value": value}).json())
        self.assertEqual(self.client.get(phase, {"value": "x"}).status_code, 422)
        before = whole_kit_value(self.kit.pk)
        url = f"pads/{self.pad.pk}/swap/thicken/"
        self.assertEqual(self.post(self.kit, url, value=f"0_0_9999_0~{value.partition('~')[2]}").status_code, 422)
        self.assertEqual(self.post(self.kit, url, value=value).status_code, 200)
        pairs, how = {self.pad.pk: self.theirs.pk}, Layering(-3, -200, 1.5, is_flipped=True)
        auditioned = thickened(before, kit_value(self.other.pk), pairs, how)
        hits = [Hit(0, 38, 90), Hit(4800, 38, 30), Hit(9000, 38, 127)]
        kept, heard = (
            [(v.start_frame, v.gain, v.ratio, v.fades, [(s.recipe, s.left, s.right, s.output) for s in v.sounds])
             for v in voices_of(compile_kit(kit, 48_000), hits)]
            for kit in (kit_value(self.kit.pk), auditioned)
        )  # fmt: skip
        self.assertEqual(len(kept), 6)
        self.assertEqual(kept, heard, "kept it sounds as it was auditioned")
        self.assertFalse(self.kit.mics.filter(name="hall").exists(), "no take that came was heard by it")
        history.undo(Kit.objects.get(pk=self.kit.pk), version(self.kit))
        self.assertEqual(whole_kit_value(self.kit.pk), before)
