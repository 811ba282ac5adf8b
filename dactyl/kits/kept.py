"""Values of kits that are asked for again and again, kept in memory as long as nothing changes them."""

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock

from dactyl.core import kit as core
from dactyl.core.lineup import MOST_MEMBERS
from dactyl.kits.models import Kit
from dactyl.kits.values import kit_value

MOST_KEPT = MOST_MEMBERS + 1  # a lineup and its members: with fewer, each of the largest is read anew each time
_kept: OrderedDict[tuple[str, int], tuple[tuple, core.Kit]] = OrderedDict()
_lock = Lock()


def kept_kit_value(kit: Kit) -> core.Kit:
    """The kit as the core knows it. The same object as long as it is the same, so that what is made of it can be kept too."""
    return kept_value(("kit", kit.pk), (kit.version, kit.journal.changed_at), lambda: kit_value(kit))


def kept_value(key: tuple[str, int], stamp: tuple, read: Callable[[], core.Kit]) -> core.Kit:
    """What ``read`` says, or what it said before. key : of what; stamp : another where it may say something else"""
    with _lock:
        kept, value = _kept.get(key, ((), None))
        if value is not None:
            _kept.move_to_end(key)
    if value is None or kept != stamp:
        value = read()
        with _lock:
            _kept[key] = stamp, value
            _kept.move_to_end(key)
            while len(_kept) > MOST_KEPT:
                _kept.popitem(last=False)
    return value
