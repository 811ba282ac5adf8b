"""Unpack a zip into a folder: nothing outside it, nothing without bound."""

import os
import struct
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath
from typing import IO

from dactyl.core.errors import KitFileError

MAX_FILES = 20_000
MAX_BYTES = 8 << 30
LONGEST_NAME = 255  # bytes, as most file systems take it
MAX_RATIO = 1000  # no sound packs tighter; a bomb does
DAMAGE = (
    zipfile.BadZipFile,
    zlib.error,
    OSError,
    ValueError,
    EOFError,
    NotImplementedError,
    RuntimeError,
    MemoryError,
    struct.error,
    LookupError,
    OverflowError,
    AssertionError,
)
"""What the standard library's reader raises for zips that lie about themselves."""


def unzip(path: Path, folder: Path, *, name: str = "", max_files: int = MAX_FILES, max_bytes: int = MAX_BYTES) -> None:
    """raises : KitFileError if it is damaged, locked, too large, or names a place outside ``folder``"""
    name = name or path.name
    with opened_zip(path, name, max_files=max_files, max_bytes=max_bytes) as (archive, members):
        for member in members:
            target = _target(folder, member.filename, name)
            try:
                target.parent.mkdir(parents=True, exist_ok=True)
                file = target.open("xb")
            except (FileExistsError, NotADirectoryError, IsADirectoryError):
                raise KitFileError(
                    f"“{member.filename[:80]}” in it stands there twice, or as a file and a folder.",
                    "Make the zip again.", file=name,
                ) from None  # fmt: skip
            with file:
                copy_member(archive, member, file, name)


@contextmanager
def opened_zip(
    path: Path, name: str, *, max_files: int, max_bytes: int
) -> Iterator[tuple[zipfile.ZipFile, list[zipfile.ZipInfo]]]:
    """A zip and the files in it. raises : KitFileError before any is unpacked if it is damaged or holds too much"""
    try:
        archive = zipfile.ZipFile(path)
    except DAMAGE:
        raise KitFileError("It is damaged or cut short.", "Copy it again.", file=name) from None
    with archive:
        members = archive.infolist()
        if not all(member.filename for member in members):
            raise KitFileError("A file in it has no name.", "Make the zip again.", file=name)
        files = [member for member in members if not member.is_dir()]
        refuse_bomb(files, name, max_files=max_files, max_bytes=max_bytes)
        yield archive, files


def refuse_bomb(members: list[zipfile.ZipInfo], name: str, *, max_files: int, max_bytes: int) -> None:
    """raises : KitFileError for a zip that declares more than any kit needs"""
    if len(members) > max_files:
        raise KitFileError(f"It holds {len(members):,} files; {max_files:,} is the most.", "Split it.", file=name)
    declared = sum(member.file_size for member in members)
    packed = sum(member.compress_size for member in members)
    if declared > max_bytes:
        raise KitFileError(
            f"It unpacks to {declared >> 20:,} MB; {max_bytes >> 20:,} MB is the most.", "Split it.", file=name
        )
    if declared > (1 << 20) and declared > MAX_RATIO * max(1, packed):
        raise KitFileError("It unpacks to over a thousand times its size; sounds don't.", "It was left out.", file=name)


def copy_member(archive: zipfile.ZipFile, member: zipfile.ZipInfo, file: IO[bytes], name: str) -> None:
    """raises : KitFileError if it is damaged, locked, or longer than the zip called ``name`` says; OSError of ``file``"""
    for block in _blocks(archive, member, name):
        file.write(block)


def _blocks(archive: zipfile.ZipFile, member: zipfile.ZipInfo, name: str) -> Iterator[bytes]:
    left = member.file_size
    try:
        packed = archive.open(member)
    except DAMAGE as problem:
        raise _damaged(member, name) from problem
    with packed:
        while True:
            try:
                block = packed.read(1 << 20)
            except DAMAGE as problem:
                raise _damaged(member, name) from problem
            left -= len(block)
            if left < 0:
                raise _damaged(member, name)
            if not block:
                return
            yield block


def _damaged(member: zipfile.ZipInfo, name: str) -> KitFileError:
    return KitFileError(
        f"“{member.filename[:80]}” in it can't be unpacked: damaged or locked.", "Make the zip again.", file=name
    )


def _target(folder: Path, name: str, archive: str) -> Path:
    parts = PurePosixPath(name.replace("\\", "/")).parts
    if not parts or ".." in parts or parts[0] == "/" or any(os.sep in part or "\0" in part for part in parts):
        raise KitFileError(
            f"“{name[:80]}” in it lies outside the zip's own folder.", "It was not opened.", file=archive
        )
    if any(len(os.fsencode(part)) > LONGEST_NAME for part in parts):
        raise KitFileError(f"“{name[:80]}…” in it is a name too long for a file.", "Shorten it.", file=archive)
    return folder.joinpath(*parts)
