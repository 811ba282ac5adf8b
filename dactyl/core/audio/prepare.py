"""Make the sound that plays: everything about a take that does not depend on the hit (design rule 7)."""

import hashlib
from dataclasses import dataclass

import numpy as np
import soxr

from dactyl.core.units import resampled_frames

PREPARE_VERSION = 1  # raise it when the same recipe gives other bytes: old cache entries are then never found


@dataclass(frozen=True, slots=True)
class Recipe:
    """All that makes a prepared sound. Equal recipes make equal bytes."""

    sha256: str  # of the sample file
    sample_rate_hz: int
    channels: int
    start_frame: int  # in the sample, inclusive
    end_frame: int  # in the sample, exclusive
    rate_hz: int  # of the prepared sound

    @property
    def frames(self) -> int:
        """Length of the prepared sound, known before it is made."""
        return max(1, resampled_frames(self.end_frame - self.start_frame, self.sample_rate_hz, self.rate_hz))

    @property
    def key(self) -> str:
        """32 hex digits that name the prepared sound."""
        parts = (PREPARE_VERSION, self.sha256, self.sample_rate_hz, self.channels, self.start_frame, self.end_frame,
                 self.rate_hz)  # fmt: skip
        return hashlib.sha256(repr(parts).encode()).hexdigest()[:32]


def prepare(audio: np.ndarray, recipe: Recipe) -> np.ndarray:
    """Trim and resample.

    audio : float32, shape (channels, frames), the decoded sample
    returns : float32, shape (channels, recipe.frames); resampled by soxr at its very high quality
    """
    trimmed = audio[:, recipe.start_frame : recipe.end_frame]
    if recipe.sample_rate_hz == recipe.rate_hz:
        return np.ascontiguousarray(trimmed)
    resampled = soxr.resample(trimmed.T, recipe.sample_rate_hz, recipe.rate_hz, quality="VHQ").T
    out = np.zeros((len(audio), recipe.frames), np.float32)
    shared = min(recipe.frames, resampled.shape[1])
    out[:, :shared] = resampled[:, :shared]
    return out


def to_int16(audio: np.ndarray) -> tuple[np.ndarray, float]:
    """Quantise to 16 bits with one scale for the sound: ``audio ~ int16 * scale``; error at most scale / 2."""
    peak = float(np.abs(audio).max(initial=0.0))
    scale = peak / 32767 if peak > 0 else 1.0
    return np.rint(audio / np.float32(scale)).astype("<i2"), scale
