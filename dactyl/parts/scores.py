"""Scores of parts. A short one is written when it is asked for; a long one by a job, and taken away once it is there."""

from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

from django.db import transaction
from django.utils import timezone

from dactyl.core.errors import PartError
from dactyl.core.formats.musicxml.write import STANDARD, musicxml_steps, write_musicxml
from dactyl.history.queries import reading
from dactyl.jobs.models import Job
from dactyl.jobs.run import Progress, enqueue, latest, reported
from dactyl.kits.alongside import kit_of_notes
from dactyl.kits.models import Kit
from dactyl.kits.queries import pad_notes
from dactyl.maps.ways import translated_notes
from dactyl.parts import blocks, queries
from dactyl.parts.models import Part, Score
from dactyl.shelf import store

WORK = "dactyl.parts.scores.write"
MOST_AT_ONCE = 1500  # hits that are written within a request
STAYS = timedelta(days=1)


def is_long(part: Part) -> bool:
    return blocks.count(part) > MOST_AT_ONCE


def short_score(kit: Kit, part: Part) -> bytes:
    return write_musicxml(queries.part_value(part), STANDARD | _drums(kit, part))


def _drums(kit: Kit, part: Part) -> dict[int, tuple[str, str]]:
    """(name, kind) of the pad that plays each note here."""
    own = {note: (pad.name, pad.kind) for pad in reversed(pad_notes(kit_of_notes(kit))) for note in pad.notes}
    if (played := translated_notes(kit, part.written_for)) is not None:
        own = {note: own[here] for note, here in played.items() if here in own}
    return own


def asked_for(kit: Kit, part: Part) -> None:
    """Have it written, unless that is under way."""
    with transaction.atomic():
        row, _ = Score.objects.get_or_create(part=part, kit_id=kit.pk)
        job = latest(WORK, row.pk)
        if job is None or job.is_over:
            enqueue(WORK, row.pk, queue="imports")


def job_of(kit: Kit, part: Part) -> Job | None:
    """That is under way, or was last."""
    row = Score.objects.filter(part=part, kit_id=kit.pk).first()
    return row and latest(WORK, row.pk)


def file_of(kit: Kit, part: Part) -> Path | None:
    """The score of both as they are now, where it was written."""
    row = Score.objects.filter(part=part, kit_id=kit.pk, state=_state(kit, part)).first()
    path = row and store.incoming_folder() / row.file
    return path if path and path.exists() else None


def _state(kit: Kit, part: Part) -> str:
    return f"{part.version} {kit.version}"


def write(score_id: int) -> Iterator[Progress]:
    """raises : PartError where the kit is gone"""
    with reading():
        row = Score.objects.select_related("part").get(pk=score_id)
        kit = Kit.objects.filter(pk=row.kit_id).first()
        if kit is None:
            raise PartError("The kit of this score is gone. Open the part with another, and write it again.")
        value, drums, state = queries.part_value(row.part), STANDARD | _drums(kit, row.part), _state(kit, row.part)
    path = store.incoming_folder() / row.file
    half = path.with_suffix(".part")
    try:
        half.write_bytes((yield from reported(musicxml_steps(value, drums), "Writing the score")))
        Score.objects.filter(pk=row.pk).update(state="")
        half.replace(path)
        Score.objects.filter(pk=row.pk).update(state=state)  # last: it is never of an older file
    finally:
        half.unlink(missing_ok=True)


def held_files() -> set[str]:
    """Names of files that stay: of the last day, whole or not."""
    keys = Job.objects.filter(work=WORK, created_at__gte=timezone.now() - STAYS).values_list("subject_id", flat=True)
    return {row.file for row in Score.objects.filter(pk__in=list(keys))}
