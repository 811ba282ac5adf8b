"""Make the sound that plays: everything about a take that does not depend on the hit (design rule 7)."""

import hashlib
import math
from dataclasses import dataclass, fields
from operator import attrgetter

import numpy as np
import scipy
import soxr

from dactyl.core.audio.filter import low_shelf
from dactyl.core.errors import AudioError
from dactyl.core.wave.read import MAX_DECODED_BYTES

PREPARE_VERSION = 3  # raise it when the same recipe gives other bytes: old cache entries are then never found
WEIGHT_HZ = 110.0
SNAP_SECONDS = 0.012
MOST_CENTS = 4800  # of take and pad together


@dataclass(frozen=True, slots=True)
class Recipe:
    """All that makes a prepared sound. Equal recipes make equal bytes."""

    sha256: str  # of the sample file
    sample_rate_hz: int
    channels: int
    start_frame: int  # in the sample, inclusive
    end_frame: int  # in the sample, exclusive
    rate_hz: int  # of the prepared sound
    tune_cents: float = 0.0
    is_reversed: bool = False
    is_flipped: bool = False
    weight_db: float = 0.0
    snap_db: float = 0.0
    fade_in_frames: int = 0  # of the prepared sound
    fade_out_frames: int = 0
    silence_frames: int = 0  # of the sample's, before it: another mic of the take begins sooner

    @property
    def frames(self) -> int:
        """Length of the prepared sound, known before it is made: floor(n x rate / sample rate / tuning + 1/2)."""
        taken = self.silence_frames + self.end_frame - self.start_frame
        if not self.tune_cents:
            return max(1, (2 * taken * self.rate_hz + self.sample_rate_hz) // (2 * self.sample_rate_hz))
        return max(1, math.floor(taken * self.rate_hz / self._read_hz + 0.5))

    @property
    def _read_hz(self) -> float:
        """The rate at which the sample is read: tuned up, it runs faster."""
        return self.sample_rate_hz * 2 ** (self.tune_cents / 1200)

    @property
    def key(self) -> str:
        """32 hex digits that name the prepared sound."""
        return hashlib.sha256(repr((PREPARE_VERSION, *_values(self))).encode()).hexdigest()[:32]


_values = attrgetter(*(field.name for field in fields(Recipe)))


def prepare(audio: np.ndarray, recipe: Recipe) -> np.ndarray:
    """Polarity, reverse, start and end, rate and tuning, weight and snap, fades: in this order.

    audio : float32, shape (channels, frames), the decoded sample; it is not changed
    returns : float32, shape (channels, recipe.frames); resampled by soxr at its very high quality
    """
    _refuse_unfit(recipe)
    sound = audio[:, ::-1] if recipe.is_reversed else audio
    sound = sound[:, recipe.start_frame : recipe.end_frame]
    if recipe.silence_frames:
        sound = np.pad(sound, ((0, 0), (recipe.silence_frames, 0)))
    if recipe.is_flipped:
        sound = -sound
    sound = _at_rate(sound, recipe)
    if recipe.weight_db:
        sound = _weigh(sound, recipe)
    if recipe.snap_db:
        rise = 10 ** (recipe.snap_db / 20) - 1
        time = np.arange(sound.shape[1]) / recipe.rate_hz
        sound = sound * (1 + rise * np.exp(-time / SNAP_SECONDS)).astype(np.float32)
    if recipe.fade_in_frames or recipe.fade_out_frames:
        sound = sound * _fades(recipe)
    return np.ascontiguousarray(sound, np.float32)


def _refuse_unfit(recipe: Recipe) -> None:
    """raises : AudioError where the sound would be larger than any that is read"""
    if abs(recipe.tune_cents) > MOST_CENTS:
        raise AudioError(
            f"Take and pad together are tuned by {recipe.tune_cents:,.0f} cents; {MOST_CENTS:,} is the most."
        )
    if recipe.frames * recipe.channels * 4 > MAX_DECODED_BYTES:
        minutes = recipe.frames / recipe.rate_hz / 60
        raise AudioError(
            f"Tuned like this a take lasts {minutes:.0f} minutes, which is too long. Shorten it or tune it less."
        )


def _at_rate(sound: np.ndarray, recipe: Recipe) -> np.ndarray:
    if recipe.sample_rate_hz == recipe.rate_hz and not recipe.tune_cents:
        return sound
    from_hz = recipe._read_hz if recipe.tune_cents else recipe.sample_rate_hz
    resampled = soxr.resample(sound.T, from_hz, recipe.rate_hz, quality="VHQ").T
    if resampled.shape[1] >= recipe.frames:
        return resampled[:, : recipe.frames]
    return np.pad(resampled, ((0, 0), (0, recipe.frames - resampled.shape[1])))


def _weigh(sound: np.ndarray, recipe: Recipe) -> np.ndarray:
    b0, b1, b2, a1, a2 = low_shelf(WEIGHT_HZ, recipe.weight_db, recipe.rate_hz)
    return scipy.signal.sosfilt([[b0, b1, b2, 1.0, a1, a2]], sound, axis=1)


def _fades(recipe: Recipe) -> np.ndarray:
    """Linear: 0 at the first frame of a fade in; a fade out reaches 0 one frame past the end."""
    gain = np.ones(recipe.frames)
    fade_in, fade_out = min(recipe.fade_in_frames, recipe.frames), min(recipe.fade_out_frames, recipe.frames)
    gain[:fade_in] *= np.arange(fade_in) / max(1, fade_in)
    gain[recipe.frames - fade_out :] *= np.arange(fade_out, 0, -1) / max(1, fade_out)
    return gain.astype(np.float32)


def to_int16(audio: np.ndarray) -> tuple[np.ndarray, float]:
    """Quantise to 16 bits with one scale for the sound: ``audio ~ int16 * scale``; error at most scale / 2."""
    peak = float(np.abs(audio).max(initial=0.0))
    scale = peak / 32767 if peak > 0 else 1.0
    return np.rint(audio / np.float32(scale)).astype("<i2"), scale
