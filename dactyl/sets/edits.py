"""Sets of kits. They have no history; each write reads the order that it changes in its own transaction."""

from collections.abc import Callable

from django.db import transaction

from dactyl.core.errors import KitError
from dactyl.kits.models import Kit
from dactyl.sets.models import KitOfSet, KitSet

MOST = 64  # kits of a set


@transaction.atomic
def new_set(name: str, kit: Kit) -> KitSet:
    """A set that begins with a kit."""
    row = KitSet.objects.create(name=name or f"Set {KitSet.objects.count() + 1}")
    KitOfSet.objects.create(of_set=row, kit=kit, position=0)
    return row


def rename_set(row: KitSet, name: str) -> None:
    KitSet.objects.filter(pk=row.pk).update(name=name)


def delete_set(row: KitSet) -> None:
    row.delete()


def add_kit(row: KitSet, kit: Kit) -> None:
    """At the end, unless it is in it. raises : KitError where the set is full"""

    def added(order: list[int]) -> list[int]:
        if kit.pk not in order and len(order) >= MOST:
            raise KitError(f"A set holds at most {MOST} kits.")
        return order if kit.pk in order else [*order, kit.pk]

    _reorder(row, added)


def take_out(row: KitSet, kit: Kit) -> None:
    _reorder(row, lambda order: [key for key in order if key != kit.pk])


def move_kit(row: KitSet, kit: Kit, by: int) -> None:
    """Earlier or later by some places, as far as there are any."""

    def moved(order: list[int]) -> list[int]:
        if kit.pk not in order:
            return order
        left = [key for key in order if key != kit.pk]
        to = max(0, min(len(left), order.index(kit.pk) + by))
        return [*left[:to], kit.pk, *left[to:]]

    _reorder(row, moved)


@transaction.atomic
def _reorder(row: KitSet, change: Callable[[list[int]], list[int]]) -> None:
    order = list(row.places.values_list("kit", flat=True))
    wanted = change(order)
    if wanted != order:
        row.places.all().delete()
        KitOfSet.objects.bulk_create([KitOfSet(of_set=row, kit_id=key, position=n) for n, key in enumerate(wanted)])
