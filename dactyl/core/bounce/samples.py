"""The samples of a kit file: found in its folder, checked before anything is played, decoded when asked for."""

import hashlib
import os
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path

import numpy as np

from dactyl.core.audio.prepare import Recipe, prepare
from dactyl.core.bounce.sound_cache import SoundCache
from dactyl.core.errors import AudioError
from dactyl.core.kit import Sample
from dactyl.core.wave.read import read_sound, sound_shape

DECODED_BYTES, PREPARED_BYTES = 192 << 20, 256 << 20


@dataclass(slots=True)
class FolderSamples:
    """Samples below one folder, by the path a kit calls them."""

    folder: Path
    known: dict[str, Sample] = field(default_factory=dict)
    problems: dict[str, str] = field(default_factory=dict)  # path -> why it can't be used
    files: dict[str, Path] = field(default_factory=dict)  # SHA-256 -> file

    def check(self, paths: Iterable[str]) -> None:
        """Find every file and see that it decodes, several at a time; what can't be used stands in ``problems``."""
        _names.cache_clear()
        paths = [path for path in dict.fromkeys(paths) if path not in self.known and path not in self.problems]
        with ThreadPoolExecutor(os.cpu_count()) as pool:
            for path, result in zip(paths, pool.map(self._look, paths), strict=True):
                if isinstance(result, str):
                    self.problems[path] = result
                else:
                    self.known[path], file = result
                    self.files[self.known[path].sha256] = file

    def _look(self, path: str) -> tuple[Sample, Path] | str:
        try:
            file = find_inside(self.folder, path)
            with file.open("rb") as opened:
                sha256 = hashlib.file_digest(opened, "sha256").hexdigest()
            shape = sound_shape(file)
        except AudioError as problem:
            return str(problem)
        except OSError as problem:
            return f"It can't be read: {problem.strerror or 'the disk refused'}."
        return Sample(sha256, *shape), file

    def loader(self) -> SoundCache:
        """Prepared sounds by recipe, for a bounce."""
        decoded = SoundCache(lambda sha256: read_sound(self.files[sha256]).audio, DECODED_BYTES)

        def make(recipe: Recipe) -> np.ndarray:
            return prepare(decoded(recipe.sha256), recipe)

        return SoundCache(make, PREPARED_BYTES)


def find_inside(folder: Path, path: str) -> Path:
    """The file that ``path`` names below ``folder``; where only upper and lower case differ, that one.

    raises : AudioError if it lies outside, or is not there
    """
    folder = folder.resolve()
    try:
        file = (folder / path).resolve()
        is_inside, is_there = file.is_relative_to(folder), file.is_file()
    except (OSError, ValueError, RuntimeError):
        raise AudioError("No file can have this name.") from None
    if not is_inside:
        raise AudioError("It lies outside the kit's folder; copy it into the folder.")
    if is_there:
        return file
    place = folder
    for part in file.relative_to(folder).parts:
        if not (place / part).exists():
            part = _names(place).get(part.lower())
            if part is None:
                raise AudioError("There is no such file.")
        place = place / part
    if not place.is_file() or not place.resolve().is_relative_to(folder):
        raise AudioError("There is no such file.")
    return place


@lru_cache(maxsize=512)
def _names(folder: Path) -> dict[str, str]:
    """What a folder holds, by lower case; looked at once."""
    return {entry.name.lower(): entry.name for entry in folder.iterdir()} if folder.is_dir() else {}
