"""The bounce job: from the kit as it was when asked for to whole files under their final names."""

import hashlib
import json
import os
import shutil
import time
from collections.abc import Iterator
from dataclasses import asdict
from pathlib import Path

from dactyl.bounces import edits, store
from dactyl.bounces.models import Bounce
from dactyl.core.bounce.sound_cache import SoundCache
from dactyl.core.bounce.stems import Order, Stem
from dactyl.core.bounce.stems import bounce as bounce_files
from dactyl.core.bounce.stems_add_up import stems_add_up
from dactyl.core.formats.midi import write_midi
from dactyl.core.kit import Kit
from dactyl.core.play.compile import compile_kit
from dactyl.jobs.run import SECONDS_BETWEEN_WRITES, Progress
from dactyl.kits.files import pack_kit
from dactyl.shelf.sounds import prepared_sound

SOUND_BYTES = 256 << 20  # kept in memory while a bounce runs
REPORT, PART, PACKAGE = "bounce.json", "part.mid", "kit.zip"


def make_bounce(bounce_id: int) -> Iterator[Progress]:
    """Begun again after a kill, it starts from the part's zero and ends with the same bytes."""
    row = Bounce.objects.select_related("kit").get(pk=bounce_id)
    if row.report is not None:
        return
    kit, part, order = edits.read_kit(row), edits.read_part(row), edits.read_order(row)
    partial = store.fresh_partial(row)
    try:
        steps = bounce_files(
            compile_kit(kit, row.rate_hz),
            part,
            partial,
            order,
            load_sound=SoundCache(prepared_sound, SOUND_BYTES),
            threads=os.cpu_count() or 1,
        )
        told_at = 0.0
        for step in steps:
            if time.monotonic() - told_at >= SECONDS_BETWEEN_WRITES:
                told_at = time.monotonic()
                edits.record_progress(row, step.hits)
            yield Progress(step.done_frames, step.frames)
        report = _report(row, kit, order, partial, step.stems)
        if row.with_part:
            (partial / PART).write_bytes(write_midi(part))
        if row.with_kit:
            pack_kit(kit, partial / PACKAGE)
        (partial / REPORT).write_text(json.dumps(report, ensure_ascii=False, indent=1), encoding="utf-8")
        if not Bounce.objects.filter(pk=row.pk).exists():
            return  # it was deleted meanwhile
        shutil.rmtree(store.folder_of(row), ignore_errors=True)  # of a run killed before its rows were written
        partial.rename(store.folder_of(row))
        edits.record_stems(row, step.stems, report)
    finally:
        shutil.rmtree(partial, ignore_errors=True)


def _report(row: Bounce, kit: Kit, order: Order, folder: Path, stems: tuple[Stem, ...]) -> dict:
    """What the bounce came from, so that it can be made again, and what it holds."""
    report = {
        "kit": kit.name,
        "kit_version": row.kit_version,
        "kit_hash": hashlib.sha256(bytes(row.kit_snapshot)).hexdigest()[:16],
        "part": row.part_name,
        "seed": kit.seed,
        "rate": row.rate_hz,
        "bits": order.bits,
        "frames": stems[0].frames,
        "stems": [stem.described() for stem in stems],
    }
    if order.has_mix and len(stems) > 1:
        *parts, mix = [folder / stem.file for stem in stems]
        result = stems_add_up(parts, mix, order.bits)
        report["sum_test"] = asdict(result) | {"is_passed": result.is_passed}
    return report
