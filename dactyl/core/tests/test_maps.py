"""Notes of many pads at once."""

from django.test import SimpleTestCase

from dactyl.core.errors import KitError, KitFileError
from dactyl.core.formats.midi_names import read_names, write_names
from dactyl.core.maps import surfaces
from dactyl.core.maps.devices import ORDERS, in_order
from dactyl.core.maps.notes import PadNotes, as_csv, as_in, doubled, in_a_row, shifted, standard
from dactyl.core.maps.surfaces import SurfaceGrid
from dactyl.core.maps.translate import applied, named_source, propose, standard_source, table_of, unmet
from dactyl.core.parts.part import Event, Part


def pads(*rows: tuple[str, str, tuple[int, ...]]) -> list[PadNotes]:
    return [PadNotes(id=n, name=name, kind=kind, notes=notes) for n, (name, kind, notes) in enumerate(rows, start=1)]


class Notes(SimpleTestCase):
    kit = pads(("Kick", "kick", (1,)), ("Anvil", "other", (2,)), ("Snare", "snare", (3, 4)), ("Snare two", "snare", ()), ("Snare three", "snare", ()))  # fmt: skip

    def test_standard_notes_are_given_once_each_and_what_has_none_gets_a_free_one(self):
        found = standard(self.kit, taken=[60])
        self.assertEqual({key: notes for key, notes in found.items() if key != 5}, {1: (36,), 2: (62,), 3: (38,), 4: (40,)} | {2: found[2]})  # fmt: skip
        self.assertEqual(len({note for notes in found.values() for note in notes} | {60}), 6)
        with self.assertRaisesRegex(KitError, "not enough free notes"):
            standard(self.kit, taken=range(128))

    def test_a_row_and_a_move_stay_on_the_keyboard_or_nothing_is_done(self):
        self.assertEqual(in_a_row(self.kit, 123), {n + 1: (123 + n,) for n in range(5)})
        with self.assertRaisesRegex(KitError, "5 pads in a row from G#8 . 128|beyond note 127"):
            in_a_row(self.kit, 124)
        self.assertEqual(shifted(self.kit, 12), {1: (13,), 2: (14,), 3: (15, 16)})
        with self.assertRaisesRegex(KitError, "Kick would leave"):
            shifted(self.kit, -2)

    def test_another_kit_gives_its_notes_to_pads_of_the_same_name(self):
        found, unknown = as_in(self.kit, pads(("snare", "snare", (90,)), ("KICK", "kick", (91, 92))))
        self.assertEqual((found, unknown), ({1: (91, 92), 3: (90,)}, ["Anvil", "Snare two", "Snare three"]))

    def test_doubled_notes_are_named_and_a_list_says_all(self):
        both = pads(("Kick", "kick", (36,)), ("Low, kick", "kick", (36, 35)))
        self.assertEqual(doubled(both), {36: ["Kick", "Low, kick"]})
        self.assertEqual(as_csv(both).split("\r\n"), ["note,name,pad,kind", '35,B0,"Low, kick",kick', "36,C1,Kick,kick", '36,C1,"Low, kick",kick', ""])  # fmt: skip


