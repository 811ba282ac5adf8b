"""The desk against a reference of its own: design rule 16, a frame after the other, in double precision."""

import math
from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from dactyl.core.bounce.grouping import motions_of
from dactyl.core.desk.moving import motions
from dactyl.core.desk.parallel import wanted_db
from dactyl.core.desk.stage import Stage
from dactyl.core.desk.tables import Compressor, compile_desk
from dactyl.core.errors import KitError
from dactyl.core.kit import Kit, Output, OutputGroup, Parallel
from dactyl.core.lineup import Lineup, LineupGroup, LineupOutput, Member
from dactyl.core.parts.curves import LIMITS, OF, Curve
from dactyl.core.parts.part import Part
from dactyl.core.parts.structure import new_part
from dactyl.core.play.together import compile_lineup

RATE = 48_000
NAMES = ("Main", "Kick", "Snare", "Air")
STILL = new_part("nothing moves", 1)


def desk_of(**settings) -> Kit:
    return Kit(name="k", pieces=(), **settings)


def random_desk(seed: int) -> Kit:
    dice = np.random.default_rng(seed)
    outputs = tuple(
        Output(name=name, gain_db=float(dice.uniform(-30, 12)), width=float(dice.uniform(0, 2)), balance=float(dice.uniform(-1, 1)),
               muted=bool(dice.random() < 0.1), parallel_db=float(dice.uniform(-20, 6)) if dice.random() < 0.7 else None)
        for name in NAMES
    )  # fmt: skip
    groups = (
        OutputGroup(
            name="Drums", gain_db=float(dice.uniform(-12, 6)), muted=bool(dice.random() < 0.1), outputs=NAMES[1:3]
        ),
    )
    bus = Parallel(is_on=True, threshold_db=float(dice.uniform(-50, 0)), ratio=float(dice.uniform(1, 20)), attack_ms=float(dice.uniform(0, 30)),
                   release_ms=float(dice.uniform(0, 400)), knee_db=float(dice.choice([0.0, 6.0, 20.0])), gain_db=float(dice.uniform(-20, 10)))  # fmt: skip
    side = str(dice.choice(["stool", "hall"]))
    return desk_of(outputs=outputs, groups=groups, parallel=bus, master_db=float(dice.uniform(-10, 6)), side=side)


def random_curves(seed: int) -> Part:
    """Curves of everything on the desk that can move, over a tempo change."""
    dice = np.random.default_rng(seed)

    def curve(of: str, what: str) -> Curve:
        ticks = sorted(dice.choice(3840, int(dice.integers(1, 6)), replace=False).tolist())
        return Curve(of, what, tuple((tick, float(dice.uniform(*LIMITS[what]))) for tick in ticks))

    every = [(f"output:{name}", what) for name in NAMES for what in OF["output"]] + [
        (f"group:{name}", "gain_db") for name in ("Drums", "Shells")
    ]
    made = tuple(curve(*one) for one in every if dice.random() < 0.5)
    return replace(new_part("p", 1, bpm=900.0), tempos=((0, 100_000), (1000, 40_000)), curves=made)


def along(part: Part, of: str, what: str, frames: int, *, to_linear) -> np.ndarray | None:
    """Design rule 17, frame by frame: read at every 32nd, made linear, joined by lines."""
    found = next((curve for curve in part.curves if (curve.of, curve.what) == (of, what)), None)
    if found is None:
        return None
    grid = np.arange(0, frames + 32, 32)
    times = [part.seconds_at(tick) for tick, _ in found.points]
    read = [to_linear(value) for value in np.interp(grid / RATE, times, [value for _, value in found.points])]
    return np.interp(np.arange(frames), grid, read)


