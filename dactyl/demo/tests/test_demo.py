"""The demo's sounds are heard as what they are."""

import numpy as np
from django.test import SimpleTestCase

from dactyl.core.audio.measure import measure
from dactyl.core.stack.kind import kind_from_sound
from dactyl.demo.scenario import KITS
from dactyl.demo.synth import RATE_HZ, strike


class Kinds(SimpleTestCase):
    def test_sound_tells_most_kinds_of_the_house_kit(self):
        """Coarse by design: it counts how often nameless hits of the demo are heard rightly."""
        groups = {"rim": "snare", "snare": "snare", "grabbed": "crash"}
        right = total = 0
        for pad in KITS[0].pads:
            for take in range(3):
                dry = strike(pad.voice, 0.95, np.random.default_rng(take))[np.newaxis].astype(np.float32)
                guess = kind_from_sound(measure(dry, RATE_HZ))
                family = {pad.kind, groups.get(pad.pad, pad.kind)}
                total += 1
                right += guess in family or {guess, pad.kind} <= {"crash", "ride", "open_hat"}
                right += {guess, pad.kind} <= {"closed_hat", "pedal_hat"} and guess != pad.kind
        self.assertGreaterEqual(right / total, 0.6)
