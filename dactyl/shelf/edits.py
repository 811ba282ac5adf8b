"""Writes to the shelf."""

import shutil
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import fields
from pathlib import Path
from typing import IO

import numpy as np
from django.db import transaction

from dactyl.core.audio.measure import Measure
from dactyl.core.kinds import BY_SLUG
from dactyl.core.stack.kind import kind_from_sound
from dactyl.jobs.models import Job
from dactyl.jobs.run import enqueue
from dactyl.shelf import queries, store
from dactyl.shelf.intake import MeasuredFile, Unpacked, hear, split_path
from dactyl.shelf.models import Import, ImportFile, Sample, SampleName

State = ImportFile.State
WORK = "dactyl.shelf.tasks.import_files"
HEAR_AGAIN = "dactyl.shelf.tasks.hear_again"


def begin_import() -> Import:
    return Import.objects.create()


def add_file(batch: Import, path: str, content: Iterable[bytes]) -> ImportFile:
    """Keep an uploaded file for ``batch``; see that its job is on the way."""

    def write(file: IO[bytes]) -> None:
        for block in content:
            file.write(block)

    name, folder = split_path(path)
    stored_as = store.receive(write)
    row = ImportFile.objects.create(batch=batch, name=name, folder=folder, stored_as=stored_as)
    state = Job.objects.filter(pk=batch.job_id).values_list("state", flat=True).first()
    if state is None or state in Job.ENDED:
        with transaction.atomic():
            _ensure_job(batch)
    return row


def go_on(batch_id: int) -> None:
    """Begin again where a file came in just as the job ended."""
    with transaction.atomic():
        batch = Import.objects.get(pk=batch_id)
        if batch.files.filter(state=State.WAITING).exists():
            _ensure_job(batch)


def refuse_file(batch: Import, path: str, reason: str) -> ImportFile:
    name, folder = split_path(path)
    return ImportFile.objects.create(batch=batch, name=name, folder=folder, state=State.REFUSED, reason=reason)


def _ensure_job(batch: Import) -> None:
    """Asked again inside the transaction: two uploads may come at once."""
    batch.refresh_from_db(fields=["job"])
    if batch.job is None or batch.job.is_over:
        batch.job = enqueue(WORK, batch.pk, queue="imports")
        batch.save(update_fields=["job"])


def record_unpacked(archive: ImportFile, files: Iterable[Unpacked]) -> None:
    """Give the files of ``archive`` rows of their own. Unpacking it again replaces them."""
    rows = [
        ImportFile(
            batch_id=archive.batch_id,
            archive=archive,
            name=file.name,
            folder=file.folder or archive.name.rsplit(".", 1)[0],
            stored_as=file.stored_as,
            reason=file.reason,
            state=State.REFUSED if file.reason else State.WAITING,
        )
        for file in files
    ]
    with transaction.atomic():
        ImportFile.objects.filter(archive=archive).delete()
        ImportFile.objects.bulk_create(rows, batch_size=500)
        ImportFile.objects.filter(pk=archive.pk).update(state=State.UNPACKED)
    store.forget_incoming(archive.stored_as)


def record_refused(file: ImportFile, reason: str) -> None:
    ImportFile.objects.filter(pk=file.pk).update(state=State.REFUSED, reason=reason)
    store.forget_incoming(file.stored_as)


def record_heard(results: Sequence[tuple[ImportFile, MeasuredFile | str]]) -> None:
    """Write the rows of a batch of files: samples, further names of known ones, reasons of refused ones."""
    heard = {result.sha256: (file, result) for file, result in reversed(results) if isinstance(result, MeasuredFile)}
    with transaction.atomic():
        known = set(Sample.objects.filter(sha256__in=heard).values_list("sha256", flat=True))
        Sample.objects.filter(sha256__in=known, is_away=True).update(is_away=False)
        Sample.objects.filter(sha256__in=known).exclude(damage="").update(
            damage=""
        )  # the file that came in takes its place
        new = [_sample(file, result) for sha, (file, result) in reversed(heard.items()) if sha not in known]
        Sample.objects.bulk_create(new, batch_size=100)
        samples = Sample.objects.defer("overview").in_bulk(heard, field_name="sha256")
        for sha256, (file, _) in heard.items():
            store.adopt(file.stored_as, sha256)  # once more under the write lock: it may have been deleted meanwhile
        fresh = {sample.sha256 for sample in new}
        for file, result in results:
            if isinstance(result, MeasuredFile):
                file.sample = samples[result.sha256]
                file.state = State.IN if result.sha256 in fresh else State.SAME
                fresh.discard(result.sha256)
            else:
                file.state, file.reason = State.REFUSED, result
        names = [
            SampleName(sample=file.sample, name=file.name, folder=file.folder)
            for file, _ in results
            if file.state == State.SAME and (file.name, file.folder) != (file.sample.name, file.sample.folder)
        ]
        SampleName.objects.bulk_create(names, ignore_conflicts=True)
        ImportFile.objects.bulk_create(  # an upsert: far cheaper than one UPDATE with a case for each row
            [file for file, _ in results],
            update_conflicts=True,
            unique_fields=["id"],
            update_fields=["sample", "state", "reason"],
        )
    for file, _ in results:
        store.forget_incoming(file.stored_as)


