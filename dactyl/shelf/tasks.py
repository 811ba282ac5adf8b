"""The import job: everything that waits in a batch, until nothing does."""

import logging
import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

from django.conf import settings
from django.db import connection

from dactyl.core.errors import AudioError, KitFileError
from dactyl.core.stack.listen import listen
from dactyl.jobs.run import Progress
from dactyl.shelf import edits, queries, store
from dactyl.shelf.intake import MeasuredFile, SeveralMics, Unpacked, channels_of, hear, unpack, why_not_sound
from dactyl.shelf.models import Import, ImportFile

BATCH = 48
State = ImportFile.State
log = logging.getLogger(__name__)


def import_files(batch_id: int) -> Iterator[Progress]:
    """Read the waiting files of a batch; may be run again after a kill, and goes on where it stopped."""
    batch = Import.objects.get(pk=batch_id)
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        while waiting := list(batch.files.filter(state=State.WAITING).order_by("pk")[:BATCH]):
            archives = [file for file in waiting if file.name.lower().endswith(".zip")]
            for archive in archives:
                _unpack(archive)
                yield _progress(batch, archive.name)
            sounds = [file for file in waiting if file not in archives]
            heard = list(zip(sounds, pool.map(_hear, sounds), strict=True))
            for file in [file for file, result in heard if result is None]:
                edits.record_unpacked(file, list(channels_of(file.stored_as, file.name, file.folder)))
            edits.record_heard([(file, result) for file, result in heard if result is not None])
            yield _progress(batch, sounds[-1].name if sounds else "")


import_files.afterwards = edits.go_on


def hear_again(_: int) -> Iterator[Progress]:
    """Hear the samples whose timbre is not known, as those are that an earlier version heard; guesses at kinds are made anew."""
    waiting = list(queries.unheard().values_list("pk", "sha256"))
    for done in range(0, len(waiting), BATCH):
        batch = waiting[done : done + BATCH]
        files = listen([store.sample_path(sha256) for _, sha256 in batch])
        edits.record_timbres({pk: file.measure for (pk, _), file in zip(batch, files, strict=True) if file.measure})
        yield Progress(done + len(batch), len(waiting), "Hearing samples again")


def _progress(batch: Import, label: str) -> Progress:
    files = batch.files.exclude(state=State.UNPACKED)
    return Progress(files.exclude(state=State.WAITING).count(), files.count(), label)


def _unpack(archive: ImportFile) -> None:
    limits = {
        "max_files": settings.MAX_ZIP_FILES,
        "max_bytes": settings.MAX_ZIP_BYTES,
        "max_file_bytes": settings.MAX_SAMPLE_BYTES,
    }
    unpacked: list[Unpacked] = []
    try:
        for file in unpack(archive.stored_as, **limits):
            unpacked.append(file)
    except (KitFileError, OSError) as problem:
        for file in unpacked:
            store.forget_incoming(file.stored_as)
        is_ours = isinstance(problem, KitFileError)
        edits.record_refused(
            archive, str(problem) if is_ours else f"The disk refused: {problem.strerror}. Make room first."
        )
        return
    edits.record_unpacked(archive, unpacked)


def _hear(file: ImportFile) -> MeasuredFile | str | None:
    """In a thread of its own, without the database. None: it has a mic in each channel and is to be split."""
    if reason := why_not_sound(file.name):
        return reason
    try:
        return hear(file.stored_as, file.name, file.folder)
    except SeveralMics:
        return None
    except AudioError as problem:
        return str(problem)
    except FileNotFoundError:
        return "Its upload was lost; bring it in again."
    except Exception:  # one bad file must not stop the others
        log.exception("Reading %s", file.name)
        return "Dactyl failed at this file; the server's log says more. Export it again as plain WAV."
    finally:
        connection.close()
