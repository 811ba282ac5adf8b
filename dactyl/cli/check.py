"""``dactyl check KIT...``: what a careful engineer would find in kits before the session."""

import argparse
import os
import sys
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from dactyl.cli.convert import check_target, write_kit
from dactyl.cli.part import read_part
from dactyl.cli.say import as_json_line, warn
from dactyl.core.bounce.source import PackageSource, SfzSource, Source, open_kit
from dactyl.core.check.check import RULES, check
from dactyl.core.check.finding import DOUBTFUL, NOTE, SEVERITIES, WRONG, Finding, mended
from dactyl.core.check.listening import measure_kit, mend_all
from dactyl.core.check.measured import MeasuredKit, Stretch
from dactyl.core.check.rules.regions import faults_of
from dactyl.core.check.sound import Sound
from dactyl.core.errors import AudioError, KitError, KitFileError
from dactyl.core.kit import Kit, Sample
from dactyl.core.parts.part import Part
from dactyl.core.units import counted
from dactyl.core.wave.read import read_heard

LEVELS = {WRONG: "error", DOUBTFUL: "warning", NOTE: "note"}
"""What machines call the severities."""


def run(asked: argparse.Namespace) -> int:
    """1 where something is wrong with a kit, 0 else."""
    parts = [read_part(path) for path in asked.part]
    if asked.mend:
        return _mend(asked, parts)
    told: list[dict[str, Any]] = []
    for path in _kits(asked.kits):
        told += _findings(path, parts)
    _tell(told, as_json=asked.json)
    return int(any(finding["severity"] == LEVELS[WRONG] for finding in told))


def _kits(paths: Sequence[Path]) -> Iterator[Path]:
    """Kits as they are named; of a folder every SFZ file in it."""
    for path in paths:
        if path.is_dir():
            found = sorted(file for file in path.rglob("*") if file.suffix.lower() == ".sfz")
            if not found:
                raise KitFileError("There is no .sfz file in it.", "Name a kit, or a folder of kits.", file=str(path))
            yield from found
        else:
            yield path


def _findings(path: Path, parts: Sequence[Part]) -> list[dict[str, Any]]:
    """A kit that can't be opened for its files is a finding too. raises : KitFileError where there is none to check"""
    if not path.is_file():
        raise KitFileError("There is no such file.", "Name an .sfz file or a kit package.", file=str(path))
    try:
        with open_kit(path) as source:
            kit = _Kit.of(source, path, parts)
            return [*kit.broken(), *(kit.described(finding) for finding in check(kit.measured))]
    except KitFileError as problem:
        where = {"file": problem.file} | ({"line": problem.line} if problem.line else {})
        return [_row("damage", WRONG, where, f"{problem.problem} {problem.hint}".strip())]


@dataclass
class _Kit:
    """A kit file that is checked, and where in it things stand."""

    path: Path
    source: Source
    measured: MeasuredKit
    _names: dict[str, str] = field(default_factory=dict)

    @classmethod
    def of(cls, source: Source, path: Path, parts: Sequence[Part]) -> "_Kit":
        if isinstance(source, PackageSource):
            source.samples.check(sample.file for sample in source.package.samples)
        else:
            source.check(skip_bad=True)
        kit, _ = source.kit()
        measured = replace(_measure(source, kit, {}), parts=tuple(parts))
        return cls(path, source, measured, {sha: name for sha, (name, _) in _files_of(source).items()})

    def broken(self) -> Iterator[dict[str, Any]]:
        """Samples that are missing or damaged, and regions that overlap, with file and line."""
        if isinstance(self.source, PackageSource):
            for file, problem in self.source.samples.problems.items():
                yield _row("damage", WRONG, {"file": self.path.name, "sample": file}, f"Sample {file}: {problem}")
            return
        for region in self.source.file.regions:
            if problem := self.source.samples.problems.get(region.sample):
                where = {"file": region.place.file, "line": region.place.line, "sample": region.sample}
                where |= {"key": region["lokey"]} if region["lokey"] == region["hikey"] else {}
                yield _row("damage", WRONG, where, f"Sample {region.sample}: {problem}")
        yield from self._called_otherwise()
        for region, message, severity in faults_of(self.source.file.regions):
            where = {"file": region.place.file, "line": region.place.line, "key": region["lokey"]}
            yield _row("velocities", severity, where, message)

    def _called_otherwise(self) -> Iterator[dict[str, Any]]:
        """Samples whose files are called otherwise in large and small letters: found here, and not on every system."""
        for region in {one.sample: one for one in reversed(self.source.file.regions)}.values():
            known = self.source.samples.known.get(region.sample)
            file = known and self.source.samples.files[known.sha256].resolve()
            asked = (self.source.file.folder / region.sample).resolve()
            if file and file != asked and file.as_posix().casefold() == asked.as_posix().casefold():
                where = {"file": region.place.file, "line": region.place.line, "sample": region.sample}
                message = f"Sample {region.sample} is the file {file.name}: where large and small letters count, it is not found."
                yield _row("damage", DOUBTFUL, where, message)

    def described(self, finding: Finding) -> dict[str, Any]:
        return _row(
            finding.rule, finding.severity, self._where(finding), finding.message,
            measured=finding.measured, usual=finding.usual, limit=finding.limit, unit=finding.unit, sureness=finding.sureness, mend=finding.mend_words if finding.mend else "",
        )  # fmt: skip

    def _where(self, finding: Finding) -> dict[str, Any]:
        place, kit = finding.place, self.measured.kit
        where: dict[str, Any] = {"file": self.path.name}
        pad = next((pad for _, pad in kit.pads() if pad.id == place.pad), None)
        if pad:
            notes = kit.notes().get(pad.id, ())
            where |= {"pad": pad.name} | ({"key": min(notes)} if notes else {})
        if place.note is not None:
            where["key"] = place.note
        if pad and place.layer:
            layer = pad.layers[place.layer - 1]
            where |= {"layer": place.layer, "velocities": [layer.low, layer.high]}
        where |= {name: getattr(place, name) for name in ("take", "mic", "output") if getattr(place, name)}
        if place.sha256:
            where["sample"] = self._names.get(place.sha256, place.sha256)
        if isinstance(self.source, SfzSource) and (region := self._region(finding, where)):
            where |= {"file": region.place.file, "line": region.place.line}
        return where

    def _region(self, finding: Finding, where: Mapping[str, Any]) -> Any:
        """The region that a place stands for: of its sample and key, else the first of its key and velocities."""
        regions, samples = self.source.file.regions, self.source.samples.known
        for region in regions:
            known = samples.get(region.sample)
            at_key = "key" not in where or region["lokey"] <= where["key"] <= region["hikey"]
            if not at_key or ("key" not in where and not finding.place.sha256):
                continue
            if finding.place.sha256:
                if known is not None and known.sha256 == finding.place.sha256:
                    return region
            elif (
                "velocities" not in where
                or region["lovel"] <= where["velocities"][1]
                and region["hivel"] >= where["velocities"][0]
            ):
                return region
        return None  # fmt: skip