def _sample(file: ImportFile, heard: MeasuredFile) -> Sample:
    return Sample(
        sha256=heard.sha256,
        sound_hash=heard.sound_hash,
        size_bytes=heard.size_bytes,
        format=heard.format,
        frames=heard.sound_frames,
        rate_hz=heard.rate_hz,
        channels=heard.channels,
        seconds=heard.sound_frames / heard.rate_hz,
        root=heard.tags.root,
        low_velocity=heard.tags.low_velocity,
        high_velocity=heard.tags.high_velocity,
        kind=heard.kind,
        is_guessed=heard.is_guessed,
        overview=heard.overview,
        name=file.name,
        folder=file.folder,
        **{field.name: getattr(heard.measured, field.name) for field in fields(Measure)}
        | {"timbre": _timbre(heard.measured)},
    )


def _timbre(measured: Measure) -> bytes:
    return np.array(measured.timbre, "<f2").tobytes()


def hear_again() -> None:
    """See that samples are heard whose timbre is not known."""
    if queries.unheard().exists():
        enqueue(HEAR_AGAIN, 0, queue="imports")


def record_timbres(heard: Mapping[int, Measure]) -> None:
    """What samples sound like, by their keys."""
    with transaction.atomic():
        for pk, measured in heard.items():
            row = Sample.objects.filter(pk=pk)
            row.update(timbre=_timbre(measured))
            row.filter(is_guessed=True).update(kind=kind_from_sound(measured))  # what somebody said meanwhile stays


def set_kind(sample_ids: Sequence[int], kind: str) -> int:
    """Say what kind these samples are; the guess was wrong or too vague."""
    return Sample.objects.filter(pk__in=sample_ids).update(kind=BY_SLUG[kind].slug, is_guessed=False)


GONE, CUT, OTHER = "gone from the data folder", "not as long as it was", "no longer what it was"


def mark_damage(sha256: str, what: str) -> None:
    """Say on the shelf what is wrong with the file of a sample; nothing is, with an empty text."""
    Sample.objects.filter(sha256=sha256).exclude(damage=what).update(damage=what)


def put_away(sample_ids: Sequence[int], is_away: bool) -> int:
    """Take samples off the shelf, or bring them back. Kits that use them keep them, and nothing is deleted."""
    return Sample.objects.filter(pk__in=sample_ids).exclude(is_away=is_away).update(is_away=is_away)


def forget_file(sha256: str) -> None:
    """Delete the recording of a sample whose row is gone, unless it came in again meanwhile."""
    if not Sample.objects.filter(sha256=sha256).exists():
        store.sample_path(sha256).unlink(missing_ok=True)
        store.heard_path(sha256).unlink(missing_ok=True)


def stop_import(batch: Import) -> None:
    """Leave out what has not been read yet."""
    if batch.job and not batch.job.is_over:
        Job.objects.filter(pk=batch.job_id).update(cancel_requested=True)
    waiting = list(batch.files.filter(state=State.WAITING))
    batch.files.filter(state=State.WAITING).update(state=State.REFUSED, reason="You stopped the import before it.")
    for file in waiting:
        store.forget_incoming(file.stored_as)


def take_in(path: Path, name: str, folder: str) -> None:
    """Bring one good file in at once, as opening a kit does; a known one only gets a further name. Raises AudioError."""
    with path.open("rb") as source:
        stored_as = store.receive(lambda file: shutil.copyfileobj(source, file))
    try:
        heard = hear(stored_as, name, folder)
        with transaction.atomic():
            known = Sample.objects.filter(sha256=heard.sha256).first()
            if known and known.is_away:
                put_away([known.pk], False)
            if known and known.damage:
                mark_damage(known.sha256, "")
            if known is None:
                _sample(ImportFile(name=name[-255:], folder=folder[-500:]), heard).save()
            elif (known.name, known.folder) != (name, folder):
                SampleName.objects.get_or_create(sample=known, name=name[-255:], folder=folder[-500:])
    finally:
        store.forget_incoming(stored_as)
