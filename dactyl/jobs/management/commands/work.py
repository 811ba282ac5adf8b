"""Do background work until stopped; started by ``serve``, or by hand where DACTYL_WORKERS=external."""

import os
import signal
import sys
import threading
import time
from contextlib import suppress
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.db import OperationalError, connection
from django_tasks_db.management.commands.db_worker import Worker

from dactyl.jobs.run import give_back, requeue_abandoned

SECONDS_BETWEEN_GLANCES = 0.15
SECONDS_BETWEEN_SEARCHES = 15.0


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--queue", default="*", help="imports, bounces or * for both")
        parser.add_argument("--end-with-parent", action="store_true", help="stop when standard input closes")

    def handle(self, *, queue: str, end_with_parent: bool, **options: Any) -> None:
        if end_with_parent:
            signal.signal(signal.SIGINT, signal.SIG_IGN)  # the server decides
            threading.Thread(target=_end_with_parent, daemon=True).start()
        worker = QuietWorker(queue)
        if not end_with_parent:
            worker.configure_signals()
            requeue_abandoned(*([] if queue == "*" else [queue]))
        worker.run()


class QuietWorker(Worker):
    """Looks for work only when something was written: a glance at the database's state is a hundred times cheaper."""

    def __init__(self, queue: str) -> None:
        self._state = None
        super().__init__(
            queue_names=[queue],
            interval=0,
            batch=False,
            backend_name="default",
            startup_delay=False,
            max_tasks=None,
            worker_id=f"{queue}-{os.getpid()}".replace("*", "all"),
            excluded_queue_names=[],
        )

    @property
    def interval(self) -> float:
        """Waits itself until another connection has written, and leaves no time to wait: 0 seconds."""
        until = time.monotonic() + SECONDS_BETWEEN_SEARCHES
        before, self._state = self._state, _state()
        while before == self._state and time.monotonic() < until:
            time.sleep(SECONDS_BETWEEN_GLANCES)
            self._state = _state()
        return 0

    @interval.setter
    def interval(self, seconds: float) -> None:
        """The base sets one; this worker has none."""


def _state() -> int:
    """Changes with every commit of another connection: https://www.sqlite.org/pragma.html#pragma_data_version"""
    with connection.cursor() as cursor:
        return cursor.execute("PRAGMA data_version").fetchone()[0]


def _end_with_parent() -> None:
    """The server holds the other end of standard input; when it goes, even by kill -9, so do we."""
    sys.stdin.read()
    with suppress(OperationalError):
        give_back()
    os._exit(0)