def _files_of(source: Source) -> dict[str, tuple[str, str]]:
    """By hash of a sample how the kit file calls it."""
    if isinstance(source, PackageSource):
        return source.names()
    return {sample.sha256: (path, "") for path, sample in reversed(source.samples.known.items())}


def _measure(source: Source, kit: Kit, known: Mapping[Stretch, Sound]) -> MeasuredKit:
    files = source.samples.files

    def load(stretch: Stretch, sample: Sample) -> np.ndarray:
        if sample.sha256 not in files:
            raise AudioError("It is not there.")
        return read_heard(files[sample.sha256], sample.frames, *stretch[1:3], is_reversed=stretch.is_reversed)

    return measure_kit(kit, load, known, processes=os.cpu_count() or 1)


def _mend(asked: argparse.Namespace, parts: Sequence[Part]) -> int:
    if len(asked.kits) != 1 or asked.out is None:
        raise KitError(
            "--mend mends one kit into a new one: name one, and --out with a name that ends in .sfz or .zip."
        )
    rules = set(RULES) if "all" in asked.mend else set(asked.mend)
    if strange := next((rule for rule in rules if rule not in RULES), None):
        raise KitError(f"{strange[:40]} is no rule. Rules are: {', '.join(RULES)}; or all.")
    check_target(asked.out)
    (path,) = asked.kits
    with open_kit(path) as source:
        kit = _Kit.of(source, path, parts)
        changes, left = mend_all(kit.measured, rules, partial(_measure, source))
        warn(write_kit(asked.out, mended(kit.measured.kit, changes), source.names(), source.samples.files))
        _tell([kit.described(finding) for finding in left], as_json=asked.json)
    print(f"{counted(len(changes), 'setting')} mended.", file=sys.stderr)
    return int(any(finding.severity == WRONG for finding in left))


def _row(
    rule: str, severity: str, where: dict[str, Any], message: str,
    *, measured: float | None = None, usual: float | None = None, limit: float | None = None, unit: str = "", sureness: str = "",
    mend: str = "",
) -> dict[str, Any]:  # fmt: skip
    row = {"rule": rule, "severity": LEVELS[severity], "where": where, "message": message, "measured": measured}
    return row | {"usual": usual, "limit": limit, "unit": unit, "sureness": sureness, "mend": mend or None}


def _tell(told: Sequence[dict[str, Any]], *, as_json: bool) -> None:
    if as_json:
        print(as_json_line({"findings": list(told)}))
        return
    words = {LEVELS[severity]: word for severity, word in SEVERITIES.items()}
    for finding in told:
        where = finding["where"]
        line = f":{where['line']}" if "line" in where else ""
        mend = f" [{finding['mend']}]" if finding["mend"] else ""
        print(f"{where['file']}{line}: {words[finding['severity']]}: {finding['message']}{mend}")
    counts = Counter(words[finding["severity"]] for finding in told)
    print(
        ", ".join(f"{counts[word]} {word}" for word in words.values() if counts[word]) or "Nothing found.",
        file=sys.stderr,
    )
