"""Pedals, places and grabs against a player written from the rule alone, in double precision (design rule 20)."""

import io
import math
import random
from dataclasses import dataclass, field, replace
from functools import partial

import mido
import numpy as np
from django.test import SimpleTestCase

from dactyl.core.bounce.foreseen import unused_controls
from dactyl.core.bounce.render import render, voices_of
from dactyl.core.formats.midi import read_midi, write_midi
from dactyl.core.kit import Kit, Pad, Piece
from dactyl.core.lineup import Lineup, Member
from dactyl.core.parts import structure
from dactyl.core.parts.controls import (
    CHANNEL_PRESSURE,
    CONTROLLER,
    KEY_PRESSURE,
    RESET_ALL,
    Control,
    laid_over,
    state_at,
    with_recorded,
)
from dactyl.core.parts.part import Event, Gesture, Hit, Part
from dactyl.core.play.compile import compile_kit
from dactyl.core.play.together import compile_lineup
from dactyl.core.tests.kits import RATE, kit, map_of_pads, pad

CLOSED, HALF, OPEN, CHICK, SPLASH, GRAB, RIDE = range(42, 49)
HATS = {CLOSED: {"open_to": 31}, HALF: {"open_to": 80}, OPEN: {"open_to": 127}, CHICK: {"played_by": "chick"}, SPLASH: {"played_by": "splash"}, GRAB: {"played_by": "grab"}}  # fmt: skip


def hats_kit(dice: random.Random, **settings) -> Kit:
    """Two pieces: hats that a pedal shares out, and a ride whose place of a stroke a controller says."""
    made = [pad(str(note), note=note, frames=dice.randint(8000, 60_000), **said) for note, said in HATS.items()]
    bow, edge = (
        pad(f"ride {n}", note=RIDE + n, frames=dice.randint(8000, 60_000), open_to=to) for n, to in ((0, 63), (1, 127))
    )
    hats = {"shared_by": "pedal", "controller": 4, "closing_ms": 30.0, "grab_from": 64, "grab_ms": 20.0} | settings
    return Kit(
        name="hats",
        pieces=(
            Piece(id=1, name="Hats", pads=tuple(made), **hats),
            Piece(id=2, name="Ride", pads=(bow, edge), shared_by="place", controller=16, blend=40, grab_note=60),
        ),
        maps=(map_of_pads([*made, bow, edge]),),
    )


def random_part(dice: random.Random) -> Part:
    """Four seconds: a pedal that goes slowly, fast, and not at all, strokes over it, hands that grab."""
    events, controls, openness = [], [], dice.randint(0, 127)
    tick = 0
    while tick < 8 * 960:
        tick += dice.choice([5, 10, 40, 100, 480])
        channel = dice.choice([9, 9, 9, 3])
        what = dice.random()
        if what < 0.5:
            openness = min(127, max(0, openness + dice.choice([-127, -60, -20, -4, 0, 4, 30, 100])))
            controls.append(Control(tick, CONTROLLER, dice.choice([4, 4, 4, 16, 7]), openness, channel))
        elif what < 0.6:
            controls.append(Control(tick, KEY_PRESSURE, dice.choice([OPEN, CLOSED, RIDE]), dice.choice([0, 40, 64, 127]), channel))  # fmt: skip
        elif what < 0.62:
            controls.append(Control(tick, CONTROLLER, RESET_ALL, 0, channel))
        else:
            events.append(Event(tick, dice.choice([*HATS, RIDE, RIDE + 1, 60]), dice.randint(1, 127), channel))
    return Part(name="p", ticks_per_beat=960, tempos=((0, 500_000),), events=tuple(events), controls=tuple(controls), end_tick=8 * 960)  # fmt: skip


@dataclass
class Ring:
    pad: Pad
    piece: Piece
    channel: int
    start: int
    end: int
    velocity: int
    gain: float
    fade: tuple[int, int] | None = None

    def is_heard(self, frame: int) -> bool:
        return self.fade is None and self.end > self.start and frame < self.end

    def cut(self, frame: int, ms: float) -> None:
        self.fade = (frame, round(ms * RATE / 1000))


