"""What a pad answers: its level at every velocity, and how alike its repeated hits are."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.signal import sosfilt

from dactyl.core.bounce.render import LoadSound
from dactyl.core.play.playbook import PadTable, Region
from dactyl.core.units import gain_to_db

LEVEL_SECONDS = 0.05  # level_db: RMS over the 50 ms from the onset, loudest channel
SPECTRUM_SECONDS = 0.2
MOST_HITS = 8  # of a cycle that are rendered
ALIKE_VELOCITY = 100


@dataclass(frozen=True, slots=True)
class Response:
    levels_db: tuple[float, ...]  # [velocity - 1]; the floor of gain_to_db where nothing sounds
    alike: float | None  # 0..1: mean likeness of successive hits; 1: a machine gun; None without a second hit
    proposed_gains_db: tuple[float, ...]  # of each layer, added to what it has, that even the response out

    @property
    def jumps(self) -> list[tuple[int, float]]:
        """(velocity, dB) where the level rises or falls by over 2 dB from one velocity to the next."""
        steps = np.diff(self.levels_db)
        return [(place + 2, float(step)) for place, step in enumerate(steps) if abs(step) > 2.0]


def measure_response(pad: PadTable, layers: Sequence[tuple[int, int]], load_sound: LoadSound, rate_hz: int) -> Response:
    """Render the pad at every velocity.

    layers : (low, high) of each layer in velocities as they are struck
    """
    window = int(LEVEL_SECONDS * rate_hz)
    levels = tuple(
        _level_db([_hit(pad, v, place, window, load_sound) for place in range(_places(pad, v))]) for v in range(1, 128)
    )
    return Response(levels, _alike(pad, load_sound, rate_hz), _evened(levels, layers))


def _places(pad: PadTable, velocity: int) -> int:
    lengths = [len(region.places) and region.length for region in _answering(pad, velocity)]
    return min(MOST_HITS, max(lengths, default=1)) or 1


def _answering(pad: PadTable, velocity: int) -> list[Region]:
    return [region for region in pad.regions if region.gains[velocity - 1] is not None]


def _hit(pad: PadTable, velocity: int, place: int, frames: int, load_sound: LoadSound) -> np.ndarray:
    """The first frames of the pad's ``place``-th hit at a velocity: float64, (2, frames)."""
    out = np.zeros((2, frames))
    for region in _answering(pad, velocity):
        if place % region.length not in region.places:
            continue
        for sound in region.sounds:
            audio = load_sound(sound.recipe)[:, :frames].astype(np.float64)
            if pad.filter:
                b0, b1, b2, a1, a2 = pad.filter.coefficients[pad.curve[velocity - 1] - 1]
                audio = sosfilt([[b0, b1, b2, 1.0, a1, a2]], audio, axis=1)
            if not pad.envelope.is_flat:
                audio = audio * pad.envelope.gains(np.arange(audio.shape[1]))
            gain = region.gains[velocity - 1]
            out[0, : audio.shape[1]] += gain * sound.left * audio[0]
            out[1, : audio.shape[1]] += gain * sound.right * audio[-1]
    return out


def _level_db(hits: Sequence[np.ndarray]) -> float:
    power = [np.square(hit).mean(axis=1).max() for hit in hits]
    return gain_to_db(float(np.sqrt(np.mean(power))))


def _alike(pad: PadTable, load_sound: LoadSound, rate_hz: int) -> float | None:
    """Mean cosine between the magnitude spectra of successive hits at one velocity, across the wrap too."""
    frames = int(SPECTRUM_SECONDS * rate_hz)
    places = _places(pad, ALIKE_VELOCITY)
    spectra = [
        np.abs(np.fft.rfft(_hit(pad, ALIKE_VELOCITY, place, frames, load_sound).sum(axis=0))) for place in range(places)
    ]
    norms = [float(np.linalg.norm(spectrum)) for spectrum in spectra]
    if not norms or min(norms) <= 0:
        return None
    if places == 1:
        return 1.0
    pairs = zip(spectra, spectra[1:] + spectra[:1], norms, norms[1:] + norms[:1], strict=True)
    return float(np.mean([a @ b / (m * n) for a, b, m, n in pairs]))


def _evened(levels: Sequence[float], layers: Sequence[tuple[int, int]]) -> tuple[float, ...]:
    """Gains that put the middle of every layer on the straight line from the softest to the loudest."""
    if len(layers) < 3:
        return tuple(0.0 for _ in layers)
    middles = [(low + high) / 2 for low, high in layers]
    means = [float(np.mean(levels[low - 1 : high])) for low, high in layers]
    wanted = np.interp(middles, [middles[0], middles[-1]], [means[0], means[-1]])
    return tuple(round(float(target - mean), 2) for target, mean in zip(wanted, means, strict=True))
