"""The kit package: a zip that holds a kit whole. docs/formats.md publishes its schema.

kit.json          everything, under a format name and version
kit.sfz           the same as far as SFZ goes, for other programs
samples/...       every sample file, byte for byte
"""

import hashlib
import json
import re
import zipfile
from collections.abc import Collection, Iterable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from itertools import count
from pathlib import Path, PurePosixPath
from typing import Any

from dactyl.core.errors import KitError, KitFileError
from dactyl.core.fields import check_limits, printable
from dactyl.core.formats.earlier import brought_up
from dactyl.core.formats.values import from_json, to_json
from dactyl.core.kit import Kit, Pad, Sample, check_whole
from dactyl.core.wave.tags import Tags

FORMAT, VERSION = "dactyl-kit", 7
MAX_JSON_BYTES = 256 << 20
_HASH = re.compile(r"[0-9a-f]{64}")


@dataclass(frozen=True, slots=True)
class SampleFile:
    """A sample as it lies in a package."""

    sha256: str
    file: str  # from the package's folder, with slashes
    name: str  # as it was brought in
    folder: str = ""


@dataclass(frozen=True, slots=True)
class Package:
    kit: Kit
    samples: tuple[SampleFile, ...]


def samples_of(kit: Kit) -> dict[str, Sample]:
    """Every sample the kit uses, by hash, in the order of use."""
    return {
        sample.sha256: sample
        for _, pad in kit.pads()
        for layer in pad.layers
        for take in layer.takes
        for _, sample in take.samples
    }


def tags_of(kit: Kit) -> dict[str, Tags]:
    """Where each sample lies on keys and velocities, by hash; of several places the first."""
    tags: dict[str, Tags] = {}
    notes_of = kit.notes()
    for _, pad in kit.pads():
        notes = notes_of.get(pad.id, ())
        lowest, highest = min(notes, default=None), max(notes, default=None)
        root = pad.root if pad.root is not None else lowest
        for layer in pad.layers:
            place = Tags(root, lowest, highest, layer.low, layer.high)
            for take in layer.takes:
                for _, sample in take.samples:
                    tags.setdefault(sample.sha256, place)
    return tags


def portable(kit: Kit) -> Kit:
    """The kit with ids that count from 1; the random streams of pads and layers stay, so that chance falls the same way."""
    new_ids = portable_pads(kit)
    numbers = count(len(new_ids) + 1)
    pieces = tuple(
        replace(piece, id=place, pads=tuple(_portable(pad, new_ids, numbers) for pad in piece.pads))
        for place, piece in enumerate(kit.pieces, start=1)
    )
    surfaces = tuple(replace(s, cells=tuple((place, new_ids[pad]) for place, pad in s.cells)) for s in kit.surfaces)
    maps = tuple(replace(m, notes=tuple((note, new_ids[pad]) for note, pad in m.notes)) for m in kit.maps)
    return replace(kit, pieces=pieces, surfaces=surfaces, maps=maps)


def portable_pads(kit: Kit) -> dict[int, int]:
    """What the ids of its pads become."""
    return {pad.id: number for number, (_, pad) in enumerate(kit.pads(), start=1)}


def _portable(pad: Pad, new_ids: Mapping[int, int], numbers: Iterable[int]) -> Pad:
    layers = tuple(
        replace(
            layer,
            id=next(numbers),
            random_stream=layer.stream,
            takes=tuple(replace(take, id=next(numbers)) for take in layer.takes),
        )
        for layer in pad.layers
    )
    return replace(
        pad,
        id=new_ids[pad.id],
        random_stream=pad.stream,
        layers=layers,
        companions=tuple((new_ids[other], strength) for other, strength in pad.companions if other in new_ids),
    )


def name_samples(names: Mapping[str, tuple[str, str]]) -> tuple[SampleFile, ...]:
    """Give every sample a file name of its own. names : hash -> (name, folder) it was brought in under"""
    taken: set[str] = set()
    files = []
    for sha256, (name, folder) in names.items():
        safe = "".join(c if c.isalnum() or c in " .-_()+&" else "-" for c in name).strip(" .") or "sample"
        path = PurePosixPath(safe)
        file, number = f"samples/{safe}", 1
        while file.lower() in taken:
            number += 1
            file = f"samples/{path.stem} {number}{path.suffix}"
        taken.add(file.lower())
        files.append(SampleFile(sha256, file, name, folder))
    return tuple(files)


def write_package(
    target: Path,
    kit: Kit,
    samples: Iterable[SampleFile],
    files: Mapping[str, Path],
    sfz_text: str,
) -> None:
    """files : where each sample lies now, by hash. ``target`` is written in place; give it a name that is not final."""
    samples = tuple(samples)
    described = {"format": FORMAT, "version": VERSION, "kit": to_json(kit), "samples": [to_json(s) for s in samples]}
    write_described(target, {"kit.json": described}, samples, files, texts={"kit.sfz": sfz_text})


