"""One server for one data folder: two would run each other's jobs."""

import fcntl
from collections.abc import Iterator
from contextlib import contextmanager

from django.conf import settings
from django.core.management.base import CommandError


@contextmanager
def hold_folder() -> Iterator[None]:
    """raises : CommandError while another holds it"""
    with (settings.DATA / "server.lock").open("w") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise CommandError(
                f"Another Dactyl already serves {settings.DATA}. Stop it first, or set DACTYL_DATA to another folder."
            ) from None
        yield
