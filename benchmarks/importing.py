"""Bringing files in as the application does: received here, heard by its worker, which runs beside."""

import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import soundfile

from benchmarks.large import own_data
from benchmarks.measured import Row, ratio_row, seconds

FILES = 200


def rows() -> list[Row]:
    with own_data() as data:
        command = [sys.executable, "manage.py", "work", "--keep", "imports"]
        worker = subprocess.Popen(command, stdin=subprocess.PIPE)
        try:
            _bring_in(_made(data / "first", 8))  # the worker is up, as it is in use
            files = _made(data / "made", FILES)
            work = seconds(lambda: _bring_in(files))
        finally:
            worker.stdin.close()
            worker.wait()
        floor = min(seconds(lambda: [soundfile.read(file, dtype="float32") for file in files]) for _ in range(3))
        return [ratio_row(f"Importing {FILES} stereo files of 2 s", work, floor, 3.0, "bare decoding")]


def _made(folder: Path, count: int) -> list[Path]:
    folder.mkdir()
    rng = np.random.default_rng(count)
    decay = np.exp(-np.arange(96_000) / 12_000)[:, np.newaxis]
    files = [folder / f"snare_{number:03}.wav" for number in range(count)]
    for file in files:
        soundfile.write(file, rng.normal(0, 0.1, (96_000, 2)) * decay, 48_000, "PCM_24")
    return files


def _bring_in(files: list[Path]) -> None:
    """Received, hashed, measured and kept: until every file has its row."""
    from dactyl.shelf import edits
    from dactyl.shelf.models import ImportFile

    batch = edits.begin_import()
    for file in files:
        with file.open("rb") as opened:
            edits.add_file(batch, file.name, iter(lambda opened=opened: opened.read(1 << 16), b""))
    while batch.files.exclude(state=ImportFile.State.IN).exists():
        time.sleep(0.02)