def reference(kit: Kit, sums: np.ndarray, part: Part) -> list[np.ndarray]:
    """What leaves, written down from the rules: sums of (outputs, 2, frames) to stems and the bus."""

    def lines(of: str, what: str, to_linear, still: float) -> np.ndarray | float:
        moving = along(part, of, what, sums.shape[2], to_linear=to_linear)
        return still if moving is None else moving

    group = {name: one for one in kit.groups for name in one.outputs}
    bus, stems = np.zeros(sums.shape[1:]), []
    for output, (left, right) in zip(kit.outputs, sums.astype(np.float64), strict=True):
        of = group.get(output.name)
        is_muted = output.muted or bool(of and of.muted)
        db = output.gain_db + (of.gain_db if of else 0.0)
        name = f"output:{output.name}"
        level = lines(name, "gain_db", linear, 1.0) * (lines(f"group:{of.name}", "gain_db", linear, 1.0) if of else 1.0)
        middle, apart = (left + right) / 2, lines(name, "width", float, output.width) * (left - right) / 2
        near, far = (
            lines(name, "balance", lambda at, law=law: math.sqrt(2) * law((at + 1) * math.pi / 4),
                  math.sqrt(2) * law((output.balance + 1) * math.pi / 4))
            for law in (math.cos, math.sin)
        )  # fmt: skip
        sides = np.stack([level * near * (middle + apart), level * far * (middle - apart)])
        if output.parallel_db is not None and not is_muted:
            bus += linear(output.parallel_db) * linear(db) * sides
        stem = (0.0 if is_muted else linear(db + kit.master_db)) * sides
        stems.append(stem[::-1] if kit.side == "hall" else stem)
    played = compressed(bus, kit.parallel) * linear(kit.parallel.gain_db + kit.master_db)
    return [*stems, played[::-1] if kit.side == "hall" else played]


def linear(db: float) -> float:
    return 0.0 if db <= -96 else 10 ** (db / 20)


def compressed(bus: np.ndarray, p: Parallel) -> np.ndarray:
    """Design rule 16, a step after the other."""
    frames, gain, ends = bus.shape[1], 0.0, [1.0]
    for start in range(0, frames, 32):
        peak = np.abs(bus[:, start : start + 32]).max()
        over = 20 * math.log10(max(peak, 1e-6)) - p.threshold_db
        slope = 1 / p.ratio - 1
        if 2 * over < -p.knee_db:
            wanted = 0.0
        elif 2 * abs(over) <= p.knee_db:
            wanted = slope * (over + p.knee_db / 2) ** 2 / (2 * p.knee_db) if p.knee_db else 0.0
        else:
            wanted = slope * over
        time = (p.attack_ms if wanted < gain else p.release_ms) / 1000
        stays = math.exp(-32 / (time * RATE)) if time else 0.0
        gain = stays * gain + (1 - stays) * wanted
        ends.append(10 ** (gain / 20))
    return bus * np.interp(np.arange(frames), 32 * np.arange(len(ends)), ends)


def random_lineup(seed: int) -> Lineup:
    """Two to four desks under one: channels with and without width, balance and a send, groups across the members."""
    dice = np.random.default_rng(seed)
    own = random_desk(seed)
    members = tuple(
        Member(kit=replace(random_desk(4 * seed + number), name=f"k{number}"), gain_db=float(dice.uniform(-12, 6)))
        for number in range(int(dice.integers(2, 5)))
    )
    outputs = tuple(
        LineupOutput(
            member=number, name=name, gain_db=float(dice.uniform(-20, 6)), muted=bool(dice.random() < 0.1),
            width=float(dice.uniform(0, 2)) if dice.random() < 0.5 else 1.0,
            balance=float(dice.uniform(-1, 1)) if dice.random() < 0.5 else 0.0,
            parallel_db=float(dice.uniform(-20, 6)) if dice.random() < 0.4 else None,
            group=str(dice.choice(["", "Drums", "Shells"])),
        )
        for number in range(len(members)) for name in NAMES if dice.random() < 0.7
    )  # fmt: skip
    groups = (
        LineupGroup(name="Drums", gain_db=float(dice.uniform(-12, 6))),  # called as one that each member has
        LineupGroup(name="Shells", gain_db=float(dice.uniform(-12, 6)), muted=bool(dice.random() < 0.2)),
    )
    return Lineup(
        name="all", members=members, outputs=outputs, groups=groups, master_db=own.master_db, side=own.side,
        parallel=replace(own.parallel, is_on=bool(dice.random() < 0.7)),
    )  # fmt: skip


