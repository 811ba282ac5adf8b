"""Files of the shelf below the data folder. A file has its final name only when it is whole."""

import os
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import IO

from django.conf import settings


def incoming_folder() -> Path:
    return settings.DATA / "incoming"


def sample_path(sha256: str) -> Path:
    """The format is told by the content, so names carry no ending."""
    return settings.DATA / "samples" / sha256[:2] / sha256


def prepared_path(key: str) -> Path:
    return settings.DATA / "prepared" / key[:2] / f"{key}.npy"


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
    path = sample_path(sha256)
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        os.link(incoming_folder() / stored_as, path)
    except FileExistsError:
        pass  # the same bytes: a file under a final name is whole
    except OSError:  # a file system without links
        write_whole(path, lambda file: file.write((incoming_folder() / stored_as).read_bytes()))


def forget_incoming(stored_as: str) -> None:
    (incoming_folder() / stored_as).unlink(missing_ok=True)
