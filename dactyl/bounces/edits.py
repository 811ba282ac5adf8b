"""Ask for bounces, record what they made, cancel and forget them."""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

from django.db import transaction
from django.utils.timezone import localtime

from dactyl.bounces.models import Bounce, Stem
from dactyl.core import kit as core
from dactyl.core.audio.loudness import Loudness
from dactyl.core.bounce.order import RATES_HZ, BounceOrder
from dactyl.core.bounce.stems import Stem as StemValue
from dactyl.core.errors import BounceError
from dactyl.core.formats.lineup import all_samples_of
from dactyl.core.formats.package import samples_of
from dactyl.core.formats.values import from_json, pack, to_json, unpack
from dactyl.core.lineup import Lineup
from dactyl.core.maps import translate
from dactyl.core.parts.part import Part as PartValue
from dactyl.core.units import counted, gain_to_db
from dactyl.history.queries import reading
from dactyl.jobs.models import Job
from dactyl.jobs.reserve import with_reserve
from dactyl.jobs.run import cancel, enqueue
from dactyl.kits.alongside import is_lineup
from dactyl.kits.edits.from_value import open_kit
from dactyl.kits.models import Kit
from dactyl.kits.values import whole_kit_value
from dactyl.lineups.edits import put_together
from dactyl.lineups.queries import lineup_value
from dactyl.maps.ways import translated_notes
from dactyl.parts.models import Part
from dactyl.parts.queries import part_value
from dactyl.shelf.models import Sample
from dactyl.shelf.queries import keys_of
from dactyl.versions.edits import current

WORK, MEASURE = "dactyl.bounces.tasks.make_bounce", "dactyl.bounces.tasks.measure_loudness"


def begin_bounce(
    kit: Kit,
    part: Part,
    order: BounceOrder,
    *,
    rate_hz: int,
    with_part: bool = False,
    with_kit: bool = False,
    with_recording: bool = False,
    with_blend: bool = False,
    with_alongside: bool = True,
) -> Bounce:
    """Queue a bounce of the kit as it is now. Raises BounceError for a rate that is not offered."""
    if rate_hz not in RATES_HZ:
        raise BounceError("Choose a rate from the list.")
    with reading():
        kit.journal.refresh_from_db()
        value, (played, _) = whole_kit_value(kit.pk), as_played(kit, part)
        lineup = lineup_value(kit, value, whole=True) if with_alongside or is_lineup(kit) else None
        used = samples_of(value) if lineup is None else all_samples_of(lineup)
        named, samples = current(kit), keys_of(list(used))
    order = replace(order, seed=value.seed, names=(("kit", kit.name), ("part", part.name)))
    with transaction.atomic():
        row = Bounce.objects.create(
            kit=kit,
            kit_version=kit.version,
            version_name=str(named or "")[:80],
            samples=samples,
            part=part,
            part_name=part.name,
            rate_hz=rate_hz,
            order=to_json(order),
            with_part=with_part,
            with_kit=with_kit,
            with_recording=with_recording,
            with_blend=with_blend,
            kit_snapshot=pack(value),
            part_snapshot=pack(played),
            lineup_snapshot=None if lineup is None else pack(lineup),
        )
        row.job = enqueue(WORK, row.pk, queue="bounces")
        row.save(update_fields=["job"])
    return row


def as_played(kit: Kit, part: Part) -> tuple[PartValue, dict[int, int]]:
    """The part as this kit plays it, through the kit's translation where it was written for other notes; and how many
    hits each note has that the translation does not know, and that are silent."""
    value = part_value(part)
    table = translated_notes(kit, part.written_for)
    return (value, {}) if table is None else (translate.played(value, table), translate.unmet(value, table))


def read_kit(row: Bounce) -> core.Kit:
    """The kit that ``begin_bounce`` kept."""
    return unpack(core.Kit, row.kit_snapshot, "kit")


def read_lineup(row: Bounce) -> Lineup | None:
    """The kit with what sounded alongside it, where something did."""
    return None if row.lineup_snapshot is None else unpack(Lineup, row.lineup_snapshot, "lineup")


def read_part(row: Bounce) -> PartValue:
    return unpack(PartValue, row.part_snapshot, "part")


def read_order(row: Bounce) -> BounceOrder:
    return from_json(BounceOrder, row.order, "order")


def bring_back(row: Bounce) -> Kit:
    """The kit as the bounce was made from it, as a kit of its own."""
    samples = {sample.sha256: sample for sample in Sample.objects.filter(pk__in=row.samples).defer("overview")}
    value, lineup = read_kit(row), read_lineup(row)
    of_others = lineup is not None and next(value.pads(), None) is None
    values = [member.kit for member in lineup.members] if of_others else [value]
    if missing := {sha256 for own in values for sha256 in samples_of(own)} - set(samples):
        raise BounceError(
            f"{counted(len(missing), 'sample')} of this bounce is no longer on the shelf. Bring them in again."
        )
    opened_from = f"the bounce of {row.part_name}, {localtime(row.created_at):%d %b %H:%M}"
    with transaction.atomic():
        kits = [open_kit(own, samples, opened_from) for own in values]
        return put_together(lineup, kits) if of_others else kits[0]


def used_samples() -> Iterable[int]:
    """Keys of the samples that bounces play: bounced again, they must make the same bytes."""
    for samples in Bounce.objects.values_list("samples", flat=True):
        yield from samples


def record_progress(row: Bounce, hits: Sequence[tuple[str, int, int]]) -> None:
    Bounce.objects.filter(pk=row.pk).update(hits_done=hits)


def record_stems(row: Bounce, stems: Sequence[StemValue], report: dict[str, Any]) -> None:
    with transaction.atomic():
        Stem.objects.bulk_create([
            Stem(
                bounce=row,
                position=position,
                name=stem.name,
                output=stem.output[:200],
                file=stem.file,
                channels=stem.channels,
                frames=stem.frames,
                peak_db=stem.peak_db,
                overview=stem.overview,
                kind=stem.kind,
            )
            for position, stem in enumerate(stems)
        ])  # fmt: skip
        row.report = report
        row.save(update_fields=["report"])
        measure(row)


def measure(row: Bounce) -> None:
    """Have its loudness measured once all that waits now is done."""
    with transaction.atomic():
        row.measuring = enqueue(MEASURE, row.pk, queue="bounces")
        row.save(update_fields=["measuring"])


def is_bounce_waiting() -> bool:
    return Job.objects.filter(work=WORK, state=Job.State.QUEUED).exists()


def record_loudness(stem: Stem, loudness: Loudness) -> None:
    Stem.objects.filter(pk=stem.pk).update(
        loudness_lufs=loudness.integrated_lufs, true_peak_db=gain_to_db(loudness.true_peak)
    )


def cancel_bounce(row: Bounce) -> None:
    if row.job:
        cancel(row.job)


def forget_bounce(row: Bounce) -> None:
    """Delete a bounce and its files; it can be made again from the same kit and part."""
    with with_reserve():
        cancel_bounce(row)
        row.delete()
