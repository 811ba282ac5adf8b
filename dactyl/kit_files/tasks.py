"""Opening a kit file: its samples to the shelf and its kits as rows; and writing one as a SoundFont."""

import json
import shutil
from collections.abc import Callable, Generator, Iterator, Sequence
from pathlib import Path

from django.conf import settings
from django.db import transaction

from dactyl.core import kit as core
from dactyl.core.bounce.sound_cache import SoundCache
from dactyl.core.bounce.soundfont import soundfont_steps
from dactyl.core.bounce.source import LineupSource, SfzSource, Source, open_played
from dactyl.core.errors import DactylError, KitFileError
from dactyl.core.formats.package import samples_of
from dactyl.core.lineup import Lineup
from dactyl.core.units import counted
from dactyl.history.queries import reading
from dactyl.jobs.models import Job
from dactyl.jobs.run import Progress, reported
from dactyl.kit_files.edits import forget
from dactyl.kit_files.queries import by_cause, font_names, unpacked_name
from dactyl.kits.edits.from_value import open_kit as open_kit_value
from dactyl.kits.models import Kit, KitFile
from dactyl.kits.tasks import measure_kit
from dactyl.kits.values import kit_value
from dactyl.shelf import edits as shelf_edits
from dactyl.shelf import store
from dactyl.shelf.queries import by_hash
from dactyl.shelf.sounds import prepared_sound

MOST_NOTES = 500
SOUND_BYTES = 128 << 20  # kept in memory while a SoundFont is written


def open_kit_file(kit_file_id: int) -> Iterator[Progress]:
    """May be run again after a kill: samples are kept once, and the kit is written in one step at the end.

    The file is kept until it is open, refused or cancelled: after a full disk, a kill or a stop it can be tried again.

    raises : KitFileError with what is wrong and where
    """
    row = KitFile.objects.select_related("job").get(pk=kit_file_id)
    folder = store.incoming_folder() / unpacked_name(row.pk)
    shutil.rmtree(folder, ignore_errors=True)  # of a try that was killed
    if row.kit_id:
        return forget(row)
    folder.mkdir(parents=True)
    try:
        if (yield from _open(row, folder)):
            forget(row)
    except DactylError:
        forget(row)
        raise
    except GeneratorExit:
        if row.job and Job.objects.filter(pk=row.job_id, cancel_requested=True).exists():
            forget(row)
        raise
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _open(row: KitFile, folder: Path) -> Generator[Progress, None, bool]:
    """folder : to unpack in. Returns whether it is open: a file of several kits asks first which"""
    limits = {"max_files": settings.MAX_ZIP_FILES, "max_bytes": settings.MAX_ZIP_BYTES}
    path = store.incoming_folder() / row.stored_as
    if not row.stored_as or not path.exists():  # it was tried before, and refused
        raise KitFileError("It is no longer here.", "Bring it in again.", file=row.name)
    with open_played(path, name=row.name, unpack_in=folder, **limits) as source:
        sources = [source, *(source.others if isinstance(source, SfzSource) else ())]
        if len(sources) > 1 and row.chosen is None:
            row.choices = [other.file.path.stem for other in sources]
            row.save(update_fields=["choices"])
            return False
        said = list(source.warnings)  # of the file as a whole, whichever of its kits are opened
        sources = [other for number, other in enumerate(sources) if row.chosen is None or number in row.chosen]
        for done, other in enumerate(sources):
            yield Progress(done, len(sources), "Reading the samples")
            other.check(skip_bad=True)
        said += [warning for other in sources for warning in other.warnings]
        lineup = source.package.lineup if isinstance(source, LineupSource) else None
        if lineup is None:
            values, differences, names, files = _all_of(sources)
        else:
            values, differences = [], []
            for member in lineup.members:
                values += [] if member.kit in values else [member.kit]
            names, files = source.names(), source.samples.files
        wanted = list({sha256: None for value in values for sha256 in samples_of(value)})
        for done, sha256 in enumerate(wanted, start=1):
            name, folder = names[sha256]
            shelf_edits.take_in(files[sha256], name, folder)
            yield Progress(done, len(wanted), name)
        with transaction.atomic():
            made = [open_kit_value(value, by_hash(list(samples_of(value))), row.name) for value in values]
            row.kit = made[0]
            for put_together in TOGETHER if lineup is not None else ():
                row.kit = put_together(lineup, [made[values.index(member.kit)] for member in lineup.members])
            row.notes = by_cause([*said, *differences])[:MOST_NOTES]
            row.became = _counts(values)
            row.save(update_fields=["kit", "notes", "became"])
        for kit in made:
            yield from measure_kit(kit.pk)
    return True


def _counts(values: Sequence[core.Kit]) -> str:
    pads = sum(1 for value in values for _ in value.pads())
    samples = len({sha256 for value in values for sha256 in samples_of(value)})
    kits = f"{counted(len(values), 'kit')}, " if len(values) > 1 else ""
    return f"{kits}{counted(pads, 'pad')}, {counted(samples, 'sample')}"


def _all_of(sources: Sequence[Source]) -> tuple[list[core.Kit], list[str], dict, dict]:
    """Kits of one file, what will sound different, and names and files of their samples by their hash."""
    values, differences, names, files = [], [], {}, {}
    for source in sources:
        value, said = source.kit()
        values.append(value)
        differences += said
        names |= source.names()
        files |= source.samples.files
    return values, differences, names, files


def write_font(kit_id: int) -> Iterator[Progress]:
    """Write a kit as a SoundFont, beside what that loses. raises : KitError where nothing of it sounds"""
    with reading():
        kit = Kit.objects.get(pk=kit_id)
        value, version = kit_value(kit), kit.version
    file, about = (store.incoming_folder() / name for name in font_names(kit_id))
    part = file.with_suffix(".part")
    try:
        lost = yield from reported(soundfont_steps(part, value, SoundCache(prepared_sound, SOUND_BYTES)))
        told = {"version": version, "not_held": by_cause(lost)}
        part.replace(file)
        about.write_text(json.dumps(told))  # last: what it says is never of an older file
    finally:
        part.unlink(missing_ok=True)


TOGETHER: list[Callable[[Lineup, Sequence[Kit]], Kit]] = []
"""What makes a lineup of kits that were opened, one for each member."""
