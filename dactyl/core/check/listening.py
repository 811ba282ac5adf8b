"""Measure a kit: every stretch that its takes play, each once; and mend it, looking again until nothing of a rule is left."""

import multiprocessing
import os
import threading
import time
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from dataclasses import dataclass, replace

import numpy as np

from dactyl.core.check.check import check
from dactyl.core.check.finding import Change, Finding, mended
from dactyl.core.check.measured import MeasuredKit, Stretch, first_stretches, stretches_of
from dactyl.core.check.sound import Sound, listen
from dactyl.core.errors import AudioError
from dactyl.core.kit import Kit, Sample

MOST_ROUNDS = 6
WORTH_A_PROCESS = 128  # stretches; fewer are heard before one would be there
Load = Callable[[Stretch, Sample], np.ndarray]
"""float32, (channels, frames), as it is heard. raises : AudioError where the sample can't be used"""


@dataclass(frozen=True, slots=True)
class Unheard:
    stretch: Stretch
    sample: Sample
    with_timbre: bool
    known_timbre: np.ndarray | None = None  # where the sample was heard before


def measure_kit(
    kit: Kit, load: Load, known: Mapping[Stretch, Sound] | None = None, *, processes: int = 1
) -> MeasuredKit:
    """known : what was measured before"""
    known, wanted, firsts = known or {}, stretches_of(kit), first_stretches(kit)
    missing = [
        Unheard(stretch, sample, stretch in firsts) for stretch, sample in wanted.items() if stretch not in known
    ]
    found: dict[Stretch, Sound] = {}
    damage: dict[str, str] = {}
    for asked, heard in zip(missing, hear_all(missing, load, processes), strict=True):
        if isinstance(heard, bytes):
            found[asked.stretch] = Sound.unpack(heard)
        else:
            damage[asked.sample.sha256] = heard
    sounds = {s: sound for s in wanted if (sound := known.get(s) or found.get(s)) is not None}
    return MeasuredKit(kit, sounds, damage=damage)


def hear_all(unheard: Sequence[Unheard], load: Load, processes: int = 1, niceness: int = 0) -> Iterator[bytes | str]:
    """What each sounds like, packed as a row keeps it, or why it can't be heard, in their order.

    Many are heard by several processes, forked from this one: what is small in it is Python's, so that two threads take
    as long as one. niceness : by how much these give way to others
    """
    may_fork = not multiprocessing.current_process().daemon
    if processes == 1 or len(unheard) < WORTH_A_PROCESS or not may_fork:
        yield from (_heard(asked, load) for asked in unheard)
        return
    pool = ProcessPoolExecutor(
        processes, multiprocessing.get_context("fork"), initializer=_begin, initargs=(load, os.getpid(), niceness)
    )
    done = 0
    try:
        for heard in pool.map(_hear, unheard, chunksize=16):
            yield heard
            done += 1
    except BrokenProcessPool:  # one was killed: this process hears what is left
        yield from (_heard(asked, load) for asked in unheard[done:])
    finally:
        pool.shutdown(cancel_futures=True)  # where it was cancelled, the rest is not begun


def _heard(asked: Unheard, load: Load) -> bytes | str:
    try:
        audio = load(asked.stretch, asked.sample)
    except AudioError as problem:
        return str(problem)
    except OSError as problem:
        return f"It can't be read: {problem.strerror or 'the disk refused'}."
    if not audio.shape[1]:
        return "Nothing of it is left to be played."
    sound = listen(audio, asked.sample.rate_hz, with_timbre=asked.with_timbre, known_timbre=asked.known_timbre)
    return sound.pack()


_load: Load | None = None  # of a process that only hears


def _begin(load: Load, parent: int, niceness: int) -> None:
    global _load
    _load = load
    with suppress(OSError):
        os.nice(niceness)
    threading.Thread(target=_end_with, args=(parent,), daemon=True).start()


def _end_with(parent: int) -> None:
    """A parent that is killed can't end its pool."""
    while os.getppid() == parent:
        time.sleep(1)
    os._exit(0)


def _hear(asked: Unheard) -> bytes | str:
    assert _load is not None
    return _heard(asked, _load)


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
