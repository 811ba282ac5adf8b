"""A kit as a whole."""

from django.db import transaction
from django.utils import timezone

from dactyl.core.kit import MAIN
from dactyl.kits.copying import copy_kit
from dactyl.kits.history import edit
from dactyl.kits.models import Kit, Map, Mic, Output, Pad, Piece, Revision

FIRST_PADS = 16
FIRST_MICS = (("close", True), ("overhead", False), ("room", False))


def create_kit(name: str, pads: int = FIRST_PADS) -> Kit:
    """A new kit with empty pads, one output and the three usual mics."""
    with transaction.atomic():
        kit = Kit.objects.create(name=name)
        Output.objects.create(kit=kit, name=MAIN, position=0)
        for position, (mic, follows) in enumerate(FIRST_MICS):
            Mic.objects.create(kit=kit, name=mic, position=position, follows_pan=follows)
        Map.objects.create(kit=kit, name="Notes", is_default=True)
        pieces = Piece.objects.bulk_create([Piece(kit=kit, position=10 * n) for n in range(pads)])
        Pad.objects.bulk_create([Pad(kit=kit, piece=piece, position=piece.position) for piece in pieces])
    return kit


def rename_kit(kit: Kit, version: int, name: str) -> Revision | None:
    with edit(kit, version, f"Kit named {name}") as change:
        change.update(change.kit, name=name)
    return change.revision


def put_away(kit: Kit, away: bool) -> None:
    """Take a kit from the first page, or bring it back; nothing of it is deleted."""
    Kit.objects.filter(pk=kit.pk).update(is_put_away=away, changed_at=timezone.now())


def duplicate_kit(kit: Kit) -> Kit:
    """A copy with a history of its own; it plays the same, chance included."""
    with transaction.atomic():
        name = f"{kit.name[:70]} copy"
        copy = Kit.objects.create(name=name, seed=kit.seed)
        copy_kit(kit, copy)
    return copy
