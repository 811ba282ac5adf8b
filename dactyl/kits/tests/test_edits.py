"""Edits of a kit: what they do, that each can be undone and done again, and that no tab overwrites another."""

from django.core import serializers
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from dactyl.core.errors import KitError
from dactyl.history import edits as history
from dactyl.history.queries import undo_state
from dactyl.kits import edits, queries
from dactyl.kits.edits.samples import NewPad, NewTake
from dactyl.kits.models import ChokeGroup, Kit, Layer, Mic, Output, Pad, Piece, Take, TakeSample
from dactyl.kits.tables import TABLES
from dactyl.kits.values import kit_value
from dactyl.shelf.tests.sounds import shelf_of

MODELS = [model for model in TABLES.values() if model is not Kit]


def dump(kit: Kit) -> str:
    """Every row of the kit as text, but for its version."""
    rows = [row for model in MODELS for row in model.objects.order_by("pk")]
    return Kit.objects.get(pk=kit.pk).name + serializers.serialize("json", rows)


def version(kit: Kit) -> int:
    return Kit.objects.values_list("journal__version", flat=True).get(pk=kit.pk)


def recordings(samples) -> list[NewTake]:
    return [NewTake.of({"close": sample}) for sample in samples]


class KitCase(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.samples = shelf_of([-24.0, -23.5, -14.0, -13.5, -5.0, -4.5])
        cls.kit = edits.kits.create_kit("Test kit")
        cls.pad = cls.kit.pads.select_related("piece", "kit").first()

    def give(self, pad=None, samples=None, way="layers", replace=True, layers=None):
        given = recordings(samples or self.samples)
        edits.samples.give_samples(pad or self.pad, version(self.kit), given, way, replace=replace, layers=layers)

    def fresh(self, pk=None) -> Pad:
        return Pad.objects.select_related("piece", "kit", "choke").get(pk=pk or self.pad.pk)

    def layers(self) -> list[tuple[int, int, int]]:
        (row,) = queries.sheet_rows(self.kit, [self.pad.pk])
        return [(layer.low, layer.high, len(layer.levels)) for layer in row.layers]

    def takes(self) -> list[Take]:
        rows = Take.objects.filter(layer__pad=self.pad).select_related("layer__pad__piece", "layer__pad__kit")
        return list(rows.order_by("layer__high", "position"))


class Moving(KitCase):
    def test_takes_that_move_touch_the_pads_that_they_leave(self):
        first, second, third = self.kit.pads.select_related("piece", "kit")[:3]
        for pad, samples in ((first, self.samples[:2]), (second, self.samples[2:4]), (third, self.samples[4:])):
            self.give(pad=pad, samples=samples)
        takes = list(
            Take.objects.filter(layer__pad__in=(first, second)).select_related("layer__pad__piece", "layer__pad__kit")
        )
        moved = edits.takes.move_to_pad(takes, version(self.kit), self.fresh(third.pk))
        self.assertEqual(moved.touched, sorted([first.pk, second.pk, third.pk]))


class Giving(KitCase):
    def test_many_samples_become_layers_by_loudness(self):
        self.give()
        (row,) = queries.sheet_rows(self.kit, [self.pad.pk])
        self.assertEqual(self.layers(), [(1, 42, 2), (43, 85, 2), (86, 127, 2)])
        self.assertEqual((row.name, row.notes, row.pad.dynamics), ("Snare", [38], 0.5))
        self.assertEqual({take.start_frame for take in Take.objects.all()}, {s.onset_frame for s in self.samples})

    def test_takes_go_in_one_layer_and_pads_one_each(self):
        self.give(way="takes")
        self.assertEqual(Layer.objects.count(), 1)
        other = self.kit.pads.select_related("piece", "kit")[4]
        self.give(pad=other, way="pads", samples=self.samples[:3])
        rows = queries.sheet_rows(self.kit)
        self.assertEqual([not row.is_empty for row in rows[:8]], [True] + 3 * [False] + 3 * [True] + [False])
        self.assertEqual(rows[5].notes, [60], "the snare's standard notes are taken")

    def test_adding_stacks_again_with_what_was_there(self):
        self.give(samples=self.samples[:2])
        Take.objects.update(gain_db=-1.5, is_flipped=True)
        self.give(samples=self.samples[2:], replace=False)
        self.assertEqual([count for _, _, count in self.layers()], [2, 2, 2])
        self.assertEqual(sorted(Take.objects.values_list("gain_db", flat=True)), [-1.5, -1.5, 0, 0, 0, 0])
        self.assertEqual(Take.objects.filter(is_flipped=True).count(), 2)

    def test_one_to_each_makes_pads_where_there_are_too_few(self):
        self.give(pad=self.kit.pads.select_related("piece", "kit").last(), way="pads")
        self.assertEqual(self.kit.pads.count(), 21)

    def test_a_proposal_is_one_edit_with_its_mics(self):
        hats = [
            NewPad(name, kind, [[NewTake.of({"close": a, "hall": b})]], [127])
            for name, kind, a, b in [
                ("Hat closed", "closed_hat", *self.samples[:2]),
                ("Kick", "kick", *self.samples[4:6]),
                ("Hat open", "open_hat", *self.samples[2:4]),
            ]
        ]
        pieces = self.kit.pieces.count()
        edits.samples.apply_proposal(self.kit, version(self.kit), hats, None)
        rows = queries.sheet_rows(self.kit)[:2]
        self.assertEqual(
            [(row.name, row.notes, row.choke.letter) for row in rows],
            [("Hat closed", [42], "A"), ("Hat open", [46], "A")],
        )
        self.assertEqual({row.pad.piece.name for row in rows}, {"Hat"}, "the hats are one piece, and stand together")
        self.assertEqual(self.kit.pieces.count(), pieces - 1)
        self.assertEqual([mic.name for mic in self.kit.mics.all()], ["close", "overhead", "room", "hall"])
        edits.pads.set_piece(rows[1].pad, version(self.kit), "gain_db", -3.0)
        edits.pads.part_from_piece(rows[1].pad, version(self.kit))
        parted = queries.sheet_rows(self.kit)[:2]
        self.assertEqual([(row.pad.piece.name, row.pad.name, row.pad.piece.gain_db) for row in parted],
                         [("Hat", "closed", -3.0), ("Hat open", "", -3.0)])  # fmt: skip
        edits.pads.join_piece(parted[1].pad, version(self.kit), "Hat")
        self.assertEqual([row.name for row in queries.sheet_rows(self.kit)[:2]], ["Hat closed", "Hat open"])
        for _ in range(4):
            history.undo(self.kit, version(self.kit))
        self.assertEqual(self.kit.pieces.count(), pieces)
        self.assertEqual(
            (TakeSample.objects.count(), Mic.objects.filter(name="hall").count(), ChokeGroup.objects.count()), (0, 0, 0)
        )


class Layering(KitCase):
    def setUp(self):
        self.give()

    def layer(self, place: int) -> Layer:
        return list(Layer.objects.select_related("pad__piece", "pad__kit").filter(pad=self.pad))[place]

    def test_a_border_moves_its_two_neighbours_only(self):
        edits.layers.set_border(self.layer(0), version(self.kit), 20)
        self.assertEqual([(low, high) for low, high, _ in self.layers()], [(1, 20), (21, 85), (86, 127)])

    def test_split_and_join_are_opposites(self):
        edits.layers.split_layer(self.layer(1), version(self.kit))
        self.assertEqual(self.layers(), [(1, 42, 2), (43, 64, 1), (65, 85, 1), (86, 127, 2)])
        edits.layers.join_layer(self.layer(1), version(self.kit))
        self.assertEqual(self.layers(), [(1, 42, 2), (43, 85, 2), (86, 127, 2)])

    def test_insert_delete_and_reverse_leave_no_velocity_silent(self):
        edits.layers.insert_layer(self.fresh(), version(self.kit))
        self.assertEqual(self.layers(), [(1, 32, 2), (33, 64, 2), (65, 95, 2), (96, 127, 0)])
        edits.layers.delete_layer(self.layer(3), version(self.kit))
        edits.layers.delete_layer(self.layer(0), version(self.kit))
        self.assertEqual(self.layers(), [(1, 64, 2), (65, 127, 2)])
        softest = self.takes()[0].pk
        edits.layers.reverse_layers(self.fresh(), version(self.kit))
        self.assertEqual(self.takes()[2].pk, softest)
        kit_value(self.kit.pk)  # the core checks for gaps itself

    def test_takes_move_across_layers_and_an_emptied_layer_goes(self):
        first, second, third, *_ = self.takes()
        edits.takes.move_takes([first, second], version(self.kit), third.layer, 1)
        self.assertEqual(self.layers(), [(1, 85, 4), (86, 127, 2)])
        self.assertEqual([take.pk for take in self.takes()][:4], [third.pk, first.pk, second.pk, self.takes()[3].pk])

    def test_takes_are_copied_to_another_pad(self):
        other = self.kit.pads.select_related("piece", "kit")[1]
        self.give(pad=other, samples=self.samples[:1])
        edits.takes.set_fields(self.takes()[:2], version(self.kit), {"gain_db": -3.0})
        edits.takes.move_takes(
            self.takes()[:2],
            version(self.kit),
            other.layers.select_related("pad__piece", "pad__kit").get(),
            0,
            copy=True,
        )
        self.assertEqual(list(other.layers.get().takes.values_list("gain_db", flat=True)), [-3.0, -3.0, 0.0])
        self.assertEqual(len(self.takes()), 6)

    def test_takes_moved_to_an_empty_pad_name_it_and_give_it_a_note(self):
        last = self.fresh(self.kit.pads.last().pk)
        edits.takes.move_to_pad(self.takes()[4:], version(self.kit), last)
        row = queries.sheet_rows(self.kit)[-1]
        self.assertEqual((row.name, row.notes, len(row.layers[0].levels)), ("Snare", [40], 2))
        self.assertEqual([(low, high) for low, high, _ in self.layers()], [(1, 42), (43, 127)])

    def test_the_last_take_takes_its_layer_along(self):
        edits.takes.remove_takes(self.takes()[4:], version(self.kit))
        self.assertEqual([(low, high) for low, high, _ in self.layers()], [(1, 42), (43, 127)])

    def test_an_end_inside_the_sound_gets_a_fade_and_reversing_keeps_the_stretch(self):
        frames = self.samples[0].frames
        edits.takes.set_fields(self.takes()[:1], version(self.kit), {"start_frame": 500, "end_frame": 4000})
        take = self.takes()[0]
        self.assertEqual((take.start_frame, take.end_frame, take.fade_out_ms), (500, 4000, 5.0))
        edits.takes.set_fields([take], version(self.kit), {"is_reversed": True})
        take = self.takes()[0]
        self.assertEqual((take.start_frame, take.end_frame), (frames - 4000, frames - 500))

    def test_replacing_samples_keeps_every_setting(self):
        edits.takes.set_fields(self.takes(), version(self.kit), {"gain_db": -2.0})
        others = shelf_of([-20, -19, -12, -11, -3, -2], name="other")
        edits.takes.replace_samples(self.fresh(), version(self.kit), others)
        self.assertEqual({take.gain_db for take in self.takes()}, {-2.0})
        self.assertEqual([take.samples.get().sample.name for take in self.takes()], [sample.name for sample in others])
        with self.assertRaisesRegex(KitError, "6 takes, and 2 samples"):
            edits.takes.replace_samples(self.fresh(), version(self.kit), others[:2])


class Arranging(KitCase):
    def test_a_duplicate_plays_the_same_and_a_copied_kit_draws_by_the_same_streams(self):
        self.give()
        edits.pads.set_fields([self.fresh()], version(self.kit), {"rotation": "random", "vary_tune_cents": 9.0})
        edits.pads.duplicate_pads([self.fresh()], version(self.kit))
        rows = queries.sheet_rows(self.kit)
        self.assertEqual([row.name for row in rows[:2]], ["Snare", "Snare Snare copy"])
        copy = edits.kits.duplicate_kit(self.kit)
        ours, theirs = kit_value(self.kit.pk), kit_value(copy.pk)
        streams = [layer.stream for _, pad in ours.pads() for layer in pad.layers]
        self.assertEqual(streams, [layer.random_stream for _, pad in theirs.pads() for layer in pad.layers])
        self.assertEqual(undo_state(copy).done, 0)

    def test_a_piece_moves_as_a_whole_and_a_pad_joins_another_piece(self):
        pads = list(self.kit.pads.select_related("piece", "kit")[:3])
        for pad, name in zip(pads, ("Kick", "Snare", "Hat"), strict=True):
            edits.pads.set_piece(pad, version(self.kit), "name", name)
        edits.pads.join_piece(self.fresh(pads[2].pk), version(self.kit), "Kick")
        names = [(row.name, row.is_first, row.is_last) for row in queries.sheet_rows(self.kit)[:3]]
        self.assertEqual(names, [("Kick", True, False), ("Kick Hat", False, True), ("Snare", True, True)])
        edits.pads.move_pads([self.fresh(pads[0].pk)], version(self.kit), None)
        self.assertEqual([row.name for row in queries.sheet_rows(self.kit)[-2:]], ["Kick", "Kick Hat"])
        self.assertEqual(Piece.objects.filter(pads__isnull=True).count(), 0)

    def test_settings_are_pasted_on_several_pads_at_once(self):
        source, *others = self.kit.pads.select_related("piece", "kit")[:4]
        edits.pads.set_fields([source], version(self.kit), {"gain_db": -4.0, "filter_kind": "low"})
        edits.pads.choke_pads([self.fresh(source.pk)], version(self.kit), "C")
        edits.pads.paste_settings(self.fresh(source.pk), others, version(self.kit))
        found = Pad.objects.filter(pk__in=[pad.pk for pad in others]).values_list(
            "gain_db", "filter_kind", "choke__letter"
        )
        self.assertEqual(set(found), {(-4.0, "low", "C")})

    def test_the_root_stays_when_a_key_range_moves_unless_it_is_asked_to_follow(self):
        edits.pads.set_notes(self.pad, version(self.kit), [60, 61, 62])
        edits.pads.set_fields([self.pad], version(self.kit), {"cents_per_key": 100.0})
        edits.pads.set_notes(self.fresh(), version(self.kit), [72, 73, 74])
        self.assertEqual(self.fresh().root, 60, "its lowest note, as it was")
        edits.maps.set_all_notes(self.kit, version(self.kit), "moved", {self.pad.pk: [60]}, roots_by=-12)
        self.assertEqual(self.fresh().root, 48)


class Undoing(KitCase):
    def test_every_edit_is_undone_and_done_again_exactly(self):
        self.give()
        self.give(pad=self.kit.pads.select_related("piece", "kit")[1], samples=self.samples[:1])
        kit, fresh = self.kit, self.fresh
        edits.pads.route_pads([fresh()], version(kit), "Snare")
        edits.pads.choke_pads([fresh()], version(kit), "A")
        edits.pads.set_mute_groups([fresh()], version(kit), "silenced_by", [2])
        edits.pads.set_companion(fresh(), version(kit), self.kit.pads.all()[1], 0.5)
        snare = lambda: Output.objects.select_related("kit").get(name="Snare")  # noqa: E731
        layer = lambda: self.pad.layers.select_related("pad__piece", "pad__kit").first()  # noqa: E731
        room = lambda: Mic.objects.select_related("kit").get(name="room")  # noqa: E731
        last = lambda: self.fresh(self.kit.pads.last().pk)  # noqa: E731
        give = edits.samples.give_samples
        three = recordings(self.samples[:3])
        table = {
            "give layers": lambda v: give(fresh(), v, three, "layers", replace=True, layers=2),
            "give takes": lambda v: give(fresh(), v, three, "takes", replace=False, layers=None),
            "give pads": lambda v: give(last(), v, recordings(self.samples), "pads", replace=False, layers=None),
            "cut": lambda v: edits.samples.cut_over_pads(last(), v, self.samples[0], [(0, 900), (900, 2000)], 5.0),
            "add pads": lambda v: edits.pads.add_pads(kit, v, 4),
            "delete pad": lambda v: edits.pads.delete_pads([fresh()], v),
            "delete pads": lambda v: edits.pads.delete_pads(list(kit.pads.select_related("piece", "kit")[:5]), v),
            "clear": lambda v: edits.pads.clear_pads([fresh()], v),
            "level": lambda v: edits.pads.set_fields([fresh()], v, {"gain_db": -7.5, "pan": 20.0}),
            "drawn curve": lambda v: edits.pads.set_fields([fresh()], v, {"curve_points": [[1, 1], [127, 90]]}),
            "mute": lambda v: edits.pads.mute_pads([fresh()], v, True),
            "piece": lambda v: edits.pads.set_piece(fresh(), v, "name", "Tin"),
            "join piece": lambda v: edits.pads.join_piece(fresh(), v, queries.sheet_rows(kit)[1].pad.piece.name),
            "move": lambda v: edits.pads.move_pads([fresh()], v, None),
            "duplicate": lambda v: edits.pads.duplicate_pads([fresh()], v),
            "paste": lambda v: edits.pads.paste_settings(fresh(), list(kit.pads.select_related("piece", "kit")[2:5]), v),
            "notes": lambda v: edits.pads.set_notes(fresh(), v, [40, 60]),
            "choke": lambda v: edits.pads.choke_pads([fresh()], v, "Q"),
            "fade": lambda v: edits.pads.set_choke_fade(fresh(), v, 30.0),
            "mute group": lambda v: edits.pads.set_mute_groups([fresh()], v, "silenced_by", [9, 11]),
            "mute fade": lambda v: edits.pads.set_mute_fade(kit, v, 2, 33.0),
            "companion": lambda v: edits.pads.set_companion(fresh(), v, self.kit.pads.all()[2], 0.3),
            "companion gone": lambda v: edits.pads.set_companion(fresh(), v, self.kit.pads.all()[1], None),
            "route": lambda v: edits.pads.route_pads([fresh()], v, "Brand new"),
            "output name": lambda v: edits.outputs.rename_output(snare(), v, "Drum"),
            "output gone": lambda v: edits.outputs.delete_output(snare(), v),
            "mic": lambda v: edits.outputs.set_mic(room(), v, "gain_db", -4.0),
            "mic routed": lambda v: edits.outputs.route_mic(room(), v, "Air"),
            "mic added": lambda v: edits.outputs.add_mic(kit, v, "hall"),
            "mic gone": lambda v: edits.outputs.delete_mic(room(), v),
            "mic of a piece": lambda v: edits.outputs.set_piece_mic(fresh().piece, room(), v, {"gain_db": -9.0}),
            "border": lambda v: edits.layers.set_border(layer(), v, 20),
            "even": lambda v: edits.layers.set_borders(fresh(), v, "even", []),
            "by level": lambda v: edits.layers.set_borders(fresh(), v, "levels", [-24.0, -14.0, -10.0]),
            "split": lambda v: edits.layers.split_layer(layer(), v),
            "join": lambda v: edits.layers.join_layer(layer(), v),
            "insert": lambda v: edits.layers.insert_layer(fresh(), v),
            "louder": lambda v: edits.layers.move_layer(layer(), v, 1),
            "reverse": lambda v: edits.layers.reverse_layers(fresh(), v),
            "layer gone": lambda v: edits.layers.delete_layer(layer(), v),
            "layer level": lambda v: edits.layers.set_level([layer()], v, -3.0),
            "even out": lambda v: edits.layers.even_out(fresh(), v, [0.0, -1.0, 2.0]),
            "takes off": lambda v: edits.takes.remove_takes(self.takes()[1:5], v),
            "takes out": lambda v: edits.takes.enable_takes(self.takes()[:3], v, False),
            "take set": lambda v: edits.takes.set_fields(self.takes()[:2], v, {"start_frame": 9, "end_frame": 99}),
            "reverse take": lambda v: edits.takes.set_fields(self.takes()[:1], v, {"is_reversed": True}),
            "take moved": lambda v: edits.takes.move_takes(self.takes()[:2], v, self.takes()[-1].layer, 1),
            "take copied": lambda v: edits.takes.move_takes(self.takes()[:1], v, self.takes()[-1].layer, 0, copy=True),
            "take to an empty pad": lambda v: edits.takes.move_to_pad(self.takes()[:2], v, last()),
            "take to a pad": lambda v: edits.takes.move_to_pad(self.takes()[:1], v, kit.pads.all()[1], copy=True),
            "sample": lambda v: edits.takes.replace_sample(self.takes()[0], v, self.samples[5], kit.mics.first().pk),
            "kit name": lambda v: edits.kits.rename_kit(kit, v, "Renamed"),
        }  # fmt: skip
        edits.layers.set_border(layer(), version(kit), 30)
        for name, do in table.items():
            with self.subTest(name):
                before = dump(kit)
                revision = do(version(kit))
                after = dump(kit)
                self.assertNotEqual(before, after)
                self.assertTrue(revision.sentence)
                history.undo(kit, version(kit))
                self.assertEqual(dump(kit), before)
                history.redo(kit, version(kit))
                self.assertEqual(dump(kit), after)
                history.undo(kit, version(kit))

    def test_a_new_edit_forgets_what_was_undone(self):
        self.give()
        history.undo(self.kit, version(self.kit))
        edits.pads.add_pads(self.kit, version(self.kit), 1)
        self.assertIsNone(history.redo(self.kit, version(self.kit)))

    def test_an_edit_that_changes_nothing_leaves_no_trace(self):
        before = version(self.kit)
        self.assertIsNone(edits.pads.set_fields([self.pad], before, {"gain_db": 0.0}))
        self.assertEqual((version(self.kit), self.kit.journal.revisions.count()), (before, 0))

    def test_a_stale_version_is_refused(self):
        seen = version(self.kit)
        edits.pads.mute_pads([self.pad], seen, True)
        with self.assertRaisesRegex(history.StaleDocument, "changed in another tab"):
            edits.pads.set_fields([self.pad], seen, {"gain_db": -3.0})
        self.assertEqual(self.fresh().gain_db, 0.0)


class Refusing(KitCase):
    def test_what_no_kit_can_hold_is_refused_with_a_reason(self):
        self.give()
        layers = list(self.pad.layers.select_related("pad__piece", "pad__kit"))
        main = Output.objects.select_related("kit").get(name="Main")
        close = Mic.objects.select_related("kit").get(name="close")
        table = [
            (lambda v: edits.layers.set_border(layers[0], v, 85), "between 1 and 84"),
            (lambda v: edits.layers.set_border(layers[2], v, 100), "ends at 127"),
            (lambda v: edits.layers.join_layer(layers[2], v), "no layer above"),
            (lambda v: edits.outputs.rename_output(main, v, "Other"), "Main keeps its name"),
            (lambda v: edits.outputs.delete_output(main, v), "can't be deleted"),
            (lambda v: edits.outputs.delete_mic(close, v), "has recordings on pads"),
            (lambda v: edits.outputs.add_mic(self.kit, v, "Close"), "already"),
            (lambda v: edits.pads.set_choke_fade(self.fresh(), v, 5), "no choke group"),
            (lambda v: edits.pads.set_companion(self.pad, v, self.pad, 1.0), "along with itself"),
            (lambda v: edits.pads.add_pads(self.kit, v, 600), "at most"),
        ]
        for do, words in table:
            before = dump(self.kit)
            with self.subTest(words), self.assertRaisesRegex(KitError, words):
                do(version(self.kit))
            self.assertEqual(dump(self.kit), before)


class Counting(TestCase):
    def test_large_kits_cost_no_more_queries_and_no_edit_more_than_eighteen(self):
        samples = shelf_of([-20.0, -10.0, -3.0])
        counts = []
        for filled in (1, 12):
            kit = edits.kits.create_kit("k")
            for pad in kit.pads.select_related("piece", "kit")[:filled]:
                edits.samples.give_samples(pad, version(kit), recordings(samples), "layers", replace=True, layers=3)
            counts.append(self.count(kit, kit.pads.first()))
        self.assertEqual(counts[0], counts[1])
        self.assertLessEqual(max(count for name, count in counts[0].items() if name != "page"), 18, counts[0])
        self.assertLessEqual(counts[0]["page"], 22)

    def count(self, kit: Kit, pad: Pad) -> dict[str, int]:
        take, base = Take.objects.filter(layer__pad=pad).first(), f"/kits/{kit.pk}/"

        def headers() -> dict[str, str]:
            return {"X-Kit-Version": str(version(kit)), "X-Selected-Pads": str(pad.pk), "HX-Request": "true"}

        def edit(path: str):
            sent = headers()
            return lambda: self.client.post(base + path, {"value": "-3"}, headers=sent)

        return {
            "page": self.queries(lambda: self.client.get(base)),
            "sheet": self.queries(lambda: self.client.get(base, headers=headers())),
            "tables": self.queries(lambda: self.client.get(f"{base}playbook/48000/?pads={pad.pk}")),
            "pad edit": self.queries(edit(f"pads/{pad.pk}/set/gain_db/")),
            "take edit": self.queries(edit(f"takes/{take.pk}/set/gain_db/")),
        }

    def queries(self, ask) -> int:
        """Statements that read or write rows; a test's own savepoints aside."""
        with CaptureQueriesContext(connection) as captured:
            self.assertEqual(ask().status_code, 200)
        return sum("SAVEPOINT" not in query["sql"] for query in captured.captured_queries)
