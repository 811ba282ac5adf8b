"""One process for one data folder: two servers would run each other's jobs, and none may serve while tables change."""

import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from django.conf import settings
from django.core.management.base import CommandError
from filelock import FileLock, Timeout

LONGEST = 200


@contextmanager
def hold_folder(doing: str) -> Iterator[None]:
    """doing : what is done with it, such as "serves". raises : CommandError while another holds it, with what it does"""
    lock, about = FileLock(settings.DATA / "server.lock", timeout=0), settings.DATA / "server.holder"
    try:
        lock.acquire()
    except Timeout:
        holder = about.read_text()[:LONGEST] if about.is_file() else "Another Dactyl serves"
        raise CommandError(f"{holder} {settings.DATA}. Stop it first, or set DACTYL_DATA to another folder.") from None
    with suppress(OSError):  # a full disk: the lock holds without a name
        about.write_text(f"Process {os.getpid()} {doing}")
    try:
        yield
    finally:
        about.unlink(missing_ok=True)
        lock.release()
