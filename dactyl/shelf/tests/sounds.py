"""Sound files for tests, made in memory."""

import io
import zipfile
import zlib

import numpy as np
import soundfile

from dactyl.shelf import edits
from dactyl.shelf.models import Import, Sample
from dactyl.shelf.tasks import import_files


def hit(level_db: float = -6.0, *, rate_hz: int = 48_000, seconds: float = 0.25, channels: int = 1, lead_ms: float = 0, seed: int = 0) -> np.ndarray:  # fmt: skip
    """A decaying burst with a peak of ``level_db``, after silence; (frames, channels)."""
    rng = np.random.default_rng([seed, channels])
    frames = int(seconds * rate_hz)
    burst = rng.uniform(-1, 1, (frames, channels)) * np.exp(-np.arange(frames) / rate_hz * 18)[:, np.newaxis]
    burst *= 10 ** (level_db / 20) / np.abs(burst).max()
    return np.concatenate([np.zeros((int(lead_ms * rate_hz / 1000), channels)), burst])


def sound_bytes(rows: np.ndarray, *, rate_hz: int = 48_000, subtype: str = "PCM_24", container: str = "WAV") -> bytes:
    file = io.BytesIO()
    soundfile.write(file, rows, rate_hz, subtype, format=container)
    return file.getvalue()


def bring_in(files: dict[str, bytes]) -> Import:
    """Import files, given by path, as the job does."""
    batch = edits.begin_import()
    for path, data in files.items():
        edits.add_file(batch, path, [data])
    for _ in import_files(batch.pk):
        pass
    return batch


def shelf_of(levels_db: list[float], *, name: str = "snare") -> list[Sample]:
    """Samples of these peak levels on the shelf, in this order."""
    first = 1000 * zlib.crc32(name.encode())
    files = {f"{name}_{n}.wav": sound_bytes(hit(level, seed=first + n, lead_ms=5)) for n, level in enumerate(levels_db)}
    bring_in(files)
    found = {sample.name: sample for sample in Sample.objects.filter(name__in=files)}
    return [found[path] for path in files]


def zipped(files: dict[str, bytes]) -> bytes:
    """An archive of files, by their paths in it."""
    archive_file = io.BytesIO()
    with zipfile.ZipFile(archive_file, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, data in files.items():
            archive.writestr(path, data)
    return archive_file.getvalue()
