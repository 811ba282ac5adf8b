"""Kits as files: packed to take away, unpacked to a kit again."""

from collections.abc import Collection
from pathlib import Path

from dactyl.core import kit as core
from dactyl.core.formats.package import SampleFile, name_samples, portable, samples_of, write_package
from dactyl.core.formats.sfz.write import SfzText, write_sfz
from dactyl.core.play.compile import curve_table, layer_gains
from dactyl.shelf.models import Sample
from dactyl.shelf.store import whole_path


def described(kit: core.Kit) -> tuple[core.Kit, tuple[SampleFile, ...], SfzText]:
    """The kit as it travels, its sample files, and its SFZ text with what SFZ can't hold."""
    kit = portable(kit)
    samples = listed(samples_of(kit))
    paths = {sample.sha256: sample.file for sample in samples}
    text = write_sfz(kit, lambda sample: paths[sample.sha256], lambda pad: layer_gains(pad, curve_table(pad.curve)))
    return kit, samples, text


def listed(hashes: Collection[str]) -> tuple[SampleFile, ...]:
    """Samples as files of a package."""
    names = {
        sha256: (_with_ending(name, form), folder)
        for sha256, name, folder, form in Sample.objects.filter(sha256__in=hashes).values_list(
            "sha256", "name", "folder", "format"
        )
    }
    return name_samples({sha256: names.get(sha256, (f"{sha256[:12]}.wav", "")) for sha256 in hashes})


def _with_ending(name: str, form: str) -> str:
    """Sample files are told by content; a name without an ending gets the one of its format."""
    endings = {"WAV": ".wav", "AIFF": ".aif", "FLAC": ".flac", "OGG": ".ogg", "MP3": ".mp3"}
    ending = endings.get(form.split(" ")[0], "")
    return name if "." in name else name + ending


def pack_kit(kit: core.Kit, target: Path) -> SfzText:
    """Write a kit package. Its name must not be final yet."""
    kit, samples, text = described(kit)
    write_package(target, kit, samples, {sample.sha256: whole_path(sample.sha256) for sample in samples}, text.text)
    return text
