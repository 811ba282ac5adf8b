"""Do background work until stopped; started by ``serve``, or by hand where DACTYL_WORKERS=external."""

import os
import signal
import sys
import threading
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django_tasks_db.management.commands.db_worker import Worker


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--queue", default="*", help="imports, bounces or * for both")
        parser.add_argument("--end-with-parent", action="store_true", help="stop when standard input closes")

    def handle(self, *, queue: str, end_with_parent: bool, **options: Any) -> None:
        if end_with_parent:
            signal.signal(signal.SIGINT, signal.SIG_IGN)  # the server decides
            threading.Thread(target=_end_with_parent, daemon=True).start()
        worker = Worker(
            queue_names=[queue],
            interval=0.15,
            batch=False,
            backend_name="default",
            startup_delay=False,
            max_tasks=None,
            worker_id=f"{queue}-{os.getpid()}".replace("*", "all"),
            excluded_queue_names=[],
        )
        if not end_with_parent:
            worker.configure_signals()
        worker.run()


def _end_with_parent() -> None:
    """The server holds the other end of standard input; when it goes, even by kill -9, so do we."""
    sys.stdin.read()
    os._exit(0)
