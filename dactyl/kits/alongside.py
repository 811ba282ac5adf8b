"""Kits that sound together, as far as a kit itself must know of it: the rows and their edits are `dactyl.lineups`."""

from dactyl.kits.models import Kit


def others_of(kit: Kit) -> list[int]:
    """Keys of the kits that sound alongside, in their order, as far as they are there."""
    keys = list(kit.alongside.exclude(other=kit).values_list("other", flat=True))
    there = set(Kit.objects.filter(pk__in=keys).values_list("pk", flat=True)) if keys else ()
    return [key for key in keys if key in there]


def is_lineup(kit: Kit) -> bool:
    """Whether all that sounds in it are the kits alongside: it has no pads of its own."""
    return not kit.pads.exists() and bool(others_of(kit))


def kit_of_notes(kit: Kit) -> Kit:
    """The kit whose notes those of a part are taken to be: itself, or the first of a lineup."""
    others = [] if kit.pads.exists() else others_of(kit)
    return Kit.objects.get(pk=others[0]) if others else kit
