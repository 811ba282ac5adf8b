"""What a pad answers: its level at every velocity, and how alike its repeated hits are."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy

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
    """Render the start of the pad's hits at every velocity.

    layers : (low, high) of each layer in velocities as they are struck
    load_sound : gives the first ``SPECTRUM_SECONDS`` of each sound, or more
    """
    hits = _Hits(pad, load_sound, int(SPECTRUM_SECONDS * rate_hz))
    window = int(LEVEL_SECONDS * rate_hz)
    levels = tuple(_level_db([hits.at(v, place, window) for place in range(hits.places(v))]) for v in range(1, 128))
    return Response(levels, _alike(hits), _evened(levels, layers))


class _Hits:
    """The first frames of a pad's hits: of each region they are made once, unless velocity moves its filter."""

    def __init__(self, pad: PadTable, load_sound: LoadSound, frames: int) -> None:
        self._pad, self._load, self.frames = pad, load_sound, frames
        self._sums: dict[int, np.ndarray] = {}

    def places(self, velocity: int) -> int:
        lengths = [len(region.places) and region.length for _, region in self._answering(velocity)]
        return min(MOST_HITS, max(lengths, default=1)) or 1

    def at(self, velocity: int, place: int, frames: int) -> np.ndarray:
        """The pad's ``place``-th hit at a velocity: float64, (2, frames)."""
        out = np.zeros((2, frames))
        for number, region in self._answering(velocity):
            if place % region.length in region.places:
                out += region.gains[velocity - 1] * self._sum(number, velocity, frames)
        return out

    def _answering(self, velocity: int) -> list[tuple[int, Region]]:
        return [(i, region) for i, region in enumerate(self._pad.regions) if region.gains[velocity - 1] is not None]

    def _sum(self, number: int, velocity: int, frames: int) -> np.ndarray:
        """All mics of a region, without its gain."""
        if self._pad.filter:
            return self._made(number, self._pad.curve[velocity - 1], frames)
        if number not in self._sums:
            self._sums[number] = self._made(number, 0, self.frames)
        return self._sums[number][:, :frames]

    def _made(self, number: int, played: int, frames: int) -> np.ndarray:
        out = np.zeros((2, frames))
        for sound in self._pad.regions[number].sounds:
            audio = self._shaped(self._load(sound.recipe)[:, :frames].astype(np.float64), played)
            out[0, : audio.shape[1]] += sound.left * audio[0]
            out[1, : audio.shape[1]] += sound.right * audio[-1]
        return out

    def _shaped(self, audio: np.ndarray, played: int) -> np.ndarray:
        if self._pad.filter:
            b0, b1, b2, a1, a2 = self._pad.filter.coefficients[played - 1]
            audio = scipy.signal.sosfilt([[b0, b1, b2, 1.0, a1, a2]], audio, axis=1)
        return audio if self._pad.envelope.is_flat else audio * self._pad.envelope.gains(np.arange(audio.shape[1]))


def _level_db(hits: Sequence[np.ndarray]) -> float:
    power = [np.square(hit).mean(axis=1).max() for hit in hits]
    return gain_to_db(float(np.sqrt(np.mean(power))))


def _alike(hits: _Hits) -> float | None:
    """Mean cosine between the magnitude spectra of successive hits at one velocity, across the wrap too."""
    places = hits.places(ALIKE_VELOCITY)
    heard = [hits.at(ALIKE_VELOCITY, place, hits.frames).sum(axis=0) for place in range(places)]
    spectra = [np.abs(np.fft.rfft(hit)) for hit in heard]
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
