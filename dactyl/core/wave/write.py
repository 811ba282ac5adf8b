"""Write WAV and FLAC files: 16 bit with dither, 24 bit, float. Equal sound gives equal bytes.

WAV files are written here, in a fifth of libsndfile's time (a block of 24 bits: 4 ms instead of 17, of floats 2 instead of 11);
FLAC, and WAV files too long for RIFF (RF64), by libsndfile.
"""

import errno
import io
import os
import shutil
import struct
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from types import TracebackType

import numpy as np
import soundfile

from dactyl.core.units import DEPTHS

SUBTYPES = dict(zip(DEPTHS, ("PCM_16", "PCM_24", "FLOAT"), strict=True))
BYTES_PER_VALUE = {"16": 2, "24": 3, "32f": 4}
SENT_AT_ONCE = 4 << 20  # bytes
FULL_BYTES = 1 << 20  # a disk with less left is full
_ADD_PEAK_CHUNK = 0x1050  # SFC_SET_ADD_PEAK_CHUNK, libsndfile api; the chunk holds the time of day


class WaveWriter:
    """Appends blocks of planar float32 to one file; a block never changes how the next is written."""

    def __init__(
        self,
        path: Path,
        *,
        rate_hz: int,
        channels: int,
        bits: str,
        frames: int,
        format: str = "wav",
        dither_seed: int | Sequence[int] = 0,
    ) -> None:
        """
        frames : the whole length; above 4 GiB a WAV file becomes RF64. FLAC holds no float.
        raises : OSError where the disk refuses, here and in every method
        """
        is_long = frames * channels * BYTES_PER_VALUE[bits] > 0xF000_0000
        self.path = path
        self._is_plain = format != "flac" and not is_long
        if self._is_plain:
            self._file = _PlainWav(path, rate_hz, channels, bits)
        else:
            container = "FLAC" if format == "flac" else "RF64"
            with _as_os_error(path):
                self._file = soundfile.SoundFile(
                    os.fsencode(path), "w", samplerate=rate_hz, channels=channels, subtype=SUBTYPES[bits],
                    format=container,
                )  # fmt: skip
            soundfile._snd.sf_command(self._file._file, _ADD_PEAK_CHUNK, soundfile._ffi.NULL, 0)
        self._bits = bits
        self._rng = np.random.default_rng(dither_seed)
        self._sent = 0  # bytes that the disk has been given

    def write(self, audio: np.ndarray) -> None:
        """Append float32 of shape (channels, frames)."""
        rows = np.empty(audio.shape[::-1], np.float32)
        for channel, values in enumerate(audio):  # seven times as fast as copying the transposed array
            rows[:, channel] = values
        if self._bits == "16":
            rows = rows * np.float32(32768) + _triangular_dither(self._rng, rows.shape)
            rows = _rounded(rows, 32768).astype(np.int16)
        elif self._bits == "24":
            rows = _rounded(rows * np.float32(1 << 23), 1 << 23).astype(np.int32)
            if not self._is_plain:
                np.left_shift(rows, 8, out=rows)  # libsndfile keeps the upper 24 bits
        with _as_os_error(self.path):
            self._file.write(rows)
        self._send_to_disk()

    def _send_to_disk(self) -> None:
        """Have the system begin to write what it has of the file, so that the disk works while the rest is made: else it
        holds a gigabyte in memory until the file must be safe, and all wait for that (posix_fadvise(2), DONTNEED)."""
        written = self.path.stat().st_size
        if written - self._sent >= SENT_AT_ONCE and hasattr(os, "posix_fadvise"):
            with self.path.open("rb") as file:
                os.posix_fadvise(file.fileno(), self._sent, written - self._sent, os.POSIX_FADV_DONTNEED)
            self._sent = written

    def close(self, *, sync: bool = False) -> None:
        with _as_os_error(self.path):
            self._file.close()
        if sync:
            with self.path.open("rb") as written:
                os.fsync(written.fileno())

    def __enter__(self) -> "WaveWriter":
        return self

    def __exit__(self, kind: type | None, problem: BaseException | None, trace: TracebackType | None) -> None:
        self.close()


