"""Whether the data folder holds what the database says: each sample's content against its hash."""

from collections.abc import Iterator

from django.conf import settings

from dactyl.bounces.models import Bounce
from dactyl.shelf import edits
from dactyl.shelf.models import Sample
from dactyl.shelf.store import is_whole, sample_path


def check_sizes() -> Iterator[str]:
    """At once: recordings that are gone or not as long as they were. What is found is marked on the shelf."""
    for sha256, size, name, damage in Sample.objects.values_list("sha256", "size_bytes", "name", "damage").iterator():
        try:
            found = sample_path(sha256).stat().st_size
        except OSError:
            found = None
        if found == size and damage not in (edits.GONE, edits.CUT):
            continue
        yield from _marked(sha256, name, "" if found == size else edits.GONE if found is None else edits.CUT)


def check_contents() -> Iterator[str]:
    """Every recording read in full, but for those that this run has read already; what is found is marked on the shelf."""
    yield from check_sizes()
    for sha256, name, damage in Sample.objects.values_list("sha256", "name", "damage").iterator():
        if damage in (edits.GONE, edits.CUT):
            continue
        try:
            said = "" if is_whole(sha256) else edits.OTHER
        except OSError:
            said = edits.GONE
        if said or damage:
            yield from _marked(sha256, name, said)


def _marked(sha256: str, name: str, said: str) -> Iterator[str]:
    edits.mark_damage(sha256, said)
    if said:
        yield f"“{name}” is {said}. Bring the file in again: that mends it everywhere."


def check_folders() -> Iterator[str]:
    """Files without a row, and bounces without files."""
    known = set(Sample.objects.values_list("sha256", flat=True))
    strange = [path for path in (settings.DATA / "samples").glob("*/*") if path.name not in known]
    if strange:
        yield (
            f"{len(strange):,} recordings in {settings.DATA / 'samples'} are in no shelf, the first is {strange[0].name}. "
            "They do no harm; bring them in to use them."
        )
    for bounce in Bounce.objects.filter(job__state="done"):
        if not (settings.DATA / "bounces" / str(bounce.pk)).is_dir():
            yield f"The files of bounce {bounce.pk} are gone. Bounce it again."
