"""Drums from nothing: modal bodies, shaped noise and rooms, all from a seed. Nothing is recorded from anywhere."""

from dataclasses import dataclass, field

import numpy as np
import scipy.signal  # here, not at its first use: processes that are forked have it

RATE_HZ = 48_000
INAUDIBLE = 11.5  # e to the power of minus this is -100 dB


@dataclass(frozen=True, slots=True)
class Voice:
    """How one articulation sounds when struck."""

    seconds: float
    pitch_hz: float = 200.0
    ratios: tuple[float, ...] = ()  # partials of the body, as multiples of the pitch
    body: float = 1.0
    ring_seconds: float = 0.3  # until the lowest partial falls by 60 dB
    glide: float = 0.0  # how much higher the pitch starts, as a share
    glide_ms: float = 30.0
    noise: float = 0.0
    noise_band_hz: tuple[float, float] = (1000.0, 8000.0)
    noise_seconds: float = 0.15
    click: float = 0.3  # the stick, the beater
    bursts: tuple[float, ...] = (0.0,)  # ms at which the noise begins, again and again
    drive: float = 0.0
    place: float = 0.0  # from the left (-1) to the right (1) as overheads hear it


@dataclass(frozen=True, slots=True)
class Room:
    seconds: float = 1.1
    seed: int = 7
    _cache: dict = field(default_factory=dict, compare=False, repr=False)

    def response(self) -> np.ndarray:
        """A stereo impulse response of decaying noise, (2, frames), unit energy."""
        if "ir" not in self._cache:
            rng = np.random.default_rng(self.seed)
            frames = int(self.seconds * RATE_HZ)
            decay = 10 ** (-3 * np.arange(frames) / frames)
            ir = rng.standard_normal((2, frames)) * decay
            ir[:, : int(0.009 * RATE_HZ)] *= 0.05  # the walls answer late
            ir = scipy.signal.sosfilt(scipy.signal.butter(2, (120, 6500), "bandpass", fs=RATE_HZ, output="sos"), ir)
            self._cache["ir"] = ir / np.sqrt((ir**2).sum(axis=1, keepdims=True))
        return self._cache["ir"]


def strike(voice: Voice, force: float, rng: np.random.Generator) -> np.ndarray:
    """One dry hit, mono. ``force`` 0..1: a harder hit is louder and brighter."""
    frames = int(voice.seconds * RATE_HZ)
    time = np.arange(frames) / RATE_HZ
    out = voice.body * _body(voice, force, time, rng) + _noises(voice, force, frames, rng)
    click = rng.standard_normal(frames) * np.exp(-time / (0.0012 + 0.001 * (1 - force)))
    out += (
        voice.click
        * force
        * scipy.signal.sosfilt(scipy.signal.butter(1, 900 + 2500 * force, "highpass", fs=RATE_HZ, output="sos"), click)
    )
    if voice.drive:
        out = np.tanh(out * (1 + voice.drive * force)) / np.tanh(1 + voice.drive)
    out *= 10 ** (-23 * (1 - force) / 20)
    out[-2400:] *= np.linspace(1, 0, 2400)
    return out


def _body(voice: Voice, force: float, time: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    if not voice.ratios:
        return np.zeros_like(time)
    glide = 1 + voice.glide * force * np.exp(-time * 1000 / voice.glide_ms)
    phase = 2 * np.pi * np.cumsum(glide) / RATE_HZ * voice.pitch_hz * (1 + 0.003 * rng.standard_normal())
    total = np.zeros_like(time)
    for number, ratio in enumerate(voice.ratios):
        strength = (1 + 0.15 * rng.standard_normal()) / (1 + number) ** (1.6 - force)
        decay = 6.9 / (voice.ring_seconds * (1 + 0.05 * rng.standard_normal()) / (1 + 0.28 * number))
        heard = slice(int(INAUDIBLE / decay * RATE_HZ))
        total[heard] += strength * np.sin(phase[heard] * ratio + rng.uniform(0, 0.4)) * np.exp(-decay * time[heard])
    return total


def _noises(voice: Voice, force: float, frames: int, rng: np.random.Generator) -> np.ndarray:
    if not voice.noise:
        return np.zeros(frames)
    low, high = voice.noise_band_hz
    top = min(high * (0.55 + 0.45 * force), RATE_HZ * 0.46)
    hiss = scipy.signal.sosfilt(
        scipy.signal.butter(2, (low, top), "bandpass", fs=RATE_HZ, output="sos"), rng.standard_normal(frames)
    )
    envelope = np.zeros(frames)
    time = np.arange(frames) / RATE_HZ
    for start_ms in voice.bursts:
        begun = time - start_ms * (1 + 0.06 * rng.standard_normal()) / 1000
        falling = np.exp(-6.9 * np.maximum(begun, 0) / voice.noise_seconds) * (
            1 - np.exp(-np.maximum(begun, 0) / 0.0006)
        )
        envelope = np.maximum(envelope, falling * (begun >= 0))
    return 2.2 * voice.noise * hiss * envelope


def through_mics(dry: np.ndarray, voice: Voice, room: Room | None, lead_ms: float) -> dict[str, np.ndarray]:
    """What three mics hear of a hit, each (channels, frames); sound reaches the far ones later. Without a room, the close one alone."""
    lead = np.zeros(int(lead_ms * RATE_HZ / 1000))
    close = np.concatenate([lead, dry])[np.newaxis]
    if room is None:
        return {"close": close}
    angle = (voice.place * 0.7 + 1) * np.pi / 4
    near = scipy.signal.sosfilt(
        scipy.signal.butter(1, 180, "highpass", fs=RATE_HZ, output="sos"), _later(close[0], 3.1)
    )
    early = scipy.signal.fftconvolve(close[0], room.response()[0][: RATE_HZ // 8])[: close.shape[1]] * 0.12
    overhead = np.stack([near * np.cos(angle) + early, near * np.sin(angle) - early]) * 0.8
    wet = np.stack([scipy.signal.fftconvolve(_later(close[0], 11), side) for side in room.response()])
    fade = min(4800, wet.shape[1])
    wet[:, -fade:] *= np.linspace(1, 0, fade)
    return {"close": close, "overhead": overhead, "room": wet * 0.5}


def _later(sound: np.ndarray, delay_ms: float) -> np.ndarray:
    delay = int(delay_ms * RATE_HZ / 1000)
    return np.concatenate([np.zeros(delay), sound])[: len(sound)]
