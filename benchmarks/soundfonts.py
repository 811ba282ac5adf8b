"""Recorded one-shots from free General MIDI soundfonts and samples of Debian, varied: what the listener is taught and
measured on.

Packages: timgm6mb-soundfont, csound-soundfont, freepats, minuet-data, denemo-data, and fluidsynth to play them;
sonic-pi-samples. Nothing of it ships. No font whose name has "fluid" or "musescore" in it is used: those are kept for judging.
"""

import struct
import subprocess
import tempfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
from scipy.signal import fftconvolve, lfilter, resample_poly

from dactyl.core.wave.read import read_sound

RATE_HZ = 44_100
FONTS = {
    "timgm": Path("/usr/share/sounds/sf2/TimGM6mb.sf2"),
    "csound": Path("/usr/share/sounds/sf2/sf_GMbank.sf2"),
    "freepats": Path("/usr/share/midi/freepats/Drum_000"),
    "samples": Path("/usr/share/sonic-pi/samples"),
    "general": Path("/usr/share/minuet/soundfonts/GeneralUser-v1.47.sf2"),
    "airfont": Path("/usr/share/sounds/sf2/A320U.sf2"),
}
KITS = (0, 1, 8, 16, 24, 25, 32, 40)  # presets of drums; one that a font has not is its first
KIND_OF_NAMES = {  # of the samples: acoustic ones begin with drum, the others are electronic
    "bd_*": "kick", "drum_bass_*": "kick", "drum_heavy_kick": "kick", "elec_*_kick": "kick", "drum_snare_*": "snare",
    "sn_*": "snare", "elec_*snare": "snare", "drum_cymbal_closed": "closed_hat", "drum_cymbal_open": "open_hat",
    "drum_cymbal_pedal": "pedal_hat", "drum_cymbal_hard": "crash", "drum_cymbal_soft": "crash", "drum_splash_*": "crash",
    "drum_tom_hi_*": "high_tom", "drum_tom_mid_*": "mid_tom", "elec_fuzz_tom": "mid_tom", "drum_tom_lo_*": "low_tom",
    "drum_cowbell": "cowbell",
}  # fmt: skip
KIND_OF = {  # General MIDI Level 1 percussion, by key
    35: "kick", 36: "kick", 37: "side_stick", 38: "snare", 39: "clap", 40: "snare", 41: "low_tom", 42: "closed_hat",
    43: "low_tom", 44: "pedal_hat", 45: "mid_tom", 46: "open_hat", 47: "mid_tom", 48: "high_tom", 49: "crash",
    50: "high_tom", 51: "ride", 52: "crash", 53: "ride_bell", 54: "tambourine", 55: "crash", 56: "cowbell",
    57: "crash", 59: "ride", 60: "other", 61: "other", 62: "other", 63: "other", 64: "other", 65: "other",
    66: "other", 67: "other", 68: "other", 69: "shaker", 70: "shaker", 75: "other", 76: "other", 77: "other",
    81: "other", 82: "shaker",
}  # fmt: skip
SECONDS_EACH = 4
IN_A_KIT = ("kick", "snare", "side_stick", "clap", "closed_hat", "open_hat", "low_tom", "mid_tom", "high_tom", "crash", "ride", "cowbell")  # fmt: skip


@dataclass(frozen=True)
class OneShot:
    font: str
    kit: int
    note: int
    kind: str
    audio: np.ndarray  # float32, (frames,), from its onset on


def fonts_here() -> list[str]:
    return [name for name, path in FONTS.items() if path.exists()]


@cache
def one_shots(font: str) -> tuple[OneShot, ...]:
    """Every drum of every kit of a font, as it is played hard; equal sounds once."""
    if not FONTS[font].exists():
        raise FileNotFoundError(FONTS[font])  # the player would take another font without a word
    others = {"freepats": _of_patches, "samples": _of_samples}
    found = others[font]() if font in others else [shot for kit in KITS for shot in _of_font(font, kit)]
    kept: dict[bytes, OneShot] = {}
    for shot in found:
        if np.abs(shot.audio).max() > 1e-3:
            kept.setdefault(np.round(shot.audio[:2000], 3).tobytes(), shot)
    return tuple(kept.values())


def drums_of_a_kit(shots: Sequence[OneShot], rng: np.random.Generator) -> list[OneShot]:
    """Six to eleven drums, each of another of the kinds IN_A_KIT."""
    by_kind = {shot.kind: shot for shot in rng.permutation(np.array(shots, object)) if shot.kind in IN_A_KIT}
    kinds = rng.choice(sorted(by_kind), min(len(by_kind), int(rng.integers(6, 12))), replace=False)
    return [by_kind[kind] for kind in kinds]


def _of_font(font: str, kit: int) -> Iterator[OneShot]:
    notes = sorted(KIND_OF)
    with tempfile.TemporaryDirectory() as folder:
        midi, wave = Path(folder, "in.mid"), Path(folder, "out.wav")
        midi.write_bytes(_midi(kit, notes))
        command = ["fluidsynth", "-ni", "-q", "-R", "0", "-C", "0", "-g", "0.6", "-r", str(RATE_HZ), "-F", str(wave)]
        subprocess.run([*command, str(FONTS[font]), str(midi)], check=True, capture_output=True)
        audio = read_sound(wave).audio.mean(axis=0)
    for number, note in enumerate(notes):
        yield OneShot(font, kit, note, KIND_OF[note], _from_onset(audio[number * SECONDS_EACH * RATE_HZ :][: SECONDS_EACH * RATE_HZ]))  # fmt: skip


