"""``dactyl stack FILE...``: a proposal of pads, layers, takes and mics, from names and sound together."""

import argparse
import json
import os
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from dactyl.core.audio.measure import measure
from dactyl.core.errors import DactylError
from dactyl.core.stack.propose import File, Proposal, propose
from dactyl.core.wave.read import SUFFIXES, read_sound


def add_to(commands: argparse._SubParsersAction) -> None:
    parser = commands.add_parser("stack", help="propose pads, layers, takes and mics for recordings")
    parser.add_argument("files", nargs="+", type=Path, metavar="FILE", help="sound files, or folders of them")
    parser.add_argument("--json", action="store_true", help="the proposal as JSON")
    parser.add_argument("--borders", choices=["even", "levels"], default="even", help="how velocity borders are set")
    parser.set_defaults(run=run)


def run(asked: argparse.Namespace) -> int:
    proposal = propose(measured(asked.files))
    for pad in proposal.pads:
        pad.borders = asked.borders
    print(json.dumps(as_json(proposal), ensure_ascii=False, indent=1) if asked.json else _plain(proposal))
    return 0 if proposal.pads else 1


def measured(paths: list[Path]) -> list[File]:
    files = [inner for path in paths for inner in (_inside(path) if path.is_dir() else [path])]
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        return list(pool.map(_measured, dict.fromkeys(files)))


def _inside(folder: Path) -> list[Path]:
    return sorted(path for path in folder.rglob("*") if path.suffix.lower() in SUFFIXES and path.is_file())


def _measured(path: Path) -> File:
    try:
        sound = read_sound(path)
    except FileNotFoundError:
        return File(str(path), None, "There is no such file.")
    except (DactylError, OSError) as problem:
        return File(str(path), None, str(problem))
    return File(str(path), measure(sound.audio, sound.rate_hz), channels=sound.channels)


def as_json(proposal: Proposal) -> dict:
    """The proposal as docs/formats.md describes it; the softest layer first."""
    pads = []
    for pad in proposal.pads:
        lows = [1, *(high + 1 for high in pad.highs)]
        layers = [
            {"low": low, "high": high, "takes": [{"file": take.file, "mics": take.mics} for take in layer.takes]}
            for low, high, layer in zip(lows, pad.highs, pad.layers, strict=False)
        ]
        pads.append(
            {"name": pad.name, "kind": pad.kind, "layers": layers} | ({"doubts": pad.doubts} if pad.doubts else {})
        )
    return {"pads": pads, "left_over": [{"file": left.file, "why": left.why} for left in proposal.left_over]}


def _plain(proposal: Proposal) -> str:
    lines = []
    for pad in proposal.pads:
        lines.append(f"{pad.name} ({pad.kind.replace('_', ' ')})")
        low = 1
        for high, layer in zip(pad.highs, pad.layers, strict=True):
            files = ", ".join(" + ".join(Path(file).name for file in take.mics.values()) for take in layer.takes)
            lines.append(f"  {low:3}-{high:<3} {layer.level_db:6.1f} dB  {files}")
            low = high + 1
        lines += [f"  ? {doubt}" for doubt in pad.doubts]
    return "\n".join(lines + [f"left over: {left.file}: {left.why}" for left in proposal.left_over])