def lineup_reference(lineup: Lineup, sums: list[np.ndarray], part: Part) -> list[np.ndarray]:
    """What leaves the desk of all: the channels of each member, the members' parallel buses, and the bus of all."""
    said = {(one.member, one.name): one for one in lineup.outputs}
    groups = {group.name: group for group in lineup.groups}
    stems, buses, sent = [], [], np.zeros(sums[0].shape[1:])
    for number, (member, own) in enumerate(zip(lineup.members, sums, strict=True)):
        handles = {name: said[number, name].group for name in NAMES if (number, name) in said}
        in_drums = [name for name in NAMES if handles.get(name) == "Drums"]
        drums, *more = member.kit.groups  # a curve of "Drums" moves what is in both once
        apart = replace(drums, name="not moved", outputs=tuple(name for name in drums.outputs if name in in_drums))
        rest = replace(drums, outputs=tuple(name for name in drums.outputs if name not in in_drums))
        kit = replace(member.kit, groups=(rest, *[apart] * bool(apart.outputs), *more))
        *left, played = reference(kit, own, part)
        for name, stem in zip(NAMES, left, strict=True):
            one = said.get((number, name), LineupOutput(member=number, name=name))
            group = groups.get(one.group)
            is_muted = one.muted or bool(group and group.muted)
            db = member.gain_db + one.gain_db + (group.gain_db if group else 0.0)
            moving = along(part, f"group:{one.group}", "gain_db", stem.shape[1], to_linear=linear) if group else None
            middle, away = (stem[0] + stem[1]) / 2, one.width * (stem[0] - stem[1]) / 2
            near, far = (math.sqrt(2) * law((one.balance + 1) * math.pi / 4) for law in (math.cos, math.sin))
            sides = np.stack([near * (middle + away), far * (middle - away)]) * (1.0 if moving is None else moving)
            if lineup.parallel.is_on and one.parallel_db is not None and not is_muted:
                sent += linear(one.parallel_db) * linear(db) * sides
            stem = (0.0 if is_muted else linear(db + lineup.master_db)) * sides
            stems.append(stem[::-1] if lineup.side == "hall" else stem)
        played = linear(member.gain_db + lineup.master_db) * played
        buses.append(played[::-1] if lineup.side == "hall" else played)
    if lineup.parallel.is_on:
        played = compressed(sent, lineup.parallel) * linear(lineup.parallel.gain_db + lineup.master_db)
        buses.append(played[::-1] if lineup.side == "hall" else played)
    return [*stems, *buses]


def left(kit: Kit, sums: np.ndarray, block: int, part: Part = STILL) -> list[np.ndarray]:
    groups = {name: group.name for group in kit.groups for name in group.outputs}
    moving = motions(part, [(output.name, groups.get(output.name, ""), "") for output in kit.outputs], RATE)
    stage, parts = Stage(compile_desk(kit, RATE), range(len(kit.outputs)), moving), []
    for start in range(0, sums.shape[2], block):
        own, beside = stage.process(sums[:, :, start : start + block].copy())
        parts.append([*own, *beside])
    return [np.concatenate(one, axis=1) for one in zip(*parts, strict=True)]


