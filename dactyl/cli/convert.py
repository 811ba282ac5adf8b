"""``dactyl convert KIT --out KIT``: between an SFZ file with its samples, a kit package and a SoundFont, each way."""

import argparse
import os
import tempfile
from collections.abc import Mapping
from pathlib import Path

from dactyl.cli.say import warn
from dactyl.core.bounce.soundfont import write_soundfont
from dactyl.core.bounce.source import SOUNDFONT, Source, open_kit
from dactyl.core.errors import KitFileError
from dactyl.core.formats.package import name_samples, portable, samples_of, tags_of, write_package
from dactyl.core.formats.sfz.write import SfzText, write_sfz
from dactyl.core.kit import Kit
from dactyl.core.play.compile import curve_table, layer_gains
from dactyl.core.wave.tags import write_tagged


def run(asked: argparse.Namespace) -> int:
    check_target(asked.out, SOUNDFONT)
    with open_kit(asked.kit, preset=asked.preset) as source:
        source.check(skip_bad=asked.skip_bad)
        kit, differences = source.kit()
        warn([*source.warnings, *differences])
        if asked.out.suffix.lower() == SOUNDFONT:
            warn(_write_soundfont(asked.out, kit, source))
        else:
            warn(write_kit(asked.out, kit, source.names(), source.samples.files))
    return 0


def check_target(out: Path, *more: str) -> None:
    endings = (".sfz", ".zip", *more)
    if out.suffix.lower() not in endings:
        raise KitFileError("No kit is called so.", f"End its name with {' or '.join(endings)}.", file=str(out))


def _write_soundfont(out: Path, kit: Kit, source: Source) -> tuple[str, ...]:
    """Whole under its final name, or not at all; returns what it can't hold."""
    out.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix=".convert-", suffix=".part", dir=out.parent) as folder:
        partial = Path(folder) / out.name
        not_held = write_soundfont(partial, kit, source.loader())
        _to_disk(partial)
        partial.replace(out)
        return not_held


def write_kit(out: Path, kit: Kit, names: Mapping[str, tuple[str, str]], files: Mapping[str, Path]) -> tuple[str, ...]:
    """Write ``kit`` whole under its final name, or not at all; returns what its form can't hold.

    names, files : by the hash of a sample, what it is called and where it lies
    """
    kit = portable(kit)
    used = {sha256: names[sha256] for sha256 in samples_of(kit)}
    out.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix=".convert-", suffix=".part", dir=out.parent) as folder:
        partial = Path(folder) / out.name
        if out.suffix.lower() == ".zip":
            samples = name_samples(used)
            paths = {sample.sha256: sample.file for sample in samples}
            write_package(partial, kit, samples, files, _sfz(kit, paths).text)
            _to_disk(partial)
            partial.replace(out)
            return ()
        beside = f"{out.stem} samples"
        paths = {s.sha256: s.file.replace("samples/", f"{beside}/", 1) for s in name_samples(used)}
        text = _sfz(kit, paths)
        (Path(folder) / beside).mkdir()
        tags, known = tags_of(kit), samples_of(kit)
        for sha256, path in paths.items():
            write_tagged(files[sha256], Path(folder) / path, tags[sha256], known[sha256].rate_hz)
            _to_disk(Path(folder) / path)
        partial.write_text(text.text, encoding="utf-8")
        _to_disk(partial)
        _take_place(Path(folder) / beside, out.parent / beside)
        partial.replace(out)
        return text.not_held


def _sfz(kit: Kit, paths: dict[str, str]) -> SfzText:
    return write_sfz(kit, lambda sample: paths[sample.sha256], lambda pad: layer_gains(pad, curve_table(pad.curve)))


def _to_disk(path: Path) -> None:
    with path.open("rb") as file:
        os.fsync(file.fileno())


def _take_place(new: Path, place: Path) -> None:
    """Files that were there stay; those of the same name are replaced, each whole."""
    place.mkdir(exist_ok=True)
    for file in new.iterdir():
        file.replace(place / file.name)
