"""Serve Dactyl on this machine, with its background workers."""

import fcntl
import os
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import IO, Any

import waitress
from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.core.wsgi import get_wsgi_application

from dactyl.jobs.run import requeue_unfinished

THREADS = 12


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--port", type=int, default=8000)
        parser.add_argument("--host", default="127.0.0.1")

    def handle(self, *, port: int, host: str, **options: Any) -> None:
        held = _lock(settings.DATA / "server.lock")
        try:
            server = waitress.create_server(
                get_wsgi_application(),
                host=host,
                port=port,
                threads=THREADS,
                max_request_body_size=settings.MAX_UPLOAD_BYTES,
                ident=None,
            )
        except OSError as problem:
            raise CommandError(
                f"Port {port} can't be used ({problem.strerror}). Try another: make demo PORT=8123"
            ) from None
        requeue_unfinished()
        if settings.EMBEDDED_WORKERS:
            for queue in settings.TASKS["default"]["QUEUES"]:
                threading.Thread(target=_keep_worker, args=(queue,), daemon=True).start()
        bound = server.effective_port if hasattr(server, "effective_port") else port
        self.stdout.write(f"Dactyl is at http://{host}:{bound}/ (stop it with Ctrl+C)")
        self.stdout.flush()
        try:
            server.run()
        except KeyboardInterrupt:
            self.stdout.write("Stopped. Everything is kept.")
        finally:
            held.close()


def _lock(path: Path) -> IO[str]:
    """One server for one data folder: two would run each other's jobs."""
    file = path.open("w")
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        raise CommandError(
            f"Another Dactyl already serves {path.parent}. Stop it first, or set DACTYL_DATA to another folder."
        ) from None
    return file


def _keep_worker(queue: str) -> None:
    """Start a worker, and another should it ever die; its job is tried again, three times in all."""
    command = [sys.executable, str(settings.ROOT / "manage.py"), "work", "--queue", queue, "--end-with-parent"]
    while True:
        worker = subprocess.Popen(command, stdin=subprocess.PIPE, env=os.environ | {"OMP_NUM_THREADS": "1"})
        worker.wait()
        time.sleep(1)
        requeue_unfinished(queue)
