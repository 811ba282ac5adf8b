"""The job that opens a kit file: its samples to the shelf, its kit as rows."""

from collections.abc import Iterator

from dactyl.core.bounce.source import open_kit
from dactyl.core.formats.package import samples_of
from dactyl.jobs.run import Progress
from dactyl.kits.edits.whole import open_kit as open_kit_value
from dactyl.kits.models import KitFile
from dactyl.shelf import edits as shelf_edits
from dactyl.shelf import store
from dactyl.shelf.models import Sample


def open_kit_file(kit_file_id: int) -> Iterator[Progress]:
    """May be run again after a kill: samples are kept once, and the kit is written in one step at the end.

    raises : KitFileError with what is wrong and where
    """
    row = KitFile.objects.get(pk=kit_file_id)
    if row.kit_id:
        return
    try:
        yield from _open(row)
    finally:  # a kill does not come here
        store.forget_incoming(row.stored_as)


def _open(row: KitFile) -> Iterator[Progress]:
    with open_kit(store.incoming_folder() / row.stored_as, name=row.name) as source:
        yield Progress(0, 1, "Reading the samples")
        source.check(skip_bad=True)
        value, differences = source.kit()
        names, files = source.names(), source.samples.files
        wanted = list(samples_of(value))
        for done, sha256 in enumerate(wanted, start=1):
            name, folder = names[sha256]
            shelf_edits.take_in(files[sha256], name, folder)
            yield Progress(done, len(wanted), name)
        samples = {s.sha256: s for s in Sample.objects.filter(sha256__in=wanted).defer("overview")}
        row.kit = open_kit_value(value, samples, row.name)
        row.notes = [*source.warnings, *differences][:500]
        row.save(update_fields=["kit", "notes"])
