"""Whatever a person clicks and types, in whatever order: no crash, no kit that can't be played, and a way back."""

import json
import random

from django.db import connection, transaction

from dactyl.core.fields import DESK, OUTPUT_GROUP
from dactyl.core.maps.surfaces import SHAPES
from dactyl.core.play.compile import compile_kit
from dactyl.desk.edits import ROUTES
from dactyl.history import edits as history
from dactyl.history.queries import undo_state as history_stands
from dactyl.kits.fields import MIC_FIELDS, OUTPUT_FIELDS, PAD_FIELDS, TAKE_FIELDS
from dactyl.kits.models import Layer, Mic, Output, OutputGroup, Pad, Piece, Surface, Take, Translation, Version
from dactyl.kits.tests.test_edits import KitCase, dump, version
from dactyl.kits.values import kit_value, whole_kit_value
from dactyl.shelf.tests.sounds import shelf_of
from dactyl.versions import edits as versions

STEPS = 100
TYPED = ["0", "1", "-3", "12.5", "64", "127", "200", "", "even", "hard", "drawn", "random", "no_repeat", "low", "band", "a", "Z",
         "Main", "Bus", "a name", "C3-D3", "x" * 90, "−6,5 dB", "[[1,1],[64,90],[127,127]]", "levels", "nan", "1e9"]  # fmt: skip


