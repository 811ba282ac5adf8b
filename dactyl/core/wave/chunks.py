"""The chunks of a WAV or AIFF file: where each lies, and whether the file holds what its headers promise.

RIFF WAVE: Multimedia Programming Interface and Data Specifications 1.0 (1991), chapter 3; RF64: EBU Tech 3306.
AIFF and AIFF-C: the EA IFF 85 standard, big-endian.
"""

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO

_UNKNOWN_SIZE = 0x7FFF_0000  # writers that stream put 0 or a size about as large as it goes
_MOST_CHUNKS = 4096


@dataclass(frozen=True, slots=True)
class Chunk:
    id: bytes
    start: int  # of its content, in bytes from the file's start
    size: int  # as its header says

    def read(self, file: IO[bytes], limit: int = 1 << 20) -> bytes:
        file.seek(self.start)
        return file.read(min(self.size, limit))


def chunks_of(file: IO[bytes]) -> Iterator[Chunk]:
    """Walk the chunks of an open RIFF, RF64 or FORM file; nothing for any other file."""
    length = file.seek(0, 2)
    file.seek(0)
    head = file.read(12)
    if head[:4] not in (b"RIFF", b"RF64", b"FORM") or len(head) < 12:
        return
    order = ">" if head[:4] == b"FORM" else "<"
    at, long_data = 12, None
    for _ in range(_MOST_CHUNKS):
        if at > length:  # a size may be any number, also one that no file could have
            return
        file.seek(at)
        header = file.read(8)
        if len(header) < 8:
            return
        size = struct.unpack(f"{order}I", header[4:])[0]
        if header[:4] == b"ds64" and size >= 16:
            sizes = file.read(16)
            long_data = struct.unpack("<8xQ", sizes)[0] if len(sizes) == 16 else None
        elif header[:4] == b"data" and head[:4] == b"RF64" and long_data is not None:
            size = long_data
        yield Chunk(header[:4], at + 8, size)
        at += 8 + size + size % 2


def missing_bytes(path: Path) -> int:
    """How many bytes of sound its headers promise that the file does not hold; 0 for a whole or another file."""
    length = path.stat().st_size
    with path.open("rb") as file:
        for chunk in chunks_of(file):
            if chunk.id in (b"data", b"SSND"):
                unknown = chunk.size == 0 or (chunk.size >= _UNKNOWN_SIZE and length < _UNKNOWN_SIZE)
                return 0 if unknown else max(0, chunk.start + chunk.size - length)
    return 0
