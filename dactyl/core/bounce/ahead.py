"""Work ahead: steps of one thing are made in a thread of their own while the caller works on those made before."""

import queue
import threading
from collections.abc import Iterator
from typing import TypeVar

Step = TypeVar("Step")


def ahead(steps: Iterator[Step], most: int) -> Iterator[Step]:
    """Yield ``steps`` in order, at most ``most`` of them made before they are asked for.

    What making them raises is raised here; where the caller stops iterating, making stops at its next step.
    """
    made: queue.Queue = queue.Queue(maxsize=most)
    is_stopped = threading.Event()

    def put(what: tuple) -> bool:
        while not is_stopped.is_set():
            try:
                made.put(what, timeout=0.1)
                return True
            except queue.Full:
                continue
        return False

    def make() -> None:
        try:
            for step in steps:
                if not put(("step", step)):
                    return
            put(("end", None))
        except BaseException as problem:  # whatever it was, it belongs to the caller
            put(("problem", problem))
        finally:
            close = getattr(steps, "close", None)
            if close:
                close()

    worker = threading.Thread(target=make, name="ahead", daemon=True)
    worker.start()
    try:
        while True:
            kind, what = made.get()
            if kind == "problem":
                raise what
            if kind == "end":
                return
            yield what
    finally:
        is_stopped.set()
        worker.join()
