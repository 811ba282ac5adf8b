"""Files of the shelf below the data folder. A file has its final name only when it is whole."""

import hashlib
import os
import shutil
import uuid
from collections.abc import Callable, Iterable
from contextlib import suppress
from pathlib import Path
from typing import IO

from django.conf import settings

from dactyl.core.errors import AudioError, KitFileError
from dactyl.shelf.models import Sample


def incoming_folder() -> Path:
    return settings.DATA / "incoming"


def sample_path(sha256: str) -> Path:
    """The format is told by the content, so names carry no ending."""
    return settings.DATA / "samples" / sha256[:2] / sha256


_whole: dict[str, tuple[int, int]] = {}  # hashes that were checked in this run: size and time of change then
_PIECE = 1 << 20


def whole_path(sha256: str) -> Path:
    """Where a sample lies, once its content is what its name says: looked at in full when it is first used in a run, and
    by size and time of change from then on. raises : AudioError for one that is gone or damaged"""
    try:
        whole = is_whole(sha256)
    except OSError:
        raise AudioError(f"The recording {_called(sha256)} is gone from the data folder. Bring it in again.") from None
    if not whole:
        raise AudioError(
            f"The recording {_called(sha256)} is damaged on the disk. Bring it in again: that mends it everywhere."
        )
    return sample_path(sha256)


def is_whole(sha256: str) -> bool:
    """Whether a sample's content is what its name says, read once in a run. raises : OSError for one that is gone"""
    path = sample_path(sha256)
    stat = path.stat()
    if _whole.get(sha256) == (stat.st_size, stat.st_mtime_ns):
        return True
    with path.open("rb") as file:
        if hashlib.file_digest(file, "sha256").hexdigest() != sha256:
            return False
    _whole[sha256] = (stat.st_size, stat.st_mtime_ns)
    return True


def _called(sha256: str) -> str:
    row = Sample.objects.filter(sha256=sha256).values_list("name", flat=True).first()
    return f"“{row}”" if row else sha256[:12]


def prepared_path(key: str) -> Path:
    return settings.DATA / "prepared" / key[:2] / f"{key}.npy"


def heard_path(sha256: str) -> Path:
    """What a long sample's transients are found in, once it was listened to."""
    return settings.DATA / "heard" / f"{sha256}.npy"


def receive(write: Callable[[IO[bytes]], None]) -> str:
    """Keep what ``write`` writes as a new incoming file, whole and on disk; return its name there."""
    name = uuid.uuid4().hex
    write_whole(incoming_folder() / name, write)
    return name


def write_whole(path: Path, write: Callable[[IO[bytes]], None], *, sync: bool = True) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    partial = path.with_name(f"{path.name}.{uuid.uuid4().hex[:8]}.part")
    try:
        with partial.open("xb") as file:
            write(file)
            if sync:
                file.flush()
                os.fsync(file.fileno())
        partial.replace(path)
    finally:
        partial.unlink(missing_ok=True)


def adopt(stored_as: str, sha256: str) -> None:
    """Give an incoming file its final name; it keeps the incoming one until its row is written."""
    path, incoming = sample_path(sha256), incoming_folder() / stored_as
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        os.link(incoming, path)
    except FileExistsError:
        if not incoming.exists() or _is_same(path, incoming):
            return
        write_whole(path, lambda file: file.write(incoming.read_bytes()))  # what lay there was damaged
    except OSError:  # a file system without links
        write_whole(path, lambda file: file.write(incoming.read_bytes()))


def _is_same(path: Path, other: Path) -> bool:
    """Whether two files hold the same bytes; one and the same file does."""
    if path.samefile(other):
        return True
    if path.stat().st_size != other.stat().st_size:
        return False
    with path.open("rb") as one, other.open("rb") as two:
        while block := one.read(_PIECE):
            if block != two.read(_PIECE):
                return False
    return True


# Room ------------------------------------------------------------------------------------------------------------------

LEFT_FREE_BYTES = 64 << 20  # of the disk, whatever comes in


def refuse_without_room(needed_bytes: int, name: str) -> None:
    """raises : KitFileError"""
    free = shutil.disk_usage(settings.DATA).free
    if needed_bytes + LEFT_FREE_BYTES > free:
        raise KitFileError(
            f"It unpacks to {needed_bytes >> 20:,} MB and {free >> 20:,} MB are free.", "Make room first.", file=name
        )


Holder = Callable[[], Iterable[str]]
HOLDERS: list[Holder] = []
"""What tells which incoming files (or folders) are still wanted. An app that keeps incoming files adds its own when it is ready."""


def sweep() -> int:
    """Delete what kills left behind: incoming files that nobody in HOLDERS wants, and files that never became whole."""
    kept, swept = {name for holder in HOLDERS for name in holder()}, 0
    for path in [*incoming_folder().glob("*"), *settings.DATA.glob("*/*/*.part"), *settings.DATA.glob("*/*.part")]:
        if path.name in kept:
            continue
        with suppress(OSError):
            shutil.rmtree(path) if path.is_dir() else path.unlink()
            swept += 1
    return swept


def forget_incoming(stored_as: str) -> None:
    if not stored_as:
        return
    (incoming_folder() / stored_as).unlink(missing_ok=True)
