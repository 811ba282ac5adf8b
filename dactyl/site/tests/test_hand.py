"""The laws that no hand may break, by a hand at random: a minute of it with the same acts every time.

``make hand`` lets it go on with new seeds, for as many seconds as HAND_SECONDS says, and prints the seed of each round.
"""

import os
import secrets
import time

from django.test import TestCase
from hypothesis import HealthCheck, Phase, seed, settings
from hypothesis.stateful import run_state_machine_as_test

from dactyl.shelf.tests.sounds import shelf_of
from dactyl.site.tests.hand import Hand

SECONDS = "HAND_SECONDS"
STEPS = 30
PHASES = [Phase.generate, *([] if os.environ.get("HAND_SHRINKS") == "no" else [Phase.shrink])]
CALM = {
    "deadline": None,
    "stateful_step_count": STEPS,
    "suppress_health_check": list(HealthCheck),
    "print_blob": False,
    "database": None,
}


class ARandomHand(TestCase):
    @classmethod
    def setUpTestData(cls):
        Hand.samples = shelf_of([-24.0, -20.0, -16.0, -12.0, -8.0, -4.0])

    def test_no_order_of_acts_breaks_a_law(self):
        run_state_machine_as_test(Hand, settings=settings(derandomize=True, max_examples=12, phases=PHASES, **CALM))

    def test_nor_do_new_ones_for_as_long_as_is_asked_for(self):
        until = time.monotonic() + float(os.environ.get(SECONDS, "0"))
        while time.monotonic() < until:
            number = secrets.randbelow(1 << 32)
            print(f"Seed {number}", flush=True)
            run_state_machine_as_test(seed(number)(Hand), settings=settings(max_examples=20, phases=PHASES, **CALM))
