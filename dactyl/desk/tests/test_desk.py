"""The desk as it is edited: several channels at once, groups, what goes where; each is one undo."""

import tempfile
from pathlib import Path
from unittest.mock import patch

import numpy as np
import soundfile

from dactyl.core.bounce.order import BounceOrder
from dactyl.core.bounce.sound_cache import SoundCache
from dactyl.core.bounce.stems import bounce
from dactyl.core.desk.tables import compile_desk
from dactyl.core.parts.part import Event, Part
from dactyl.core.play.compile import compile_kit
from dactyl.kits import edits, queries
from dactyl.kits.models import Kit, Mic, Output, OutputGroup, Pad, Piece
from dactyl.kits.tests.test_edits import KitCase, dump, version
from dactyl.kits.values import kit_value
from dactyl.shelf.sounds import prepared_sound
from dactyl.swaps import edits as swap_edits


class Desk(KitCase):
    def setUp(self):
        pads = list(self.kit.pads.select_related("piece", "kit")[:4])
        for pad, kind in zip(pads, ("kick", "snare", "ride", "shaker"), strict=True):
            self.give(pad)
            edits.pads.set_fields([self.fresh(pad.pk)], version(self.kit), {"kind": kind})
            Piece.objects.filter(pads=pad).update(name=kind.title())
        self.pads = pads

    def post(self, path: str, **values: str) -> tuple[int, str]:
        headers = {"X-Kit-Version": str(version(self.kit)), "HX-Request": "true", "X-View": "desk"}
        answer = self.client.post(f"/kits/{self.kit.pk}/{path}", values, headers=headers)
        return answer.status_code, answer.content.decode()

    def outputs(self, *names: str) -> list[Output]:
        rows = {row.name: row for row in Output.objects.filter(kit=self.kit)}
        return [rows[name] for name in names]

    def routed(self) -> dict[str, str]:
        return {row.name: row.output.name for row in queries.sheet_rows(self.kit) if not row.is_empty}

    def test_outputs_are_laid_out_by_kind_by_piece_and_back_each_one_undo(self):
        before = dump(self.kit)
        ways = {
            "usual": {"Kick": "Kick", "Snare": "Snare", "Ride": "Ride", "Shaker": "Rest"},
            "pieces": {name: name for name in ("Kick", "Snare", "Ride", "Shaker")},
            "pads": {name: name for name in ("Kick", "Snare", "Ride", "Shaker")},
            "main": dict.fromkeys(("Kick", "Snare", "Ride", "Shaker"), "Main"),
        }
        for way, wanted in ways.items():
            at = version(self.kit)
            self.assertEqual(self.post(f"desk/route/{way}/")[0], 200)
            self.assertEqual(self.routed(), wanted, way)
            self.assertEqual(version(self.kit), at + 1, "one edit")
        self.post("desk/route/mics/")
        self.assertTrue(all(mic.output.name == mic.name for mic in Mic.objects.filter(kit=self.kit)))
        for _ in range(5):
            self.client.post(f"/kits/{self.kit.pk}/undo/", headers={"X-Kit-Version": str(version(self.kit))})
        self.assertEqual(dump(self.kit), before)

    def mixed(self) -> np.ndarray:
        """Every pad struck, as the mix of a bounce: float32, (2, frames)."""
        book = compile_kit(kit_value(self.kit.pk), 48_000)
        part = Part(
            name="p", ticks_per_beat=480, tempos=((0, 500_000),), end_tick=1920,
            events=tuple(Event(100 * n, note, 90) for n, note in enumerate(sorted(book.notes))),
        )  # fmt: skip
        with tempfile.TemporaryDirectory() as folder:
            order = BounceOrder(bits="32f")
            *_, last = bounce(book, part, Path(folder), order, load_sound=SoundCache(prepared_sound, 1 << 24))
            return soundfile.read(Path(folder) / last.stems[-1].file)[0]

    def test_laying_out_the_outputs_changes_no_sample_of_the_mix(self):
        Piece.objects.filter(pads__in=self.pads[:2]).update(name="Tom")
        main = Output.objects.get(kit=self.kit)
        Output.objects.filter(pk=main.pk).update(gain_db=-5.0, width=30.0, balance=20.0)
        other = Output.objects.create(kit=self.kit, name="Other", position=1, gain_db=2.0)
        Pad.objects.filter(pk=self.pads[2].pk).update(output=other)
        before = self.mixed()
        for way, outputs in {"usual": 6, "pieces": 9, "pads": 9}.items():
            with self.subTest(way):
                self.post(f"desk/route/{way}/")
                np.testing.assert_allclose(self.mixed(), before, atol=1e-6)
                self.assertEqual(Output.objects.filter(kit=self.kit).count(), outputs)
        self.assertEqual(
            len({row.output.pk for row in queries.sheet_rows(self.kit) if not row.is_empty}), 4, "two called Tom"
        )

    def test_more_outputs_than_there_may_be_are_refused_and_none_is_made(self):
        before = version(self.kit)
        with patch("dactyl.desk.edits.MOST_OUTPUTS", 3):
            status, said = self.post("desk/route/usual/")
        self.assertEqual((status, version(self.kit), Output.objects.filter(kit=self.kit).count()), (422, before, 1))
        self.assertIn("These would be 5 outputs; 3 are the most.", said)

    def test_a_value_goes_to_all_that_are_selected_and_a_group_holds_them_on_one_handle(self):
        self.post("desk/route/usual/")
        kick, snare, rest = self.outputs("Kick", "Snare", "Rest")
        both = f"{kick.pk},{snare.pk}"
        self.post(f"outputs/{kick.pk}/set/width/", value="0", outputs=both)
        self.assertEqual([row.width for row in self.outputs("Kick", "Snare", "Rest")], [0, 0, 100])
        self.post(f"outputs/{rest.pk}/set/width/", value="50", outputs=both)
        self.assertEqual(
            [row.width for row in self.outputs("Kick", "Snare", "Rest")], [0, 0, 50], "which is not selected"
        )
        self.assertEqual(self.post("desk/group/", outputs=str(kick.pk))[0], 422)
        self.assertIn("Drums", self.post("desk/group/", outputs=both)[1])
        group = OutputGroup.objects.get(kit=self.kit)
        self.post(f"desk/group/{group.pk}/gain_db/", value="-6")
        desk = compile_desk(kit_value(self.kit.pk), 48_000)
        levels = {
            row.name: round(sum(desk.channels[row.position].matrix[:2]), 3) for row in self.outputs("Kick", "Rest")
        }
        self.assertEqual(levels, {"Kick": 0.501, "Rest": 1.0})
        self.assertEqual(self.outputs("Kick")[0].gain_db, 0, "a member keeps its own number")
        self.assertEqual(self.post("desk/group/", outputs=f"{snare.pk},{rest.pk}", name="drums")[0], 422)
        self.post("desk/group/", outputs=f"{snare.pk},{rest.pk}")
        self.assertEqual(
            [row.group.name for row in self.outputs("Kick", "Snare", "Rest")], ["Drums", "Group 2", "Group 2"]
        )
        self.post(f"outputs/{kick.pk}/set/group/", value="")
        self.assertEqual(
            [row.name for row in OutputGroup.objects.filter(kit=self.kit)], ["Group 2"], "none stays empty"
        )
        self.post(f"desk/group/{OutputGroup.objects.get(kit=self.kit).pk}/delete/")
        self.assertEqual([row.group for row in self.outputs("Snare", "Rest")], [None, None])
        self.post("desk/group/", outputs=both)
        for row in (kick, snare):
            self.post(f"outputs/{row.pk}/delete/")
        self.assertFalse(OutputGroup.objects.filter(kit=self.kit).exists(), "nor where its outputs are deleted")

    def test_a_piece_is_brought_to_an_output_with_all_its_pads(self):
        self.post("desk/route/pads/")
        (snare,) = self.outputs("Snare")
        kick = Piece.objects.get(pads=self.pads[0])
        self.assertEqual(self.post(f"outputs/{snare.pk}/pieces/", pieces=str(kick.pk))[0], 200)
        self.assertEqual(self.routed()["Kick"], "Snare")
        self.assertIsNone(Pad.objects.get(pk=self.pads[0].pk).output, "its pads have none of their own beside it")
        self.assertEqual(self.post(f"outputs/{snare.pk}/pieces/", pieces="0")[0], 422)

    def test_a_kit_begun_from_another_has_its_desk_and_a_piece_brought_from_there_brings_none(self):
        self.post("desk/route/usual/")
        self.post("desk/group/", outputs=",".join(str(row.pk) for row in self.outputs("Kick", "Snare")))
        self.post("desk/set/master_db/", value="-6")
        source = kit_value(self.kit.pk)
        whole, other = edits.kits.create_kit("Whole"), edits.kits.create_kit("Other")
        swap_edits.begin_from(whole, version(whole), source)
        made = kit_value(whole.pk)
        self.assertEqual((made.groups, made.outputs, made.master_db), (source.groups, source.outputs, -6))
        swap_edits.add_pieces(other, version(other), source, [self.pads[0].pk])
        made = kit_value(other.pk)
        self.assertEqual((made.groups, len(made.outputs), made.master_db), ((), 1, 0))
        self.assertIn("Kick", [row.name for row in queries.sheet_rows(other) if not row.is_empty])

    def test_what_is_no_setting_or_no_number_is_refused_by_a_sentence_and_changes_nothing(self):
        (main,) = self.outputs("Main")
        before = dump(self.kit), version(self.kit)
        for path, value in (
            (f"outputs/{main.pk}/set/width/", "201"), (f"outputs/{main.pk}/set/position/", "1"), (f"outputs/{main.pk}/set/name/", "Side"),
            ("desk/set/master_db/", "loud"), ("desk/set/side/", "roof"), ("desk/set/name/", "x"), ("desk/route/any/", ""), ("desk/group/9/gain_db/", "1"),
        ):  # fmt: skip
            self.assertIn(self.post(path, value=value)[0], (409, 422), path)
        self.assertEqual((dump(self.kit), version(self.kit)), before)
        self.post("desk/set/side/", value="hall")
        self.post("desk/set/parallel_is_on/", value="1")
        kit = Kit.objects.get(pk=self.kit.pk)
        self.assertEqual((kit.side, kit.parallel_is_on), ("hall", True))
