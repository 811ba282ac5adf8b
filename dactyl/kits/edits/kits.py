"""A kit as a whole."""

from django.db import transaction
from django.utils import timezone

from dactyl.core.fields import KIT
from dactyl.core.kit import MAIN
from dactyl.history.edits import edit
from dactyl.history.models import Journal, Revision
from dactyl.kits.copying import copy_kit
from dactyl.kits.models import Kit, Map, Mic, Output, Pad, Piece

FIRST_PADS = 16
FIRST_MICS = (("close", True), ("overhead", False), ("room", False))


def create_kit(name: str, pads: int = FIRST_PADS) -> Kit:
    """A new kit with empty pads, one output and the three usual mics."""
    with transaction.atomic():
        kit = bare_kit(name)
        for position, (mic, follows) in enumerate(FIRST_MICS):
            Mic.objects.create(kit=kit, name=mic, position=position, follows_pan=follows)
        pieces = Piece.objects.bulk_create([Piece(kit=kit, position=10 * n) for n in range(pads)])
        Pad.objects.bulk_create([Pad(kit=kit, piece=piece, position=piece.position) for piece in pieces])
    return kit


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
    Kit.objects.filter(pk=kit.pk).update(is_put_away=away)
    Journal.objects.filter(pk=kit.journal_id).update(changed_at=timezone.now())


def duplicate_kit(kit: Kit) -> Kit:
    """A copy with a history of its own; it plays the same, chance included."""
    with transaction.atomic():
        name = f"{kit.name[:70]} copy"
        copy = Kit.objects.create(name=name, seed=kit.seed)
        copy_kit(kit, copy)
    return copy
