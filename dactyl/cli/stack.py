"""``dactyl stack FILE...``: a proposal of pads, layers, takes and mics, from names and sound together."""

import argparse
import hashlib
import json
import tempfile
from pathlib import Path

from dactyl.cli.convert import check_target, write_kit
from dactyl.cli.say import warn
from dactyl.core.kit import Sample
from dactyl.core.stack.kit_from_proposal import kit_of
from dactyl.core.stack.listen import files_in, listen
from dactyl.core.stack.propose import File, Proposal, ProposedTake, propose
from dactyl.core.wave.write import split_channels


def run(asked: argparse.Namespace) -> int:
    if asked.out:
        check_target(asked.out)
    files = listen(files_in(asked.files))
    proposal = propose(files)
    for pad in proposal.pads:
        pad.borders = asked.borders
    if asked.json or not asked.out:
        print(json.dumps(as_json(proposal), ensure_ascii=False, indent=1) if asked.json else _plain(proposal))
    if asked.out and proposal.pads:
        _write(asked.out, proposal, files)
    return 0 if proposal.pads else 1


def _write(out: Path, proposal: Proposal, files: list[File]) -> None:
    with tempfile.TemporaryDirectory(prefix="dactyl-mics-") as folder:
        known, samples, paths, onsets = {file.path: file for file in files}, {}, {}, {}
        for pad in proposal.pads:
            for path in pad.files:
                whole, _, channel = (path, "", "") if path in known else path.rpartition("#")
                file = known[whole]
                place = Path(whole) if not channel else _channel(Path(whole), int(channel), Path(folder))
                with place.open("rb") as opened:
                    sha256 = hashlib.file_digest(opened, "sha256").hexdigest()
                samples[path] = Sample(sha256, file.frames, file.rate_hz, 1 if channel else file.channels)
                paths[sha256], onsets[path] = place, file.measure.onset_frame
        names = {sha256: (path.name, path.parent.name) for sha256, path in paths.items()}
        warn(write_kit(out, kit_of(proposal, out.stem, samples, onsets), names, paths))


def _channel(path: Path, number: int, folder: Path) -> Path:
    """One channel of a file of several mics, as a file of its own."""
    own = folder / hashlib.sha256(str(path).encode()).hexdigest()[:16]
    if not own.exists():
        own.mkdir()
        for each, data in enumerate(split_channels(path), start=1):
            (own / f"{path.stem} (mic {each}).wav").write_bytes(data)
    return own / f"{path.stem} (mic {number}).wav"


def _take(take: ProposedTake) -> dict:
    """A take by its file; where that holds several mics, by the file as a whole."""
    files = {file.rpartition("#")[0] for file in take.mics.values()}
    whole = files.pop() if len(take.mics) > 2 and len(files) == 1 and all(files) else ""
    return {"file": whole or take.file, "mics": take.mics}


def as_json(proposal: Proposal) -> dict:
    """The proposal as docs/formats.md describes it; the softest layer first."""
    pads = []
    for pad in proposal.pads:
        lows = [1, *(high + 1 for high in pad.highs)]
        layers = [
            {"low": low, "high": high, "takes": [_take(take) for take in layer.takes]}
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
