"""What happens on the shelf that kits must agree to: two samples made one, and samples deleted for good."""

from collections.abc import Callable, Iterable, Iterator, Sequence

from django.db import transaction

from dactyl.core.errors import KitError
from dactyl.history.edits import edit
from dactyl.history.models import Revision
from dactyl.jobs.reserve import with_reserve
from dactyl.kits.models import Kit, Proposal, TakeSample, Version
from dactyl.shelf import edits as shelf_edits
from dactyl.shelf.models import Sample, SampleName

ALSO_USED: list[Callable[[], Iterable[int]]] = []
"""What apps above need: keys of samples that can't be deleted."""


def merge(kept: Sample, other: Sample) -> int:
    """Keep one of two samples of equal sound: kits that use the other use it, each by an edit of its own, and the other
    is put away. Returns how many kits changed. raises : KitError where they do not sound the same"""
    if kept.pk == other.pk or kept.sound_hash != other.sound_hash:
        raise KitError("These two do not hold the same sound, so both stay.")
    with transaction.atomic():
        kits = Kit.objects.filter(pads__layers__takes__samples__sample=other).distinct()
        for kit in kits:
            rows = TakeSample.objects.filter(sample=other, take__layer__pad__kit=kit).select_related("take__layer")
            with edit(kit, kit.version, f"{other.name} is {kept.name}, the same sound") as change:
                change.touch(*{row.take.layer.pad_id for row in rows})
                change.update_all(list(rows), sample_id=kept.pk)
        SampleName.objects.get_or_create(sample=kept, name=other.name, folder=other.folder)
        shelf_edits.put_away([other.pk], True)
    return len(kits)


def delete_unused(sample_ids: Sequence[int]) -> tuple[int, int]:
    """Delete samples that no kit uses and no undo or proposal could bring back; returns how many went and how many stay."""
    with with_reserve(), transaction.atomic():
        used = _used()
        rows = Sample.objects.filter(pk__in=sample_ids)
        gone = [row for row in rows.only("sha256") if row.pk not in used]
        kept = rows.count() - len(gone)
        Sample.objects.filter(pk__in=[row.pk for row in gone]).delete()
        for row in gone:  # under the write lock: what comes in again meanwhile waits, and finds no file
            shelf_edits.forget_file(row.sha256)
    return len(gone), kept


def _used() -> set[int]:
    """Keys of the samples of all kits, their histories and versions, and their open proposals."""
    used = set(TakeSample.objects.values_list("sample", flat=True).distinct())
    for rows in Revision.objects.exclude(journal__kit=None).values_list("rows", flat=True).iterator(50):
        used.update(_in_revision(rows))
    for state in Proposal.objects.values_list("state", flat=True):
        used.update(_in_proposal(state))
    for samples in Version.objects.values_list("samples", flat=True):
        used.update(samples)
    for more in ALSO_USED:
        used.update(more())
    return used


def _in_revision(rows: Iterable[list]) -> Iterator[int]:
    for table, _, *states in rows:
        if table == "take_sample":
            yield from (state["sample_id"] for state in states if state and "sample_id" in state)


def _in_proposal(state: dict) -> Iterator[int]:
    takes = [take for pad in state["pads"] for layer in pad["layers"] for take in layer["takes"]]
    yield from (int(key) for mics, *_ in takes for key in mics.values())
    yield from (int(key) for key, _ in state["left_over"])
