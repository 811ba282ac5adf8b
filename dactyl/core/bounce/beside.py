"""The tracks of a recording as files beside the stems: from the part's zero, as long as they are, at their rate and depth.

They are not part of the mix, and nothing is done to them but resampling.
"""

from collections.abc import Iterator, Sequence
from contextlib import ExitStack
from pathlib import Path

import numpy as np
import soundfile

from dactyl.core.bounce.order import BounceOrder, safe_name
from dactyl.core.bounce.stems import Stem, StemFile
from dactyl.core.hits.envelopes import Track
from dactyl.core.hits.playback import resampled

OUTPUT, BLEND = "recorded", "Blend"
BLOCK = 1 << 18  # frames


def write_beside(
    track: Track, zero_seconds: float, folder: Path, order: BounceOrder, *, rate_hz: int, frames: int, number: int
) -> Iterator[Stem | None]:
    """Yields None for each block, at last the file. zero_seconds : of the part, at which the recording begins; it may begin before it"""
    name = f"Recorded {track.name.rsplit('.', 1)[0]}"[:60]
    path = folder / f"{safe_name(name)} {number}.{order.format}"
    file, left, channels = None, frames, 1
    wait, skip = max(0, round(zero_seconds * rate_hz)), max(0, round(-zero_seconds * rate_hz))
    try:
        for block, _ in resampled(track, rate_hz):
            if file is None:
                channels = len(block)
                file = StemFile(name, path, rate_hz, order, frames, number, channels=channels)
                if wait:
                    left -= _put(file, np.zeros((channels, min(wait, frames)), np.float32), left)
            left -= _put(file, block[:, skip:], left)
            skip = max(0, skip - block.shape[1])
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


def write_blend(
    files: Sequence[Path], folder: Path, order: BounceOrder, *, rate_hz: int, frames: int, number: int
) -> Stem:
    """The kit's mix and the recorded tracks in one file, each as loud as it is: what blending them gives."""
    path = folder / f"{BLEND}.{order.format}"
    if path.exists():  # a stem is called so
        path = folder / f"{BLEND} {number}.{order.format}"
    out = StemFile(BLEND, path, rate_hz, order, frames, number, channels=2)
    with ExitStack() as stack:
        stack.callback(out.close)
        sounds = [stack.enter_context(soundfile.SoundFile(path)) for path in files]
        for first in range(0, frames, BLOCK):
            count = min(BLOCK, frames - first)
            blend = np.zeros((2, count), np.float32)
            for sound in sounds:
                block = sound.read(count, dtype="float32", always_2d=True).T
                blend[:, : block.shape[1]] += block  # one channel goes to both sides
            out.write(blend)
        out.finish()
    return out.stem(frames, OUTPUT)
