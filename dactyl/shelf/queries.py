"""Reads of the shelf."""

from collections.abc import Collection, Iterator, Sequence
from dataclasses import fields

import numpy as np
from django.db.models import Count, Q, QuerySet

from dactyl.core.audio.measure import SILENCE_DB, Measure
from dactyl.core.stack.propose import File
from dactyl.core.wave.tags import Tags
from dactyl.shelf.models import Import, ImportFile, Sample

PAGE = 100
LONGEST = 500  # letters of what is looked for: no name is longer, and SQLite looks for 50,000 at most
SORTS = {  # what a person may sort by, and how
    "new": ("newest", ["-added_at", "-pk"]),
    "name": ("name", ["name", "folder", "pk"]),
    "kind": ("kind", ["kind", "name", "pk"]),
    "length": ("length", ["seconds", "pk"]),
    "level": ("loudest", ["-level_db", "pk"]),
}
WHICH = {"": "on the shelf", "unused": "in no kit", "away": "put away", "damaged": "damaged"}


def held_files() -> Iterator[str]:
    """Return the names of incoming files that wait to be brought in."""
    waiting = ImportFile.objects.filter(state=ImportFile.State.WAITING)
    return waiting.values_list("stored_as", flat=True).iterator()


def search(text: str = "", kind: str = "", sort: str = "", which: str = "") -> QuerySet[Sample]:
    """Samples whose name, folder or further names hold every word of ``text``."""
    samples = Sample.objects.filter(is_away=which == "away")
    if which == "damaged":
        samples = samples.exclude(damage="")
    if which == "unused":
        samples = samples.filter(uses=None)  # the takes of kits
    for word in text[:LONGEST].split()[:10]:
        samples = samples.filter(
            Q(name__icontains=word)
            | Q(folder__icontains=word)
            | Q(kind__icontains=word)
            | Q(pk__in=Sample.objects.filter(other_names__name__icontains=word).values("pk"))
        )
    if kind:
        samples = samples.filter(kind=kind)
    return samples.order_by(*SORTS.get(sort, SORTS["new"])[1])


def by_hash(hashes: Collection[str]) -> dict[str, Sample]:
    return {row.sha256: row for row in Sample.objects.filter(sha256__in=hashes).defer("overview")}


def keys_of(hashes: Collection[str]) -> list[int]:
    return list(Sample.objects.filter(sha256__in=hashes).values_list("pk", flat=True))


def kinds_in_use() -> dict[str, int]:
    return dict(Sample.objects.filter(is_away=False).values_list("kind").annotate(Count("pk")).order_by())


def in_order(sample_ids: list[int]) -> list[Sample]:
    """The samples of these ids, in the order of the ids; unknown ids are left out."""
    found = Sample.objects.in_bulk(sample_ids)
    return [found[sample_id] for sample_id in dict.fromkeys(sample_ids) if sample_id in found]


def equal_sounds(samples: list[Sample]) -> dict[int, Sample]:
    """For each of ``samples`` that equals another on the shelf in all but its file's bytes: the other."""
    alike = Sample.objects.filter(sound_hash__in={sample.sound_hash for sample in samples}, is_away=False)
    twins: dict[str, list[Sample]] = {}
    for row in alike.only("sound_hash", "name").order_by("pk"):
        twins.setdefault(row.sound_hash, []).append(row)
    pairs = ((sample, next((t for t in twins.get(sample.sound_hash, []) if t != sample), None)) for sample in samples)
    return {sample.pk: twin for sample, twin in pairs if twin}


def import_summary(batch: Import, uploading: int = 0) -> dict:
    """What the page shows of an import. uploading : how many files the page is sending, 0 once it has sent all"""
    counts = dict(batch.files.values_list("state").annotate(Count("pk")).order_by())
    files = batch.files.exclude(state=ImportFile.State.UNPACKED)
    total = sum(counts.values()) - counts.get("unpacked", 0)
    return {
        "batch": batch,
        "is_over": batch.job is None or batch.job.is_over,
        "expected": max(total, uploading),
        "read": total - counts.get("waiting", 0),
        "waiting": counts.get("waiting", 0),
        "came_in": counts.get("in", 0),
        "same_count": counts.get("same", 0),
        "refused_count": counts.get("refused", 0),
        "refused": files.filter(state="refused").order_by("pk")[:200],
        "same": files.filter(state="same").select_related("sample").defer("sample__overview").order_by("pk")[:200],
        "latest": files.filter(state="in").select_related("sample").defer("sample__overview").order_by("-pk")[:4],
    }


def unheard() -> QuerySet[Sample]:
    """Samples that sound and whose timbre is not known."""
    return Sample.objects.filter(timbre=b"", peak_db__gte=SILENCE_DB)


def as_files(samples: Sequence[Sample]) -> list[File]:
    """Samples as the stacking knows files: by where they came from, with their stored measures. No decoding.

    Two that came under one name are told apart by a folder with their key.
    """
    seen: set[str] = set()
    files = []
    for sample in samples:
        path = f"{sample.folder}/{sample.name}" if sample.folder else sample.name
        path = f"{sample.pk}/{path}" if path in seen else path
        seen.add(path)
        values = {field.name: getattr(sample, field.name) for field in fields(Measure)}
        measure = Measure(**values | {"timbre": tuple(np.frombuffer(sample.timbre, "<f2").tolist())})
        tags = Tags(root=sample.root, low_velocity=sample.low_velocity, high_velocity=sample.high_velocity)
        files.append(File(path, measure, "", sample.channels, sample.rate_hz, sample.frames, tags))
    return files
