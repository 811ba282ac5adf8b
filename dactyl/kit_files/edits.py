"""A kit file that comes in waits on disk until a job has opened it."""

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from dactyl.jobs.reserve import with_reserve
from dactyl.jobs.run import cancel, enqueue, latest
from dactyl.kit_files.queries import FONT
from dactyl.kits.models import Kit, KitFile
from dactyl.shelf import store

WORK = "dactyl.kit_files.tasks.open_kit_file"


def receive(upload: UploadedFile) -> KitFile:
    """Take it in, and have it opened in the background."""

    def write(file) -> None:
        for block in upload.chunks():
            file.write(block)

    stored_as = store.receive(write)
    with transaction.atomic():
        row = KitFile.objects.create(name=upload.name[-255:], stored_as=stored_as)
        row.job = enqueue(WORK, row.pk, queue="imports")
        row.save(update_fields=["job"])
    return row


def try_again(row: KitFile) -> None:
    """Open a kit file that is still here once more: its job failed, on a full disk or three kills."""
    with transaction.atomic():
        row = KitFile.objects.select_related("job").get(pk=row.pk)
        if row.kit_id or (row.job and not row.job.is_over):
            return
        row.job = enqueue(WORK, row.pk, queue="imports")
        row.save(update_fields=["job"])


def choose(row: KitFile, numbers: list[int]) -> None:
    """Open these of the kits in a file, which was asked about before."""
    with transaction.atomic():
        row = KitFile.objects.select_related("job").get(pk=row.pk)
        if row.kit_id or not row.stored_as or (row.job and not row.job.is_over):
            return
        row.chosen, row.job = numbers, enqueue(WORK, row.pk, queue="imports")
        row.save(update_fields=["chosen", "job"])


def write_font(kit: Kit) -> None:
    """Have a kit written as a SoundFont, unless that is under way."""
    with transaction.atomic():
        job = latest(FONT, kit.pk)
        if job is None or job.is_over:
            enqueue(FONT, kit.pk, queue="imports")


def forget(row: KitFile) -> None:
    """Let go of the file that came in; its row says what became of it."""
    store.forget_incoming(row.stored_as)
    row.stored_as = ""
    KitFile.objects.filter(pk=row.pk).update(stored_as="")


def leave_out(row: KitFile) -> None:
    """A kit file that is not to be opened after all: stop its job, and let go of the file."""
    if row.job and not row.job.is_over:
        cancel(row.job)
    with with_reserve():
        forget(row)
