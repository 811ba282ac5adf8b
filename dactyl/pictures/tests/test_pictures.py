"""The pictures beside the sheet: dots of the matrix make and leave groups, pieces stand where they are put."""

from dactyl.core.cuts import cuts_of
from dactyl.core.tests.cases import cases
from dactyl.history.edits import undo
from dactyl.kits import edits, queries
from dactyl.kits.models import Kit, Pad
from dactyl.kits.tests.test_edits import KitCase, version
from dactyl.kits.values import kit_value
from dactyl.pictures.plan import drawn_at


class Pictures(KitCase):
    def setUp(self):
        self.pads = list(self.kit.pads.select_related("piece", "kit")[:4])
        for pad, (name, kind) in zip(self.pads, (("Hat closed", "closed_hat"), ("Hat open", "open_hat"), ("Crash", "crash"), ("Crash grab", "crash")), strict=True):  # fmt: skip
            self.give(pad)
            edits.pads.set_piece(self.fresh(pad.pk), version(self.kit), "name", name)
            edits.pads.set_fields([self.fresh(pad.pk)], version(self.kit), {"kind": kind})

    def fresh(self, pk: int | None = None) -> Pad:
        pad = super().fresh(pk)
        pad.kit = Kit.objects.get(pk=self.kit.pk)
        return pad

    def post(self, path: str, view: str = "cuts", **values):
        headers = {"X-Kit-Version": str(version(self.kit)), "X-View": view, "HX-Request": "true"}
        return self.client.post(f"/kits/{self.kit.pk}/{path}", values, headers=headers)

    def pairs(self) -> set[tuple[str, str]]:
        names = {pad.id: pad.name for pad in queries.pad_cuts(self.kit)}
        return {(names[cut.by], names[cut.of]) for cut in cuts_of(queries.pad_cuts(self.kit))}

    def test_pieces_are_drawn_where_the_cases_say_which_the_page_reads_too(self):
        self.assertEqual(
            [[place, list(drawn_at(*place))] for place, _ in cases("plan")["drawn"]], cases("plan")["drawn"]
        )

    def test_a_dot_makes_the_group_it_needs_and_takes_it_away(self):
        closed, opened, crash, grab = (pad.pk for pad in self.pads)
        self.assertContains(self.post(f"pads/{grab}/cuts/{crash}/"), "Crash grab cuts Crash")
        self.post(f"pads/{closed}/cuts/{opened}/", both="1")
        self.post(f"pads/{crash}/cuts/{crash}/")
        wanted = {("Crash grab", "Crash"), ("Hat closed", "Hat open"), ("Hat open", "Hat closed"), ("Crash", "Crash")}
        self.assertEqual(self.pairs(), wanted)
        refused = self.post(f"pads/{closed}/cuts/{grab}/")
        self.assertNotContains(refused, "different", status_code=200)
        self.assertContains(self.post(f"pads/{grab}/cuts/{grab}/"), "cuts itself")
        for path in (f"pads/{grab}/cuts/{crash}/", f"pads/{closed}/cuts/{grab}/", f"pads/{opened}/cuts/{closed}/"):
            self.post(path)
        left = {("Crash", "Crash"), ("Crash grab", "Crash grab"), ("Hat closed", "Hat open")}
        self.assertEqual(self.pairs(), left, "a dot takes no other along")

    def test_a_pad_stands_in_several_mute_groups(self):
        closed, opened, crash, grab = (pad.pk for pad in self.pads)
        self.assertContains(self.post(f"pads/{grab}/set/silences/", "kit", value="1, 3"), "silences mute group 1, 3")
        self.post(f"pads/{crash}/set/silenced_by/", "kit", value="1")
        self.post(f"pads/{opened}/set/silenced_by/", "kit", value="3 7")
        self.post(f"pads/{closed}/set/silences/", "kit", value="7")
        self.post("cuts/mute/7/fade/", value="25")
        wanted = {("Crash grab", "Crash"), ("Crash grab", "Hat open"), ("Hat closed", "Hat open")}
        self.assertEqual(self.pairs(), wanted)
        value = kit_value(self.kit.pk)
        self.assertEqual(
            [[(group.number, group.fade_ms) for group in pad.silenced_by] for _, pad in [*value.pads()][:4]],
            [[], [(3, 8.0), (7, 25.0)], [(1, 8.0)], []],
        )
        refused = self.post(f"pads/{grab}/set/silenced_by/", "kit", value="3")
        self.assertContains(refused, "both silence mute group 3", status_code=422)
        self.post(f"pads/{grab}/cuts/{opened}/")
        self.assertEqual(self.pairs(), wanted - {("Crash grab", "Hat open")})
        undo(self.kit, version(self.kit))
        self.assertEqual(kit_value(self.kit.pk), value)

    def test_hats_and_grabs_are_set_up_from_nothing_in_one_edit(self):
        page = self.client.get(f"/kits/{self.kit.pk}/cuts/", headers={"HX-Request": "true"})
        self.assertContains(page, "Hat closed and Hat open cut each other")
        edits.pads.join_piece(self.fresh(self.pads[3].pk), version(self.kit), "Crash")
        self.post("cuts/usual/")
        self.assertEqual(
            self.pairs(), {("Hat closed", "Hat open"), ("Hat open", "Hat closed"), ("Crash grab", "Crash")}
        )
        undo(self.kit, version(self.kit))
        self.assertEqual(self.pairs(), set())

    def test_pieces_are_ordered_by_kind_and_coloured(self):
        for pad, kind in zip(self.pads, ("crash", "closed_hat", "kick", "snare"), strict=True):
            edits.pads.set_fields([self.fresh(pad.pk)], version(self.kit), {"kind": kind})
        before = [pad.full_name for pad in self.kit.pads.select_related("piece")]
        self.post("pads/by-kind/", "kit")
        order = [pad.kind for pad in self.kit.pads.all()][:4]
        self.assertEqual(order, ["kick", "snare", "closed_hat", "crash"])
        undo(self.kit, version(self.kit))
        self.assertEqual([pad.full_name for pad in self.kit.pads.select_related("piece")], before)
        self.assertContains(
            self.post(f"pads/{self.pads[0].pk}/set/piece_colour/", "kit", value="C"), 'class="colour-letter'
        )
        self.assertContains(
            self.post(f"pads/{self.pads[0].pk}/set/piece_colour/", "kit", value="pink"), "pink", status_code=422
        )

    def test_what_sounds_along_is_levelled_together(self):
        first, second, *_ = self.pads
        self.assertContains(self.post("cuts/links/", value="50"), "Nothing sounds along yet", status_code=422)
        self.post(f"pads/{first.pk}/companions/{second.pk}/", value="0.8")
        self.post("cuts/links/", value="50")
        self.assertEqual(list(first.companions.values_list("strength", flat=True)), [0.4])

    def test_a_piece_stands_where_it_is_put_and_its_pan_follows_from_both_sides(self):
        piece = self.pads[2].piece
        self.assertContains(self.post(f"pieces/{piece.pk}/place/", "plan", x="-50", y="20", pan="player"), "pan −35")
        self.post(f"pieces/{piece.pk}/place/", "plan", x="-50", y="30", pan="audience")
        piece.refresh_from_db()
        self.assertEqual((piece.place_x, piece.place_y, piece.pan), (-50, 30, 35))
        self.post(f"pieces/{piece.pk}/place/", "plan", x="10", y="30")
        self.assertContains(
            self.post(f"pieces/{piece.pk}/place/", "plan", x="900", y="0"), "Place across", status_code=422
        )
        picture = self.client.get(f"/kits/{self.kit.pk}/plan.svg")
        self.assertEqual(picture["Content-Type"], "image/svg+xml")
        self.assertContains(picture, "Hat closed")
        self.assertNotContains(picture, "data-pads")
        self.post("plan/usual/", "plan")
        piece.refresh_from_db()
        self.assertEqual((piece.place_x, piece.pan), (None, 35))
