"""Look at a kit in the background: hear what was not heard yet, then check it; again where it was edited meanwhile."""

import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress

import numpy as np

from dactyl.checks import edits, queries
from dactyl.checks.models import HeardStretch, KitCheck
from dactyl.core.audio.timbre import SIZE
from dactyl.core.check.check import check
from dactyl.core.check.measured import Stretch, first_stretches, stretches_of
from dactyl.core.check.sound import MEASURES, Sound, listen
from dactyl.core.errors import AudioError
from dactyl.core.kit import Kit as KitValue
from dactyl.core.wave.read import read_heard
from dactyl.history.queries import reading
from dactyl.jobs.models import Job
from dactyl.jobs.run import Progress, enqueue
from dactyl.kits.models import Kit
from dactyl.kits.queries import kit_value
from dactyl.shelf.models import Sample
from dactyl.shelf.store import whole_path

WORK = "dactyl.checks.tasks.check_kit"
AT_ONCE = 64
CALM = 10  # by how much the work gives way to others: playing comes first


def ask(kit: Kit) -> bool:
    """Look at the kit where it was not looked at as it is now; returns whether it was."""
    last = KitCheck.objects.filter(kit=kit).only("version").first()
    if last is not None and last.version == kit.version:
        return True
    jobs = Job.objects.filter(work=WORK, subject_id=kit.pk)
    if not jobs.exclude(state__in=Job.ENDED).exists():
        jobs.filter(state__in=Job.ENDED).delete()
        enqueue(WORK, kit.pk, queue="imports")
    return False


_remembered: tuple[int, dict[Stretch, Sound]] = (0, {})  # of the kit that this process looked at last


def check_kit(kit_id: int) -> Iterator[Progress]:
    """May be run again after a kill: what was heard is kept, and what is found is written at the end."""
    while True:
        with reading():
            kit = Kit.objects.filter(pk=kit_id).first()
            if kit is None:
                return
            version, value = kit.version, kit_value(kit)
        yield from hear_missing(value)
        look(kit, version, value)
        yield Progress(1, 1, "Checking")
        if (
            Kit.objects.filter(pk=kit_id, journal__version=version).exists()
            or not Kit.objects.filter(pk=kit_id).exists()
        ):
            return


def look(kit: Kit, version: int, value: KitValue) -> None:
    """Check a kit by what was heard, and keep what is found."""
    global _remembered
    with reading():
        known = _remembered[1] if _remembered[0] == kit.pk else {}
        _remembered = kit.pk, queries.known_sounds(value, known)
        measured = queries.measured(kit, value, _remembered[1])
    with _calm_pool(1) as pool:
        found = pool.submit(check, measured).result()
    rows = [queries.as_row(finding, value) for finding in found]
    edits.record(kit.pk, version, len(measured.takes), rows)


def hear_missing(kit: KitValue) -> Iterator[Progress]:
    """Every stretch that was not heard, or not by the measures of today. What can't be read is left out."""
    wanted, firsts = stretches_of(kit), first_stretches(kit)
    samples = {
        row.sha256: row for row in Sample.objects.filter(sha256__in={s.sha256 for s in wanted}).defer("overview")
    }
    rows = HeardStretch.objects.filter(sample__in=samples.values(), measures=MEASURES)
    known = {
        (sample, start, end, turned): with_timbre
        for sample, start, end, turned, with_timbre in rows.values_list(
            "sample", "start_frame", "end_frame", "is_reversed", "with_timbre"
        )
    }
    missing = []
    for stretch in wanted:
        sample = samples.get(stretch.sha256)
        if sample is None or sample.damage:
            continue
        has = known.get((sample.pk, *stretch[1:]))
        if has is None or (stretch in firsts and not has):
            missing.append((stretch, sample, stretch in firsts))
    with _calm_pool(os.cpu_count() or 1) as pool:
        for done in range(0, len(missing), AT_ONCE):
            heard = [row for row in pool.map(_hear, missing[done : done + AT_ONCE]) if row]
            HeardStretch.objects.bulk_create(
                heard,
                update_conflicts=True,
                unique_fields=["sample", "start_frame", "end_frame", "is_reversed"],
                update_fields=["with_timbre", "measures", "packed"],
            )
            yield Progress(min(done + AT_ONCE, len(missing)), len(missing), "Listening to takes")


def _calm_pool(threads: int) -> ThreadPoolExecutor:
    """Threads that give way; under Linux each thread has a niceness of its own (sched(7))."""
    return ThreadPoolExecutor(threads, initializer=_give_way)


def _give_way() -> None:
    with suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, 0, CALM)


def _hear(asked: tuple[Stretch, Sample, bool]) -> HeardStretch | None:
    stretch, sample, is_first = asked
    try:
        audio = read_heard(whole_path(sample.sha256), sample.frames, *stretch[1:3], is_reversed=stretch.is_reversed)
    except (AudioError, OSError):
        return None
    if not audio.shape[1]:
        return None
    heard = listen(audio, sample.rate_hz, with_timbre=is_first, known_timbre=_known_timbre(stretch, sample))
    return HeardStretch(
        sample=sample, start_frame=stretch.start_frame, end_frame=stretch.end_frame, is_reversed=stretch.is_reversed,
        with_timbre=is_first, measures=MEASURES, packed=heard.pack(),
    )  # fmt: skip


def _known_timbre(stretch: Stretch, sample: Sample) -> np.ndarray | None:
    """That of the whole sample, where the stretch begins ahead of its onset and lasts long enough to hold it all."""
    lasts = stretch.end_frame - sample.onset_frame >= min(sample.frames - sample.onset_frame, 1.5 * sample.rate_hz)
    if stretch.is_reversed or stretch.start_frame > sample.onset_frame or not lasts:
        return None
    known = np.frombuffer(bytes(sample.timbre), np.float16)
    return known.astype(np.float32) if len(known) == SIZE else None