def _midi(kit: int, notes: list[int]) -> bytes:
    """One hit every four seconds on channel 10: a Standard MIDI File of type 0."""
    events = bytes([0, 0xC9, kit])
    for number, note in enumerate(notes):
        wait = 0 if number == 0 else SECONDS_EACH * 960 - 480
        events += _delta(wait) + bytes([0x99, note, 115]) + _delta(480) + bytes([0x89, note, 0])
    events += _delta(SECONDS_EACH * 960) + b"\xff\x2f\x00"
    return b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + b"MTrk" + struct.pack(">I", len(events)) + events


def _delta(ticks: int) -> bytes:
    parts = [ticks & 127]
    while ticks := ticks >> 7:
        parts.append(128 | (ticks & 127))
    return bytes(reversed(parts))


def _of_patches() -> Iterator[OneShot]:
    """Gravis patch files, one sample each: the header's fields as freepats' own tools write them."""
    for path in sorted(FONTS["freepats"].glob("*.pat")):
        note = int(path.name[:3])
        if note in KIND_OF:
            data = path.read_bytes()
            header = 239  # patch, instrument and layer headers, to the first sample's
            size, _, _, rate = struct.unpack_from("<IIIH", data, header + 8)
            mode = data[header + 55]
            raw = np.frombuffer(data, "<i2" if mode & 1 else "<i1", size // (2 if mode & 1 else 1), header + 96)
            sound = raw.astype(np.float32)
            if mode & 2:  # unsigned
                sound = np.where(sound < 0, sound + (32768 if mode & 1 else 128), sound - (32768 if mode & 1 else 128))
            sound /= max(1.0, float(np.abs(sound).max()))
            yield OneShot("freepats", 0, note, KIND_OF[note], _from_onset(resample_poly(sound, RATE_HZ, rate).astype(np.float32)))  # fmt: skip


def _of_samples() -> Iterator[OneShot]:
    for pattern, kind in KIND_OF_NAMES.items():
        for path in sorted(FONTS["samples"].glob(f"{pattern}.flac")):
            read = read_sound(path)
            sound = resample_poly(read.audio.mean(axis=0), RATE_HZ, read.rate_hz)
            sound = (sound / max(1e-9, float(np.abs(sound).max()))).astype(np.float32)
            yield OneShot("samples", int(not path.name.startswith("drum")), 0, kind, _from_onset(sound))


def _from_onset(audio: np.ndarray) -> np.ndarray:
    """Without the silence before and after."""
    loud = np.flatnonzero(np.abs(audio) > 10 ** (-65 / 20) * max(1e-9, float(np.abs(audio).max())))
    return audio[loud[0] : loud[-1] + 1].astype(np.float32) if len(loud) else audio[:1]


@dataclass(frozen=True)
class Player:
    """How one drum was recorded: its tuning, damping, room and colour, the same for all its hits."""

    semitones: float
    damping: float  # seconds to a fall of 60 dB added to its own; infinite: none
    tilt: float  # colour, -1 dark to 1 bright
    room: float
    noise_db: float

    @classmethod
    def drawn(cls, rng: np.random.Generator, width: float = 1.0) -> "Player":
        return cls(
            semitones=float(rng.normal(0, 1.4 * width)),
            damping=float(rng.uniform(0.25, 2.5)) if rng.random() < 0.4 * width else np.inf,
            tilt=float(rng.normal(0, 0.35 * width)),
            room=float(rng.uniform(0.02, 0.25)) if rng.random() < 0.4 * width else 0.0,
            noise_db=float(rng.uniform(-90, -55)),
        )


def hit(shot: OneShot, player: Player, strength: float, rng: np.random.Generator) -> np.ndarray:
    """One hit, float32 of shape (1, frames); softer ones are darker. strength : 0 to 1"""
    ratio = 2 ** ((player.semitones + rng.normal(0, 0.06)) / 12)
    sound = resample_poly(shot.audio, 1000, max(1, round(1000 * ratio)))
    if np.isfinite(player.damping):
        sound = sound * np.exp(-6.9 * np.arange(len(sound)) / (player.damping * rng.uniform(0.93, 1.07) * RATE_HZ))
    sound = tilted(sound, player.tilt + rng.normal(0, 0.03) - 0.5 * (1 - strength))
    if player.room:
        tail = rng.standard_normal(RATE_HZ // 3) * np.exp(-np.arange(RATE_HZ // 3) / (RATE_HZ * 0.05))
        wet = fftconvolve(sound, tilted(tail, -0.4))[: len(sound) + RATE_HZ // 3]
        dry = np.concatenate([sound, np.zeros(len(wet) - len(sound))]) if len(wet) > len(sound) else sound[: len(wet)]
        sound = dry + player.room * wet * np.abs(sound).max() / max(1e-9, np.abs(wet).max())
    sound = sound / max(1e-9, float(np.abs(sound).max()))
    level = 10 ** ((-30 * (1 - strength) + rng.normal(0, 0.25)) / 20) * 0.8
    lead = np.zeros(int(rng.uniform(0, 0.01) * RATE_HZ))
    sound = np.concatenate([lead, sound * level])
    return (sound + rng.standard_normal(len(sound)) * 10 ** (player.noise_db / 20) * level).astype(np.float32)[None]


def tilted(sound: np.ndarray, amount: float) -> np.ndarray:
    """A first-order tilt around 1 kHz: above it louder where positive, softer where negative."""
    pole = float(np.exp(-2 * np.pi * 1000 / RATE_HZ))
    low = lfilter([1 - pole], [1, -pole], sound)
    return low * 10 ** (-6 * amount / 20) + (sound - low) * 10 ** (9 * amount / 20)
