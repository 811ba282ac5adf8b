"""Do background work until stopped; started by ``serve``, or by hand where DACTYL_WORKERS=external."""

import signal
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from dactyl.jobs.run import requeue_abandoned
from dactyl.jobs.workers import QuietWorker, keep_working


class Command(BaseCommand):
    help = __doc__
    requires_system_checks = ()  # prepare and serve make them

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--queue", default="*", help="imports, bounces or * for both")
        parser.add_argument("--keep", nargs="+", metavar="QUEUE", help="a worker for each, until standard input closes")

    def handle(self, *, queue: str, keep: list[str] | None, **options: Any) -> None:
        if keep:
            signal.signal(signal.SIGINT, signal.SIG_IGN)  # the server decides
            keep_working(keep)
            return
        worker = QuietWorker(queue)
        worker.configure_signals()
        requeue_abandoned(*([] if queue == "*" else [queue]))
        worker.run()
