"""A kit as a whole."""

from collections.abc import Callable
from itertools import count

from django.db import transaction
from django.utils import timezone

from dactyl.core.errors import KitError
from dactyl.core.fields import DESK, KIT
from dactyl.core.kit import MAIN
from dactyl.core.units import counted
from dactyl.history.edits import edit
from dactyl.history.models import Journal, Revision
from dactyl.jobs.reserve import with_reserve
from dactyl.kits.copying import copy_kit
from dactyl.kits.edits import beside
from dactyl.kits.models import Kit, Map, Mic, Output, Pad, Piece

FIRST_PADS = 16
FIRST_MICS = (("close", True), ("overhead", False), ("room", False))  # and whether it is heard where the pad is panned


def create_kit(name: str, pads: int = FIRST_PADS, *, seed: int = 0) -> Kit:
    """A new kit with empty pads, one output and the three usual mics."""
    with transaction.atomic():
        kit = bare_kit(name, seed=seed)
        for position, (mic, follows) in enumerate(FIRST_MICS):
            Mic.objects.create(kit=kit, name=mic, position=position, follows_pan=follows, is_ambience=not follows)
        pieces = Piece.objects.bulk_create([Piece(kit=kit, position=10 * n) for n in range(pads)])
        Pad.objects.bulk_create([Pad(kit=kit, piece=piece, position=piece.position) for piece in pieces])
    return kit


def _next_name(name: str) -> str:
    """``"House" -> "House 2"``, and on from there while a kit is called so."""
    stem, _, number = name.rpartition(" ")
    stem, number = (stem, int(number)) if stem and number.isdecimal() and len(number) < 5 else (name, 1)
    taken = set(Kit.objects.filter(name__startswith=stem[:70]).values_list("name", flat=True))
    return next(made for n in count(number + 1) if (made := f"{stem[:70]} {n}") not in taken)


def bare_kit(name: str, *, seed: int = 0) -> Kit:
    """What every kit has: a way out and a map, and nothing else."""
    kit = Kit.objects.create(name=name[: KIT["name"].longest], seed=seed)
    Output.objects.create(kit=kit, name=MAIN, position=0)
    Map.objects.create(kit=kit, name="Notes", is_default=True)
    return kit


def rename_kit(kit: Kit, version: int, name: str) -> Revision | None:
    with edit(kit, version, f"Kit named {name}") as change:
        change.update(change.document, name=name)
    return change.revision


def put_away(kit: Kit, away: bool) -> None:
    """Take a kit from the first page, or bring it back; nothing of it is deleted."""
    with with_reserve(), transaction.atomic():
        Kit.objects.filter(pk=kit.pk).update(is_put_away=away)
        Journal.objects.filter(pk=kit.journal_id).update(changed_at=timezone.now())


DEPENDENTS: list[Callable[[Kit], tuple[int, str]]] = [
    lambda kit: (kit.versions.count(), "version"),
    lambda kit: (Revision.objects.filter(journal=kit.journal_id).count(), "change"),
    lambda kit: (kit.sets.count(), "place in a set"),
]
"""What goes with a kit: how many, and one of them in words. Apps above say what of theirs hangs on it."""


def dependents(kit: Kit) -> list[str]:
    """What deleting a kit for good would take along, in words."""
    counted_words = (how(kit) for how in DEPENDENTS)
    return [counted(number, words) for number, words in counted_words if number]


def delete_kit(kit: Kit) -> None:
    """For good, with its history, its versions and all that hangs on it. Only a kit that is put away."""
    if not kit.is_put_away:
        raise KitError(f"{kit.name} is in use. Put it away first; then it can be deleted for good.")
    with with_reserve(), transaction.atomic():
        kit.delete()


def duplicate_kit(kit: Kit) -> Kit:
    """A copy with a history of its own, under the next number; it plays the same, chance included."""
    with transaction.atomic():
        name = _next_name(kit.name)
        copy = Kit.objects.create(name=name, seed=kit.seed, **{field: getattr(kit, field) for field in DESK})
        copy_kit(kit, copy)
        own, pads = (one.pads.values_list("pk", flat=True) for one in (kit, copy))
        beside.copy(beside.kept(kit), copy, dict(zip(own, pads, strict=True)))
    return copy
