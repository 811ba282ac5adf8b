"""Decode a sound file to planar float32, or say in one sentence why not."""

import os
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile

from dactyl.core.errors import AudioError
from dactyl.core.wave.chunks import missing_bytes
from dactyl.core.wave.plain import PlainWav, plain_wav

MAX_SECONDS = 600
RATES_HZ = (4000, 384_000)
MAX_DECODED_BYTES = 240 << 20  # ten minutes of stereo at 48 kHz
LARGEST = 1e6  # of a floating-point file, full scale is 1: 120 dB over it
MAX_MICS = 8  # channels of a file that are read as mics of their own
SUFFIXES = frozenset({".wav", ".wave", ".aif", ".aiff", ".aifc", ".flac", ".ogg", ".oga", ".mp3"})
_SEEKS_NEARLY = {"MP3", "OGG"}
_FORMATS = {"WAV", "WAVEX", "RF64", "AIFF", "FLAC", "OGG", "MP3"}


@dataclass(frozen=True, slots=True)
class Sound:
    audio: np.ndarray  # float32, shape (channels, frames)
    rate_hz: int
    format: str  # "WAV · 24 bit"

    @property
    def frames(self) -> int:
        return self.audio.shape[1]

    @property
    def channels(self) -> int:
        return self.audio.shape[0]


def read_sound(path: Path, *, max_channels: int = 2) -> Sound:
    """Decode the whole file.

    raises : AudioError if it is no sound file we read, has no frames, is cut short, has too many channels, is longer
              than ten minutes, or holds values that are not numbers
    """
    try:
        if plain := _read_plain(path, max_channels):
            return plain
        with sound_file(path) as file:
            _refuse_unfit(file, max_channels)
            if missing := missing_bytes(path):
                raise AudioError(f"It is cut short: {missing:,} bytes of its sound are missing; copy it again.")
            frames_in_rows = file.read(dtype="float32", always_2d=True)
            rate_hz, label = file.samplerate, _format_label(file.format, file.subtype)
            may_stray = not file.subtype.startswith("PCM")  # whole numbers are all numbers
    except (soundfile.LibsndfileError, RuntimeError, ValueError, OSError) as problem:
        raise AudioError(_why_unreadable(path, problem)) from problem
    if not len(frames_in_rows):
        raise AudioError("It holds no sound: zero frames.")
    if may_stray:
        _refuse_strays(frames_in_rows)
    return Sound(np.ascontiguousarray(frames_in_rows.T), rate_hz, label)


def sound_shape(path: Path, *, max_channels: int = 2) -> tuple[int, int, int]:
    """(frames, rate in Hz, channels) of what ``read_sound`` gives, decoded only where that could fail. Raises as it does."""
    with path.open("rb", buffering=0) as file:
        wav = plain_wav(file)
    if (
        wav and wav.subtype != "FLOAT" and _is_fit(wav, max_channels)
    ):  # whole numbers that are all there are all numbers
        return wav.frames, wav.rate_hz, wav.channels
    sound = read_sound(path, max_channels=max_channels)
    return sound.frames, sound.rate_hz, sound.channels


def read_range(path: Path, start_frame: int, end_frame: int) -> np.ndarray:
    """Decode some frames only: float32, (channels, frames); fewer where the file ends.

    raises : AudioError
    """
    try:
        if (plain := _range_of_plain(path, start_frame, end_frame)) is not None:
            return plain
        with sound_file(path) as file:
            _refuse_unfit(file, MAX_MICS)
            if file.format in _SEEKS_NEARLY:  # its frames are found exactly only by decoding all before them
                return np.ascontiguousarray(file.read(end_frame, dtype="float32", always_2d=True)[start_frame:].T)
            file.seek(min(start_frame, file.frames))
            rows = file.read(max(0, min(end_frame, file.frames) - start_frame), dtype="float32", always_2d=True)
            if len(rows) < min(end_frame, file.frames) - start_frame:
                raise AudioError("It is cut short: some of its sound is missing; copy it again.")
            return np.ascontiguousarray(rows.T)
    except (soundfile.LibsndfileError, RuntimeError, ValueError, OSError) as problem:
        raise AudioError(_why_unreadable(path, problem)) from problem


def _read_plain(path: Path, max_channels: int) -> Sound | None:
    """A whole plain WAV file; None for any other, and for one that is not fit. raises : OSError, AudioError"""
    with path.open("rb", buffering=0) as file:
        wav = plain_wav(file)
        audio = wav.read(file, 0, wav.frames) if wav and _is_fit(wav, max_channels) else None
    if wav is None or audio is None:
        return None
    if wav.subtype == "FLOAT":
        _refuse_strays(audio)
    return Sound(audio, wav.rate_hz, _format_label("WAV", wav.subtype))


def _range_of_plain(path: Path, start_frame: int, end_frame: int) -> np.ndarray | None:
    with path.open("rb", buffering=0) as file:
        wav = plain_wav(file)
        return wav.read(file, start_frame, end_frame) if wav and _is_fit(wav, MAX_MICS) else None


def _is_fit(wav: PlainWav, max_channels: int) -> bool:
    """Whether ``_refuse_unfit`` would have nothing against it."""
    is_short = wav.frames <= MAX_SECONDS * wav.rate_hz and wav.frames * wav.channels * 4 <= MAX_DECODED_BYTES
    return wav.channels <= max_channels and RATES_HZ[0] <= wav.rate_hz <= RATES_HZ[1] and is_short


