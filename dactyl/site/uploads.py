"""Files that a form brings, while the disk may fill: what has no room ends in our words, and leaves nothing behind."""

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import Any

from django.core.files.uploadedfile import UploadedFile
from django.core.files.uploadhandler import StopUpload, TemporaryFileUploadHandler

from dactyl.jobs.reserve import is_full_disk


class ToDisk(TemporaryFileUploadHandler):
    """Django's own, but that an error of the disk ends the upload; ``PlainErrors`` then answers."""

    def new_file(self, *args: Any, **named: Any) -> None:
        with self._ending_without_room():
            super().new_file(*args, **named)

    def receive_data_chunk(self, raw_data: bytes, start: int) -> None:
        with self._ending_without_room():
            super().receive_data_chunk(raw_data, start)

    def file_complete(self, file_size: int) -> UploadedFile | None:
        with self._ending_without_room():
            return super().file_complete(file_size)

    @contextmanager
    def _ending_without_room(self) -> Iterator[None]:
        try:
            yield
        except OSError as problem:
            if not is_full_disk(problem):
                raise
            with suppress(OSError):  # what is still to be written has no room either
                self.file.close()
            self.request.has_no_room = True
            raise StopUpload(connection_reset=True) from None
