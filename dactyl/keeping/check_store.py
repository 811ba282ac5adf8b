"""Whether the data folder holds what the database says: each sample's content against its hash."""

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass

from django.conf import settings

from dactyl.bounces.models import Bounce
from dactyl.shelf import edits
from dactyl.shelf.models import Sample
from dactyl.shelf.store import sample_path


@dataclass(frozen=True, slots=True)
class Finding:
    what: str
    do: str

    def __str__(self) -> str:
        return f"{self.what} {self.do}"


def check_sizes() -> Iterator[Finding]:
    """At once: recordings that are gone or not as long as they were. What is found is marked on the shelf."""
    for sha256, size, name, damage in Sample.objects.values_list("sha256", "size_bytes", "name", "damage").iterator():
        try:
            found = sample_path(sha256).stat().st_size
        except OSError:
            found = None
        if found == size and damage not in (edits.GONE, edits.CUT):
            continue
        said = "" if found == size else edits.GONE if found is None else edits.CUT
        edits.mark_damage(sha256, said)
        if said:
            yield Finding(f"“{name}” is {said}.", "Bring the file in again: that mends it everywhere.")


def check_contents() -> Iterator[Finding]:
    """Every recording read in full, 1 GB/s or as fast as the disk gives; what is found is marked on the shelf."""
    yield from check_sizes()
    for sha256, name, damage in Sample.objects.values_list("sha256", "name", "damage").iterator():
        if damage in (edits.GONE, edits.CUT):
            continue
        try:
            with sample_path(sha256).open("rb") as file:
                said = "" if hashlib.file_digest(file, "sha256").hexdigest() == sha256 else edits.OTHER
        except OSError:
            said = edits.GONE
        if said != damage:
            edits.mark_damage(sha256, said)
        if said:
            yield Finding(f"“{name}” is {said}.", "Bring the file in again: that mends it everywhere.")


def check_folders() -> Iterator[Finding]:
    """Files without a row, and bounces without files."""
    known = set(Sample.objects.values_list("sha256", flat=True))
    strange = [path for path in (settings.DATA / "samples").glob("*/*") if path.name not in known]
    if strange:
        yield Finding(
            f"{len(strange):,} recordings in {settings.DATA / 'samples'} are in no shelf, the first is {strange[0].name}.",
            "They do no harm; bring them in to use them.",
        )
    for bounce in Bounce.objects.filter(job__state="done"):
        if not (settings.DATA / "bounces" / str(bounce.pk)).is_dir():
            yield Finding(f"The files of bounce {bounce.pk} are gone.", "Bounce it again.")
