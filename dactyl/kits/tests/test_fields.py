"""What a person may type into a field, and what it means."""

from dataclasses import replace

from django.conf import settings
from django.db import IntegrityError, connection, transaction
from django.test import SimpleTestCase
from django.test.utils import CaptureQueriesContext

from dactyl.core import fields
from dactyl.core.errors import KitError
from dactyl.core.formats.package import portable
from dactyl.core.formats.values import from_json, to_json
from dactyl.core.kit import Kit
from dactyl.kits import edits
from dactyl.kits.edits.from_value import open_kit
from dactyl.kits.fields import PAD_FIELDS, SCALES, number
from dactyl.kits.models import ChokeGroup, Companion, MapNote, Output, PieceMic
from dactyl.kits.tests.test_edits import KitCase, version
from dactyl.kits.values import kit_value, some_pads
from dactyl.shelf.models import Sample


class Amounts(SimpleTestCase):
    def test_a_number_is_read_with_or_without_its_unit(self):
        table = [
            ("dB", "-3", -3.0), ("dB", "−3,5 dB", -3.5), ("dB", "+2", 2.0), ("dB", ".5", 0.5),
            ("ms", "12", 12.0), ("ms", "5ms", 5.0), ("ms", "1.2 s", 1200.0),
            ("Hz", "440 Hz", 440.0), ("Hz", "8k", 8000.0), ("Hz", "1.5 kHz", 1500.0),
            ("ct", "50", 50.0), ("ct", "-2st", -200.0), ("ct", "2 st 30", 230.0),
            ("ct", "-2 st 30 ct", -230.0), ("ct", "1 st -20", 80.0), ("", "30", 30.0),
        ]  # fmt: skip
        for unit, text, value in table:
            with self.subTest(text):
                self.assertEqual(number("It", -1e5, 1e5, unit)(text), value)

    def test_what_is_no_amount_of_the_unit_is_refused_by_name(self):
        wrong = ["", "loud", "--3", "3 4", "1e3", "nan", "inf", "3 parsecs", "5 5 dB", "1 ms 2", "²"]
        for unit in SCALES:
            others = {ending for other in SCALES.values() for ending in other} - set(SCALES[unit])
            for text in [*wrong, *(f"3 {ending}" for ending in sorted(others))]:
                if unit == "ct" and text == "3 4":
                    continue  # the one unit of which several amounts add up
                with self.subTest(unit=unit, text=text), self.assertRaisesRegex(KitError, "It “.*” is not a number"):
                    number("It", -1e5, 1e5, unit)(text)

    def test_the_history_says_numbers_with_their_unit_and_nothing_of_other_values(self):
        self.assertEqual(PAD_FIELDS["gain_db"].said(-3.0), "−3.0 dB")
        self.assertEqual(PAD_FIELDS["tune_cents"].said(-230.0), "−230 ct")
        self.assertEqual(PAD_FIELDS["pan"].said(30), "30")
        self.assertEqual([PAD_FIELDS["is_held"].said(True), PAD_FIELDS["rotation"].said("random")], ["", ""])


def ends_of(field: fields.Field, row_name: str) -> list:
    """Values at the limits of a field, as a row holds them."""
    if field.choices is not None:
        return list(field.choices)
    if field.kind is bool:
        return [False, True]
    if field.kind is str:
        return ["a" * field.longest, "Ö"]
    found = [field.kind(field.low), field.kind(field.high)] + ([None] if field.is_optional else [])
    return {"start_frame": [0, 5], "end_frame": [6, None]}.get(row_name, found)


class Described(SimpleTestCase):
    def test_the_formats_say_what_every_field_takes(self):
        written = (settings.ROOT / "docs/formats.md").read_text("utf-8").splitlines()
        self.assertEqual([line for line in fields.described() if line not in written], [])