def read_heard(path: Path, frames: int, start_frame: int, end_frame: int, *, is_reversed: bool) -> np.ndarray:
    """A stretch of a sample of so many frames as it is heard: backwards its frames count from the end. As ``read_range``.

    raises : AudioError
    """
    if not is_reversed:
        return read_range(path, start_frame, end_frame)
    return read_range(path, max(0, frames - end_frame), frames - start_frame)[:, ::-1]


def read_blocks(path: Path, start_frame: int, end_frame: int, block_frames: int = 1 << 18) -> Iterator[np.ndarray]:
    """The same, block by block, so that a long range needs little memory; each (channels, up to ``block_frames``).

    raises : AudioError
    """
    try:
        with sound_file(path) as file:
            _refuse_unfit(file, MAX_MICS)
            at, end = 0, min(end_frame, file.frames)
            if file.format not in _SEEKS_NEARLY:
                at = file.seek(min(start_frame, file.frames))
            while at < end:
                stop = start_frame if at < start_frame else end
                rows = file.read(min(block_frames, stop - at), dtype="float32", always_2d=True)
                if not len(rows):
                    raise AudioError("It is cut short: some of its sound is missing; copy it again.")
                if at >= start_frame:
                    yield np.ascontiguousarray(rows.T)
                at += len(rows)
    except (soundfile.LibsndfileError, RuntimeError, ValueError, OSError) as problem:
        raise AudioError(_why_unreadable(path, problem)) from problem


def seekable_copy(path: Path, copy: Path) -> Path:
    """A file whose frames can be read anywhere: ``path`` itself, or where its format is decoded from the beginning for each
    place, ``copy``, which is written."""
    with sound_file(path) as file:
        if file.format not in _SEEKS_NEARLY:
            return path
        with soundfile.SoundFile(os.fsencode(copy), "w", file.samplerate, file.channels, "FLOAT", format="RF64") as out:
            while len(block := file.read(1 << 20, dtype="float32", always_2d=True)):
                out.write(block)
    return copy


def sound_file(path: Path) -> soundfile.SoundFile:
    """Opened for reading; a name on disk may be any bytes. raises : LibsndfileError"""
    return soundfile.SoundFile(os.fsencode(path))


def within_bounds(audio: np.ndarray) -> np.ndarray:
    """Sound that is read a stretch at a time: what is no number is silent, and nothing is beyond ``LARGEST``."""
    return np.clip(np.nan_to_num(audio, nan=0.0, posinf=0.0, neginf=0.0), -LARGEST, LARGEST)


def _refuse_strays(audio: np.ndarray) -> None:
    """raises : AudioError for values that no hearing can count with"""
    if not np.isfinite(audio).all():
        raise AudioError("It holds values that are not numbers (NaN or infinity); export it again.")
    if np.abs(audio).max(initial=0.0) > LARGEST:
        raise AudioError(
            f"It holds values over {LARGEST:,.0f} times full scale, which is no sound; export it again, or in whole numbers."
        )


def _refuse_unfit(file: soundfile.SoundFile, max_channels: int) -> None:
    if file.format not in _FORMATS:
        raise AudioError(f"{file.format} files are not read; use WAV, AIFF, FLAC, OGG or MP3.")
    if file.channels > max_channels:
        raise AudioError(f"It has {file.channels} channels; {max_channels} is the most here. Export it with fewer.")
    low, high = RATES_HZ
    if not low <= file.samplerate <= high:
        raise AudioError(
            f"It says it runs at {file.samplerate:,} Hz; {low:,} to {high:,} Hz are read. Export it again."
        )
    decoded = file.frames * file.channels * 4
    if decoded > MAX_DECODED_BYTES:
        raise AudioError(
            f"Decoded it takes {decoded >> 20:,} MB; {MAX_DECODED_BYTES >> 20} MB is the most. Cut it shorter."
        )
    if file.frames > MAX_SECONDS * file.samplerate:
        raise AudioError(f"It lasts {file.frames / file.samplerate / 60:.0f} minutes; a one-shot may last 10.")


def _why_unreadable(path: Path, problem: Exception) -> str:
    with path.open("rb") as file:
        head = file.read(64)
    if not head:
        return "The file is empty."
    if not head.strip(b"\0"):
        return "It holds only zeros; copy it again from where it came."
    if head.startswith((b"RIFF", b"FORM", b"fLaC", b"OggS", b"ID3", b"RF64")):
        return "It is damaged or cut short and can't be decoded; copy or export it again."
    return "It is not a sound file; WAV, AIFF, FLAC, OGG and MP3 are read."


def _format_label(container: str, subtype: str) -> str:
    container = {"WAVEX": "WAV", "RF64": "WAV"}.get(container, container)
    depth = {
        "PCM_S8": "8 bit", "PCM_U8": "8 bit", "PCM_16": "16 bit", "PCM_24": "24 bit", "PCM_32": "32 bit",
        "FLOAT": "float", "DOUBLE": "double", "ALAW": "A-law", "ULAW": "µ-law",
    }.get(subtype, "")  # fmt: skip
    return f"{container} · {depth}" if depth else container
