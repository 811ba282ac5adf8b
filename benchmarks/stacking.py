"""Stacking: how fast 2,000 files become a proposal, and how often it is right with names alone and sound alone."""

from collections import Counter
from dataclasses import replace

from benchmarks import conventions, judging_names
from benchmarks.measured import Row, seconds
from benchmarks.soundfonts import fonts_here
from dactyl.core.audio.measure import Measure
from dactyl.core.stack.propose import File, Proposal, propose
from dactyl.core.tests import habits
from dactyl.core.tests.recordings import Truth, mistakes, record

ALIKE = Measure(0, -3, -12, 2000, 200, 0.2, 0.3, 0.3)  # what every file sounds like where only its name may count
KEPT = 60  # sets of the other maker
Recorded = dict[str, tuple[Truth, File]]


def rows() -> list[Row]:
    pads, layers, takes, mics = habits.EIGHT, 5, 17, ["close", "oh", "room"]
    many = record(list(pads), layers, takes, mics, lambda t: f"{t.pad}_v{t.layer + 1}_rr{t.take + 1}_{t.mic}.wav")
    files = [file for _, file in many.values()][:2000]
    took = min(seconds(lambda: propose(files)) for _ in range(3))
    return [
        Row(f"Stacking {len(files):,} files", f"{took:.2f} s", None, "at most 1 s", took <= 1.0),
        _accuracy(f"Names and sound, {len(habits.HABITS)} habits", habits.HABITS, lambda files: files),
        _accuracy("Names and sound, 12 unseen conventions", conventions.CONVENTIONS, lambda files: files),
        _accuracy("Names alone, the same 12", conventions.CONVENTIONS, _names_alone),
        _accuracy("Sound alone, the same 12", conventions.CONVENTIONS, _sound_alone),
        *_another_maker(),
    ]


def _another_maker() -> list[Row]:
    """Recorded drums under conventions of a maker of its own, which were not looked at."""
    if judging_names.SOURCE not in fonts_here():
        return []
    whole = right = pads = 0
    for number in range(KEPT):
        named = judging_names.named_set(judging_names.FIRST_KEPT + number)
        proposal = propose([file for _, file in named.files.values()])
        whole += not mistakes(proposal, named.files)
        for pad in proposal.pads:
            truth = Counter(named.files[file][0].pad for file in pad.files).most_common(1)[0][0]
            right, pads = right + (pad.kind == named.kinds[truth]), pads + 1
    figure = f"{whole} of {KEPT} sets wholly right, kinds {right / pads:.3f} of {pads} pads"
    return [Row("Names of another maker", figure, None, "0.85 and 0.95", whole >= 0.85 * KEPT and right >= 0.95 * pads)]


def _accuracy(name: str, sets: dict, change) -> Row:
    """Reported, not judged: the share of files on the right pad in the right layer, and of sets without a mistake."""
    right = total = whole = 0
    for number, (pads, layers, takes, mics, file_name) in enumerate(sets.values()):
        files = change(record(list(pads), layers, takes, list(mics), file_name, seed=number))
        placed = _placed_right(propose([file for _, file in files.values()]), files)
        right, total, whole = right + placed, total + len(files), whole + (placed == len(files))
    figure = f"{100 * right / total:.1f} % of {total:,} files in place; {whole} of {len(sets)} sets without a mistake"
    return Row(name, figure, None, "reported", True)


def _placed_right(proposal: Proposal, files: Recorded) -> int:
    """Files on the one pad that most of theirs are on, in the layer that the truth says."""
    homes: dict[str, tuple[int, int]] = {}  # truth -> (files there, index of the pad)
    for index, pad in enumerate(proposal.pads):
        truth, count = Counter(files[file][0].pad for file in pad.files).most_common(1)[0]
        homes[truth] = max(homes.get(truth, (0, -1)), (count, index))
    return sum(
        homes.get(files[file][0].pad, (0, -1))[1] == index and files[file][0].layer == number
        for index, pad in enumerate(proposal.pads)
        for number, layer in enumerate(pad.layers)
        for take in layer.takes
        for file in take.mics.values()
    )


def _names_alone(files: Recorded) -> Recorded:
    return {name: (truth, replace(file, measure=ALIKE)) for name, (truth, file) in files.items()}


def _sound_alone(files: Recorded) -> Recorded:
    """Names that say nothing; one mic, since only names tell which mics belong to one hit."""
    first = {}
    for number, (truth, file) in enumerate(files.values()):
        if truth.mic == next(iter(files.values()))[0].mic:
            name = f"audio {number * 7919 % 10_007:05}.wav"
            first[name] = (truth, replace(file, path=name))
    return first
