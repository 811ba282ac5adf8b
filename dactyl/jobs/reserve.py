"""Room on the disk that is kept free, so that a full disk can still be read, and things can be deleted and told."""

import errno
import shutil
import uuid
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from django.conf import settings
from django.db import OperationalError

RESERVE_BYTES = 8 << 20
LEAST_FREE_BYTES = 1 << 20  # what SQLite needs beside its database, with room to spare


def keep_reserve() -> None:
    """Keep a file that is deleted where there is no room left even for deleting; not where it would fill the disk."""
    path = settings.DATA / "reserve"
    with suppress(OSError):
        if path.exists() or shutil.disk_usage(settings.DATA).free < RESERVE_BYTES + LEAST_FREE_BYTES:
            return
        partial = path.with_name(f"{path.name}.{uuid.uuid4().hex[:8]}.part")
        try:
            partial.write_bytes(bytes(RESERVE_BYTES))
            partial.replace(path)
        finally:
            partial.unlink(missing_ok=True)


def give_up_reserve() -> None:
    with suppress(OSError):
        (settings.DATA / "reserve").unlink(missing_ok=True)


def is_full_disk(problem: Exception) -> bool:
    """Return True where an error says that the disk has no room."""
    if isinstance(problem, OSError):
        return problem.errno in (errno.ENOSPC, errno.EDQUOT)
    return isinstance(problem, OperationalError) and "disk is full" in str(problem)


def is_busy(problem: Exception) -> bool:
    """Return True where an error says that another writes to the database."""
    return isinstance(problem, OperationalError) and "locked" in str(problem)


def is_full() -> bool:
    """Return True where even the files that SQLite keeps beside its database have no room."""
    return shutil.disk_usage(settings.DATA).free < LEAST_FREE_BYTES


@contextmanager
def with_reserve() -> Iterator[None]:
    """Inside there is room for a few writes; it is taken back afterwards, where it can be."""
    give_up_reserve()
    try:
        yield
    finally:
        keep_reserve()