class Hands:
    """Someone who does anything that the page of a kit offers, with any pads and takes selected."""

    def __init__(self, case: KitCase, seed: int) -> None:
        self.case, self.kit, self.dice = case, case.kit, random.Random(seed)
        self.samples = [sample.pk for sample in case.samples] + [
            sample.pk for sample in shelf_of([-9.0, -3.0], name="tom")
        ]

    def one(self, model, **where) -> int:
        return self.dice.choice(list(model.objects.filter(**where).values_list("pk", flat=True)) or [0])

    def some(self, rows: list[int], most: int = 4) -> str:
        return ",".join(str(row) for row in self.dice.sample(rows, min(len(rows), self.dice.randint(1, most))))

    def act(self) -> tuple[str, dict, int]:
        """Do one thing; the path, what was sent, and the status of the answer."""
        path, data = self.dice.choice(
            [self.pad, self.pad, self.layer, self.take, self.take, self.desk, self.whole, self.ways]
        )()
        pads, takes = (list(model.objects.values_list("pk", flat=True)) for model in (Pad, Take))
        headers = {"X-Kit-Version": str(version(self.kit)), "HX-Request": "true"}
        if pads and self.dice.random() < 0.7:
            headers["X-Selected-Pads"] = self.some(pads)
        if takes and self.dice.random() < 0.5:
            headers["X-Selected-Takes"] = self.some(takes)
        headers["X-View"] = self.dice.choice(["kit", "part", "desk", "map", "surfaces", "devices", "translations"])
        headers["X-Shown"] = self.dice.choice(["", "1", "standard", "nothing"])
        headers["X-Played-Surface"] = self.dice.choice(["", str(self.one(Surface, kit=self.kit))])
        headers["X-Card-Tab"] = self.dice.choice(["layers", "sound", "mics", "cuts", "notes"])
        answer = self.case.client.post(f"/kits/{self.kit.pk}/{path}", data, headers=headers)
        return path, data, answer.status_code

    def pad(self) -> tuple[str, dict]:
        pad, other, value = self.one(Pad, kit=self.kit), self.one(Pad, kit=self.kit), self.dice.choice(TYPED)
        extra = [
            "notes",
            "choke",
            "output",
            "muted",
            "silences",
            "silenced_by",
            "piece",
            "piece_name",
            "piece_gain_db",
            "fade_ms",
        ]
        field = self.dice.choice([*PAD_FIELDS, *extra])
        return self.dice.choice([
            (f"pads/{pad}/set/{field}/", {"value": value}),
            (f"pads/{pad}/set/{field}/", {"value": value}),
            (f"pads/{pad}/values/", {"values": json.dumps({"attack_ms": value, "decay_ms": "30"})}),
            (f"pads/{pad}/give/", {"samples": self.some(self.samples, 8), "way": self.dice.choice(["layers", "takes", "pads"]),
                                   "mode": self.dice.choice(["replace", "add"])}),
            (f"pads/{pad}/{self.dice.choice(['clear', 'delete', 'duplicate'])}/", {}),
            (f"pads/{pad}/paste/", {"source": str(other)}),
            (f"pads/{pad}/move/", self.dice.choice([{"before": str(other)}, {"by": "-1"}, {"by": "1"}])),
            (f"pads/{pad}/companions/{other}/", {"value": value}),
            (f"pieces/{self.one(Piece, kit=self.kit)}/mics/{self.one(Mic, kit=self.kit)}/{self.dice.choice(['gain_db', 'is_flipped', 'place'])}/",
             {"value": self.dice.choice([value, "follows", "R30", "1"])}),
            (f"pads/{pad}/replace/", {"samples": self.some(self.samples, 3)}),
        ])  # fmt: skip

    def layer(self) -> tuple[str, dict]:
        layer = self.one(Layer, pad__kit=self.kit)
        pad = self.one(Pad, kit=self.kit, layers__isnull=False)
        what = self.dice.choice(["split", "join", "delete", "softer", "louder", "gain_db", "border"])
        return self.dice.choice([
            (f"layers/{layer}/{what}/", {"value": self.dice.choice(["", "40", "90", "-4"])}),
            (f"pads/{pad}/borders/", {"value": self.dice.choice(["even", "levels"])}),
            (f"pads/{pad}/layers/{self.dice.choice(['add', 'reverse', 'even-out'])}/", {}),
        ])  # fmt: skip

    def take(self) -> tuple[str, dict]:
        take, value = self.one(Take, layer__pad__kit=self.kit), self.dice.choice(TYPED)
        goal = (
            {"pad": str(self.one(Pad, kit=self.kit))},
            {"layer": str(self.one(Layer, pad__kit=self.kit)), "position": "1"},
        )
        return self.dice.choice([
            (f"takes/{take}/set/{self.dice.choice(list(TAKE_FIELDS))}/", {"value": value}),
            (f"takes/{take}/values/", {"values": json.dumps({"start_frame": "900", "end_frame": "4000"})}),
            (f"takes/{take}/remove/", {}),
            (f"takes/{take}/move/", self.dice.choice([*goal, {"by": "louder"}, {"by": "1"}]) | {"copy": self.dice.choice("01")}),
            (f"takes/{take}/mend/{self.dice.choice(['level', 'onset', 'polarity'])}/", {}),
            (f"takes/{take}/keep/", {"sample": str(self.dice.choice(self.samples))}),
        ])  # fmt: skip

    def desk(self) -> tuple[str, dict]:
        output, mic, value = self.one(Output, kit=self.kit), self.one(Mic, kit=self.kit), self.dice.choice(TYPED)
        outputs, group = list(self.kit.outputs.values_list("pk", flat=True)), self.one(OutputGroup, kit=self.kit)
        return self.dice.choice([
            (f"outputs/{output}/set/{self.dice.choice([*OUTPUT_FIELDS, 'group'])}/", {"value": value, "outputs": self.some(outputs)}),
            (f"outputs/{output}/set/group/", {"value": str(group)}),
            (f"outputs/{output}/pieces/", {"pieces": str(self.one(Piece, kit=self.kit))}),
            (f"outputs/{output}/delete/", {}),
            (f"desk/set/{self.dice.choice(list(DESK))}/", {"value": self.dice.choice([value, "1", "hall"])}),
            (f"desk/route/{self.dice.choice(list(ROUTES))}/", {}),
            ("desk/group/", {"outputs": self.some(outputs), "name": self.dice.choice(["", value])}),
            (f"desk/group/{group}/{self.dice.choice([*OUTPUT_GROUP, 'delete'])}/", {"value": value}),
            ("mics/add/", {"name": value}),
            (f"mics/{mic}/set/{self.dice.choice([*MIC_FIELDS, 'output'])}/", {"value": value}),
            (f"mics/{mic}/delete/", {}),
        ])  # fmt: skip

    def ways(self) -> tuple[str, dict]:
        surface, pad = self.one(Surface, kit=self.kit), self.one(Pad, kit=self.kit)
        places, to = self.some(list(range(18))), str(self.dice.randrange(20))
        cells = ["place", "spread", "mirror", "across", "copy", "move", "bank", "swap", "clear", "new"]
        translation = self.one(Translation, kit=self.kit)
        return self.dice.choice([
            ("map/surfaces/add/", {"shape": self.dice.choice(list(SHAPES)), "filled": self.dice.choice("01")}),
            (f"map/surfaces/{surface}/{self.dice.choice(cells)}/", {"places": places, "to": to, "pad": str(pad), "bank": "1"}),
            (f"map/surfaces/{surface}/{self.dice.choice(cells)}/", {"places": places, "to": to, "pad": str(pad), "bank": "1"}),
            (f"map/surfaces/{surface}/size/", {"rows": "3", "columns": self.dice.choice(["2", "9", "x"]), "banks": "2"}),
            (f"map/surfaces/{surface}/delete/", {}),
            (f"map/{self.dice.choice(['add', 'rename', 'delete', 'default'])}/of-map/", {"value": self.dice.choice(TYPED)}),
            ("map/arrange/", {"how": self.dice.choice(["standard", "clear", "row"]), "first": "30"}),
            ("map/translations/propose/", {"source": "standard"}),
            (f"map/translations/{translation}/{self.dice.choice(['pad', 'free', 'sure', 'delete'])}/", {"notes": "36,38", "value": str(pad)}),
        ])  # fmt: skip

    def whole(self) -> tuple[str, dict]:
        return self.dice.choice([
            ("pads/add/", {"count": self.dice.choice(["1", "4", "16"])}),
            ("rename/", {"value": self.dice.choice(TYPED)}),
            ("undo/", {}),
            ("redo/", {}),
        ])  # fmt: skip