class EveryField(KitCase):
    """Row -> value -> package -> value -> row: nothing is lost on any way, at any limit."""

    TABLES = {
        "pad": fields.PAD, "layer": fields.LAYER, "take": fields.TAKE, "piece": fields.PIECE, "mic": fields.MIC,
        "output": fields.OUTPUT, "group": fields.GROUP, "kit": fields.KIT,
    }  # fmt: skip

    def rows(self, kit) -> dict:
        pad = kit.pads.select_related("piece", "choke").first()
        return {
            "pad": pad, "layer": pad.layers.first(), "take": pad.layers.first().takes.first(), "piece": pad.piece,
            "mic": kit.mics.get(position=1), "output": kit.outputs.get(position=1), "group": pad.choke, "kit": kit,
        }  # fmt: skip

    def setUp(self):
        self.give()
        edits.pads.choke_pads([self.pad], version(self.kit), "A")
        edits.pads.route_pads([self.fresh()], version(self.kit), "Bus")

    def test_every_field_at_its_limits_survives_the_whole_way(self):
        samples = {sample.sha256: sample for sample in Sample.objects.all()}
        longest = max(len(ends_of(field, name)) for table in self.TABLES.values() for name, field in table.items())
        for turn in range(longest):
            rows, wanted = self.rows(self.kit), {}
            for what, table in self.TABLES.items():
                for name, field in table.items():
                    ends = ends_of(field, name)
                    setattr(rows[what], name, ends[turn % len(ends)])
                    wanted[what, name] = ends[turn % len(ends)]
                rows[what].save()
            value = portable(kit_value(self.kit.pk))
            fields.check_limits(value)
            again = from_json(Kit, to_json(value))
            self.assertEqual(again, value)
            copy = self.rows(open_kit(again, samples, "a test"))
            for (what, name), expected in wanted.items():
                with self.subTest(turn=turn, what=what, field=name):
                    found = getattr(copy[what], name)
                    self.assertEqual(type(found) is bool, type(expected) is bool)
                    self.assertAlmostEqual(found, expected) if isinstance(expected, float) else self.assertEqual(
                        found, expected
                    )

    def test_one_step_past_a_limit_is_refused_by_name(self):
        value = some_pads(self.kit.pk, [self.pad.pk]).alone
        pad = value.pieces[0].pads[0]
        numbers = [(name, field) for name, field in fields.PAD.items() if field.low is not None]
        for name, field, past in [(n, f, at) for n, f in numbers for at in (f.low - 1, f.high + 1)]:
            inside, _, own = (field.path or name).rpartition(".")
            changed = {own: past / field.scale}
            changed = {inside: replace(getattr(pad, inside), **changed)} if inside else changed
            broken = replace(value, pieces=(replace(value.pieces[0], pads=(replace(pad, **changed),)),))
            with self.subTest(field=name, value=past), self.assertRaisesRegex(KitError, field.words):
                fields.check_limits(broken)

    def test_opening_is_the_kits_first_edit_and_costs_no_more_for_a_large_kit(self):
        samples = {sample.sha256: sample for sample in Sample.objects.all()}
        small = kit_value(self.kit.pk)
        large = replace(small, pieces=tuple(
            replace(piece, id=piece.id + 1000 * n, pads=tuple(
                replace(pad, id=pad.id + 1000 * n, layers=tuple(replace(x, id=x.id + 1000 * n) for x in pad.layers))
                for pad in piece.pads
            ))
            for n in range(8)
            for piece in small.pieces
        ))  # fmt: skip
        counts = []
        for value in (small, large):
            with CaptureQueriesContext(connection) as statements:
                kit = open_kit(value, samples, "Quay.zip")
            counts.append(len(statements))
            self.assertEqual(kit.journal.revisions.get().sentence, "Opened from Quay.zip")
        self.assertLess(counts[1], counts[0] + 8)  # rows go in by a few hundred


class Guards(KitCase):
    def test_a_row_of_another_kit_is_refused_by_the_database(self):
        self.give()
        other = edits.kits.create_kit("Other")
        theirs = other.pads.first()
        output, choke = Output.objects.get(kit=other), ChokeGroup.objects.create(kit=other, letter="A")
        self.pad.refresh_from_db()
        tries = {
            "output": lambda: type(self.pad).objects.filter(pk=self.pad.pk).update(output=output),
            "choke": lambda: type(self.pad).objects.filter(pk=self.pad.pk).update(choke=choke),
            "piece": lambda: type(self.pad).objects.filter(pk=self.pad.pk).update(piece=theirs.piece),
            "note": lambda: MapNote.objects.create(map=self.kit.maps.get(), note=3, pad=theirs),
            "companion": lambda: Companion.objects.create(pad=self.pad, other=theirs),
            "mic": lambda: PieceMic.objects.create(piece=self.pad.piece, mic=other.mics.first()),
            "take": lambda: self.takes()[0].samples.update(mic=other.mics.first()),
        }
        for what, write in tries.items():
            with self.subTest(what), self.assertRaisesRegex(IntegrityError, "another kit"), transaction.atomic():
                write()

    def test_a_kit_has_one_default_map(self):
        with self.assertRaises(IntegrityError), transaction.atomic():
            self.kit.maps.create(name="Second", is_default=True)

    def test_duplicating_many_pads_takes_few_statements(self):
        edits.pads.add_pads(self.kit, version(self.kit), 112)
        pads = list(self.kit.pads.select_related("piece").order_by("position")[10:42])
        for pad in pads:
            pad.kit = self.kit
        with CaptureQueriesContext(connection) as statements:
            edits.pads.duplicate_pads(pads, version(self.kit))
        self.assertLess(len(statements), 40)
        order = list(self.kit.pads.order_by("position").values_list("name", flat=True))
        self.assertEqual((len(order), order[11].endswith("copy"), order[10].endswith("copy")), (160, True, False))
