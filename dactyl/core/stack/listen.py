"""Measure files and hear what their names say of them."""

import os
from collections.abc import Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from dactyl.core.audio.measure import measure
from dactyl.core.errors import DactylError
from dactyl.core.stack.placed import PlacedFile
from dactyl.core.stack.propose import File, kind_by_name, pad_name, read_together
from dactyl.core.wave.read import MAX_MICS, SUFFIXES, read_sound
from dactyl.core.wave.tags import read_tags


@dataclass(frozen=True, slots=True)
class Said:
    """What names say, read in their set; None where they say nothing."""

    piece: str | None
    layer: int | str | None
    take: int | None
    mic: str | None
    kind: str | None


def files_in(paths: Iterable[Path]) -> list[Path]:
    """Files as they are, folders as the sound files in them, each once."""
    found = [inner for path in paths for inner in (_sounds_in(path) if path.is_dir() else [path])]
    return list(dict.fromkeys(found))


def _sounds_in(folder: Path) -> list[Path]:
    found = sorted(path for path in folder.rglob("*") if path.suffix.lower() in SUFFIXES and path.is_file())
    return found or [folder]


def listen(paths: Sequence[Path]) -> list[File]:
    """Decode and measure every file, several at a time; what can't be used, a folder too, carries the reason."""
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        return list(pool.map(_listen, paths))


def _listen(path: Path) -> File:
    if path.is_dir():
        return File(str(path), problem="There is no sound file in this folder.")
    try:
        sound = read_sound(path, max_channels=MAX_MICS)
    except FileNotFoundError:
        return File(str(path), problem="There is no such file.")
    except OSError as problem:
        return File(str(path), problem=f"It can't be read: {problem.strerror or 'the disk refused'}.")
    except DactylError as problem:
        return File(str(path), problem=str(problem))
    return File(
        str(path), measure(sound.audio, sound.rate_hz), "", sound.channels, sound.rate_hz, sound.frames, read_tags(path)
    )


def said_by_names(files: Sequence[File]) -> dict[str, Said]:
    """By path, for the files that could be measured."""
    return {hit.named.file: _said(hit) for hit in read_together(files)}


def _said(hit: PlacedFile) -> Said:
    named = hit.named
    is_piece_known = bool(named.pieces or named.articulations or named.others)
    layer: int | str | None = None
    if hit.layer is not None:
        layer = named.layer_text if named.is_dynamic else int(hit.layer)
    return Said(
        piece=pad_name(named, named.kinds[0] if named.kinds else "other").lower() if is_piece_known else None,
        layer=layer,
        take=hit.take[0] if hit.take else None,
        mic=hit.mic if named.mics or hit.mic != "close" else None,
        kind=kind_by_name([hit]),
    )
