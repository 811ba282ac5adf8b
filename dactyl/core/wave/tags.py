"""What a WAV file says of its place on the keys: the ``smpl`` and ``inst`` chunks.

smpl: RIFF Multimedia Data Standards Update, rev. 3.0 (1994), "Sample Chunk"; inst: the same, "Instrument Chunk".
"""

import os
import shutil
import struct
from dataclasses import dataclass
from pathlib import Path

from dactyl.core.wave.chunks import chunks_of

_SMPL = struct.Struct(
    "<9I"
)  # manufacturer, product, period in ns, unity note, fraction, SMPTE format and offset, loops, extra
_INST = struct.Struct("<BbbBBBB")  # unshifted note, fine tune, gain, low note, high note, low velocity, high velocity
_MAX_RIFF = 0xFFFF_FFFF


@dataclass(frozen=True, slots=True)
class Tags:
    root: int | None = None  # 0..127
    low_note: int | None = None
    high_note: int | None = None
    low_velocity: int | None = None  # 1..127
    high_velocity: int | None = None


def read_tags(path: Path) -> Tags:
    """What the chunks say; nothing where they are missing, cut short or out of range."""
    found: dict[str, int] = {}
    with path.open("rb") as file:
        for chunk in chunks_of(file):
            if (
                chunk.id == b"smpl"
                and chunk.size >= _SMPL.size
                and len(data := chunk.read(file, _SMPL.size)) == _SMPL.size
            ):
                found.setdefault("root", _SMPL.unpack(data)[3])
            elif (
                chunk.id == b"inst"
                and chunk.size >= _INST.size
                and len(data := chunk.read(file, _INST.size)) == _INST.size
            ):
                root, _, _, low, high, soft, loud = _INST.unpack(data)
                found |= {"root": root, "low_note": low, "high_note": high}
                if 0 < soft <= loud <= 127:
                    found |= {"low_velocity": soft, "high_velocity": loud}
    return Tags(**{name: value for name, value in found.items() if 0 <= value <= 127})


def write_tagged(source: Path, target: Path, tags: Tags, rate_hz: int) -> None:
    """Copy a WAV file with these chunks in the place of its own; any other file is copied as it is."""
    with source.open("rb") as file:
        head = file.read(12)
        kept = [chunk for chunk in chunks_of(file) if chunk.id not in (b"smpl", b"inst")]
        whole = source.stat().st_size
        is_plain = head[:4] == b"RIFF" and all(chunk.start + chunk.size <= whole for chunk in kept)
        if not is_plain or whole > _MAX_RIFF - 1024:
            shutil.copyfile(source, target)
            return
        with target.open("wb") as out:
            out.write(head)
            for chunk in kept:
                out.write(chunk.id + struct.pack("<I", chunk.size))
                file.seek(chunk.start)
                _copy(file, out, chunk.size)
                out.write(b"\0" * (chunk.size % 2))
            for name, data in ((b"smpl", _smpl(tags, rate_hz)), (b"inst", _inst(tags))):
                out.write(name + struct.pack("<I", len(data)) + data + b"\0" * (len(data) % 2))
            size = out.tell()
            out.seek(4)
            out.write(struct.pack("<I", size - 8))
            out.flush()
            os.fsync(out.fileno())


def _copy(file, out, size: int) -> None:
    while size > 0 and (block := file.read(min(size, 1 << 20))):
        out.write(block)
        size -= len(block)


def _smpl(tags: Tags, rate_hz: int) -> bytes:
    return _SMPL.pack(0, 0, round(1e9 / rate_hz), 60 if tags.root is None else tags.root, 0, 0, 0, 0, 0)


def _inst(tags: Tags) -> bytes:
    low, high = tags.low_note or 0, 127 if tags.high_note is None else tags.high_note
    root = 60 if tags.root is None else tags.root
    return _INST.pack(root, 0, 0, low, high, tags.low_velocity or 1, tags.high_velocity or 127)
