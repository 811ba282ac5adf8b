"""Ask for bounces, cancel and forget them."""

import json
import zlib

from django.db import transaction

from dactyl.bounces import store
from dactyl.bounces.models import Bounce
from dactyl.core import kit as core
from dactyl.core.bounce.stems import RATES_HZ
from dactyl.core.errors import BounceError
from dactyl.core.formats.values import from_json, to_json
from dactyl.core.wave.write import SUBTYPES
from dactyl.jobs.run import cancel, enqueue
from dactyl.kits.models import Kit
from dactyl.kits.queries import kit_value
from dactyl.parts.models import Part

WORK = "dactyl.bounces.tasks.make_bounce"


def begin_bounce(kit: Kit, part: Part, *, rate_hz: int, bits: str) -> Bounce:
    """Queue a bounce of the kit as it is now. Raises BounceError for a rate or depth that is not offered."""
    if rate_hz not in RATES_HZ or bits not in SUBTYPES:
        raise BounceError("Choose a rate and a depth from the lists.")
    with transaction.atomic():
        row = Bounce.objects.create(
            kit=kit,
            kit_version=kit.version,
            part=part,
            rate_hz=rate_hz,
            bits=bits,
            kit_snapshot=zlib.compress(json.dumps(to_json(kit_value(kit.pk))).encode()),
        )
        row.job = enqueue(WORK, row.pk, queue="bounces")
        row.save(update_fields=["job"])
    return row


def read_snapshot(row: Bounce) -> core.Kit:
    """The kit that ``begin_bounce`` kept."""
    return from_json(core.Kit, json.loads(zlib.decompress(row.kit_snapshot)), "kit")


def cancel_bounce(row: Bounce) -> None:
    if row.job:
        cancel(row.job)


def forget_bounce(row: Bounce) -> None:
    """Delete a bounce and its files; it can be made again from the same kit and part."""
    cancel_bounce(row)
    row.delete()
    store.forget(row)
