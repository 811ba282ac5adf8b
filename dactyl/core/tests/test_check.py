"""The kit check: each fault is found where it was put and nowhere else, sound kits are left alone, mends mend and no more."""

import math
import subprocess
import sys
from dataclasses import replace
from functools import cache

import numpy as np
from django.test import SimpleTestCase

from dactyl.core.check.check import RULES, check
from dactyl.core.check.finding import NOTE, SEVERITIES, WRONG, Finding, mended
from dactyl.core.check.listening import measure_kit, mend_all
from dactyl.core.check.measured import MeasuredKit
from dactyl.core.check.sound import Sound, listen
from dactyl.core.compare import compare
from dactyl.core.kit import Kit, Output, Pad
from dactyl.core.parts.part import Event, Part
from dactyl.core.play.compile import compile_kit
from dactyl.core.tests.faulty import FAULTS, RATE_HZ, TEMPTING, Audio, Made, Stroke, make

# Hz of the body, seconds until it falls by 60 dB, share and lowest Hz of noise
DRUMS = {
    "kick": (62.0, 0.5, 0.05, 2000.0), "snare": (190.0, 0.35, 0.8, 1500.0), "closed_hat": (4100.0, 0.12, 1.0, 6000.0),
    "open_hat": (4000.0, 1.1, 1.0, 5500.0), "low_tom": (95.0, 0.9, 0.1, 1500.0), "high_tom": (170.0, 0.7, 0.1, 2000.0),
    "crash": (3000.0, 1.9, 1.0, 3000.0), "ride": (2400.0, 1.7, 0.5, 4000.0),
}  # fmt: skip


def stroke_of(hz: float, seconds: float, noise: float, lowest_hz: float) -> Stroke:
    def stroke(strength: float, rng: np.random.Generator) -> Audio:
        time = np.arange(int(min(2.0, 1.3 * seconds) * RATE_HZ)) / RATE_HZ
        body = np.sin(2 * np.pi * hz * (1 + rng.normal(0, 0.002)) * time)
        hiss = np.diff(rng.standard_normal(len(time) + 1)) * min(1.0, lowest_hz / 4000)
        sound = (body * (1 - 0.7 * noise) + hiss * noise) * np.exp(-6.9 * time / seconds * rng.uniform(0.97, 1.03))
        sound /= np.abs(sound).max()
        level = 10 ** ((-24 * (1 - strength) + rng.normal(0, 0.3)) / 20) * 0.5
        lead = rng.standard_normal(200) * 1e-5
        return np.concatenate([lead, level * sound]).astype(np.float32)[None]

    return stroke


@cache
def whole() -> tuple[Made, MeasuredKit]:
    """A sound kit, and what was measured of it."""
    kit = make({kind: stroke_of(*how) for kind, how in DRUMS.items()}, np.random.default_rng(1))
    return kit, measure_kit(*kit.finished(), processes=2)


def made() -> Made:
    own, _ = whole()
    return Made(own.kit, dict(own.audio))


def measured(spoilt: Made) -> tuple[MeasuredKit, list[Finding]]:
    kit, load = spoilt.finished()
    found = measure_kit(kit, load, whole()[1].sounds)
    return found, check(found)


def _with(kit: Kit, changed: Pad) -> Kit:
    pieces = (
        replace(piece, pads=tuple(changed if pad.id == changed.id else pad for pad in piece.pads))
        for piece in kit.pieces
    )
    return replace(kit, pieces=tuple(pieces))


def _without_a_take(pad: Pad) -> Pad:
    first, *others = pad.layers
    off = replace(first.takes[0], enabled=False)
    return replace(pad, layers=(replace(first, takes=(off, *first.takes[1:])), *others))


BY_PROCESSES = """
import os, signal, time
import numpy as np
from dactyl.core.check.listening import Unheard, hear_all
from dactyl.core.check.measured import Stretch
from dactyl.core.errors import AudioError
from dactyl.core.kit import Sample

PARENT = os.getpid()

def load(stretch, sample):
    if stretch.start_frame == 7:
        raise AudioError("It is cut short.")
    if stretch.start_frame == KILLS and os.getpid() != PARENT:
        os.kill(os.getpid(), signal.SIGKILL)
    time.sleep(SECONDS)
    return np.random.default_rng(stretch.start_frame).normal(0, 0.1, (1, 3000)).astype(np.float32)

asked = [Unheard(Stretch("a", n, n + 3000, False), Sample("a", 9000, 48_000, 1), n % 3 == 0) for n in range(400)]
"""