@dataclass
class Naive:
    """The rule, pad by pad, with nothing worked out before."""

    kit: Kit
    said: dict = field(default_factory=dict)
    pressed: dict = field(default_factory=dict)
    falls: dict = field(default_factory=dict)  # (channel, piece) -> (openness before, frame of the first step down)
    chicks: dict = field(default_factory=dict)
    rings: list[Ring] = field(default_factory=list)

    def play(self, act: Hit | Gesture) -> None:
        if isinstance(act, Hit):
            self.hit(act)
        elif (act.kind, act.number) == (CONTROLLER, RESET_ALL):
            for memory in (self.said, self.pressed, self.falls, self.chicks):
                for key in [key for key in memory if key[0] == act.channel]:
                    del memory[key]
        elif act.kind == CONTROLLER:
            before = self.said.get((act.channel, act.number))
            self.said[act.channel, act.number] = act.value
            for piece in self.kit.pieces:
                if piece.controller == act.number and piece.shared_by == "pedal":
                    self.pedal(piece, before, act)
        elif act.kind == KEY_PRESSURE:
            before = self.pressed.get((act.channel, act.number), 0)
            self.pressed[act.channel, act.number] = act.value
            for piece in self.kit.pieces:
                owns = any(
                    note == act.number and pad in [p.id for p in piece.pads] for note, pad in self.kit.maps[0].notes
                )
                if owns and piece.grab_from and before < piece.grab_from <= act.value:
                    self.grab(piece, act.frame, act.channel)

    def hit(self, hit: Hit) -> None:
        spared = [piece for piece in self.kit.pieces if piece.grab_note == hit.note]
        for piece in spared:
            self.grab(piece, hit.frame, hit.channel)
        struck = {}
        for piece, own in self.kit.pads():
            if piece in spared or (hit.note, own.id) not in self.kit.maps[0].notes:
                continue
            value = self.said.get((hit.channel, piece.controller))
            if own.open_to is None or value is None:
                struck.setdefault(own.id, (piece, own, 1.0))
                continue
            for other, gain in self.shared(piece, self.open(piece, value)):
                struck.setdefault(other.id, (piece, other, gain))
        for piece, own, gain in struck.values():
            self.ring(piece, own, hit.frame, hit.velocity, hit.channel, gain)

    def open(self, piece: Piece, value: int) -> int:
        return 127 - value if piece.is_turned else value

    def shared(self, piece: Piece, at: int) -> list[tuple[Pad, float]]:
        pads = sorted((p for p in piece.pads if p.open_to is not None), key=lambda p: p.open_to)
        gains = [1.0] * len(pads)
        for n in range(len(pads) - 1):
            low = pads[n - 1].open_to if n else -1
            high = 127 if n + 2 == len(pads) else pads[n + 1].open_to
            width = min(piece.blend, pads[n].open_to - low, high - pads[n].open_to)
            x = (at > pads[n].open_to) if not width else min(1, max(0, (at - pads[n].open_to - 0.5) / width + 0.5))
            gains[n] *= math.cos(x * math.pi / 2)
            gains[n + 1] *= math.sin(x * math.pi / 2)
        return [(own, gain) for own, gain in zip(pads, gains, strict=True) if gain > 1e-9]

    def pedal(self, piece: Piece, before: int | None, act: Gesture) -> None:
        now, key = self.open(piece, act.value), (act.channel, piece.id)
        sounding = {own.id for own, _ in self.shared(piece, now)}
        lowest, *_, highest = sorted(p.open_to for p in piece.pads if p.open_to is not None)
        for ring in self.rings:
            if ring.piece is not piece or ring.channel != act.channel or not ring.is_heard(act.frame):
                continue
            stretch = ring.pad.open_to
            is_over = stretch is not None and ring.pad.id not in sounding and now < stretch
            if (is_over and stretch > lowest) or (ring.pad.played_by == "splash" and now <= lowest):
                ring.cut(act.frame, piece.closing_ms)
        if before is None:
            return
        was = self.open(piece, before)
        if now < was:
            self.falls.setdefault(key, (was, act.frame))
        elif now > was:
            self.falls.pop(key, None)
        if now <= lowest < was:
            top, since = self.falls[key]
            self.chicks.pop(key, None)
            if act.frame - since <= RATE // 5:
                loud = max(1, math.floor((top - now) * min(1, 1920 / max(1, act.frame - since)) + 0.5))
                self.chicks[key] = act.frame, loud
                self.strike(piece, "chick", act.frame, loud, act.channel)
        elif was <= lowest < now and key in self.chicks:
            at, loud = self.chicks.pop(key)
            if act.frame - at <= RATE // 5:
                self.strike(piece, "splash", act.frame, loud, act.channel)

    def grab(self, piece: Piece, frame: int, channel: int) -> None:
        rings = [r for r in self.rings if r.piece is piece and r.channel == channel and r.is_heard(frame)]
        levels = [math.floor(r.velocity * (1 - (frame - r.start) / (r.end - r.start)) + 0.5) for r in rings]
        for ring in rings:
            ring.cut(frame, piece.grab_ms)
        if levels:
            self.strike(piece, "grab", frame, max(1, *levels), channel)

    def strike(self, piece: Piece, what: str, frame: int, velocity: int, channel: int) -> None:
        for own in piece.pads:
            if own.played_by == what:
                self.ring(piece, own, frame, velocity, channel, 1.0)

    def ring(self, piece: Piece, own: Pad, frame: int, velocity: int, channel: int, gain: float) -> None:
        sounding = [r for r in self.rings if r.pad.id == own.id and r.is_heard(frame)]
        for oldest in sounding[: max(0, len(sounding) + 1 - own.max_voices)]:
            oldest.cut(frame, 8.0)
        frames = own.layers[0].takes[0].samples[0][1].frames
        self.rings.append(Ring(own, piece, channel, frame, frame + frames, velocity, gain * (velocity / 127) ** 2))


