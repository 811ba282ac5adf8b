"""One process for one data folder: two servers would run each other's jobs, and none may serve while tables change."""

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager

from django.conf import settings
from django.core.management.base import CommandError

LONGEST = 200


@contextmanager
def hold_folder(doing: str) -> Iterator[None]:
    """doing : what is done with it, such as "serves". raises : CommandError while another holds it, with what it does"""
    with (settings.DATA / "server.lock").open("a+") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            file.seek(0)
            holder = file.read(LONGEST) or "Another Dactyl serves"
            raise CommandError(
                f"{holder} {settings.DATA}. Stop it first, or set DACTYL_DATA to another folder."
            ) from None
        try:
            file.truncate(0)
            file.write(f"Process {os.getpid()} {doing}")
            file.flush()
        except OSError:
            pass  # a full disk: the lock holds without a name
        yield
