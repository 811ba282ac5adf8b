"""The tracks of a recording as files beside the stems: from the part's zero, as long as they are, at their rate and depth.

They are not part of the mix, and nothing is done to them but resampling.
"""

from collections.abc import Iterator
from pathlib import Path

import numpy as np

from dactyl.core.bounce.stems import Order, Stem, StemFile, safe_name
from dactyl.core.hits.envelopes import Track
from dactyl.core.hits.playback import resampled

OUTPUT = "recorded"


def write_beside(
    track: Track, zero_seconds: float, folder: Path, order: Order, *, rate_hz: int, frames: int, number: int
) -> Iterator[Stem | None]:
    """Yields None for each block, at last the file. zero_seconds : of the part, at which the recording begins, from 0 up"""
    name = f"Recorded {track.name.rsplit('.', 1)[0]}"[:60]
    path = folder / f"{safe_name(name)} {number}.{order.format}"
    file, left, channels = None, frames, 1
    wait = round(zero_seconds * rate_hz)
    try:
        for block, _ in resampled(track, rate_hz):
            if file is None:
                channels = len(block)
                file = StemFile(name, path, rate_hz, order, frames, number, channels=channels)
                if wait:
                    left -= _put(file, np.zeros((channels, min(wait, frames)), np.float32), left)
            left -= _put(file, block, left)
            yield None
        if left:
            _put(file, np.zeros((channels, left), np.float32), left)
        file.finish()
        yield file.stem(frames, OUTPUT)
    finally:
        if file:
            file.close()


def _put(file: StemFile, block: np.ndarray, most: int) -> int:
    """Write as much of a block as there is room for; returns how many frames."""
    count = min(most, block.shape[1])
    if count:
        file.write(block[:, :count])
    return count
