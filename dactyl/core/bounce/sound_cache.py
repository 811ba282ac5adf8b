"""Keep the latest sounds in memory, up to a number of bytes."""

import threading
from collections.abc import Callable, Hashable

import numpy as np
from cachetools import LRUCache, cached


class SoundCache:
    """Remembers what ``make`` made; the longest unused goes first, and one that is larger than all room is kept alone. Several
    threads may call it: each sound is made once, and who asks for one that is being made waits for it."""

    def __init__(self, make: Callable[[Hashable], np.ndarray], limit_bytes: int) -> None:
        kept = LRUCache(limit_bytes, getsizeof=lambda sound: min(sound.nbytes, limit_bytes))
        self._made = cached(kept, key=lambda what: what, condition=threading.Condition())(make)

    def __call__(self, what: Hashable) -> np.ndarray:
        return self._made(what)
