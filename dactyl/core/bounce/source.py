"""Open a kit file to play it: an SFZ file, a kit package, a zip of an SFZ and its samples, or a SoundFont."""

import tempfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field, replace
from pathlib import Path, PurePosixPath

from dactyl.core.bounce.order import BounceOrder, played_by
from dactyl.core.bounce.samples import FolderSamples
from dactyl.core.bounce.sound_cache import SoundCache
from dactyl.core.errors import KitFileError
from dactyl.core.formats.lineup import FILE as LINEUP_FILE
from dactyl.core.formats.lineup import LineupPackage, all_samples_of, read_lineup
from dactyl.core.formats.package import Package, SampleFile, read_package, samples_of
from dactyl.core.formats.sf2.read import read_soundfont
from dactyl.core.formats.sf2.unpack import MOST_KITS, unpack_soundfont
from dactyl.core.formats.sfz.kit_from_sfz import kit_from_sfz
from dactyl.core.formats.sfz.read import SfzFile, SfzRegion, read_sfz
from dactyl.core.formats.unzip import unzip
from dactyl.core.kit import Kit, Sample
from dactyl.core.lineup import Listening
from dactyl.core.play.compile_sfz import compile_sfz
from dactyl.core.play.playbook import Playbook
from dactyl.core.play.together import join
from dactyl.core.stack.kind import kind_from_name
from dactyl.core.stack.names import mic_from_name


@dataclass(slots=True)
class SfzSource:
    """An SFZ file with its samples."""

    file: SfzFile
    samples: FolderSamples
    warnings: list[str] = field(default_factory=list)
    others: list["SfzSource"] = field(default_factory=list)  # kits that came in the same file
    is_standard: bool = False  # its notes are those of the standard

    @classmethod
    def open(cls, path: Path) -> "SfzSource":
        file = read_sfz(path)
        return cls(file, FolderSamples(file.folder), list(file.warnings))

    def check(self, *, skip_bad: bool) -> None:
        """Look at every sample before anything is played. raises : KitFileError for the first that can't be used"""
        self.samples.check(region.sample for region in self.file.regions if region.sample)
        told = set()
        for region in self.file.regions:
            problem = self.samples.problems.get(region.sample)
            if problem and not skip_bad:
                hint = "Mend it, or leave it out with --skip-bad."
                raise KitFileError(
                    f"sample “{region.sample[:120]}”: {problem}", hint, file=region.place.file, line=region.place.line
                )
            if problem and region.sample not in told:
                told.add(region.sample)
                self.warnings.append(f"{region.place}: sample “{region.sample[:120]}” is left out: {problem}")

    def compile(self, rate_hz: int, order: BounceOrder, *, seed: int | None) -> Playbook:
        """raises : KitFileError where the order asks for a desk, which SFZ has none of"""
        if order.side or order.by == "group" or not order.has_master:
            raise KitFileError(
                "An SFZ file has no desk.",
                "Leave --side, --groups and --no-master to kit packages.",
                file=self.file.path.name,
            )
        return compile_sfz(self.file, rate_hz, self._sample, seed=seed or 0)

    def _sample(self, region: SfzRegion) -> Sample | None:
        return self.samples.known.get(region.sample)

    def loader(self) -> SoundCache:
        return self.samples.loader()

    def kit(self) -> tuple[Kit, list[str]]:
        """As a kit, and what will sound different. ``check`` comes first."""
        return kit_from_sfz(self.file, self._sample, kind_from_name, mic_from_name, is_standard=self.is_standard)

    def names(self) -> dict[str, tuple[str, str]]:
        """Sample hash -> (file name, folder)."""
        return {
            sample.sha256: (path.name, path.parent.as_posix() if path.parent.name else self.file.path.stem)
            for path, sample in ((PurePosixPath(path), sample) for path, sample in self.samples.known.items())
        }


@dataclass(slots=True)
class PackageSource:
    """An unpacked kit package."""

    package: Package
    samples: FolderSamples
    name: str
    warnings: list[str] = field(default_factory=list)

    @classmethod
    def open(cls, folder: Path, name: str) -> "PackageSource":
        return cls(read_package(folder, name), FolderSamples(folder), name)

    def check(self, *, skip_bad: bool) -> None:
        """raises : KitFileError if a sample does not decode to what the package says of it"""
        _check_described(self.samples, self.package.samples, samples_of(self.package.kit), self.name)

    def compile(self, rate_hz: int, order: BounceOrder, *, seed: int | None) -> Playbook:
        kit = self.package.kit if seed is None else replace(self.package.kit, seed=seed)
        return played_by(kit, None, order, rate_hz)

    def loader(self) -> SoundCache:
        return self.samples.loader()

    def kit(self) -> tuple[Kit, list[str]]:
        return self.package.kit, []

    def names(self) -> dict[str, tuple[str, str]]:
        return {sample.sha256: (sample.name, sample.folder) for sample in self.package.samples}


@dataclass(slots=True)
class LineupSource:
    """An unpacked package of a lineup."""

    package: LineupPackage
    samples: FolderSamples
    name: str
    warnings: list[str] = field(default_factory=list)

    @classmethod
    def open(cls, folder: Path, name: str) -> "LineupSource":
        return cls(read_lineup(folder, name), FolderSamples(folder), name)

    def check(self, *, skip_bad: bool) -> None:
        """raises : KitFileError if a sample does not decode to what the package says of it"""
        _check_described(self.samples, self.package.samples, all_samples_of(self.package.lineup), self.name)

    def compile(self, rate_hz: int, order: BounceOrder, *, seed: int | None) -> Playbook:
        lineup = self.package.lineup
        if seed is not None:
            members = tuple(replace(member, kit=replace(member.kit, seed=seed)) for member in lineup.members)
            lineup = replace(lineup, members=members)
        return played_by(lineup.members[0].kit, lineup, order, rate_hz)

    def loader(self) -> SoundCache:
        return self.samples.loader()

    def names(self) -> dict[str, tuple[str, str]]:
        return {sample.sha256: (sample.name, sample.folder) for sample in self.package.samples}


