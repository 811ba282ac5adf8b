"""The sum test: read the written files back and compare the stems, added up, with the mix."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile

BLOCK = 1 << 17
STEP = {"16": 2.0**-15, "24": 2.0**-23, "32f": 0.0}


@dataclass(frozen=True, slots=True)
class AddedUp:
    worst: float  # largest difference, of full scale
    allowed: float  # exact for float; (stems + 1) / 2 steps for 24 bit; (stems + 1) x 1.5 for dithered 16
    over: bool  # whether some file reached full scale, where adding up says nothing

    @property
    def is_passed(self) -> bool:
        return self.worst <= self.allowed


def stems_add_up(stems: Sequence[Path], mix: Path, bits: str) -> AddedUp:
    """Stems minus mix, frame by frame, added as the bounce adds them."""
    steps = {"16": 1.5, "24": 0.5, "32f": 0.0}[bits] * (len(stems) + 1)
    worst, over = 0.0, False
    files = [soundfile.SoundFile(path) for path in stems]
    try:
        with soundfile.SoundFile(mix) as whole:
            for expected in whole.blocks(BLOCK, dtype="float32", always_2d=True):
                total = np.zeros_like(expected)
                for file in files:
                    part = file.read(len(expected), dtype="float32", always_2d=True)
                    over = over or (bits != "32f" and bool(np.abs(part).max(initial=0.0) >= 1 - STEP[bits]))
                    total += part  # a mono stem stands on both sides
                over = over or (bits != "32f" and bool(np.abs(expected).max(initial=0.0) >= 1 - STEP[bits]))
                worst = max(worst, float(np.abs(total - expected).max(initial=0.0)))
    finally:
        for file in files:
            file.close()
    return AddedUp(worst, steps * STEP[bits], over)
