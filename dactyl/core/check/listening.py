"""Measure a kit: every stretch that its takes play, each once; and mend it, looking again until nothing of a rule is left."""

from collections.abc import Callable, Collection, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np

from dactyl.core.check.check import check
from dactyl.core.check.finding import Change, Finding, mended
from dactyl.core.check.measured import MeasuredKit, Stretch, first_stretches, stretches_of
from dactyl.core.check.sound import Sound, listen
from dactyl.core.errors import AudioError
from dactyl.core.kit import Kit, Sample

MOST_ROUNDS = 6
Load = Callable[[Stretch, Sample], np.ndarray]
"""float32, (channels, frames), as it is heard. raises : AudioError where the sample can't be used"""


def measure_kit(kit: Kit, load: Load, known: Mapping[Stretch, Sound] | None = None, *, threads: int = 1) -> MeasuredKit:
    """known : what was measured before"""
    known, wanted = known or {}, stretches_of(kit)
    missing = {stretch: sample for stretch, sample in wanted.items() if stretch not in known}
    firsts = first_stretches(kit)
    damage: dict[str, str] = {}

    def hear(asked: tuple[Stretch, Sample]) -> Sound | None:
        stretch, sample = asked
        try:
            return listen(load(stretch, sample), sample.rate_hz, with_timbre=stretch in firsts)
        except AudioError as problem:
            damage[sample.sha256] = str(problem)
            return None

    with ThreadPoolExecutor(threads) as pool:
        found = dict(zip(missing, pool.map(hear, missing.items()), strict=True))
    sounds = {s: sound for s in wanted if (sound := known.get(s) or found.get(s)) is not None}
    return MeasuredKit(kit, sounds, damage=damage)


def mend_all(
    kit: MeasuredKit,
    rules: Collection[str],
    measure: Callable[[Kit, Mapping[Stretch, Sound]], MeasuredKit],
    left_alone: Collection[str] = (),
) -> tuple[tuple[Change, ...], list[Finding]]:
    """What mends every finding of some rules, and what is left of them. measure : of a kit, with what is known already. left_alone : keys of findings that are meant so

    A mend may bring another to light (a layer that was raised is now above the next), so it looks again, a few times.
    """
    changes: dict[tuple[str, int, str], Change] = {}
    left: list[Finding] = []
    for _ in range(MOST_ROUNDS):
        left = [finding for finding in check(kit) if finding.rule in rules and finding.key not in left_alone]
        new = [change for finding in left for change in finding.mend]
        if not new:
            break
        for change in new:
            changes[change.of, change.id, f"{change.setting} {change.value if change.setting == 'note' else ''}"] = (
                change
            )
        value = mended(kit.kit, tuple(new))
        kit = replace_kit(kit, measure(value, kit.sounds))
    return tuple(changes.values()), left


def replace_kit(kit: MeasuredKit, measured: MeasuredKit) -> MeasuredKit:
    """Another kit, measured, with the parts and files of the first."""
    return replace(measured, parts=kit.parts, files=kit.files, damage={**kit.damage, **measured.damage})