class Together:
    """Several sources that are played as members of one lineup."""

    def __init__(self, sources: Sequence["Source"], asked: Sequence[Listening], names: Sequence[str]) -> None:
        self._sources, self._asked, self._names = sources, asked, names

    @property
    def warnings(self) -> list[str]:
        return [warning for source in self._sources for warning in source.warnings]

    def check(self, *, skip_bad: bool) -> None:
        for source in self._sources:
            source.check(skip_bad=skip_bad)

    def compile(self, rate_hz: int, order: BounceOrder, *, seed: int | None) -> Playbook:
        return join([s.compile(rate_hz, order, seed=seed) for s in self._sources], self._asked, self._names)

    def loader(self) -> SoundCache:
        files = {sha256: file for source in self._sources for sha256, file in source.samples.files.items()}
        return FolderSamples(Path(), files=files).loader()


Source = SfzSource | PackageSource
SOUNDFONT = ".sf2"  # how the name of one ends


def _check_described(found: FolderSamples, listed: Sequence[SampleFile], used: Mapping[str, Sample], name: str) -> None:
    """raises : KitFileError where a sample is another sound than the package says"""
    found.check(sample.file for sample in listed)
    for path, problem in found.problems.items():
        raise KitFileError(f"sample “{path[:120]}”: {problem}", "Export the package again.", file=name)
    known = {sample.sha256: sample for sample in found.known.values()}
    if any(known[sha256] != sample for sha256, sample in used.items()):
        raise KitFileError("It describes a sample wrongly.", "Export the package again.", file=name)


def _of_soundfont(path: Path, name: str, folder: Path, preset: str) -> SfzSource:
    """The preset of this name or number, or the first; those of the others beside it."""
    sources, names = [], []
    samples = FolderSamples(folder)  # that presets share are looked at once
    for unpacked in unpack_soundfont(read_soundfont(path, name), folder):
        file = read_sfz(unpacked.path)
        warnings = [*file.warnings, *unpacked.not_held]
        sources.append(SfzSource(file, samples, warnings, is_standard=unpacked.is_drums))
        names.append(unpacked.name)
    wanted = [n for n, one in enumerate(names) if preset.casefold() in (one.casefold(), str(n + 1))]
    if preset and not wanted:
        raise KitFileError(f"It has no preset “{preset[:60]}”.", f"Choose one of {', '.join(names)}.", file=name)
    source = sources.pop(wanted[0] if wanted else 0)
    source.others = sources
    return source


@contextmanager
def open_kit(
    path: Path, name: str = "", *, unpack_in: Path | None = None, preset: str = "", **limits: int
) -> Iterator[Source]:
    """As ``open_played``, where one kit is wanted. raises : KitFileError for a lineup too"""
    with open_played(path, name, unpack_in=unpack_in, preset=preset, **limits) as source:
        if isinstance(source, LineupSource):
            raise KitFileError("It is a lineup of several kits.", "Choose a package of one kit.", file=source.name)
        if isinstance(source, SfzSource) and source.others and not preset:
            others = ", ".join(one.file.path.stem for one in source.others)
            source.warnings.insert(0, f"{name or path.name}: {source.file.path.stem} is opened; it holds {others} too.")
        yield source


@contextmanager
def open_played(
    path: Path, name: str = "", *, unpack_in: Path | None = None, preset: str = "", **limits: int
) -> Iterator[Source | LineupSource]:
    """
    name : what the file is called where that is not its name on disk
    preset : of a SoundFont, its name or its number among the drums
    unpack_in : the folder below which a zip is unpacked; by default the system's own for such
    limits : of a zip, as ``unzip`` takes them
    raises : KitFileError where it can't be read as a kit, or as a lineup
    """
    name = name or path.name
    if not path.is_file():
        raise KitFileError("There is no such file.", "Name an .sfz file or a kit package.", file=str(path))
    if not name.lower().endswith((".zip", SOUNDFONT)):
        yield SfzSource.open(path)
        return
    with tempfile.TemporaryDirectory(prefix="kit-", suffix=".part", dir=unpack_in) as folder:
        if name.lower().endswith(SOUNDFONT):
            yield _of_soundfont(path, name, Path(folder), preset)
            return
        unzip(path, Path(folder), name=name, **limits)
        if (Path(folder) / LINEUP_FILE).is_file():
            yield LineupSource.open(Path(folder), name)
            return
        if (Path(folder) / "kit.json").is_file():
            yield PackageSource.open(Path(folder), name)
            return
        found = sorted(Path(folder).rglob("*.[sS][fF][zZ]"), key=lambda file: (len(file.parts), file.name))
        if not found:
            raise KitFileError("The zip holds no .sfz file.", "Choose a kit package.", file=name)
        sources = list(_that_open(found[:MOST_KITS])) or [SfzSource.open(found[0])]
        sources[0].others = sources[1:]
        if len(found) > MOST_KITS:
            sources[0].warnings.append(f"{name}: It holds {len(found)} SFZ files; the first {MOST_KITS} are looked at.")
        yield sources[0]


def _that_open(files: Iterable[Path]) -> Iterator["SfzSource"]:
    """A file without regions is one that others include."""
    for file in files:
        with suppress(KitFileError):
            yield SfzSource.open(file)
