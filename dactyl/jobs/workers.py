"""Processes that do background work: each looks into one queue, and another takes its place should it ever die.

They are forks of one process that has loaded everything: a worker is there at once, and its code is in memory once.
"""

import gc
import logging
import os
import select
import sys
import threading
import time
import traceback
from collections.abc import Sequence
from contextlib import suppress

from django.db import OperationalError, connection, connections
from django_tasks_db.management.commands.db_worker import Worker

from dactyl.jobs.run import give_back, requeue_abandoned

STANDARD_INPUT = 0
SECONDS_BETWEEN_GLANCES = 0.15
SECONDS_BETWEEN_SEARCHES = 15.0
SECONDS_BEFORE_ANOTHER = 1.0  # a worker that dies as soon as it works must not fill the log
log = logging.getLogger(__name__)


def keep_working(queues: Sequence[str]) -> None:
    """A worker for each of ``queues`` until standard input closes: the server holds its other end, and may be killed."""
    gc.freeze()  # what is loaded stays shared: https://docs.python.org/3/library/gc.html#gc.freeze
    working = {_begin(queue): queue for queue in queues}
    while working:
        ended, _ = os.wait()
        queue = working.pop(ended)
        if not _is_closed():
            time.sleep(SECONDS_BEFORE_ANOTHER)
            _requeue(queue)
            working[_begin(queue)] = queue


def _begin(queue: str) -> int:
    """Fork a worker; returns its process, and never returns in it."""
    connections.close_all()  # https://www.sqlite.org/howtocorrupt.html#_carrying_an_open_database_connection_across_a_fork_
    process = os.fork()
    if process:
        return process
    try:
        threading.Thread(target=_end_with_parent, daemon=True).start()
        QuietWorker(queue).run()
    except BaseException:
        traceback.print_exc()
    finally:
        sys.stderr.flush()
        os._exit(1)


def _requeue(queue: str) -> None:
    try:
        requeue_abandoned(queue)
    except OperationalError:
        log.warning("The database was busy for long; the server looks at abandoned jobs soon.")


def _is_closed() -> bool:
    return bool(select.select([STANDARD_INPUT], [], [], 0)[0])


def _end_with_parent() -> None:
    os.read(STANDARD_INPUT, 1)  # nothing is ever written to it
    with suppress(OperationalError):
        give_back()
    os._exit(0)


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