def write_described(
    target: Path,
    described: Mapping[str, Any],
    samples: Iterable[SampleFile],
    files: Mapping[str, Path],
    texts: Mapping[str, str],
) -> None:
    """A zip of what is described as JSON, other texts, and samples, in this order."""
    with zipfile.ZipFile(target, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        for name, value in described.items():
            archive.writestr(_entry(name), json.dumps(value, ensure_ascii=False, indent=1))
        for name, text in texts.items():
            archive.writestr(_entry(name), text)
        for sample in samples:
            with (
                files[sample.sha256].open("rb") as source,
                archive.open(_entry(sample.file), "w", force_zip64=True) as packed,
            ):
                while block := source.read(1 << 20):
                    packed.write(block)


def _entry(name: str) -> zipfile.ZipInfo:
    """The same date in every package: equal kits give equal bytes."""
    return zipfile.ZipInfo(name, date_time=(2020, 1, 1, 0, 0, 0))


def read_package(folder: Path, name: str) -> Package:
    """Read kit.json of an unpacked package and check that every sample is there, byte for byte.

    raises : KitFileError
    """
    described = read_described(folder / "kit.json", name, FORMAT, VERSION)
    with told_as_file(f"{name}/kit.json"):
        kit = from_json(Kit, brought_up(described.get("kit"), described["version"]), "kit")
        check_limits(kit)
        check_whole(kit)
        samples = listed_samples(described)
    check_samples(samples_of(kit), samples, folder, f"{name}/kit.json")
    return Package(kit, samples)


def read_described(path: Path, name: str, format: str, version: int) -> dict[str, Any]:
    """The JSON of a package. raises : KitFileError where it is none, or of another format or a later version"""
    try:
        if path.stat().st_size > MAX_JSON_BYTES:
            raise KitFileError(f"{path.name} is too large.", "Is it a kit package?", file=name)
        described = json.loads(path.read_text("utf-8"))
    except (ValueError, RecursionError) as problem:
        line = getattr(problem, "lineno", 0)
        raise KitFileError(
            "This is not JSON.", "Export the package again.", file=f"{name}/{path.name}", line=line
        ) from None
    if not isinstance(described, dict) or described.get("format") != format:
        raise KitFileError("It is not a kit package of Dactyl.", "Choose another file.", file=name)
    if described.get("version") not in range(1, version + 1):
        raise KitFileError(
            f"It is of version {printable(str(described.get('version')))[:20]}; versions to {version} are read here.",
            "Use a newer Dactyl.",
            file=name,
        )
    return described


@contextmanager
def told_as_file(file: str) -> Iterator[None]:
    """What is wrong with a value is said as wrong with this file."""
    try:
        yield
    except (KitError, RecursionError) as problem:
        raise KitFileError(printable(str(problem)) or "It is nested too deep.", "Export it again.", file=file) from None


def listed_samples(described: Mapping[str, Any]) -> tuple[SampleFile, ...]:
    samples = from_json(tuple[SampleFile, ...], described.get("samples"), "samples")
    return tuple(replace(one, name=printable(one.name), folder=printable(one.folder)) for one in samples)


def _inside(root: Path, name: str) -> Path | None:
    """The file of this name below ``root``, if there is one; a name may be any text."""
    with suppress(OSError, ValueError):  # too long, or with letters no name can have
        path = (root / name).resolve()
        if path.is_relative_to(root) and path.is_file():
            return path
    return None


def check_samples(used: Collection[str], samples: Iterable[SampleFile], folder: Path, file: str) -> None:
    """used : hashes. file : what lists the samples, as it is called. raises : KitFileError where one is not there whole"""
    name = file.rpartition("/")[0]
    by_hash = {sample.sha256: sample for sample in samples}
    if not all(map(_HASH.fullmatch, (*by_hash, *used))):
        raise KitFileError("A sample's hash is none: 64 letters of 0 to f.", "Export it again.", file=file)
    missing = [sha256 for sha256 in used if sha256 not in by_hash]
    if missing:
        raise KitFileError(f"Sample {missing[0][:12]} is used but not listed.", "Export it again.", file=file)
    root = folder.resolve()
    for sample in by_hash.values():
        path = _inside(root, sample.file)
        if path is None:
            raise KitFileError(f"Its sample “{printable(sample.file)[:80]}” is missing.", "Export it again.", file=name)
        with path.open("rb") as file:
            if hashlib.file_digest(file, "sha256").hexdigest() != sample.sha256:
                raise KitFileError(
                    f"Its sample “{printable(sample.file)[:80]}” is not what it was.", "Export it again.", file=name
                )
