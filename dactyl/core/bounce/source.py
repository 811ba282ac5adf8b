"""Open a kit file to play it: an SFZ file, a kit package, or a zip of an SFZ and its samples."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from dactyl.core.bounce.memory import SoundMemory
from dactyl.core.bounce.samples import FolderSamples
from dactyl.core.errors import KitFileError
from dactyl.core.formats.sfz.read import SfzFile, SfzRegion, read_sfz
from dactyl.core.formats.unzip import unzip
from dactyl.core.kit import Sample
from dactyl.core.play.compile_sfz import compile_sfz
from dactyl.core.play.playbook import Playbook


@dataclass(slots=True)
class SfzSource:
    """An SFZ file with its samples."""

    file: SfzFile
    samples: FolderSamples
    warnings: list[str] = field(default_factory=list)

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
                hint = "Mend it, or bounce with --skip-bad."
                raise KitFileError(
                    f"sample “{region.sample[:120]}”: {problem}", hint, file=region.place.file, line=region.place.line
                )
            if problem and region.sample not in told:
                told.add(region.sample)
                self.warnings.append(f"{region.place}: sample “{region.sample[:120]}” is left out: {problem}")

    def compile(self, rate_hz: int, *, seed: int | None) -> Playbook:
        return compile_sfz(self.file, rate_hz, self._sample, seed=seed or 0)

    def _sample(self, region: SfzRegion) -> Sample | None:
        return self.samples.known.get(region.sample)

    def loader(self) -> SoundMemory:
        return self.samples.loader()


@contextmanager
def open_kit(path: Path) -> Iterator[SfzSource]:
    """raises : KitFileError where it can't be read as a kit"""
    if not path.is_file():
        raise KitFileError("There is no such file.", "Name an .sfz file or a kit package.", file=str(path))
    if path.suffix.lower() != ".zip":
        yield SfzSource.open(path)
        return
    with tempfile.TemporaryDirectory(prefix="dactyl-kit-") as folder:
        unzip(path, Path(folder))
        found = sorted(Path(folder).rglob("*.[sS][fF][zZ]"), key=lambda file: (len(file.parts), file.name))
        if not found:
            raise KitFileError("The zip holds no .sfz file.", "Choose a kit package.", file=path.name)
        source = SfzSource.open(found[0])
        if len(found) > 1:
            source.warnings.append(f"{path.name}: It holds {len(found)} kits; {found[0].name} is played.")
        yield source