def naive_sound(kit: Kit, part: Part, sounds: dict[str, np.ndarray], frames: int) -> np.ndarray:
    player = Naive(kit)
    for act in part.acts(RATE):
        player.play(act)
    out = np.zeros(frames)
    for ring in player.rings:
        own = sounds[ring.pad.layers[0].takes[0].samples[0][1].sha256].astype(float) * ring.gain
        if ring.fade:
            at, length = ring.fade
            own = own * np.clip(1 - (np.arange(ring.start, ring.end) - at) / max(1, length), 0, 1)
        out[ring.start : ring.end] += own[: frames - ring.start]
    return out


def dice_sounds(kit: Kit) -> dict[str, np.ndarray]:
    samples = [take.samples[0][1] for _, own in kit.pads() for layer in own.layers for take in layer.takes]
    rng = np.random.default_rng(len(samples))
    return {one.sha256: rng.uniform(-1, 1, one.frames).astype(np.float32) for one in samples}


class HandsTest(SimpleTestCase):
    def test_pedals_places_and_grabs_are_the_rule(self):
        played = {"chick": 0, "splash": 0, "grab": 0}
        for seed in range(60):
            dice = random.Random(seed)
            made = hats_kit(dice, is_turned=seed % 3 == 0, blend=dice.choice([0, 0, 20]))
            part, sounds = random_part(dice), dice_sounds(made)
            book = compile_kit(made, RATE)
            voices = voices_of(book, part.acts(RATE))
            frames = RATE * 6
            buses = np.concatenate(
                [b.buses for b in render(voices, 1, frames, lambda r, s=sounds: s[r.sha256][None])], axis=2
            )
            wanted = naive_sound(made, part, sounds, frames)
            np.testing.assert_allclose(
                buses[0, 0], wanted, atol=1e-5 * max(1.0, np.abs(wanted).max()), err_msg=str(seed)
            )
            for number, own in enumerate(own for _, own in made.pads()):
                if own.played_by:
                    played[own.played_by] += sum(voice.pad is book.pads[number] for voice in voices)
        self.assertTrue(all(count > 20 for count in played.values()), played)

    def test_a_lineup_of_one_and_a_part_without_controllers_play_as_before(self):
        dice = random.Random(5)
        made, part = hats_kit(dice), random_part(dice)
        told = [
            [(v.start_frame, v.pad.kind, v.region, v.gain, v.fades) for v in voices_of(book, part.acts(RATE))]
            for book in (compile_kit(made, RATE), compile_lineup(Lineup(name="l", members=(Member(kit=made),)), RATE))
        ]
        self.assertEqual(*told)
        plain = replace(made, pieces=tuple(replace(piece, shared_by="", grab_note=None) for piece in made.pieces))
        silent = replace(part, controls=(), events=tuple(e for e in part.events if e.note != 60))
        own, other = (voices_of(compile_kit(one, RATE), silent.acts(RATE)) for one in (made, plain))
        self.assertEqual([(v.start_frame, v.pad.id, v.fades) for v in own], [(v.start_frame, v.pad.id, v.fades) for v in other])  # fmt: skip

    def test_a_file_keeps_what_hands_and_feet_said(self):
        """Read and judged by mido: every message of a controller, in its order and at its tick."""
        dice = random.Random(1)
        part = random_part(dice)
        part = replace(part, controls=(*part.controls, Control(part.controls[-1].tick, CHANNEL_PRESSURE, 0, 77, 2)))
        told = ("control_change", "aftertouch", "polytouch")
        for tracks in (None, lambda event: str(event.note)):
            data = write_midi(part, tracks=tracks)
            back = read_midi(data, "p.mid")
            self.assertEqual(back.controls, part.controls)
            again = write_midi(back, tracks=tracks)
            one, other = (
                [(at, message) for at, message in timed(file) if message.type in told] for file in (data, again)
            )
            self.assertEqual(one, other)
            self.assertEqual(len(one), len(part.controls))

    def test_bars_that_come_and_go_leave_each_hit_its_state(self):
        """What is heard of the hits that stay is what was heard of them before, wherever they are."""
        for seed in range(30):
            dice = random.Random(seed)
            book = compile_kit(hats_kit(dice), RATE)
            part = structure.ending_behind_hits(replace(random_part(dice), controls=tuple(c for c in random_part(dice).controls if c.kind == CONTROLLER)))  # fmt: skip
            first = dice.randint(0, part.bars - 1)
            count = min(dice.randint(1, 2), part.bars - first)
            start, end = structure.bar_span(part, first, count)
            other = structure.ending_behind_hits(random_part(random.Random(seed + 99)))
            before, after = pads_at(book, part), partial(pads_at, book)
            made = after(structure.insert_bars(part, first, count))
            self.assertEqual({(t + (end - start) * (t >= start), p) for t, p in before}, made)
            if end - start < part.loop_ticks:
                made = after(structure.delete_bars(part, first, count))
                kept = {(t - (end - start) * (t >= end), p) for t, p in before if not start <= t < end}
                self.assertEqual(kept, made)
            copied = {(t + end - start, p) for t, p in before if start <= t < end}
            kept = {(t + (end - start) * (t >= end), p) for t, p in before}
            self.assertEqual(kept | copied, after(structure.duplicate_bars(part, first, count)))
            self.assertEqual({one for one in before if not start <= one[0] < end}, after(structure.clear_bars(part, first, count)))  # fmt: skip
            behind = {(t + part.loop_ticks, p) for t, p in pads_at(book, other)}
            self.assertEqual(before | behind, after(structure.put_behind(part, other)))

    def test_what_is_recorded_changes_its_stretch_and_nothing_behind_it(self):
        line, others = (CONTROLLER, 4, 9), [Control(0, CONTROLLER, 7, 5, 9)]
        before = [Control(tick, *line[:2], value, 9) for tick, value in ((0, 10), (100, 20), (400, 90))]
        before = tuple(sorted([*others, *before], key=lambda one: one.tick))
        after = with_recorded(before, [Control(120, *line[:2], 60, 9)], range(50, 200), 1000)
        held = [state_at(after, tick)[line] for tick in (60, 130, 200, 201, 390, 401)]
        self.assertEqual(held, [10, 60, 60, 20, 20, 90])
        self.assertEqual(state_at(after, 999)[others[0].line], 5)
        fresh = with_recorded((), [Control(120, *line[:2], 60, 9)], range(50, 200), 1000)
        self.assertEqual([state_at(fresh, tick) for tick in (121, 201)], [{line: 60}, {}])
        whole = with_recorded((), [Control(120, *line[:2], 60, 9)], range(0, 1000), 1000)
        self.assertEqual(len(whole), 1)

    def test_what_is_laid_over_moves_no_hit_of_the_part(self):
        pressed, pedal = Control(5, KEY_PRESSURE, 49, 90, 9), Control(0, CONTROLLER, 4, 10, 9)
        made, left = laid_over((pedal,), (pedal, pressed), {(42, 9)})
        self.assertEqual(
            (made, left), ((pedal, pressed), ())
        )  # the same said twice is said once, and no hit is on that key
        made, left = laid_over((), (pedal, pressed), {(49, 9)})
        self.assertEqual((made, left), ((), (pedal.line, pressed.line)))

    def test_what_a_kit_does_not_use_is_said_once(self):
        dice = random.Random(2)
        said = unused_controls(compile_kit(kit(pad(note=CLOSED)), RATE), random_part(dice))
        self.assertEqual(len(said), 1)
        self.assertIn("Controller 4, controller 7", said[0])
        self.assertEqual(
            unused_controls(compile_kit(hats_kit(dice), RATE), replace(random_part(dice), controls=())), []
        )


def timed(data: bytes) -> list[tuple[int, mido.Message]]:
    found = []
    for track in mido.MidiFile(file=io.BytesIO(data)).tracks:
        at = 0
        for message in track:
            at += message.time
            found.append((at, message.copy(time=0)))
    return found


def pads_at(book, part: Part) -> set[tuple[int, int]]:
    """(tick, pad) of all that strokes sound."""
    by_frame = {part.frame_at(event.tick, RATE): event.tick for event in part.events}
    own = [v for v in voices_of(book, part.acts(RATE)) if v.start_frame in by_frame]
    return {(by_frame[voice.start_frame], voice.pad.id) for voice in own if voice.pad.name not in ("45", "46", "47")}
