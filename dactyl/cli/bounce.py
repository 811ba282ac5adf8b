"""``dactyl bounce KIT... PART --out DIR``: a part through a kit, or through several together, as stems."""

import argparse
import json
import os
import shutil
import tempfile
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, contextmanager
from dataclasses import replace
from pathlib import Path

from dactyl.cli.part import read_bytes, read_part
from dactyl.cli.say import ProgressLine, warn
from dactyl.core.bounce.foreseen import unanswered, unmet_curves, unused_controls
from dactyl.core.bounce.order import BounceOrder
from dactyl.core.bounce.source import LineupSource, Source, Together, open_kit, open_played
from dactyl.core.bounce.stems import Stem, bounce
from dactyl.core.errors import BounceError
from dactyl.core.formats.curves import read_curves
from dactyl.core.lineup import CHANNELS, Listening
from dactyl.core.units import counted

LOW_HZ, HIGH_HZ = 8000, 384_000


def run(asked: argparse.Namespace) -> int:
    if not LOW_HZ <= asked.rate <= HIGH_HZ:
        raise BounceError(f"--rate {asked.rate} is not a rate from {LOW_HZ} to {HIGH_HZ} Hz.")
    if asked.format == "flac" and asked.bits == "32f":
        raise BounceError("FLAC holds no float. Choose --bits 16 or 24, or --format wav.")
    if asked.seed is not None and asked.seed < 0:
        raise BounceError(f"--seed {asked.seed} is below 0. Choose a whole number from 0 on.")
    *kits, part_file = asked.files
    with _opened(kits, asked.channels) as kit, ThreadPoolExecutor(1) as beside:
        checked = beside.submit(kit.check, skip_bad=asked.skip_bad)
        part = read_part(part_file)
        if asked.curves:
            part = read_curves(read_bytes(asked.curves), asked.curves.name, part)
        checked.result()
        order = _order(asked)
        playbook = kit.compile(asked.rate, order, seed=asked.seed)
        warnings = [
            *kit.warnings,
            *(f"{asked.curves.name}: {words}" for words in unmet_curves(playbook, part, is_dry=asked.is_dry)),
            *(
                f"{part_file.name}: nothing answers {m.label} ({counted(m.hits, 'hit')})."
                for m in unanswered(playbook, part)
            ),
            *(f"{part_file.name}: {words}" for words in unused_controls(playbook, part)),
        ]
        warn(warnings)
        steps = bounce(
            playbook,
            part,
            order=replace(order, seed=playbook.seed),
            folder=(folder := _partial(asked.out)),
            load_sound=kit.loader(),
            threads=os.cpu_count() or 1,
        )
        progress = ProgressLine("Bouncing")
        try:
            for step in steps:
                progress.show(step.done_frames, step.frames)
            _report(folder, asked.rate, step.stems, warnings)
            _hand_over(folder, asked.out)
        finally:
            progress.end()
            shutil.rmtree(folder, ignore_errors=True)
    return 0


@contextmanager
def _opened(kits: Sequence[Path], channels: Sequence[int]) -> Iterator[Source | LineupSource | Together]:
    """raises : KitFileError where one can't be read, BounceError for channels that say nothing"""
    if channels and (len(channels) != len(kits) or not all(1 <= channel <= CHANNELS for channel in channels)):
        raise BounceError(
            f"--channels names one channel from 1 to {CHANNELS} for each kit; there are {len(kits)} kits."
        )
    if len(kits) == 1 and not channels:
        with open_played(kits[0]) as source:
            yield source
        return
    with ExitStack() as opened:
        sources = [opened.enter_context(open_kit(kit)) for kit in kits]
        asked = [Listening(channels=(channel - 1,)) for channel in channels] or [Listening()] * len(kits)
        yield Together(sources, asked, [kit.stem for kit in kits])


def _order(asked: argparse.Namespace) -> BounceOrder:
    """raises : BounceError for switches that say two things"""
    if asked.is_dry and (asked.side or not asked.has_master or asked.by == "group"):
        raise BounceError("--dry takes the sound before the desk; --side, --groups and --no-master are of the desk.")
    return BounceOrder(
        bits=asked.bits, by=asked.by, format=asked.format, has_mix=False, name_template="{name}", is_dry=asked.is_dry,
        side=asked.side or "", has_master=asked.has_master, ambience_apart=asked.ambience_apart,
    )  # fmt: skip


def _partial(out: Path) -> Path:
    """A folder for files that are not whole yet, on the same disk as ``out``."""
    try:
        out.mkdir(parents=True, exist_ok=True)
        return Path(tempfile.mkdtemp(prefix=".bounce-", suffix=".part", dir=out))
    except OSError as problem:
        raise BounceError(
            f"{out}: No files can be written there ({problem.strerror}). Choose another folder."
        ) from problem


def _report(folder: Path, rate_hz: int, stems: tuple[Stem, ...], warnings: list[str]) -> None:
    report = {
        "rate": rate_hz,
        "frames": stems[0].frames,
        "stems": [stem.described() for stem in stems],
        "warnings": warnings,
    }
    with (folder / "bounce.json").open("w", encoding="utf-8") as file:
        json.dump(report, file, ensure_ascii=False, indent=1)
        file.flush()
        os.fsync(file.fileno())


def _hand_over(folder: Path, out: Path) -> None:
    """Give whole files their final names, the report last."""
    for file in sorted(folder.iterdir(), key=lambda file: file.name == "bounce.json"):
        file.replace(out / file.name)
