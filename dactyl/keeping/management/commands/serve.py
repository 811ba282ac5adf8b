"""Serve Dactyl on this machine, with its background workers."""

import logging
import os
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from typing import Any

import waitress
from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.core.wsgi import get_wsgi_application
from django.db import OperationalError, connection

from dactyl.bounces.store import sweep as sweep_bounces
from dactyl.core.errors import KitError
from dactyl.jobs.reserve import give_up_reserve, is_full, keep_reserve
from dactyl.jobs.run import requeue_abandoned
from dactyl.keeping import check_store, database
from dactyl.keeping.collecting import collect_as_it_grows, collect_seldom, share_memory
from dactyl.keeping.lock import hold_folder
from dactyl.keeping.refusals import refuse_in_our_words
from dactyl.recordings.edits import sweep as sweep_recordings
from dactyl.shelf import store
from dactyl.shelf.sounds import stop_preparing
from dactyl.web import page_memory

THREADS = 12
CONNECTIONS = 500
SILENT_SECONDS = 10  # a connection on which nothing comes is dropped after so long
SECONDS_BETWEEN_WATCHES = 5
SECONDS_BETWEEN_LOOKS = 3600  # whether a daily copy is due
WORKERS = ("imports", "imports", "bounces")  # one slow import does not hold another
log = logging.getLogger(__name__)


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--port", type=int, default=8000)
        parser.add_argument("--host", default="127.0.0.1")

    def handle(self, *, port: int, host: str, **options: Any) -> None:
        if not 0 <= port <= 65_535:
            raise CommandError(f"Port {port} is none: choose one from 1024 to 65535, as in make demo PORT=8123")
        share_memory()
        with hold_folder(f"on port {port} serves"):
            if is_full():
                self.stdout.write("The disk is full: what is here can be seen and taken away; make room to change it.")
                give_up_reserve()
            self._check_database()
            tempfile.tempdir = str(store.incoming_folder())  # large bodies wait on the disk that has room for them
            server = self._listen(host, port)
            keep_reserve()
            try:
                self._tidy()
            except OperationalError as problem:  # a full disk: it serves, so that something can be deleted
                self.stdout.write(f"Nothing could be tidied up at the start ({problem}). Is the disk full?")
            page_memory.begin(database.database_path())
            if settings.EMBEDDED_WORKERS:
                threading.Thread(target=_keep_workers, daemon=True).start()
            for work in (_look_after, _watch_jobs, collect_as_it_grows):
                threading.Thread(target=work, daemon=True).start()
            self.stdout.write(f"Dactyl is at http://{host}:{server.effective_port}/ (stop it with Ctrl+C)")
            self.stdout.flush()
            collect_seldom()
            try:
                server.run()
            except KeyboardInterrupt:
                self.stdout.write("Stopped. Everything is kept.")
            finally:
                stop_preparing()

    def _tidy(self) -> None:
        """What kills left behind goes, and what was under way goes on."""
        store.sweep()
        sweep_bounces()
        sweep_recordings()
        requeue_abandoned()

    def _check_database(self) -> None:
        try:
            database.check()
        except KitError as problem:
            raise CommandError(str(problem)) from None
        if database.is_behind():
            raise CommandError("The database is not ready for this version: run manage.py prepare first.")
        try:
            if made := database.copy_daily():
                self.stdout.write(f"Today's copy of the database is {made}; the last {database.COPIES_KEPT} are kept.")
        except (OSError, sqlite3.Error) as problem:
            self.stdout.write(
                f"Today's copy of the database can't be made ({problem}). Make room: delete bounces or samples."
            )

    def _listen(self, host: str, port: int) -> Any:
        refuse_in_our_words()
        try:
            return waitress.create_server(
                get_wsgi_application(),
                host=host,
                port=port,
                threads=THREADS,
                connection_limit=CONNECTIONS,
                channel_timeout=SILENT_SECONDS,
                cleanup_interval=SILENT_SECONDS // 2,
                max_request_body_size=settings.MAX_UPLOAD_BYTES,
                ident=None,
            )
        except OSError as problem:
            raise CommandError(
                f"Port {port} can't be used ({problem.strerror}). Try another: make demo PORT=8123"
            ) from None


def _keep_workers() -> None:
    """Start the process that keeps the workers, and another should it ever die."""
    command = [sys.executable, str(settings.ROOT / "manage.py"), "work", "--keep", *WORKERS]
    while True:
        with subprocess.Popen(command, stdin=subprocess.PIPE, env=os.environ | {"OMP_NUM_THREADS": "1"}) as keeper:
            keeper.wait()  # the end of the block closes its input: workers that outlive it end too
        time.sleep(1)


def _watch_jobs() -> None:
    """Queue again what a worker left behind that was still ending when this server began, or runs elsewhere and died."""
    while True:
        time.sleep(SECONDS_BETWEEN_WATCHES)
        try:
            requeue_abandoned()
        except OperationalError:  # the database is busy: the next time will do
            log.warning("The database was busy for long; jobs are looked at again soon.")


def _look_after() -> None:
    """Find damage while nothing waits for it, then copy the database each day."""
    _look(lambda: [log.warning("%s", finding) for finding in check_store.check_contents()])
    while True:
        time.sleep(SECONDS_BETWEEN_LOOKS)
        _look(database.copy_daily)


def _look(act: Callable[[], object]) -> None:
    """One that fails, on a full disk or a busy database, ends none of those after it."""
    try:
        act()
    except Exception:
        log.exception("Looking after the data folder; it is tried again")
    finally:
        connection.close()
