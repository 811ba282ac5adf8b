"""What a person may type into a field, and what it means."""

from django.test import SimpleTestCase

from dactyl.core.errors import KitError
from dactyl.kits.fields import PAD_FIELDS, SCALES, number


class Amounts(SimpleTestCase):
    def test_a_number_is_read_with_or_without_its_unit(self):
        table = [
            (" dB", "-3", -3.0), (" dB", "−3,5 dB", -3.5), (" dB", "+2", 2.0), (" dB", ".5", 0.5),
            (" ms", "12", 12.0), (" ms", "5ms", 5.0), (" ms", "1.2 s", 1200.0),
            (" Hz", "440 Hz", 440.0), (" Hz", "8k", 8000.0), (" Hz", "1.5 kHz", 1500.0),
            (" cents", "50", 50.0), (" cents", "-2st", -200.0), (" cents", "2 st 30", 230.0),
            (" cents", "-2 st 30 ct", -230.0), (" cents", "1 st -20", 80.0), ("", "30", 30.0),
        ]  # fmt: skip
        for unit, text, value in table:
            with self.subTest(text):
                self.assertEqual(number("It", -1e5, 1e5, unit)(text), value)

    def test_what_is_no_amount_of_the_unit_is_refused_by_name(self):
        wrong = ["", "loud", "--3", "3 4", "1e3", "nan", "inf", "3 parsecs", "5 5 dB", "1 ms 2", "²"]
        for unit in SCALES:
            others = {ending for other in SCALES.values() for ending in other} - set(SCALES[unit])
            for text in [*wrong, *(f"3 {ending}" for ending in sorted(others))]:
                if unit == " cents" and text == "3 4":
                    continue  # the one unit of which several amounts add up
                with self.subTest(unit=unit, text=text), self.assertRaisesRegex(KitError, "It “.*” is not a number"):
                    number("It", -1e5, 1e5, unit)(text)

    def test_the_history_says_numbers_with_their_unit_and_nothing_of_other_values(self):
        self.assertEqual(PAD_FIELDS["gain_db"].said(-3.0), "−3.0 dB")
        self.assertEqual(PAD_FIELDS["tune_cents"].said(-230.0), "−230 ct")
        self.assertEqual(PAD_FIELDS["pan"].said(30), "30")
        self.assertEqual([PAD_FIELDS["is_held"].said(True), PAD_FIELDS["rotation"].said("random")], ["", ""])