class Surfaces(SimpleTestCase):
    """Places of a 4 × 4 surface count from the lower left: 0 1 2 3, above it 4 5 6 7, and so on."""

    grid = SurfaceGrid(4, 4, 2)

    def test_a_block_is_mirrored_copied_moved_and_never_falls_off(self):
        cells = {0: 10, 1: 11, 4: 12, 15: 99}
        self.assertEqual(surfaces.mirrored(self.grid, cells, {0, 1, 4, 5}), {1: 10, 0: 11, 5: 12, 15: 99})
        self.assertEqual(surfaces.mirrored(self.grid, surfaces.mirrored(self.grid, cells, {0, 3, 4}), {0, 3, 4}), cells)
        self.assertEqual(surfaces.mirrored_across(self.grid, cells, {0, 1}), {**cells, 3: 10, 2: 11})
        self.assertEqual(surfaces.copied(self.grid, cells, {0, 1, 4}, 16), {**cells, 16: 10, 17: 11, 20: 12})
        self.assertEqual(surfaces.copied(self.grid, cells, {0, 1, 4}, 1, moves=True), {1: 10, 2: 11, 5: 12, 15: 99})
        with self.assertRaisesRegex(KitError, "do not fit at bank 1, row 1, column 4"):
            surfaces.copied(self.grid, cells, {0, 1}, 3)

    def test_pads_are_spread_swapped_and_named_by_where_they_stand(self):
        self.assertEqual(surfaces.spread(self.grid, {0: 7}, [1, 2, 3], 14), {0: 7, 14: 1, 15: 2, 16: 3})
        self.assertEqual(surfaces.spread(self.grid, {0: 7}, [1, 2, 3], 9, [9, 0, 8, 1]), {0: 1, 1: 2, 8: 3})
        with self.assertRaisesRegex(KitError, "3 pads do not fit"):
            surfaces.spread(self.grid, {}, [1, 2, 3], 30)
        self.assertEqual(surfaces.swapped({0: 7, 5: 8}, 0, 9), {9: 7, 5: 8})
        self.assertEqual([self.grid.name(place) for place in (0, 7, 16)], ["bank 1, row 1, column 1", "bank 1, row 2, column 4", "bank 2, row 1, column 1"])  # fmt: skip
        with self.assertRaisesRegex(KitError, "up to 32 rows"):
            SurfaceGrid(40, 2)

    def test_orders_of_devices_send_each_note_once(self):
        self.assertEqual(in_order("halves", 2, 8), [36, 37, 38, 39, 44, 45, 46, 47, 40, 41, 42, 43, 48, 49, 50, 51])
        self.assertEqual(in_order("falling", 1, 3, 60), [62, 61, 60])
        self.assertEqual(in_order("rising", 1, 3, 126), [126, 127, None])
        for order in ORDERS:
            notes = [note for note in in_order(order, 8, 8) if note is not None]
            self.assertEqual(len(set(notes)), 64, order)


class Translating(SimpleTestCase):
    kit = pads(("Boiler", "kick", (70,)), ("Plate", "snare", (71,)), ("Steam shut", "closed_hat", (72,)), ("Anvil", "other", (73, 74)))  # fmt: skip

    def test_a_foreign_list_meets_the_pads_by_name_then_kind_then_what_stands_in_and_doubts_are_told(self):
        source = named_source({1: "ANVIL", 2: "Kick drum", 3: "Snare", 4: "Snare rimshot", 5: "Open hat", 6: "Whistle"})
        lines = {line.note: line for line in propose(source, self.kit)}
        self.assertEqual(table_of(list(lines.values())), {1: 73, 2: 70, 3: 71, 4: 71, 5: 72})
        self.assertEqual([note for note, line in lines.items() if line.is_sure], [1, 2, 3])
        self.assertEqual((lines[5].why, lines[6].why), ("a closed hat stands in", "no pad is like it"))
        self.assertEqual(table_of(propose(standard_source(), self.kit))[36], 70)

    def test_a_table_is_written_into_a_copy_and_what_it_lacks_is_counted(self):
        events = tuple(Event(tick=n, note=note, velocity=90) for n, note in enumerate((2, 2, 6, 9)))
        part = Part(name="Foreign", ticks_per_beat=480, tempos=((0, 500_000),), events=events, end_tick=480)
        self.assertEqual(unmet(part, {2: 70}), {6: 1, 9: 1})
        self.assertEqual([event.note for event in applied(part, {2: 70}).events], [70, 70, 6, 9])
        self.assertEqual([event.note for event in part.events], [2, 2, 6, 9])


class NameDocuments(SimpleTestCase):
    def test_names_read_back_as_they_were_written(self):
        names = {0: "Lowest", 36: "Kick & “boiler” <1>", 127: "Höchste"}
        self.assertEqual(read_names(write_names("Quay", names), "quay.midnam"), names)

    def test_what_is_no_name_document_is_a_sentence(self):
        whole = write_names("Quay", {36: "Kick"})
        for data in (b"", whole[:-20], b"<a/>", b"\xff\xfe\0", whole.replace(b'Number="36"', b'Number="-1"'), b'<!DOCTYPE a [<!ENTITY b "c">]><a/>', b"<" * 9000):  # fmt: skip
            with self.assertRaises(KitFileError):
                read_names(data, "bad.midnam")
