"""Keep the latest sounds in memory, up to a number of bytes."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable

import numpy as np


class SoundCache:
    """Remembers what ``make`` made; the longest unused goes first. May be called from several threads."""

    def __init__(self, make: Callable[[Hashable], np.ndarray], limit_bytes: int) -> None:
        self._make, self._limit_bytes, self._held_bytes = make, limit_bytes, 0
        self._sounds: OrderedDict[Hashable, np.ndarray] = OrderedDict()
        self._lock = threading.Lock()

    def __call__(self, what: Hashable) -> np.ndarray:
        with self._lock:
            if what in self._sounds:
                self._sounds.move_to_end(what)
                return self._sounds[what]
        sound = self._make(what)
        with self._lock:
            if what not in self._sounds:
                self._sounds[what] = sound
                self._held_bytes += sound.nbytes
            while self._held_bytes > self._limit_bytes and len(self._sounds) > 1:
                self._held_bytes -= self._sounds.popitem(last=False)[1].nbytes
        return sound
