"""Samples of the shelf that no kit plays yet, as drums that might stand in a piece's place: stacked by names and loudness.

A group of one folder is stacked whole, whatever is looked for in it, and each of its pads is known by the first of its
samples, so that what was found is what is auditioned and kept. A large group is stacked in stretches of its order.
"""

from collections import Counter
from collections.abc import Collection, Iterator
from dataclasses import replace
from functools import lru_cache

from dactyl.core import kit as core
from dactyl.core.stack.kit_from_proposal import kit_of
from dactyl.core.stack.propose import propose
from dactyl.shelf.models import Sample
from dactyl.shelf.queries import as_files, search
from dactyl.swaps.pieces import Articulation, Drum
from dactyl.web.request_values import number_in

MOST_FOUND, MOST_OF_A_GROUP, MOST_GROUPS = 1500, 300, 60
DEPTH = 2  # folders that a group has in common
PREFIX = "s"  # of the key of a group: the key of its first sample follows
Said = tuple[tuple[int, str], ...]
"""Keys of samples, and the kind of each as the shelf says it."""


def shelf_drums(kinds: Collection[str], words: str) -> list[Drum]:
    """Groups of one folder with the drums in them that hold a sample of these words and are of one of the kinds."""
    found = search(words, which="unused").order_by("folder", "name").values_list("pk", "folder")[:MOST_FOUND]
    groups: dict[str, set[int]] = {}
    for pk, folder in found:
        groups.setdefault(_group_of(folder), set()).add(pk)
    drums = (
        _drum(said, kinds, wanted)
        for group, wanted in list(groups.items())[:MOST_GROUPS]
        for said in _stretches(group)
        if any(pk in wanted and (not kinds or kind in kinds) for pk, kind in said)
    )
    return [drum for drum in drums if drum and drum.articulations]


def shelf_drum(key: str) -> tuple[Drum, core.Kit] | None:
    """The group that a sample belongs to, and its kit; None where it is gone, or played by a kit by now."""
    first = number_in(key.removeprefix(PREFIX), -1)
    folder = search(which="unused").filter(pk=first).values_list("folder", flat=True).first()
    if folder is None:
        return None
    said = next((said for said in _stretches(_group_of(folder)) if any(pk == first for pk, _ in said)), ())
    drum = _drum(said, (), {pk for pk, _ in said})
    return (drum, _stacked(said)[0]) if drum else None


def _group_of(folder: str) -> str:
    return "/".join(folder.split("/")[:DEPTH])


def _stretches(group: str) -> Iterator[Said]:
    """All of a group's samples that no kit plays, in stretches of their order."""
    rows = search(which="unused").filter(folder__startswith=group).order_by("folder", "name", "pk")
    own = [(pk, kind) for pk, folder, kind in rows.values_list("pk", "folder", "kind") if _group_of(folder) == group]
    for start in range(0, len(own), MOST_OF_A_GROUP):
        yield tuple(own[start : start + MOST_OF_A_GROUP])


@lru_cache(maxsize=64)
def _stacked(said: Said) -> tuple[core.Kit, dict[str, float], str] | None:
    """Samples stacked as a kit of their own, with the level of each; None where nothing can be stacked."""
    samples = list(
        Sample.objects.filter(pk__in=[pk for pk, _ in said]).defer("overview").order_by("folder", "name", "pk")
    )
    files = as_files(samples)
    paths = {file.path: sample for file, sample in zip(files, samples, strict=True)}
    proposal = propose(files)
    if not proposal.pads:
        return None
    values = {
        path: core.Sample(sha256=row.sha256, frames=row.frames, rate_hz=row.rate_hz, channels=row.channels)
        for path, row in paths.items()
    }
    name = _group_of(samples[0].folder) or "Shelf"
    for pad in proposal.pads:  # what the shelf says a sample is, a person may have said
        pad.kind = Counter(paths[path].kind for path in pad.files).most_common(1)[0][0]
    kit = kit_of(proposal, name, values, {path: row.onset_frame for path, row in paths.items()})
    return (
        _known_by_samples(kit, {row.sha256: row.pk for row in samples}),
        {row.sha256: row.level_db for row in samples},
        name,
    )


def _known_by_samples(kit: core.Kit, keys: dict[str, int]) -> core.Kit:
    """The kit with the first sample's key as the id of each pad, whatever else is in the group."""
    own = {pad.id: min(_samples(pad, keys)) for _, pad in kit.pads()}

    def known(pad: core.Pad) -> core.Pad:
        return replace(pad, id=own[pad.id], companions=tuple((own[other], how) for other, how in pad.companions))

    pieces = tuple(replace(piece, pads=tuple(map(known, piece.pads))) for piece in kit.pieces)
    maps = tuple(replace(one, notes=tuple((note, own[pad]) for note, pad in one.notes)) for one in kit.maps)
    return replace(kit, pieces=pieces, maps=maps)


def _samples(pad: core.Pad, keys: dict[str, int]) -> set[int]:
    return {keys[sample.sha256] for layer in pad.layers for take in layer.takes for _, sample in take.samples}


def _drum(said: Said, kinds: Collection[str], wanted: Collection[int]) -> Drum | None:
    """Of a group the pads of these kinds that hold one of the samples."""
    stacked = _stacked(said) if said else None
    if stacked is None:
        return None
    kit, levels, name = stacked
    keys = dict(Sample.objects.filter(pk__in=[pk for pk, _ in said]).values_list("sha256", "pk"))
    own = [
        Articulation(pad.id, pad.name, pad.kind, [
            (layer.low, layer.high, [levels[take.samples[0][1].sha256] for take in layer.takes]) for layer in pad.layers
        ])
        for _, pad in kit.pads()
        if (not kinds or pad.kind in kinds) and not _samples(pad, keys).isdisjoint(wanted)
    ]  # fmt: skip
    longest = max((s.frames / s.rate_hz for _, pad in kit.pads() for x in pad.layers for t in x.takes for _, s in t.samples), default=0.0)  # fmt: skip
    mics = [mic.name for mic in kit.mics]
    return Drum(0, "on the shelf, in no kit", f"{PREFIX}{said[0][0]}", name.rsplit("/", 1)[-1], own, mics, longest)
