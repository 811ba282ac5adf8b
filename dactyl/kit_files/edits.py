"""A kit file that comes in waits on disk until a job has opened it."""

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from dactyl.jobs.run import enqueue
from dactyl.kits.models import KitFile
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
