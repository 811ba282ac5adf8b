"""Edits of a kit: what they do, that each can be undone and done again, and that no tab overwrites another."""

from django.core import serializers
from django.test import TestCase

from dactyl.core.errors import KitError
from dactyl.kits import edits, history, queries
from dactyl.kits.models import Kit, Layer, MapNote, Output, Pad, Take, TakeSample
from dactyl.shelf.tests.sounds import shelf_of

MODELS = [model for model in history.TABLES.values() if model is not Kit]


def dump(kit: Kit) -> str:
    """Every row of the kit as text, but for its version."""
    rows = [row for model in MODELS for row in model.objects.order_by("pk")]
    return Kit.objects.get(pk=kit.pk).name + serializers.serialize("json", rows)


def version(kit: Kit) -> int:
    return Kit.objects.values_list("version", flat=True).get(pk=kit.pk)


class KitCase(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.samples = shelf_of([-24.0, -23.5, -14.0, -13.5, -5.0, -4.5])
        cls.kit = edits.create_kit("Test kit")
        cls.pad = cls.kit.pads.select_related("piece").first()

    def give(self, pad=None, samples=None, way="layers", replace=True, layers=None):
        edits.give_samples(
            pad or self.pad, version(self.kit), samples or self.samples, way, replace=replace, layers=layers
        )


class Giving(KitCase):
    def test_many_samples_become_layers_by_loudness(self):
        self.give()
        (row, *_) = queries.sheet_rows(self.kit)
        self.assertEqual(
            [(layer.low, layer.high, len(layer.levels)) for layer in row.layers],
            [(1, 42, 2), (43, 85, 2), (86, 127, 2)],
        )
        self.assertEqual((row.name, row.notes, row.pad.dynamics), ("Snare", [38], 0.5))
        self.assertEqual({take.start_frame for take in Take.objects.all()}, {s.onset_frame for s in self.samples})

    def test_takes_go_in_one_layer_and_pads_one_each(self):
        self.give(way="takes")
        self.assertEqual(Layer.objects.count(), 1)
        other = self.kit.pads.all()[4]
        self.give(pad=other, way="pads", samples=self.samples[:3])
        rows = queries.sheet_rows(self.kit)
        self.assertEqual([not row.is_empty for row in rows[:8]], [True] + 3 * [False] + 3 * [True] + [False])
        self.assertEqual(rows[5].notes, [60], "the snare's standard notes are taken")

    def test_adding_stacks_again_with_what_was_there(self):
        self.give(samples=self.samples[:2])
        Take.objects.update(gain_db=-1.5)
        self.give(samples=self.samples[2:], replace=False)
        (row, *_) = queries.sheet_rows(self.kit)
        self.assertEqual([len(layer.levels) for layer in row.layers], [2, 2, 2])
        self.assertEqual(sorted(Take.objects.values_list("gain_db", flat=True)), [-1.5, -1.5, 0, 0, 0, 0])

    def test_one_to_each_makes_pads_where_there_are_too_few(self):
        last = self.kit.pads.last()
        self.give(pad=last, way="pads")
        self.assertEqual(self.kit.pads.count(), 21)


class Undoing(KitCase):
    def test_every_edit_is_undone_and_done_again_exactly(self):
        self.give()
        self.give(pad=self.kit.pads.all()[1], samples=self.samples[:1])
        pad, kit = self.pad, self.kit
        edits.route_pad(pad, version(kit), "Snare")
        edits.choke_pad(pad, version(kit), "A")
        snare = Output.objects.get(name="Snare")
        table = {
            "give layers": lambda v: edits.give_samples(pad, v, self.samples[:3], "layers", replace=True, layers=2),
            "give takes": lambda v: edits.give_samples(pad, v, self.samples[3:4], "takes", replace=False, layers=None),
            "give pads": lambda v: edits.give_samples(
                kit.pads.last(), v, self.samples, "pads", replace=False, layers=None
            ),
            "add pads": lambda v: edits.add_pads(kit.pk, v, 4),
            "delete pad": lambda v: edits.delete_pad(Pad.objects.get(pk=pad.pk), v),
            "clear": lambda v: edits.clear_pad(Pad.objects.get(pk=pad.pk), v),
            "level": lambda v: edits.set_pad(Pad.objects.get(pk=pad.pk), v, "gain_db", -7.5),
            "mute": lambda v: edits.mute_pad(Pad.objects.get(pk=pad.pk), v, True),
            "rotation": lambda v: edits.set_rotation(Pad.objects.get(pk=pad.pk), v, "random"),
            "piece": lambda v: edits.name_piece(Pad.objects.get(pk=pad.pk), v, "Tin"),
            "notes": lambda v: edits.set_notes(pad, v, [40, 60]),
            "choke": lambda v: edits.choke_pad(Pad.objects.get(pk=pad.pk), v, "Q"),
            "fade": lambda v: edits.set_choke_fade(Pad.objects.get(pk=pad.pk), v, 30.0),
            "route": lambda v: edits.route_pad(Pad.objects.get(pk=pad.pk), v, "Brand new"),
            "output name": lambda v: edits.rename_output(Output.objects.get(pk=snare.pk), v, "Drum"),
            "output gone": lambda v: edits.delete_output(Output.objects.get(pk=snare.pk), v),
            "border": lambda v: edits.set_border(pad.layers.first(), v, 20),
            "even": lambda v: edits.split_borders_evenly(pad, v),
            "take off": lambda v: edits.remove_take(pad.layers.last().takes.first(), v),
            "take out": lambda v: edits.enable_take(pad.layers.last().takes.first(), v, False),
            "kit name": lambda v: edits.rename_kit(kit.pk, v, "Renamed"),
        }
        edits.set_border(pad.layers.last().pad.layers.first(), version(kit), 30)
        for name, do in table.items():
            with self.subTest(name):
                before = dump(kit)
                do(version(kit))
                after = dump(kit)
                self.assertNotEqual(before, after)
                history.undo(kit.pk, version(kit))
                self.assertEqual(dump(kit), before)
                history.redo(kit.pk, version(kit))
                self.assertEqual(dump(kit), after)
                history.undo(kit.pk, version(kit))

    def test_a_new_edit_forgets_what_was_undone(self):
        self.give()
        history.undo(self.kit.pk, version(self.kit))
        edits.add_pads(self.kit.pk, version(self.kit), 1)
        self.assertIsNone(history.redo(self.kit.pk, version(self.kit)))

    def test_an_edit_that_changes_nothing_leaves_no_trace(self):
        before = version(self.kit)
        edits.set_pad(self.pad, before, "gain_db", 0.0)
        self.assertEqual((version(self.kit), self.kit.revisions.count()), (before, 0))

    def test_a_stale_version_is_refused(self):
        seen = version(self.kit)
        edits.mute_pad(self.pad, seen, True)
        with self.assertRaisesRegex(history.StaleKit, "changed in another tab"):
            edits.set_pad(self.pad, seen, "gain_db", -3.0)
        self.pad.refresh_from_db()
        self.assertEqual(self.pad.gain_db, 0.0)


class Refusing(KitCase):
    def test_what_no_kit_can_hold_is_refused_with_a_reason(self):
        self.give()
        layers = list(self.pad.layers.all())
        main = Output.objects.get(name="Main")
        table = [
            (lambda v: edits.set_border(layers[0], v, 85), "between 1 and 84"),
            (lambda v: edits.set_border(layers[2], v, 100), "ends at 127"),
            (lambda v: edits.rename_output(main, v, "Other"), "Main keeps its name"),
            (lambda v: edits.delete_output(main, v), "can't be deleted"),
            (lambda v: edits.set_choke_fade(self.pad, v, 5), "no choke group"),
            (lambda v: edits.add_pads(self.kit.pk, v, 600), "at most"),
        ]
        for do, words in table:
            before = dump(self.kit)
            with self.subTest(words), self.assertRaisesRegex(KitError, words):
                do(version(self.kit))
            self.assertEqual(dump(self.kit), before)

    def test_the_last_take_takes_its_layer_and_no_velocity_is_left_silent(self):
        self.give(samples=self.samples[::2])
        edits.remove_take(self.pad.layers.last().takes.get(), version(self.kit))
        (row, *_) = queries.sheet_rows(self.kit)
        self.assertEqual([(layer.low, layer.high) for layer in row.layers], [(1, 42), (43, 127)])
        queries.kit_value(self.kit.pk)  # the core checks for gaps itself


class Counting(TestCase):
    def test_large_kits_cost_no_more_queries(self):
        samples = shelf_of([-20.0, -10.0, -3.0])
        counts = []
        for filled in (1, 12):
            kit = edits.create_kit("k")
            for pad in kit.pads.all()[:filled]:
                edits.give_samples(pad, version(kit), samples, "layers", replace=True, layers=3)
            pad = kit.pads.first()
            headers = {"X-Kit-Version": str(version(kit)), "X-Selected-Pad": str(pad.pk), "HX-Request": "true"}
            with self.subTest(filled), CaptureQueries() as page:
                self.client.get(f"/kits/{kit.pk}/", headers=headers)
            with CaptureQueries() as edit:
                self.client.post(f"/kits/{kit.pk}/pads/{pad.pk}/set/gain_db/", {"value": "-3"}, headers=headers)
            with CaptureQueries() as tables:
                self.client.get(f"/kits/{kit.pk}/playbook/48000/?pads={pad.pk}")
            counts.append((len(page), len(edit), len(tables)))
        self.assertEqual(counts[0], counts[1])
        self.assertLessEqual(max(counts[0][0], counts[0][2]), 15)
        self.assertLessEqual(counts[0][1], 30)
        self.assertEqual(TakeSample.objects.count(), 3 * 13)
        self.assertEqual(MapNote.objects.count(), 13)


class CaptureQueries:
    def __enter__(self):
        from django.db import connection
        from django.test.utils import CaptureQueriesContext

        self._context = CaptureQueriesContext(connection)
        return self._context.__enter__()

    def __exit__(self, *problem):
        self._context.__exit__(*problem)