class AnyEdit(KitCase):
    def test_no_order_of_edits_breaks_a_kit_and_all_of_it_can_be_undone(self):
        for seed in range(3):
            with self.subTest(seed=seed), transaction.atomic():
                self.walk(Hands(self, seed))
                transaction.set_rollback(True)

    def walk(self, hands: Hands) -> None:
        beginning, done = dump(self.kit), 0
        for step in range(STEPS):
            if step == STEPS // 2:
                kept = versions.keep(self.kit, "Halfway")
                halfway = versions.value_of(kept)
            path, data, status = hands.act()
            self.assertIn(status, (200, 409, 422), f"{path} {data}")
            done += status == 200
            if status == 200:
                connection.check_constraints()
                value = kit_value(self.kit.pk)  # a core.Kit refuses what no kit can be
        self.assertGreater(done, STEPS / 4, "most of it should do something")
        compile_kit(value, 48_000)
        self.assertEqual(self.client.get(f"/kits/{self.kit.pk}/").status_code, 200)
        end, undo_state = dump(self.kit), history_stands(self.kit)
        done = self.kit.journal.revisions.filter(is_undone=False)
        first, last = done.order_by("pk").first(), undo_state.undoes
        gone = history.go_to(self.kit, version(self.kit), first.pk)
        self.assertEqual((dump(self.kit), gone.sentence), (beginning, f"{undo_state.done} changes undone"))
        history.go_to(self.kit, version(self.kit), last.pk)
        self.assertEqual(dump(self.kit), end)
        with self.assertRaises(history.StaleDocument):
            history.go_to(self.kit, version(self.kit) - 1, first.pk)
        self.assertEqual(dump(self.kit), end)
        versions.go_back(Version.objects.get(pk=kept.pk), version(self.kit))
        connection.check_constraints()
        self.assertEqual(whole_kit_value(self.kit.pk), halfway)
        history.undo(self.kit, version(self.kit))
        self.assertEqual(dump(self.kit), end)
