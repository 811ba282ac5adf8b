"""Plain WAV files, which kits are mostly made of: their frames straight from their bytes, in a fourth of a decoder's time.

Told are whole numbers of 16 and 24 bits and floats of 32, with a head in which nothing is strange; all others, and whatever
is cut short, are left to the decoder and its sentences. The frames are those of the decoder to the bit.
RIFF WAVE: Multimedia Programming Interface and Data Specifications 1.0 (1991), chapter 3; WAVE_FORMAT_EXTENSIBLE: Microsoft,
"Multiple Channel Audio Data and WAVE Files" (2001).
"""

import struct
from dataclasses import dataclass
from typing import BinaryIO

import numpy as np

_HEAD = 4096  # bytes within which the sound begins
_PCM, _FLOAT, _EXTENSIBLE = 1, 3, 0xFFFE
_SUBFORMAT_TAIL = bytes.fromhex(
    "000000001000800000aa00389b71"
)  # behind the tag, of a format that is one of the old ones
_PASSED_OVER = {
    b"LIST",
    b"fact",
    b"PEAK",
    b"bext",
    b"JUNK",
    b"junk",
    b"PAD ",
    b"cue ",
    b"smpl",
    b"inst",
    b"acid",
    b"iXML",
}
_SUBTYPES = {(_PCM, 16): "PCM_16", (_PCM, 24): "PCM_24", (_FLOAT, 32): "FLOAT"}


@dataclass(frozen=True, slots=True)
class PlainWav:
    rate_hz: int
    channels: int
    frames: int
    subtype: str  # as libsndfile names it
    first_byte: int

    @property
    def frame_bytes(self) -> int:
        return self.channels * {"PCM_16": 2, "PCM_24": 3, "FLOAT": 4}[self.subtype]

    def read(self, file: BinaryIO, start_frame: int, end_frame: int) -> np.ndarray | None:
        """float32, (channels, frames), up to the sound's end; None where the file has less than its head says."""
        start_frame, end_frame = min(start_frame, self.frames), min(end_frame, self.frames)
        count = max(0, end_frame - start_frame)
        file.seek(self.first_byte + start_frame * self.frame_bytes)
        raw = file.read(count * self.frame_bytes)
        if len(raw) != count * self.frame_bytes:
            return None
        return np.ascontiguousarray(_values(raw, self.subtype).reshape(count, self.channels).T)


def plain_wav(file: BinaryIO) -> PlainWav | None:
    """What the head of an open file says, where it is a plain WAV file that is all there."""
    head = file.read(_HEAD)
    if head[:4] != b"RIFF" or head[8:12] != b"WAVE":
        return None
    told: tuple[int, int, int, int] | None = None
    at = 12
    while at + 8 <= len(head):
        size = int.from_bytes(head[at + 4 : at + 8], "little")
        if head[at : at + 4] == b"fmt ":
            if told is not None or (told := _format(head[at + 8 : at + 8 + size])) is None:
                return None
        elif head[at : at + 4] == b"data":
            if told is None:
                return None
            tag, channels, rate_hz, bits = told
            frame_bytes = channels * bits // 8
            if not size or size % frame_bytes or at + 8 + size > file.seek(0, 2):
                return None
            return PlainWav(rate_hz, channels, size // frame_bytes, _SUBTYPES[tag, bits], at + 8)
        elif head[at : at + 4] not in _PASSED_OVER:
            return None
        at += 8 + size + size % 2
    return None


def _format(chunk: bytes) -> tuple[int, int, int, int] | None:
    """(tag, channels, rate in Hz, bits) of a format that is read here."""
    if len(chunk) < 16:
        return None
    tag, channels, rate_hz, bytes_per_second, frame_bytes, bits = struct.unpack("<HHIIHH", chunk[:16])
    if tag == _EXTENSIBLE:
        if len(chunk) < 40 or chunk[26:40] != _SUBFORMAT_TAIL or int.from_bytes(chunk[18:20], "little") != bits:
            return None
        tag = int.from_bytes(chunk[24:26], "little")
    is_sane = channels > 0 and frame_bytes == channels * bits // 8 and bytes_per_second == rate_hz * frame_bytes
    return (tag, channels, rate_hz, bits) if (tag, bits) in _SUBTYPES and is_sane else None


def _values(raw: bytes, subtype: str) -> np.ndarray:
    """float32; full scale is 1, as libsndfile scales whole numbers: 2^15 and 2^23 to 1."""
    if subtype == "FLOAT":
        return np.frombuffer(raw, "<f4").astype(np.float32)
    if subtype == "PCM_16":
        return _scaled(np.frombuffer(raw, "<i2"), 2**-15)
    overlapping = np.ndarray((len(raw) // 3,), "<i4", b"\0" + raw, 0, (3,))  # the byte before each three is not theirs
    return _scaled(overlapping & np.int32(-256), 2**-31)


def _scaled(whole: np.ndarray, by: float) -> np.ndarray:
    values = whole.astype(np.float32)
    values *= np.float32(by)
    return values
