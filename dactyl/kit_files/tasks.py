"""Opening a kit file: its samples to the shelf and its kit as rows."""

import shutil
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from django.conf import settings
from django.db import transaction

from dactyl.core import kit as core
from dactyl.core.bounce.source import LineupSource, SfzSource, Source, open_played
from dactyl.core.errors import DactylError, KitFileError
from dactyl.core.formats.package import samples_of
from dactyl.core.lineup import Lineup
from dactyl.jobs.models import Job
from dactyl.jobs.run import Progress
from dactyl.kit_files.edits import forget
from dactyl.kit_files.queries import unpacked_name
from dactyl.kits.edits.from_value import open_kit as open_kit_value
from dactyl.kits.models import Kit, KitFile
from dactyl.kits.tasks import measure_kit
from dactyl.shelf import edits as shelf_edits
from dactyl.shelf import store
from dactyl.shelf.queries import by_hash


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
        yield from _open(row, folder)
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


def _open(row: KitFile, folder: Path) -> Iterator[Progress]:
    """folder : to unpack in"""
    limits = {"max_files": settings.MAX_ZIP_FILES, "max_bytes": settings.MAX_ZIP_BYTES}
    path = store.incoming_folder() / row.stored_as
    if not row.stored_as or not path.exists():  # it was tried before, and refused
        raise KitFileError("It is no longer here.", "Bring it in again.", file=row.name)
    with open_played(path, name=row.name, unpack_in=folder, **limits) as source:
        yield Progress(0, 1, "Reading the samples")
        source.check(skip_bad=True)
        lineup = source.package.lineup if isinstance(source, LineupSource) else None
        if lineup is None:
            sources = [source, *(source.others if isinstance(source, SfzSource) else ())]
            for done, other in enumerate(sources[1:], start=1):
                yield Progress(done, len(sources), "Reading the samples")
                other.check(skip_bad=True)
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
            row.notes = [*source.warnings, *differences][:500]
            row.save(update_fields=["kit", "notes"])
        for kit in made:
            yield from measure_kit(kit.pk)


def _all_of(sources: Sequence[Source]) -> tuple[list[core.Kit], list[str], dict, dict]:
    """Kits of one file, what will sound different, and names and files of their samples by their hash."""
    values, differences, names, files = [], [], {}, {}
    for source in sources:
        value, said = source.kit()
        values.append(value)
        differences += said if source is sources[0] else []
        names |= source.names()
        files |= source.samples.files
    if len(values) > 1:
        others = ", ".join(value.name for value in values[1:])
        words = f"It holds {len(values)} kits; beside {values[0].name} these are open too: {others}."
        differences.insert(0, f"{words} Here stands what is different in {values[0].name}.")
    return values, differences, names, files


TOGETHER: list[Callable[[Lineup, Sequence[Kit]], Kit]] = []
"""What makes a lineup of kits that were opened, one for each member."""