class ByProcesses(SimpleTestCase):
    """In a program of its own: one that runs tests side by side may fork no others."""

    def told_by(self, script: str, *, seconds: float = 0.0, kills: int = -1) -> str:
        script = f"SECONDS, KILLS = {seconds}, {kills}\n{BY_PROCESSES}{script}"
        ran = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=120)
        self.assertEqual((ran.returncode, ran.stderr), (0, ""))
        return ran.stdout.strip()

    def test_the_same_is_heard_in_order_whatever_becomes_of_one(self):
        script = "told = list(hear_all(asked, load, 2))\nprint(told == list(hear_all(asked, load)), told[7], len(told))"
        self.assertEqual(self.told_by(script), "True It is cut short. 400")
        self.assertEqual(self.told_by(script, kills=200), "True It is cut short. 400", "one that is killed")

    def test_what_is_no_longer_wanted_is_not_begun(self):
        script = "heard = hear_all(asked, load, 2)\nnext(heard)\nbegan = time.monotonic()\nheard.close()\nprint(time.monotonic() - began < 10)"
        self.assertEqual(self.told_by(script, seconds=0.1), "True", "all of it takes 20 s")


class Findings(SimpleTestCase):
    def test_each_fault_is_found_in_its_place_and_what_follows_from_it_is_not_told_twice(self):
        for name, (rule, spoil, kind, at) in FAULTS.items():
            with self.subTest(name):
                spoilt = made()
                spoil(spoilt)
                _, found = measured(spoilt)
                pad = spoilt.pad(kind)
                own = [f for f in found if f.rule == rule and f.place.pad == pad.id]
                if at is not None:
                    own = [f for f in own if (f.place.layer, f.place.take) == (at[0] + 1, at[1] + 1)]
                self.assertTrue(own, f"{name}: {[f.message for f in found]}")
                others = [f for f in found if f not in own and (f.severity == WRONG or f.place.pad != pad.id)]
                self.assertLessEqual(len(others), 1, [f.message for f in others])

    def test_sound_kits_that_tempt_are_left_alone(self):
        for name, tempt in TEMPTING.items():
            with self.subTest(name):
                tempting = made()
                tempt(tempting)
                _, found = measured(tempting)
                self.assertEqual([f.message for f in found if f.severity != NOTE], [])

    def test_what_is_mended_is_no_longer_found_and_nothing_else_has_changed(self):
        mended_rules = set()
        for name in FAULTS:
            with self.subTest(name):
                rule, spoil, kind, _ = FAULTS[name]
                spoilt = made()
                spoil(spoilt)
                kit, load = spoilt.finished()
                first = measure_kit(kit, load, whole()[1].sounds)
                if not any(f.rule == rule and f.mend for f in check(first)):
                    continue
                changes, left = mend_all(first, {rule}, lambda value, known, load=load: measure_kit(value, load, known))
                self.assertEqual([f.message for f in left if f.mend], [])
                value = mended(kit, changes)
                self.assertEqual(
                    [f.message for f in check(measure_kit(value, load, first.sounds)) if f.rule == rule and f.mend], []
                )
                touched = {spoilt.pad(kind).name} | ({"Closed hat"} if rule in ("open_hats", "zero_fades") else set())
                told = compare(kit, value)
                self.assertTrue(told)
                self.assertTrue(all(any(line.startswith(pad) for pad in touched) for line in told), told)
                was, now = ({pad.name: pad for pad in compile_kit(one, 48_000).pads} for one in (kit, value))
                others = was.keys() - touched
                self.assertEqual(
                    [was[one] for one in others], [now[one] for one in others], "what a bounce plays of others"
                )
                mended_rules.add(rule)
        self.assertEqual(len(mended_rules), 16, mended_rules)

    def test_parts_at_hand_say_what_nothing_answers_and_what_goes_over(self):
        loud = made()
        loud.set_pad("snare", gain_db=24.0)
        loud.kit = replace(loud.kit, outputs=(*loud.kit.outputs, Output(name="Spare")))
        kit, load = loud.finished()
        hits = (Event(0, 38, 127), Event(10, 99, 80), Event(20, 99, 80))
        part = Part(name="Pier", ticks_per_beat=480, tempos=((0, 500_000),), events=hits, end_tick=1920)
        found = {f.rule: f for f in check(replace(measure_kit(kit, load), parts=(part,)))}
        self.assertIn("which Pier strikes 2 times", found["notes_answered"].message)
        self.assertEqual((found["stems"].severity, found["stems"].place.output), (WRONG, "Main"))
        self.assertEqual((found["outputs_used"].severity, found["outputs_used"].place.output), (NOTE, "Spare"))

    def test_after_an_edit_the_same_is_found_as_anew_and_what_was_not_touched_is_looked_at_once(self):
        spoilt = made()
        for name in ("turned", "take louder", "late", "copy", "click"):
            FAULTS[name][1](spoilt)
        kit, load = spoilt.finished()
        first = measure_kit(kit, load, whole()[1].sounds)
        check(first)
        pads = [pad for _, pad in kit.pads()]
        edits = {
            "none": (kit, len(pads)),
            "a pad": (_with(kit, replace(pads[0], gain_db=-3.0)), len(pads) - 1),
            "its takes": (_with(kit, _without_a_take(pads[1])), len(pads) - 1),
            "a pad emptied": (_with(kit, replace(pads[2], layers=())), len(pads) - 1),
            "a mic": (replace(kit, mics=tuple(replace(mic, gain_db=-6.0) for mic in kit.mics)), 0),
        }
        for name, (edited, count) in edits.items():
            with self.subTest(name):
                kept = first.kept_for(edited)
                self.assertEqual(len(kept.groups), count)
                again = measure_kit(edited, load, first.sounds)
                self.assertEqual(check(replace(again, kept=kept)), check(again))

    def test_findings_are_told_again_only_where_they_change_and_the_most_severe_first(self):
        spoilt = made()
        for name in ("turned", "take louder", "mono"):
            FAULTS[name][1](spoilt)
        _, found = measured(spoilt)
        ranks = [list(SEVERITIES).index(f.severity) for f in found]
        self.assertEqual(ranks, sorted(ranks))
        self.assertEqual([f.key for f in found], [f.key for f in measured(spoilt)[1]])
        self.assertEqual(len({f.key for f in found}), len(found))
        FAULTS["take softer"][1](spoilt)
        again = {f.key for f in measured(spoilt)[1]}
        self.assertTrue({f.key for f in found} < again)
        self.assertTrue({f.rule for f in found} <= set(RULES))


class Hearing(SimpleTestCase):
    def test_a_measure_is_kept_whole(self):
        rng = np.random.default_rng(1)
        sound = stroke_of(*DRUMS["snare"])(1.0, rng)
        heard = listen(sound, RATE_HZ)
        back = Sound.unpack(heard.pack())
        self.assertEqual((back.onset_frame, back.channels, back.level_db), (heard.onset_frame, 1, heard.level_db))
        np.testing.assert_allclose(back.attack, heard.attack, atol=1e-3)
        np.testing.assert_allclose(back.timbre, heard.timbre, atol=1e-2)

    def test_silence_short_sounds_and_odd_ones_give_finite_numbers(self):
        for audio in (
            np.zeros((2, 500)),
            np.ones((1, 1)),
            np.full((1, 3), 0.5),
            np.r_[np.zeros(40), 1.0][None],
            -np.ones((2, 4000)),
        ):
            heard = listen(audio.astype(np.float32), 8000)
            for name in ("peak_db", "level_db", "before_db", "head_db", "end_db", "hum_db", "dc"):
                self.assertTrue(math.isfinite(getattr(heard, name)), name)
            self.assertTrue(np.isfinite(heard.attack).all() and np.isfinite(heard.marks).all())
