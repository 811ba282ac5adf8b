"""The floor plan: pieces find their places by kind, lower drums are larger, and the rim means what is struck there."""

from django.test import SimpleTestCase

from dactyl.core.plan import pan_of, placed, rings

NOWHERE = (None, None)


class Plan(SimpleTestCase):
    def test_pieces_stand_where_they_are_put_else_where_their_kind_usually_is(self):
        kick, one, two, own = placed([(1, "kick", 55, NOWHERE), (2, "crash", 0, NOWHERE), (3, "crash", 0, NOWHERE), (4, "snare", 0, (70, 20))])  # fmt: skip
        self.assertEqual((kick.x, kick.shape, own.x, own.y), (0, "kick", 70, 20))
        self.assertNotEqual((one.x, one.y), (two.x, two.y))
        everywhere = placed([(n, kind, 0, NOWHERE) for n, kind in enumerate(["other", "low_tom", "closed_hat"] * 40)])
        self.assertTrue(all(-100 <= p.x <= 100 and 0 <= p.y <= 100 for p in everywhere))

    def test_a_lower_drum_is_larger_within_reason(self):
        high, low, lowest = placed(
            [(1, "high_tom", 160, NOWHERE), (2, "low_tom", 80, NOWHERE), (3, "low_tom", 10, NOWHERE)]
        )
        self.assertLess(high.radius, low.radius)
        self.assertLess(lowest.radius, 2 * low.radius)

    def test_the_audience_hears_the_other_way_round(self):
        self.assertEqual([pan_of(x, as_audience=False) for x in (-100, 0, 50)], [-70, 0, 35])
        self.assertEqual(pan_of(-40, as_audience=True), 28)

    def test_articulations_lie_from_the_middle_to_the_rim(self):
        self.assertEqual(rings(["Snare rim shot", "Snare", "Snare centre"]), [2, 1, 0])
        self.assertEqual(rings(["Ride bow", "Ride bell", "Ride edge"]), [1, 0, 2])
