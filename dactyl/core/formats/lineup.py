"""The package of a lineup: a zip that holds several kits and how they are loaded together. docs/formats.md publishes it.

lineup.json       everything, under a format name and version; kits as in a kit package
samples/...       every sample file of them, each once, byte for byte
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from dactyl.core.errors import KitError
from dactyl.core.fields import KIT, check_limits, check_one, printable
from dactyl.core.formats.earlier import lineup_brought_up
from dactyl.core.formats.package import (
    SampleFile,
    check_samples,
    listed_samples,
    portable,
    portable_pads,
    read_described,
    samples_of,
    told_as_file,
    write_described,
)
from dactyl.core.formats.values import from_json, to_json
from dactyl.core.kit import Sample, check_whole
from dactyl.core.lineup import Lineup, Member

FILE = "lineup.json"
FORMAT, VERSION = "dactyl-lineup", 4
_FIELDS = ("name", "members", "links", "chokes", "outputs", "groups", "parallel", "master_db", "side")


@dataclass(frozen=True, slots=True)
class LineupPackage:
    lineup: Lineup
    samples: tuple[SampleFile, ...]


def all_samples_of(lineup: Lineup) -> dict[str, Sample]:
    """Every sample that its kits use, by hash, in the order of use. raises : KitError where two say two things of one"""
    found: dict[str, Sample] = {}
    for member in lineup.members:
        for sha256, sample in samples_of(member.kit).items():
            if found.setdefault(sha256, sample) != sample:
                raise KitError(f"Two members describe sample {sha256[:12]} in two ways.")
    return found


def portable_lineup(lineup: Lineup) -> Lineup:
    """The lineup with ids of pads and layers that count from 1 in each kit."""
    new_ids = [portable_pads(member.kit) for member in lineup.members]
    links = tuple((a, new_ids[a][pad], b, new_ids[b][other], strength) for a, pad, b, other, strength in lineup.links)
    members = tuple(_portable(member) for member in lineup.members)
    return replace(lineup, members=members, links=links)


def _portable(member: Member) -> Member:
    places = {piece.id: place for place, piece in enumerate(member.kit.pieces, start=1)}
    pieces = None if member.pieces is None else tuple(places[key] for key in member.pieces)
    return replace(member, kit=portable(member.kit), pieces=pieces)


def write_lineup(target: Path, lineup: Lineup, samples: Iterable[SampleFile], files: Mapping[str, Path]) -> None:
    """files : where each sample lies now, by hash. ``target`` is written in place; give it a name that is not final."""
    samples = tuple(samples)
    described = {"format": FORMAT, "version": VERSION, **to_json(lineup), "samples": [to_json(s) for s in samples]}
    write_described(target, {FILE: described}, samples, files, texts={})


def read_lineup(folder: Path, name: str) -> LineupPackage:
    """Read an unpacked package and check that every sample is there, byte for byte. raises : KitFileError"""
    described = read_described(folder / FILE, name, FORMAT, VERSION)
    with told_as_file(f"{name}/{FILE}"):
        known = {"format", "version", "samples", *_FIELDS}
        if strange := next((field for field in described if field not in known), None):
            raise KitError(f"The lineup has a field {strange[:40]!r} that is not known here.")
        told = {field: described[field] for field in _FIELDS if field in described}
        lineup = from_json(Lineup, lineup_brought_up(told, described["version"]), "lineup")
        check_one(KIT["name"], lineup.name, "the lineup")
        for _, letter, _, other in lineup.chokes:
            if not all(len(one) == 1 and "A" <= one <= "Z" for one in (letter, other)):
                raise KitError(
                    f"A choke of the lineup joins {printable(letter[:20])!r} and {printable(other[:20])!r}; groups are letters from A to Z."
                )
        for member in lineup.members:
            check_limits(member.kit)
            check_whole(member.kit)
        samples, used = listed_samples(described), all_samples_of(lineup)
    check_samples(used, samples, folder, f"{name}/{FILE}")
    return LineupPackage(lineup, samples)