class Channels(SimpleTestCase):
    def test_random_desks_are_the_reference_in_blocks_of_any_length(self):
        for seed in range(60):
            rng = np.random.default_rng(1000 + seed)
            sums = (rng.normal(0, 0.3, (4, 2, 4000)) * np.exp(-np.arange(4000) % 900 / 200)).astype(np.float32)
            kit, part = random_desk(seed), random_curves(seed) if seed % 2 else STILL
            expected = reference(kit, sums, part)
            for block in (64, 1024, 65_536):
                with self.subTest(seed=seed, block=block):
                    for one, other in zip(left(kit, sums, block, part), expected, strict=True):
                        scale = max(1.0, float(np.abs(other).max()))
                        self.assertLess(np.abs(one - other).max() / scale, 1e-5)

    def test_random_desks_over_several_kits_are_the_reference(self):
        for seed in range(60):
            rng = np.random.default_rng(2000 + seed)
            lineup, part = random_lineup(seed), random_curves(seed) if seed % 2 else STILL
            sums = [
                (rng.normal(0, 0.3, (4, 2, 3000)) * np.exp(-np.arange(3000) % 900 / 200)).astype(np.float32)
                for _ in lineup.members
            ]
            playbook = compile_lineup(lineup, RATE)
            stage = Stage(playbook.desk, range(len(playbook.outputs)), motions_of(playbook, part))
            own, beside = stage.process(np.concatenate(sums))
            for one, other in zip([*own, *beside], lineup_reference(lineup, sums, part), strict=True):
                with self.subTest(seed=seed):
                    self.assertLess(np.abs(one - other).max() / max(1.0, float(np.abs(other).max())), 1e-5)

    def test_width_0_makes_one_point_that_balance_places(self):
        sums = np.zeros((1, 2, 4), np.float32)
        sums[0, 0] = 1.0
        mono = desk_of(outputs=(Output(name="Main", width=0.0, balance=1.0),))
        (stem,) = left(mono, sums, 4)
        np.testing.assert_allclose(stem, [[0.0] * 4, [math.sqrt(2) / 2] * 4], atol=1e-7)

    def test_a_desk_with_nothing_set_changes_no_bit_and_a_level_is_one_product(self):
        sums = np.random.default_rng(1).normal(0, 1, (1, 2, 500)).astype(np.float32)
        for gain_db in (0.0, -3.0):
            (stem,) = left(desk_of(outputs=(Output(name="Main", gain_db=gain_db),)), sums, 500)
            np.testing.assert_array_equal(stem, sums[0] * np.float32(10 ** (gain_db / 20)))

    def test_what_no_desk_can_be_is_refused(self):
        outputs = (Output(name="Main"), Output(name="Two"))
        wrong = (OutputGroup(name="A", outputs=("Two",)), OutputGroup(name="B", outputs=("Two",)))
        for settings in ({"groups": wrong}, {"groups": (OutputGroup(name="A", outputs=("Gone",)),)}, {"side": "roof"}):
            with self.subTest(settings), self.assertRaises(KitError):
                desk_of(outputs=outputs, **settings)


class Bus(SimpleTestCase):
    COMPRESSOR = Compressor(-20.0, 1 / 4 - 1, 6.0, 0.9, 0.99, (1.0, 0.0, 0.0, 1.0))

    @given(st.floats(-100, 20), st.floats(0.0, 30.0))
    def test_the_curve_is_unbroken_and_never_louder(self, peak_db, step):
        peaks = 10 ** (np.array([peak_db, peak_db + step]) / 20)
        low, high = wanted_db(self.COMPRESSOR, peaks)
        self.assertLessEqual(high, low + 1e-9)
        self.assertLessEqual(low - high, step * 0.75 + 1e-6)

    def test_blocks_change_no_bit_and_only_the_last_may_end_within_a_step(self):
        sums = np.random.default_rng(3).normal(0, 0.5, (20, 2, 9000)).astype(np.float32)
        outputs = tuple(
            Output(name=str(n) if n else "Main", width=n / 10, balance=0.3, parallel_db=-3.0) for n in range(20)
        )
        kit = desk_of(outputs=outputs, parallel=Parallel(is_on=True), side="hall")
        for one, other in zip(left(kit, sums, 96), left(kit, sums, 9000), strict=True):
            np.testing.assert_array_equal(one, other)
        with self.assertRaises(ValueError):
            left(kit, sums, 100)


class Mutes(SimpleTestCase):
    def test_a_group_is_one_handle_for_its_outputs(self):
        kit = random_desk(2)
        quiet = replace(kit, groups=(replace(kit.groups[0], muted=True),))
        channels = compile_desk(quiet, RATE).channels
        self.assertEqual([any(channel.matrix) for channel in channels[1:3]], [False, False])
