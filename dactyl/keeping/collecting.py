"""How often Python looks for garbage that reference counts miss, and that what requests had is given back."""

import ctypes
import gc
import os
import time
from contextlib import suppress
from pathlib import Path

THRESHOLDS = (50_000, 20, 50)  # Python's own are (700, 10, 10): a look for every few rows of a long part
SECONDS_BETWEEN_LOOKS = 1.0
GROWN_BYTES = 48 << 20  # since the last look: an edit of 100,000 hits leaves as much
M_ARENA_MAX, ARENAS = -8, 2  # https://man7.org/linux/man-pages/man3/mallopt.3.html


def collect_seldom() -> None:
    """Once everything is imported: what is here stays out of all later looks, and these come less often.

    Requests that make 10,000s of rows take a seventh less (https://docs.python.org/3/library/gc.html#gc.freeze).
    """
    gc.collect()
    gc.freeze()
    gc.set_threshold(*THRESHOLDS)


def share_memory() -> None:
    """Before any thread begins: all take from the same stores. glibc gives each its own else, and each keeps the most that one
    request in it ever needed."""
    with suppress(AttributeError, OSError):  # another C library
        ctypes.CDLL(None).mallopt(M_ARENA_MAX, ARENAS)


def collect_as_it_grows() -> None:
    """For a thread of its own: look for garbage when the process has become larger, and give back to the system what is free."""
    least = resident_bytes(os.getpid())
    while least:
        time.sleep(SECONDS_BETWEEN_LOOKS)
        now = resident_bytes(os.getpid())
        if now - least > GROWN_BYTES:
            gc.collect()
            with suppress(AttributeError, OSError):
                ctypes.CDLL(None).malloc_trim(0)
            least = resident_bytes(os.getpid())
        else:
            least = min(least, now)


def resident_bytes(process: int) -> int:
    """What a process has in memory; 0 where the system does not say it (https://man7.org/linux/man-pages/man5/proc_pid_statm.5.html)."""
    try:
        return int(Path(f"/proc/{process}/statm").read_text("ascii").split()[1]) * os.sysconf("SC_PAGE_SIZE")
    except OSError:
        return 0
