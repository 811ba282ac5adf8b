"""The bounce job: from the kit as it was when asked for to whole files under their final names."""

import os
import shutil
from collections.abc import Iterator

from django.db import transaction

from dactyl.bounces import store
from dactyl.bounces.edits import read_snapshot
from dactyl.bounces.models import Bounce, Stem
from dactyl.core.bounce.memory import SoundMemory
from dactyl.core.bounce.stems import Order
from dactyl.core.bounce.stems import Stem as StemValue
from dactyl.core.bounce.stems import bounce as bounce_files
from dactyl.core.play.compile import compile_kit
from dactyl.jobs.run import Progress
from dactyl.parts.queries import part_value
from dactyl.shelf.sounds import prepared_sound

SOUND_BYTES = 256 << 20  # kept in memory while a bounce runs


def make_bounce(bounce_id: int) -> Iterator[Progress]:
    row = Bounce.objects.select_related("part", "kit").get(pk=bounce_id)
    if row.stems.exists():
        return
    kit = read_snapshot(row)
    partial = store.fresh_partial(row)
    try:
        steps = bounce_files(
            compile_kit(kit, row.rate_hz),
            part_value(row.part),
            partial,
            Order(bits=row.bits, seed=kit.seed),
            load_sound=SoundMemory(prepared_sound, SOUND_BYTES),
            threads=os.cpu_count() or 1,
        )
        for step in steps:
            yield Progress(step.done_frames, step.frames)
        shutil.rmtree(store.folder_of(row), ignore_errors=True)  # of a run killed before its rows were written
        partial.rename(store.folder_of(row))
        _record(row, step.stems)
    finally:
        shutil.rmtree(partial, ignore_errors=True)


def _record(row: Bounce, stems: tuple[StemValue, ...]) -> None:
    with transaction.atomic():
        Stem.objects.bulk_create([
            Stem(
                bounce=row,
                position=position,
                name=stem.name,
                file=stem.file,
                frames=stem.frames,
                peak_db=stem.peak_db,
                overview=stem.overview,
            )
            for position, stem in enumerate(stems)
        ])  # fmt: skip
