"""What the mics of an SFZ file's takes are to a kit: regions that sound together each say level, pan and output of their own,
a kit says them once for a mic, or for a mic of a piece."""

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from statistics import median

from dactyl.core.fields import MIC, fitted
from dactyl.core.kit import MAIN, STAYS, Mic

NEAR_DB, NEAR_PAN = 0.02, 0.005  # no further apart: the same


@dataclass(frozen=True, slots=True)
class Heard:
    """One take, as its regions say."""

    piece: str
    levels_db: Mapping[str, float]  # by mic, in the order of the regions
    pans: Mapping[str, float]  # -1..1
    outputs: Mapping[str, str]


@dataclass(slots=True)
class Mics:
    """Levels and pans of mics over those of the takes themselves, which are their first mics'."""

    mics: list[Mic] = field(default_factory=list)
    gains_db: dict[str, dict[str, float]] = field(
        default_factory=lambda: defaultdict(dict)
    )  # piece -> mic -> over the mic's
    pans: dict[str, dict[str, float | str]] = field(default_factory=lambda: defaultdict(dict))
    differences: list[str] = field(default_factory=list)

    def level_db(self, take: Heard) -> float:
        """What a take itself is set to, so that its first mic is as loud as its region says."""
        mic = next(iter(take.levels_db))
        own = next(one.gain_db for one in self.mics if one.name == mic)
        return take.levels_db[mic] - own - self.gains_db[take.piece].get(mic, 0.0)


def mics_of(takes: Sequence[Heard]) -> Mics:
    made = Mics()
    by_piece: dict[str, list[Heard]] = defaultdict(list)
    by_mic: dict[str, list[Heard]] = defaultdict(list)
    for take in takes:
        by_piece[take.piece].append(take)
        for name in take.levels_db:
            by_mic[name].append(take)
    over = {piece: _over_the_first(piece, own, made.differences) for piece, own in by_piece.items()}
    for name, own in by_mic.items():
        found = {take.piece: over[take.piece][name] for take in own}
        usual_db = _usual(list(found.values()))
        mic, said = fitted(
            MIC, Mic(name=name, gain_db=usual_db, output=_output(name, own, made.differences)), f"Mic {name}"
        )
        made.differences += said
        made.mics.append(mic)
        for piece, over_db in found.items():
            if abs(over_db - mic.gain_db) > NEAR_DB:
                made.gains_db[piece][name] = _possible(
                    over_db - mic.gain_db, f"Mic {name} of {piece}", made.differences
                )
    for piece, own in by_piece.items():
        made.pans[piece] = _pans(piece, own, made.differences)
    return made


def _over_the_first(piece: str, takes: Sequence[Heard], differences: list[str]) -> dict[str, float]:
    """How much louder each mic is than the one that most takes begin with. One that varies from take to take stays as it is
    in the middle."""
    over: dict[str, list[float]] = {next(iter(takes[0].levels_db)): [0.0]}
    waiting = list(takes)
    while waiting:  # a take without a known mic waits for one that has both
        known = {mic: median(values) for mic, values in over.items()}
        ready, waiting = _parted(waiting, known)
        if not ready:
            over[next(iter(waiting[0].levels_db))] = [0.0]
        for take in ready:
            mic = next(mic for mic in take.levels_db if mic in known)
            for name, level_db in take.levels_db.items():
                if name not in known:
                    over.setdefault(name, []).append(level_db - take.levels_db[mic] + known[mic])
                elif name != mic:
                    over[name].append(level_db - take.levels_db[mic] + known[mic])
    for name, values in over.items():
        if max(values) - min(values) > NEAR_DB:
            differences.append(f"{piece}: mic {name} is louder by {min(values):.1f} to {max(values):.1f} dB; it becomes {median(values):.1f}.")  # fmt: skip
    return {name: median(values) for name, values in over.items()}


def _parted(takes: Iterable[Heard], known: Mapping[str, float]) -> tuple[list[Heard], list[Heard]]:
    """Those that one of these mics heard, and the others."""
    ready, waiting = [], []
    for take in takes:
        (waiting if known.keys().isdisjoint(take.levels_db) else ready).append(take)
    return ready, waiting


def _usual(values: Sequence[float]) -> float:
    """The first of those that most are near to."""
    counts = Counter(round(value / NEAR_DB) for value in values)
    (most, _), *_ = counts.most_common(1)
    return next(value for value in values if round(value / NEAR_DB) == most)


def _possible(gain_db: float, of: str, differences: list[str]) -> float:
    level = MIC["gain_db"]
    possible = min(level.high, max(level.low, gain_db))
    if possible != gain_db:
        differences.append(f"{of}: level is {gain_db:.1f} there; it becomes {possible:g}.")
    return possible


def _pans(piece: str, takes: Sequence[Heard], differences: list[str]) -> dict[str, float | str]:
    """Where a mic stands where that is not where its takes do."""
    made: dict[str, float | str] = {}
    for name in dict.fromkeys(mic for take in takes for mic in take.pans):
        own = [(take.pans[name], next(iter(take.pans.values()))) for take in takes if name in take.pans]
        if all(_alike(pan, first) for pan, first in own):
            continue
        if not all(_alike(pan, own[0][0]) for pan, _ in own):
            differences.append(
                f"{piece}: mic {name} stands elsewhere from take to take; it stands where the first does."
            )
        made[name] = STAYS if _alike(own[0][0], 0.0) else own[0][0]
    return made


def _alike(pan: float, other: float) -> bool:
    return abs(pan - other) <= NEAR_PAN


def _output(name: str, takes: Sequence[Heard], differences: list[str]) -> str | None:
    """Where a mic leaves, if not where its pads do."""
    own = [(take.outputs[name], next(iter(take.outputs.values()))) for take in takes]
    if all(output == first for output, first in own):
        return None
    found = {output for output, _ in own}
    if len(found) > 1:
        differences.append(f"Mic {name} leaves by {', '.join(sorted(found))}; it leaves by {own[0][0]}.")
    return own[0][0] or MAIN
