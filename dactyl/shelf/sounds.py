"""Prepared sounds: made once, kept on disk under the hash of all that made them, handed to players."""

import json
import os
import struct
import time
from collections.abc import Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

import numpy as np
from django.conf import settings

from dactyl.core.audio.prepare import Recipe, prepare, to_int16
from dactyl.core.errors import AudioError
from dactyl.core.wave.read import read_range, read_sound
from dactyl.shelf.store import prepared_path, whole_path, write_whole

HEAD_SECONDS = 0.2
CLEAN_EVERY = 200  # sounds made between looks at the size of the cache
SECONDS_BETWEEN_MARKS = 600  # of a sound's use


def prepared_sound(recipe: Recipe) -> np.ndarray:
    """The sound of ``recipe``, from disk or made now: float32, (channels, frames)."""
    path = prepared_path(recipe.key)
    with suppress(OSError, ValueError, EOFError):  # torn by a kill: made anew
        audio = np.load(path)
        if audio.shape == (recipe.channels, recipe.frames) and audio.dtype == np.float32:
            _mark_used(path)
            return audio
    try:
        audio = _prepare(whole_path(recipe.sha256), recipe)
    except OSError as problem:
        raise AudioError(f"A sound could not be prepared: {problem.strerror or problem}.") from problem
    write_whole(path, lambda file: np.save(file, audio), sync=False)
    _keep_limit()
    return audio


def _prepare(path: Path, recipe: Recipe) -> np.ndarray:
    """Only the frames that are heard are decoded; backwards they count from the file's end."""
    if recipe.is_reversed:
        return prepare(read_sound(path).audio, recipe)
    frames = recipe.end_frame - recipe.start_frame
    audio = read_range(path, recipe.start_frame, recipe.end_frame)
    if audio.shape != (recipe.channels, frames):
        raise AudioError(f"The sample {recipe.sha256[:12]} is not what it was: bring it in again.")
    return prepare(audio, replace(recipe, start_frame=0, end_frame=frames))


def _mark_used(path: Path) -> None:
    """Its time of change says when it was last used: access times do not move on most systems."""
    with suppress(OSError):
        if time.time() - path.stat().st_mtime > SECONDS_BETWEEN_MARKS:
            os.utime(path)


def _keep_limit() -> None:
    """In whatever process sounds are made: server, worker or command."""
    global _made
    _made += 1
    if _made % CLEAN_EVERY == 0:
        shrink_cache(settings.PREPARED_CACHE_BYTES)


def prepared_head(recipe: Recipe) -> np.ndarray:
    """The first ``HEAD_SECONDS`` of the sound; from disk without reading the rest."""
    frames = max(1, int(HEAD_SECONDS * recipe.rate_hz))
    with suppress(OSError, ValueError, EOFError):
        held = np.load(prepared_path(recipe.key), mmap_mode="r")
        if held.shape == (recipe.channels, recipe.frames):
            _mark_used(prepared_path(recipe.key))
            return np.array(held[:, :frames])
    return prepared_sound(recipe)[:, :frames]


_pool = ThreadPoolExecutor(max_workers=2, thread_name_prefix="prepare")
_waiting: dict[str, Future] = {}
_made = 0


def ready_sounds(recipes: Iterable[Recipe]) -> list[Recipe]:
    """Those of ``recipes`` that can be served now; the others are being made, in this order.

    They are made in threads of the server, not by its workers: a sound takes milliseconds, is asked for
    again by the page until it is there, and nothing is lost with it when the server stops.
    """
    ready = []
    for recipe in recipes:
        if prepared_path(recipe.key).exists():
            ready.append(recipe)
        elif recipe.key not in _waiting:
            _waiting[recipe.key] = _pool.submit(_make, recipe)
    return ready


def broken_sounds(recipes: Iterable[Recipe]) -> dict[str, str]:
    """Why those of ``recipes`` that could not be made were not, by key."""
    broken = {}
    for recipe in recipes:
        future = _waiting.get(recipe.key)
        if future and future.done() and (problem := future.exception()):
            broken[recipe.key] = str(problem)
            _waiting.pop(recipe.key, None)
    return broken


def stop_preparing() -> None:
    """Begin no more of what is waiting: a server that stops would make all of it before it ends."""
    for key in list(_waiting):
        _waiting.pop(key).cancel()


def _make(recipe: Recipe) -> None:
    prepared_sound(recipe)
    _waiting.pop(recipe.key, None)


def shrink_cache(limit_bytes: int) -> None:
    """Delete the prepared sounds that were longest not used until the rest fits."""
    files = [(entry.stat(), entry) for folder in (settings.DATA / "prepared").glob("*") for entry in os.scandir(folder)]
    held = sum(stat.st_size for stat, _ in files)
    for stat, entry in sorted(files, key=lambda file: file[0].st_mtime):
        if held <= limit_bytes:
            break
        with suppress(FileNotFoundError):
            os.unlink(entry.path)
        held -= stat.st_size


def pack(recipes: Iterable[Recipe], *, heads_only: bool, broken: dict[str, str]) -> bytes:
    """Sounds for the page: the length of a JSON header (uint32, little endian), the header, then 16-bit frames.

    Each entry of the header's ``sounds`` names key, channels, frames (sent) and of (whole length), and the scale
    that the 16-bit values are multiplied by; the frames follow planar, channel by channel, in the same order.
    """
    entries, bodies = [], []
    for recipe in recipes:
        try:
            values, scale = to_int16(prepared_head(recipe) if heads_only else prepared_sound(recipe))
        except (AudioError, OSError) as problem:
            broken = broken | {recipe.key: str(problem)}
            continue
        entries.append({
            "key": recipe.key, "channels": len(values), "frames": values.shape[1], "of": recipe.frames, "scale": scale,
        })  # fmt: skip
        bodies.append(values.tobytes())
    header = json.dumps({"sounds": entries, "broken": broken}).encode()
    header += b" " * (-(4 + len(header)) % 4)
    return struct.pack("<I", len(header)) + header + b"".join(bodies)
