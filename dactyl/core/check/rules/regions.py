"""What only the regions of an SFZ file can have: velocities and turns that no region takes, or that two do; cuts of one alone."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from itertools import pairwise

from dactyl.core.check.finding import DOUBTFUL, WRONG
from dactyl.core.formats.notes import note_label
from dactyl.core.formats.sfz.read import SfzRegion
from dactyl.core.kit import MAX_VELOCITY

LEAST_FADE_SECONDS = 0.001


def faults_of(regions: Sequence[SfzRegion]) -> Iterator[tuple[SfzRegion, str, str]]:
    """Each with a sentence and a severity. Regions that blend, take turns, or sound together throughout are meant so."""
    by_key: dict[tuple, list[SfzRegion]] = defaultdict(list)
    for region in regions:
        name = region["group_label"] or region["master_label"]
        by_key[name, region["lokey"], region["hikey"], region["lochan"], region["hichan"]].append(region)
    for own in by_key.values():
        yield from _missing_turns(own)
        if not any(region["xfin_hivel"] or region["xfout_lovel"] < MAX_VELOCITY for region in own):
            yield from _unanswered(own)
            yield from _answered_twice(own)
    yield from _sudden_cuts(regions)


def _key(region: SfzRegion) -> str:
    return note_label(max(0, region["lokey"]))


def _range(region: SfzRegion) -> tuple[int, int]:
    return max(1, region["lovel"]), min(MAX_VELOCITY, region["hivel"])


def _unanswered(own: Sequence[SfzRegion]) -> Iterator[tuple[SfzRegion, str, str]]:
    """Velocities that no region answers, whatever its turn is."""
    key, expected = _key(own[0]), 1
    ranges = {_range(region): region for region in reversed(own)}
    for (low, high), region in sorted(ranges.items(), key=lambda row: row[0]):
        if low > high:
            yield region, f"A region of {key} runs from velocity {low} down to {high}: it never sounds.", WRONG
            continue
        if low > expected:
            severity = WRONG if expected > 1 else DOUBTFUL
            yield region, f"Nothing of {key} answers velocities {expected} to {low - 1}.", severity
        expected = max(expected, high + 1)
    if len(ranges) > 1 and expected <= MAX_VELOCITY:
        yield own[-1], f"Nothing of {key} answers velocities {expected} to {MAX_VELOCITY}.", WRONG


def _answered_twice(own: Sequence[SfzRegion]) -> Iterator[tuple[SfzRegion, str, str]]:
    """Velocities at which two regions of one turn answer that differ in their range."""
    by_turn: dict[tuple, dict[tuple[int, int], SfzRegion]] = defaultdict(dict)
    for region in own:
        by_turn[region["seq_position"], region["lorand"]].setdefault(_range(region), region)
    for ranges in by_turn.values():
        until = 0
        for (low, high), region in sorted(ranges.items(), key=lambda row: row[0]):
            if low <= min(high, until):
                yield (
                    region,
                    f"Velocities {low} to {min(high, until)} of {_key(region)} are answered by two regions.",
                    DOUBTFUL,
                )
            until = max(until, high)


def _missing_turns(own: Sequence[SfzRegion]) -> Iterator[tuple[SfzRegion, str, str]]:
    """Turns that no region takes, where others of these velocities take theirs: those strokes are silent."""
    found: list[tuple[SfzRegion, int, list[int], int, int]] = []  # first region, turns, which are missing, velocities
    edges = sorted({edge for low, high in map(_range, own) if low <= high for edge in (low, high + 1)})
    for low, until in pairwise(edges):
        here = [region for region in own if _range(region)[0] <= low <= _range(region)[1]]
        if not here or any(region["seq_length"] == 1 for region in here):
            continue
        for length in sorted({region["seq_length"] for region in here}):
            taken = {region["seq_position"] for region in here if region["seq_length"] == length}
            missing = sorted(set(range(1, length + 1)) - taken)
            if missing and found and found[-1][1:3] == (length, missing) and found[-1][4] == low - 1:
                found[-1] = (*found[-1][:4], until - 1)
            elif missing:
                found.append((here[0], length, missing, low, until - 1))
    for region, length, missing, low, high in found:
        are = "is" if len(missing) == 1 else "are"
        yield (
            region,
            f"Of {length} strokes of {_key(region)} in turn {_listed(missing)} {are} silent at velocities {low} to {high}.",
            WRONG,
        )


def _listed(turns: Sequence[int]) -> str:
    names = [f"number {turn}" for turn in turns[:4]]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def _sudden_cuts(regions: Sequence[SfzRegion]) -> Iterator[tuple[SfzRegion, str, str]]:
    """A region that is cut without a fade, where others of its group have one: it is told by no group of a kit."""
    faded = {region["off_by"] for region in regions if region["off_by"] and not _is_sudden(region)}
    told: set[tuple] = set()
    for region in regions:
        place = region["off_by"], region["lokey"], region["hikey"]
        if region["off_by"] in faded and _is_sudden(region) and place not in told:
            told.add(place)
            yield (
                region,
                f"{_key(region)} is cut by group {region['off_by']} with no fade, in full sound: that clicks.",
                WRONG,
            )


def _is_sudden(region: SfzRegion) -> bool:
    return bool(region["off_by"]) and region["off_mode"] == "time" and region["off_time"] < LEAST_FADE_SECONDS
