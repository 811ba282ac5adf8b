"""Look at a kit in the background: hear what was not heard yet, then check it; again where it was edited meanwhile."""

import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from itertools import islice

import numpy as np

from dactyl.checks import edits, queries
from dactyl.checks.models import HeardStretch, KitCheck
from dactyl.core.audio.timbre import SIZE
from dactyl.core.check.check import check
from dactyl.core.check.listening import Unheard, hear_all
from dactyl.core.check.measured import NOTHING_KEPT, Kept, MeasuredKit, Stretch, first_stretches, stretches_of
from dactyl.core.check.sound import MEASURES
from dactyl.core.kit import Kit as KitValue
from dactyl.core.kit import Sample as SampleValue
from dactyl.core.wave.read import read_heard
from dactyl.history.queries import reading
from dactyl.jobs.models import Job
from dactyl.jobs.run import Progress, enqueue
from dactyl.kits.models import Kit
from dactyl.kits.values import kit_value
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


SPARE = 4096  # sounds that are remembered though the kit no longer plays them
_last: tuple[int, MeasuredKit] | None = None  # the kit that this process looked at last


def check_kit(kit_id: int) -> Iterator[Progress]:
    """May be run again after a kill: what was heard is kept, and what is found is written at the end."""
    while True:
        with reading():
            kit = Kit.objects.filter(pk=kit_id).first()
            if kit is None:
                return
            version, value = kit.version, kit_value(kit)
        kept = _kept_for(kit, value)
        yield from hear_missing(value, os.cpu_count() or 1, kept)
        look(kit, version, value, kept)
        yield Progress(1, 1, "Checking")
        if (
            Kit.objects.filter(pk=kit_id, journal__version=version).exists()
            or not Kit.objects.filter(pk=kit_id).exists()
        ):
            return


def _kept_for(kit: Kit, value: KitValue) -> Kept:
    """What holds of the last look at this kit."""
    if _last is None or _last[0] != kit.pk:
        return NOTHING_KEPT
    measured = _last[1]
    sounding = sum(len(heard.sounds) for heard in measured.takes)
    return measured.kept_for(value) if len(measured.sounds) <= sounding + SPARE else NOTHING_KEPT


def look(kit: Kit, version: int, value: KitValue, kept: Kept) -> None:
    """Check a kit by what was heard, and keep what is found."""
    global _last
    with reading():
        measured = queries.measured(kit, value, queries.known_sounds(value, kept), kept)
    _last = kit.pk, measured
    with _calm_thread() as thread:
        found = thread.submit(check, measured).result()
    places = queries.Places.of(value)
    rows = [queries.as_row(finding, places) for finding in found]
    edits.record(kit.pk, version, len(measured.takes), rows)


def hear_missing(kit: KitValue, processes: int = 1, kept: Kept = NOTHING_KEPT) -> Iterator[Progress]:
    """Every stretch that was not heard, or not by the measures of today. What can't be read is left out."""
    wanted, firsts = stretches_of(kit, kept.groups), first_stretches(kit, kept.groups)
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
    for stretch, value in wanted.items():
        sample = samples.get(stretch.sha256)
        if sample is None or sample.damage:
            continue
        has = known.get((sample.pk, *stretch[1:]))
        if has is None or (stretch in firsts and not has):
            known_timbre = _known_timbre(stretch, sample) if stretch in firsts else None
            missing.append(Unheard(stretch, value, stretch in firsts, known_timbre))
    heard = zip(missing, hear_all(missing, _load, processes, CALM), strict=True)
    for done in range(0, len(missing), AT_ONCE):
        rows = [
            _row(samples[asked.stretch.sha256], asked, packed)
            for asked, packed in islice(heard, AT_ONCE)
            if isinstance(packed, bytes)
        ]
        HeardStretch.objects.bulk_create(
            rows,
            update_conflicts=True,
            unique_fields=["sample", "start_frame", "end_frame", "is_reversed"],
            update_fields=["with_timbre", "measures", "packed"],
        )
        yield Progress(min(done + AT_ONCE, len(missing)), len(missing), "Listening to takes")


def _load(stretch: Stretch, sample: SampleValue) -> np.ndarray:
    return read_heard(whole_path(sample.sha256), sample.frames, *stretch[1:3], is_reversed=stretch.is_reversed)


def _row(sample: Sample, asked: Unheard, packed: bytes) -> HeardStretch:
    _, start_frame, end_frame, is_reversed = asked.stretch
    return HeardStretch(
        sample_id=sample.pk, start_frame=start_frame, end_frame=end_frame, is_reversed=is_reversed,
        with_timbre=asked.with_timbre, measures=MEASURES, packed=packed,
    )  # fmt: skip


def _calm_thread() -> ThreadPoolExecutor:
    """One that gives way; under Linux each thread has a niceness of its own (sched(7))."""
    return ThreadPoolExecutor(1, initializer=_give_way)


def _give_way() -> None:
    with suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, 0, CALM)


def _known_timbre(stretch: Stretch, sample: Sample) -> np.ndarray | None:
    """That of the whole sample, where the stretch begins ahead of its onset and lasts long enough to hold it all."""
    lasts = stretch.end_frame - sample.onset_frame >= min(sample.frames - sample.onset_frame, 1.5 * sample.rate_hz)
    if stretch.is_reversed or stretch.start_frame > sample.onset_frame or not lasts:
        return None
    known = np.frombuffer(bytes(sample.timbre), np.float16)
    return known.astype(np.float32) if len(known) == SIZE else None
