"""The bounce job: from the kit as it was when asked for to whole files under their final names."""

import hashlib
import json
import os
import shutil
import time
from collections.abc import Iterator, Sequence
from dataclasses import asdict
from pathlib import Path

import soundfile
from django.conf import settings

from dactyl.bounces import edits, store
from dactyl.bounces.models import Bounce
from dactyl.core.audio.loudness import LoudnessMeter
from dactyl.core.bounce.beside import write_beside, write_blend
from dactyl.core.bounce.order import BounceOrder, played_by
from dactyl.core.bounce.sound_cache import SoundCache
from dactyl.core.bounce.stems import WHOLE, Stem
from dactyl.core.bounce.stems import bounce as bounce_files
from dactyl.core.bounce.stems_add_up import stems_add_up
from dactyl.core.formats.curves import write_curves
from dactyl.core.formats.midi import write_midi
from dactyl.core.hits.tracks import opened
from dactyl.core.kit import Kit
from dactyl.jobs.run import SECONDS_BETWEEN_WRITES, Progress
from dactyl.kit_files.packing import pack_kit
from dactyl.lineups.queries import write_packed
from dactyl.recordings.models import RecordedPart
from dactyl.shelf.sounds import prepared_sound

SOUND_BYTES = 256 << 20  # kept in memory while a bounce runs
LOUDNESS_FRAMES = 1 << 18  # measured at once
REPORT, PART, CURVES, PACKAGE = "bounce.json", "part.mid", "part.curves.json", "kit.zip"


def make_bounce(bounce_id: int) -> Iterator[Progress]:
    """Begun again after a kill, it starts from the part's zero and ends with the same bytes."""
    row = Bounce.objects.select_related("kit").get(pk=bounce_id)
    if row.report is not None:
        return
    kit, part, order = edits.read_kit(row), edits.read_part(row), edits.read_order(row)
    partial = store.fresh_partial(row)
    try:
        steps = bounce_files(
            played_by(kit, edits.read_lineup(row), order, row.rate_hz),
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
        stems = step.stems
        if row.with_recording:
            stems = (*stems, *(yield from _beside(row, order, partial, stems)))
        report = _report(row, kit, order, partial, step.stems, stems)
        if row.with_part:
            (partial / PART).write_bytes(write_midi(part))
            if part.curves:
                (partial / CURVES).write_bytes(write_curves(part))
        if row.with_kit:
            lineup = edits.read_lineup(row)
            pack_kit(kit, partial / PACKAGE) if lineup is None else write_packed(lineup, partial / PACKAGE)
        (partial / REPORT).write_text(json.dumps(report, ensure_ascii=False, indent=1), encoding="utf-8")
        if not Bounce.objects.filter(pk=row.pk).exists():
            return  # it was deleted meanwhile
        shutil.rmtree(store.folder_of(row), ignore_errors=True)  # of a run killed before its rows were written
        partial.rename(store.folder_of(row))
        edits.record_stems(row, stems, report)
    finally:
        shutil.rmtree(partial, ignore_errors=True)


def measure_loudness(bounce_id: int) -> Iterator[Progress]:
    """How loud a bounce and its stems are: after it, so that nobody waits for it; behind bounces that wait.

    The mix first; a bounce may go meanwhile.
    """
    row = Bounce.objects.filter(pk=bounce_id).first()
    stems = list(row.stems.filter(true_peak_db=None).order_by("-position")) if row else []
    frames = sum(stem.frames for stem in stems)
    done = 0
    for stem in stems:
        if edits.is_bounce_waiting():
            return edits.measure(row)
        meter = LoudnessMeter(row.rate_hz)
        try:
            with soundfile.SoundFile(store.folder_of(row) / stem.file) as sound:
                while len(block := sound.read(LOUDNESS_FRAMES, "float32", always_2d=True)):
                    meter.feed(block.T)
                    done += len(block)
                    yield Progress(done, frames)
        except soundfile.LibsndfileError:
            return  # its files are gone
        edits.record_loudness(stem, meter.measured())


def _beside(row: Bounce, order: BounceOrder, folder: Path, stems: Sequence[Stem]) -> Iterator[Progress]:
    """The tracks that the part was found in, as files beside the stems; returns them."""
    link = RecordedPart.objects.select_related("recording").filter(part=row.part_id).first()
    if link is None:
        return []
    made, frames = [], stems[0].frames
    rows = link.recording.tracks.all()
    with opened([(one.path, one.name, one.role) for one in rows], settings.DATA / "incoming") as tracks:
        for number, track in enumerate(tracks, start=len(stems) + 1):
            steps = write_beside(
                track, link.zero_seconds, folder, order, rate_hz=row.rate_hz, frames=frames, number=number
            )
            for step in steps:
                made += [step] if step else []
                yield Progress(frames, frames, "Writing the recording")
    if row.with_blend and order.has_mix:
        files = [folder / one.file for one in (next(one for one in stems if one.kind == WHOLE), *made)]
        made.append(
            write_blend(files, folder, order, rate_hz=row.rate_hz, frames=frames, number=len(stems) + len(made) + 1)
        )
    return made


def _alongside(row: Bounce) -> dict[str, list[str]]:
    """The kits of a lineup: beside the first of them, which the bounce is called by, and all of them."""
    lineup = edits.read_lineup(row)
    if lineup is None:
        return {}
    names = [member.kit.name for member in lineup.members]
    return {"members": names, "alongside": names[1:]}


def _report(
    row: Bounce, kit: Kit, order: BounceOrder, folder: Path, stems: Sequence[Stem], every: Sequence[Stem]
) -> dict:
    """What the bounce came from, so that it can be made again, and what it holds: its stems, and what lies beside them."""
    report = {
        "kit": kit.name,
        **_alongside(row),
        "kit_version": row.kit_version,
        "kit_hash": hashlib.sha256(bytes(row.kit_snapshot)).hexdigest()[:16],
        "part": row.part_name,
        "seed": kit.seed,
        "rate": row.rate_hz,
        "bits": order.bits,
        "frames": stems[0].frames,
        "stems": [stem.described() for stem in every],
    }
    if order.has_mix and len(stems) > 1:
        *parts, mix = [folder / stem.file for stem in stems]
        result = stems_add_up(parts, mix, order.bits)
        report["sum_test"] = asdict(result) | {"is_passed": result.is_passed}
    return report
