"""``dactyl listen FILE...``: what each file sounds like, or why it can't be used."""

import argparse
import json
from dataclasses import asdict
from pathlib import Path

from dactyl.core.stack.kind import guess_kind
from dactyl.core.stack.listen import Said, files_in, listen, said_by_names
from dactyl.core.stack.propose import File
from dactyl.core.units import frames_to_ms


def add_to(commands: argparse._SubParsersAction) -> None:
    parser = commands.add_parser("listen", help="measure one-shots: onset, level, peak, kind")
    parser.add_argument("files", nargs="+", type=Path, metavar="FILE", help="sound files, or folders of them")
    parser.add_argument("--json", action="store_true", help="one JSON object for each file and line")
    parser.set_defaults(run=run)


def run(asked: argparse.Namespace) -> int:
    files = listen(files_in(asked.files))
    said = said_by_names(files)
    for file in files:
        line = _line(file, said.get(file.path))
        print(json.dumps(line, ensure_ascii=False) if asked.json else _plain(line))
    return int(any(file.problem for file in files))


def _line(file: File, said: Said | None) -> dict:
    if file.measure is None or said is None:
        return {"file": file.path, "error": file.problem}
    path = Path(file.path)
    return {
        "file": file.path,
        "rate": file.rate_hz,
        "channels": file.channels,
        "seconds": round(file.frames / file.rate_hz, 6),
        "onset_ms": round(frames_to_ms(file.measure.onset_frame, file.rate_hz), 3),
        "peak_db": round(file.measure.peak_db, 2),
        "level_db": round(file.measure.level_db, 2),
        "kind": guess_kind(path.name, str(path.parent), file.measure),
        "name": asdict(said),
    }


def _plain(line: dict) -> str:
    if "error" in line:
        return f"{line['file']}: {line['error']}"
    return (
        f"{line['file']}: {line['kind'].replace('_', ' ')}, {line['seconds']:.3f} s, {line['rate']} Hz, "
        f"onset {line['onset_ms']:.1f} ms, attack {line['level_db']:.1f} dB, peak {line['peak_db']:.1f} dB"
    )
