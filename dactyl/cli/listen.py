"""``dactyl listen FILE...``: what each file sounds like, or why it can't be used."""

import argparse
import json
from concurrent.futures import ThreadPoolExecutor
from os import cpu_count
from pathlib import Path

from dactyl.core.audio.measure import measure
from dactyl.core.errors import DactylError
from dactyl.core.stack.kind import guess_kind
from dactyl.core.units import frames_to_ms
from dactyl.core.wave.read import read_sound


def add_to(commands: argparse._SubParsersAction) -> None:
    parser = commands.add_parser("listen", help="measure one-shots: onset, level, peak, kind")
    parser.add_argument("files", nargs="+", type=Path, metavar="FILE")
    parser.add_argument("--json", action="store_true", help="one JSON object for each file and line")
    parser.set_defaults(run=run)


def run(asked: argparse.Namespace) -> int:
    with ThreadPoolExecutor(cpu_count()) as pool:
        heard = list(pool.map(_heard, asked.files))
    for line in heard:
        print(json.dumps(line, ensure_ascii=False) if asked.json else _plain(line))
    return int(any("error" in line for line in heard))


def _heard(path: Path) -> dict:
    try:
        sound = read_sound(path)
    except FileNotFoundError:
        return {"file": str(path), "error": "There is no such file."}
    except (DactylError, OSError) as problem:
        return {"file": str(path), "error": str(problem)}
    measured = measure(sound.audio, sound.rate_hz)
    return {
        "file": str(path),
        "rate": sound.rate_hz,
        "channels": sound.channels,
        "seconds": round(sound.frames / sound.rate_hz, 6),
        "onset_ms": round(frames_to_ms(measured.onset_frame, sound.rate_hz), 3),
        "peak_db": round(measured.peak_db, 2),
        "level_db": round(measured.level_db, 2),
        "kind": guess_kind(path.name, path.parent.name, measured),
    }


def _plain(line: dict) -> str:
    if "error" in line:
        return f"{line['file']}: {line['error']}"
    return (
        f"{line['file']}: {line['kind'].replace('_', ' ')}, {line['seconds']:.3f} s, {line['rate']} Hz, "
        f"onset {line['onset_ms']:.1f} ms, attack {line['level_db']:.1f} dB, peak {line['peak_db']:.1f} dB"
    )
