"""Samples of the shelf that no kit plays yet, as drums that might stand in a piece's place: stacked by names and loudness."""

from collections import Counter
from collections.abc import Collection
from functools import lru_cache

from dactyl.core import kit as core
from dactyl.core.stack.kit_from_proposal import kit_of
from dactyl.core.stack.propose import propose
from dactyl.kits.pieces import Articulation, Drum
from dactyl.shelf.models import Sample
from dactyl.shelf.queries import as_files, search

MOST_SAMPLES, MOST_OF_A_GROUP = 1500, 300
DEPTH = 2  # folders that a group has in common
PREFIX = "s"  # of the key of a group: the key of its first sample follows


def shelf_drums(kinds: Collection[str], words: str) -> list[Drum]:
    """Groups of one folder that hold a drum of one of the kinds."""
    rows = search(words, which="unused").order_by("folder", "name").values_list("pk", "folder", "kind")[:MOST_SAMPLES]
    groups: dict[str, list[tuple[int, str]]] = {}
    for pk, folder, kind in rows:
        groups.setdefault(_group_of(folder), []).append((pk, kind))
    wanted = [own for own in groups.values() if not kinds or any(kind in kinds for _, kind in own)]
    stacked = (_stacked(tuple(pk for pk, _ in own[:MOST_OF_A_GROUP])) for own in wanted)
    found = (_drum(*one, kinds) for one in stacked if one)
    return [drum for drum in found if drum.articulations]


def shelf_drum(key: str) -> tuple[Drum, core.Kit] | None:
    """The group that begins with a sample, and its kit; None where it is gone."""
    first = Sample.objects.filter(
        pk=int(key.removeprefix(PREFIX)) if key[1:].isdecimal() and len(key) < 18 else 0
    ).first()
    if first is None:
        return None
    folder = _group_of(first.folder)
    rows = search(which="unused").filter(folder__startswith=folder).order_by("folder", "name")
    own = [pk for pk, at in rows.values_list("pk", "folder") if _group_of(at) == folder]
    one = _stacked(tuple(own[:MOST_OF_A_GROUP]))
    return (_drum(*one, ()), one[1]) if one else None


def _group_of(folder: str) -> str:
    return "/".join(folder.split("/")[:DEPTH])


@lru_cache(maxsize=64)
def _stacked(pks: tuple[int, ...]) -> tuple[tuple[int, ...], core.Kit, dict[str, float], str] | None:
    """Samples stacked as a kit of their own, with the level of each; None where nothing can be stacked."""
    samples = list(Sample.objects.filter(pk__in=pks).defer("overview").order_by("folder", "name"))
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
    return pks, kit, {row.sha256: row.level_db for row in samples}, name


def _drum(pks: tuple[int, ...], kit: core.Kit, levels: dict[str, float], name: str, kinds: Collection[str]) -> Drum:
    own = [
        Articulation(pad.id, pad.name, pad.kind, [
            (layer.low, layer.high, [levels[take.samples[0][1].sha256] for take in layer.takes]) for layer in pad.layers
        ])
        for _, pad in kit.pads()
        if not kinds or pad.kind in kinds
    ]  # fmt: skip
    longest = max((s.frames / s.rate_hz for _, pad in kit.pads() for x in pad.layers for t in x.takes for _, s in t.samples), default=0.0)  # fmt: skip
    mics = [mic.name for mic in kit.mics]
    return Drum(0, "on the shelf, in no kit", f"{PREFIX}{pks[0]}", name.rsplit("/", 1)[-1], own, mics, longest)
