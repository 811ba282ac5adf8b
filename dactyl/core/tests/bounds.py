"""What a file that a stranger made may ask for."""

import resource
import signal
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import FrameType

SECONDS, MEGABYTES = 2, 300  # of processor, and of memory beside what the process has, for a file of a few kilobytes


class TooMuch(Exception):
    """A reader took more time than a file may ask for."""


@contextmanager
def bounded() -> Iterator[None]:
    """raises : TooMuch, MemoryError beyond what a file may ask for"""

    def stop(signum: int, frame: FrameType | None) -> None:
        raise TooMuch(f"more than {SECONDS} s")

    limits = resource.getrlimit(resource.RLIMIT_AS)
    used = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
    before = signal.signal(signal.SIGPROF, stop)
    resource.setrlimit(resource.RLIMIT_AS, (used + (MEGABYTES << 20), limits[1]))
    signal.setitimer(signal.ITIMER_PROF, SECONDS)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0)
        resource.setrlimit(resource.RLIMIT_AS, limits)
        signal.signal(signal.SIGPROF, before)