class _PlainWav:
    """A WAV file of whole numbers or floats: "fmt ", for floats "fact", and "data".

    Microsoft and IBM, Multimedia Programming Interface and Data Specifications 1.0 (1991), chapter 3; Microsoft, New
    Multimedia Data Types and Data Techniques 3.0 (1994), for floats.
    """

    def __init__(self, path: Path, rate_hz: int, channels: int, bits: str) -> None:
        self._rate_hz, self._channels, self._bits = rate_hz, channels, bits
        self._sound_bytes = 0
        self._file = path.open("wb")
        self._file.write(self._head())

    def write(self, rows: np.ndarray) -> None:
        """rows : (frames, channels), int16, int32 of 24 bits or float32"""
        data = _three_bytes(rows) if self._bits == "24" else rows.astype(rows.dtype.newbyteorder("<"), copy=False).data
        self._file.write(data)
        self._file.flush()
        self._sound_bytes += data.nbytes

    def close(self) -> None:
        if self._file.closed:
            return
        with self._file:
            self._file.write(bytes(self._sound_bytes % 2))
            self._file.seek(0)
            self._file.write(self._head())

    def _head(self) -> bytes:
        width, is_float = BYTES_PER_VALUE[self._bits], self._bits == "32f"
        frame_bytes = width * self._channels
        kind = struct.pack("<HHIIHH", 3 if is_float else 1, self._channels, self._rate_hz, self._rate_hz * frame_bytes, frame_bytes, 8 * width)  # fmt: skip
        chunks = b"WAVE" + struct.pack("<4sI", b"fmt ", len(kind)) + kind
        if is_float:
            chunks += struct.pack("<4sII", b"fact", 4, self._sound_bytes // frame_bytes)
        chunks += struct.pack("<4sI", b"data", self._sound_bytes)
        return struct.pack("<4sI", b"RIFF", len(chunks) + self._sound_bytes + self._sound_bytes % 2) + chunks


def _three_bytes(whole: np.ndarray) -> memoryview:
    """The lower three bytes of each value, one after another: each is written whole, and the next over its fourth."""
    packed = np.empty(3 * whole.size + 1, np.uint8)
    np.ndarray(whole.size, "<i4", packed, 0, (3,))[:] = whole.reshape(-1)
    return packed[:-1].data


@contextmanager
def _as_os_error(path: Path) -> Iterator[None]:
    """libsndfile tells only that the system refused, or writes fewer frames: nearly always the disk is full."""
    try:
        yield
    except (soundfile.LibsndfileError, AssertionError) as problem:
        is_full = shutil.disk_usage(path.parent).free < FULL_BYTES
        number = errno.ENOSPC if is_full else errno.EIO
        raise OSError(number, os.strerror(number), str(path)) from problem


def _rounded(steps: np.ndarray, full_scale: int) -> np.ndarray:
    """Whole steps, in place; float32 holds every one of 24 bits, and multiplying by a power of two is exact."""
    np.rint(steps, out=steps)
    return np.clip(steps, -full_scale, full_scale - 1, out=steps)


def _triangular_dither(rng: np.random.Generator, shape: tuple[int, int]) -> np.ndarray:
    """Two steps wide, triangular: the error is then independent of the sound (Lipshitz et al., JAES 40(5), 1992)."""
    drawn = rng.random((*shape, 2), np.float32)  # in the order of frames, whatever the length of a block
    return drawn[..., 0] - drawn[..., 1]


def split_channels(path: Path) -> Iterator[bytes]:
    """Each channel of a sound file as a mono WAV file of the same depth."""
    with soundfile.SoundFile(os.fsencode(path)) as file:
        subtype = file.subtype if file.subtype in ("PCM_16", "PCM_24", "PCM_32", "FLOAT") else "FLOAT"
        rows = file.read(dtype="int32" if subtype.startswith("PCM") else "float32", always_2d=True)
        for number in range(file.channels):
            data = io.BytesIO()
            soundfile.write(data, rows[:, number], file.samplerate, subtype, format="WAV")
            yield data.getvalue()
