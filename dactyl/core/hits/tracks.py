"""The files of a recording: one door for them, with its limits; read by places, whatever their format and length."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import soundfile

from dactyl.core.errors import DactylError
from dactyl.core.hits.envelopes import Read, Track
from dactyl.core.units import counted
from dactyl.core.wave.chunks import missing_bytes
from dactyl.core.wave.read import RATES_HZ, seekable_copy, sound_file, within_bounds

MOST_TRACKS = 16
LONGEST_SECONDS = 3600
_BROKEN = (soundfile.LibsndfileError, RuntimeError, ValueError, OSError)


def check_tracks(names: Sequence[str]) -> None:
    if not 1 <= len(names) <= MOST_TRACKS:
        raise DactylError(f"A recording has 1 to {MOST_TRACKS} tracks; {len(names)} came.")


def measure_track(path: Path, name: str) -> tuple[int, int, int]:
    """Frames, rate and channels of a track's file. raises : DactylError, with its name"""
    if not path.is_file():
        raise DactylError(f"{name}: There is no such file. Check its name.")
    try:
        with sound_file(path) as file:
            frames, rate_hz, channels = file.frames, file.samplerate, file.channels
        missing = missing_bytes(path)
    except _BROKEN as problem:
        raise DactylError(f"{name}: It is not a sound file; WAV, AIFF, FLAC, OGG and MP3 are read.") from problem
    if missing:
        raise DactylError(f"{name}: It is cut short: {missing:,} bytes of its sound are missing; copy it again.")
    if channels > 2:
        raise DactylError(f"{name}: It has {channels} channels; a track has one or two. Split it first.")
    if not RATES_HZ[0] <= rate_hz <= RATES_HZ[1]:
        raise DactylError(f"{name}: It says it runs at {rate_hz:,} Hz; {RATES_HZ[0]:,} to {RATES_HZ[1]:,} Hz are read.")
    if frames < 1:
        raise DactylError(f"{name}: It holds no sound.")
    if frames > LONGEST_SECONDS * rate_hz:
        raise DactylError(f"{name}: It is longer than {counted(LONGEST_SECONDS // 60, 'minute')}. Cut it first.")
    return frames, rate_hz, channels


@contextmanager
def opened(files: Sequence[tuple[Path, str, str]], folder: Path | None = None) -> Iterator[list[Track]]:
    """Tracks that can be read at any place while it lasts. files : path, name, role; folder : for copies that decoding needs"""
    with TemporaryDirectory(dir=folder, prefix="tracks-") as copies:
        tracks = []
        for number, (path, name, role) in enumerate(files):
            measure_track(path, name)
            whole = _seekable(path, Path(copies, str(number)), name)
            frames, rate_hz, _ = measure_track(whole, name)  # what is decoded: a damaged MP3 says more than it holds
            tracks.append(Track(name, role, _reader(whole, name), frames, rate_hz))
        yield tracks


def _seekable(path: Path, copy: Path, name: str) -> Path:
    """raises : DactylError with the track's name; OSError of the disk"""
    try:
        return seekable_copy(path, copy)
    except _BROKEN as problem:
        if isinstance(problem, OSError) and problem.errno:
            raise
        raise DactylError(f"{name}: It is damaged and can't be decoded; copy or export it again.") from problem


def _reader(path: Path, name: str) -> Read:
    """Frames by their places; what can't be read is said by the track's name. raises : DactylError"""

    def read(first: int, stop: int) -> np.ndarray:
        try:
            with sound_file(path) as file:
                stop = min(stop, file.frames)
                file.seek(min(first, file.frames))
                rows = file.read(max(0, stop - first), dtype="float32", always_2d=True)
        except _BROKEN as problem:
            raise DactylError(f"{name}: It is damaged and can't be decoded; copy or export it again.") from problem
        if len(rows) < stop - first:
            raise DactylError(f"{name}: It is cut short: some of its sound is missing; copy it again.")
        return np.ascontiguousarray(within_bounds(rows).T)

    return read
