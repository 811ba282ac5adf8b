"""Versions of a kit: kept by name, gone back to, opened as kits of their own."""

from collections.abc import Callable, Iterable, Sequence

from django.db import transaction

from dactyl.core import kit as core
from dactyl.core.errors import KitError
from dactyl.core.formats.package import samples_of
from dactyl.core.formats.values import pack, unpack
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.history.queries import reading, undo_state
from dactyl.kits.edits import beside
from dactyl.kits.edits.from_value import Writer, open_kit
from dactyl.kits.models import (
    ChokeGroup,
    DeviceUse,
    Kit,
    Map,
    Mic,
    MuteGroup,
    Output,
    OutputGroup,
    Piece,
    Surface,
    TranslationNote,
    Version,
)
from dactyl.kits.values import whole_kit_value
from dactyl.shelf.models import Sample
from dactyl.shelf.queries import keys_of

MOST = 200  # of one kit


def keep(kit: Kit, name: str) -> Version:
    """A snapshot of the kit as it is; nothing of the kit changes."""
    with reading():
        value, along, done = whole_kit_value(kit.pk), beside.kept(kit), undo_state(kit).done
    with transaction.atomic():
        last = kit.versions.first()
        if kit.versions.count() >= MOST:
            raise KitError(f"A kit keeps at most {MOST} versions. Delete one first.")
        return Version.objects.create(
            kit=kit,
            number=last.number + 1 if last else 1,
            name=name,
            snapshot=pack(value),
            beside=along,
            samples=keys_of(list(samples_of(value))),
            changes=done,
        )


PLAYED_BY: list[Callable[[Version], Iterable[str]]] = []
"""What tells which documents play a version, by their names; apps above add theirs."""


def delete(version: Version) -> None:
    """raises : KitError where something plays it"""
    if players := list(dict.fromkeys(name for played_by in PLAYED_BY for name in played_by(version))):
        raise KitError(
            f"{version} is played by {', '.join(players[:3])}{' and others' if len(players) > 3 else ''}. "
            "Let the kit as it is be played there, then delete it."
        )
    version.delete()


def current(kit: Kit) -> Version | None:
    """The version that the kit is, where nothing was edited since it was kept."""
    last = kit.versions.first()
    if last is None or Revision.objects.filter(journal=kit.journal_id, made_at__gt=last.made_at).exists():
        return None
    return last if last.changes == undo_state(kit).done else None


def value_of(version: Version) -> core.Kit:
    return unpack(core.Kit, version.snapshot, "version")


def go_back(version: Version, seen: int) -> Revision | None:
    """Make the kit what the version holds, as one edit that can be undone.

    Pads have the keys that they had, so that what points to them from elsewhere (tracks of recordings, proposals) still
    does. What devices play, and translations, stay: those of pads, surfaces and maps that the version has.
    """
    value, kit = value_of(version), version.kit
    with edit(kit, seen, f"Gone back to {version}") as change:
        translated = list(TranslationNote.objects.filter(translation__kit=kit))
        uses = list(DeviceUse.objects.filter(kit=kit).select_related("surface", "map"))
        for model in (Piece, Surface, Mic, Output, OutputGroup, ChokeGroup, MuteGroup):
            change.delete_all(list(model.objects.filter(kit=kit)))
        change.delete_all(list(Map.objects.filter(kit=kit, is_default=False)))
        change.update(kit, name=value.name, seed=value.seed)
        pads = Writer(change, _samples(version), keeps_keys=True).write(value)
        change.create_all([row for row in translated if row.pad_id in pads])
        beside.put_back(change, version.beside)
        _give_back(change, [use for use in uses if use.surface or use.map and not use.map.is_default])
    return change.revision


def _give_back(change: Change, uses: Sequence[DeviceUse]) -> None:
    """What devices played, where the kit has a surface or map of the same name again."""
    surfaces = {row.name: row for row in Surface.objects.filter(kit=change.document)}
    maps = {row.name: row for row in Map.objects.filter(kit=change.document, is_default=False)}
    for use in uses:
        use.surface = surfaces.get(use.surface.name) if use.surface else None
        use.map = maps.get(use.map.name) if use.map else None
    change.create_all([use for use in uses if use.surface or use.map])


def open_as_kit(version: Version) -> Kit:
    value = value_of(version)
    with transaction.atomic():
        made = open_kit(value, _samples(version), f"{version} of {version.kit.name}")
        pads = dict(zip((pad.id for _, pad in value.pads()), made.pads.values_list("pk", flat=True), strict=True))
        beside.copy(version.beside, made, pads)
    return made


def _samples(version: Version) -> dict[str, Sample]:
    return {row.sha256: row for row in Sample.objects.filter(pk__in=version.samples).defer("overview")}
