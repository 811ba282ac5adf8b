"""What only the regions of an SFZ file can have: velocities that no region of a key answers, or that two do by accident."""

from collections import defaultdict
from collections.abc import Iterator, Sequence

from dactyl.core.check.finding import DOUBTFUL, WRONG
from dactyl.core.formats.notes import note_label
from dactyl.core.formats.sfz.read import SfzRegion


def overlapping(regions: Sequence[SfzRegion]) -> Iterator[tuple[SfzRegion, str, str]]:
    """Each with a sentence and a severity. Regions that blend, take turns, or sound together throughout are meant so."""
    by_key: dict[tuple, list[SfzRegion]] = defaultdict(list)
    for region in regions:
        name = region["group_label"] or region["master_label"]
        channels = region["lochan"], region["hichan"]
        by_key[name, region["lokey"], region["hikey"], region["seq_position"], region["lorand"], channels].append(
            region
        )
    for own in by_key.values():
        if any(region["xfin_hivel"] or region["xfout_lovel"] < 127 for region in own):
            continue
        yield from _of_key(own)


def _of_key(own: Sequence[SfzRegion]) -> Iterator[tuple[SfzRegion, str, str]]:
    key = note_label(max(0, own[0]["lokey"]))
    ranges: dict[tuple[int, int], SfzRegion] = {}
    for region in own:
        ranges.setdefault((max(1, region["lovel"]), min(127, region["hivel"])), region)
    expected = 1
    ordered = sorted(ranges)
    for (low, high), region in ((one, ranges[one]) for one in ordered):
        if low > high:
            yield region, f"A region of {key} runs from velocity {low} down to {high}: it never sounds.", WRONG
            continue
        if low > expected and expected > 1:
            yield region, f"Nothing of {key} answers velocities {expected} to {low - 1}.", WRONG
        elif low < expected:
            yield (
                region,
                f"Velocities {low} to {min(high, expected - 1)} of {key} are answered by two regions.",
                DOUBTFUL,
            )
        expected = max(expected, high + 1)
    if len(ordered) > 1 and expected <= 127:
        yield ranges[ordered[-1]], f"Nothing of {key} answers velocities {expected} to 127.", WRONG
    if len(ordered) > 1 and ordered[0][0] > 1:
        yield ranges[ordered[0]], f"Nothing of {key} answers velocities 1 to {ordered[0][0] - 1}.", DOUBTFUL
