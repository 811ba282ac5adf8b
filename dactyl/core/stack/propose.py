"""From files to a proposal: pads, layers, takes and mics, with the evidence, what is left over, and what is in doubt."""

import re
from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import PurePosixPath

import numpy as np

from dactyl.core.audio.measure import Measure
from dactyl.core.kinds import BY_SLUG, IN_SCORE_ORDER
from dactyl.core.stack.cluster import layers_by_level
from dactyl.core.stack.hearing import KindGuess, family_of
from dactyl.core.stack.kind import heard_as_kit, kind_from_name
from dactyl.core.stack.layers import split_by_level, split_evenly
from dactyl.core.stack.meaning import (
    drums_by_number,
    forget_meaningless,
    is_noise,
    without_counters,
    without_kit_name,
    without_title,
    words_of_drums,
)
from dactyl.core.stack.names import PIECE, Manner, Named, manner_of, read_name
from dactyl.core.stack.placed import PlacedFile
from dactyl.core.stack.roles import assign
from dactyl.core.stack.words import LARGEST_TOM, MIC_ORDER, SMALLEST_TOM
from dactyl.core.wave.tags import Tags

PLAIN_TOMS = (["tom"], ["tm"], ["toms"], ["том"], ["puka"], ["rack"])  # words that don't say which
LOOP_STRIKES = 4  # of like strength in one file
LOOP_SHARE = 0.3  # of the files; where more hold several strikes, all are taken as they are
KIND_OF_ARTICULATION = {"grabbed": "crash", "rim": "side_stick"}  # where a name says how, and not what
UNSURE = 0.6  # share of the evidence below which a kind that was only heard is in doubt
CONTRADICTION_DB = 1.0  # by which a layer may be softer than the one below before it is said


@dataclass(frozen=True, slots=True)
class File:
    """What is known of a file before its place is: its path, and its measure or why there is none."""

    path: str
    measure: Measure | None = None
    problem: str = ""
    channels: int = 1
    rate_hz: int = 0
    frames: int = 0
    tags: Tags = Tags()


@dataclass(slots=True)
class ProposedTake:
    mics: dict[str, str]  # mic -> file
    level_db: float  # of the first mic
    said: str = ""  # what the name said of it

    @property
    def file(self) -> str:
        return next(iter(self.mics.values()))


@dataclass(slots=True)
class ProposedLayer:
    takes: list[ProposedTake]
    said: str = ""

    @property
    def level_db(self) -> float:
        return float(np.mean([take.level_db for take in self.takes]))


@dataclass(slots=True)
class ProposedPad:
    name: str
    kind: str
    layers: list[ProposedLayer]  # softest first
    doubts: list[str] = field(default_factory=list)
    borders: str = "even"  # a key of layers.BORDERS

    @property
    def highs(self) -> list[int]:
        if self.borders == "levels":
            return split_by_level([layer.level_db for layer in self.layers])
        return split_evenly(len(self.layers))

    @property
    def files(self) -> list[str]:
        return [file for layer in self.layers for take in layer.takes for file in take.mics.values()]


@dataclass(frozen=True, slots=True)
class LeftOver:
    file: str
    why: str


@dataclass(slots=True)
class Proposal:
    pads: list[ProposedPad]
    left_over: list[LeftOver]


def propose(files: Sequence[File]) -> Proposal:
    """Read names and sounds together. Names win where they say something; the sound orders, checks, and fills gaps."""
    left_over = [LeftOver(file.path, file.problem) for file in files if file.measure is None]
    hits = read_together(files)
    hits, more = _without_loops(hits)
    left_over += more
    groups: dict[tuple[str, ...], list[PlacedFile]] = defaultdict(list)
    for hit in hits:
        groups[hit.pad].append(hit)
    pads = []
    for group, heard in zip(groups.values(), _kinds(list(groups.values())), strict=True):
        takes, more = _takes(group)
        layers, about_layers = _layers(takes)
        is_asked = _is_unsure(heard) and _is_nameless(group[0].named)
        name = unsure_name(heard) if is_asked else pad_name(group[0].named, heard.kind)
        pads.append(ProposedPad(name, heard.kind, layers, about_layers + _doubts(heard)))
        left_over += more
    _toms_in_order(pads, list(groups.values()))
    _name_apart(pads, list(groups.values()))
    pads.sort(key=lambda pad: (IN_SCORE_ORDER.index(BY_SLUG[pad.kind]), _counting(pad.name)))
    return Proposal(pads, left_over)


def read_together(files: Sequence[File]) -> list[PlacedFile]:
    """The files that could be measured, each name read among its neighbours and against how it sounds."""
    manner = manner_of([file.path for file in files])
    spoken = without_counters(without_title(without_kit_name([file.path for file in files])))
    sounding = [file for file in files if file.measure is not None]
    hits = [_hit(file, spoken[file.path], manner) for file in sounding]
    words = words_of_drums(hits)
    hits = [
        _hit(file, spoken[file.path], replace(manner, no_strength=words[file.path])) if file.path in words else hit
        for file, hit in zip(sounding, hits, strict=True)
    ]
    forget_meaningless(hits)
    drums_by_number(hits)
    assign(hits)
    return hits


def _without_loops(hits: list[PlacedFile]) -> tuple[list[PlacedFile], list[LeftOver]]:
    """Files that hold several strikes of like strength, among others that hold one, are loops, or somebody speaking."""
    several = [hit for hit in hits if hit.measure.strikes >= LOOP_STRIKES and not hit.named.articulations]
    gone = {id(hit) for hit in several}
    steady = [hit for hit in hits if id(hit) not in gone and is_noise(hit.measure)]
    if len(several) + len(steady) > LOOP_SHARE * len(hits):
        return hits, []
    why = "It holds {} strikes, not one: a loop, or a voice? Cut it over pads, or put it where it belongs."
    left = [LeftOver(hit.named.file, why.format(hit.measure.strikes)) for hit in several]
    left += [LeftOver(hit.named.file, "It goes on as it begins, as no drum does: a noise?") for hit in steady]
    gone |= {id(hit) for hit in steady}
    return [hit for hit in hits if id(hit) not in gone], left


def _counting(name: str) -> list[tuple[int, str]]:
    """Orders Tom 2 before Tom 10."""
    return [(int(part), "") if part.isdecimal() else (-1, part) for part in re.split(r"(\d{1,9})", name)]


def _hit(file: File, spoken: str, manner: Manner) -> PlacedFile:
    """What the name says, and the velocity range that the file itself says, where the name has none."""
    named = read_name(spoken, manner)
    named.file = file.path
    if (
        named.layer is None
        and file.tags.high_velocity
        and (file.tags.low_velocity, file.tags.high_velocity) != (1, 127)
    ):
        named.layer, named.is_velocity = float(file.tags.high_velocity), True
        named.layer_text = f"{file.tags.low_velocity}-{file.tags.high_velocity}"
    return PlacedFile(named, file.measure, file.channels, file.frames)


# Takes: the files of one hit ------------------------------------------------------------------------------------------


@dataclass(slots=True)
class _Take:
    hits: list[PlacedFile]  # one for each mic, in the order of the mics

    @property
    def layer(self) -> float | None:
        return next((hit.layer for hit in self.hits if hit.layer is not None), None)

    @property
    def proposed(self) -> ProposedTake:
        first = self.hits[0]
        said = [first.named.layer_text, ".".join(str(number) for number in first.take)]
        return ProposedTake(
            {mic: file for hit in self.hits for mic, file in _mics_of(hit).items()},
            first.level_db,
            " ".join(filter(None, said)),
        )


def _mics_of(hit: PlacedFile) -> dict[str, str]:
    """A file of more than two channels is offered as so many mics: "tom.wav#1", "tom.wav#2", ..."""
    if hit.channels <= 2:
        return {hit.mic: hit.named.file}
    return {f"mic {number}": f"{hit.named.file}#{number}" for number in range(1, hit.channels + 1)}


def _takes(group: Sequence[PlacedFile]) -> tuple[list[_Take], list[LeftOver]]:
    """Gather the mics of each hit; a second file for one place becomes a take of its own where no mic is named."""
    mics = sorted({hit.mic for hit in group}, key=lambda mic: (_mic_rank(mic), mic))
    places: dict[tuple, dict[str, PlacedFile]] = defaultdict(dict)
    left_over = []
    for hit in sorted(group, key=lambda hit: (hit.layer is None, hit.layer or 0.0, hit.take)):
        place = (hit.layer, hit.take)
        if hit.mic not in places[place]:
            places[place][hit.mic] = hit
        elif len(mics) == 1:
            places[*place, hit.named.file][hit.mic] = hit
        else:
            other = PurePosixPath(places[place][hit.mic].named.file).name
            left_over.append(LeftOver(hit.named.file, f"By its name it is the same hit and mic as {other}."))
    return [_Take([heard[mic] for mic in mics if mic in heard]) for heard in places.values()], left_over


def _mic_rank(mic: str) -> int:
    first = mic.split()[0]
    return MIC_ORDER.index(first) if first in MIC_ORDER else len(MIC_ORDER)


# Layers ----------------------------------------------------------------------------------------------------------------


def _layers(takes: list[_Take]) -> tuple[list[ProposedLayer], list[str]]:
    """By name where most takes say their layer, the rest joins the layer nearest in level; else by loudness."""
    named = [take for take in takes if take.layer is not None]
    if len(named) * 2 <= len(takes):
        levels = [take.hits[0].level_db for take in takes]
        return [ProposedLayer([takes[i].proposed for i in group], "by level") for group in layers_by_level(levels)], []
    by_layer: dict[float, list[_Take]] = defaultdict(list)
    for take in named:
        by_layer[take.layer].append(take)
    rows = [by_layer[layer] for layer in sorted(by_layer)]
    doubts = []
    if _runs_downwards(rows):
        rows.reverse()
        doubts.append("The names count from loud to soft; the order follows the sound.")
    for take in takes:
        if take.layer is None:
            nearest = min(rows, key=lambda row: abs(_mean_db(row) - take.hits[0].level_db))
            nearest.append(take)
            doubts.append(
                f"{PurePosixPath(take.hits[0].named.file).name} names no layer; it joined the nearest in level."
            )
    doubts += _contradictions(rows)
    return [ProposedLayer([take.proposed for take in row], row[0].hits[0].named.layer_text) for row in rows], doubts


def _mean_db(row: Sequence[_Take]) -> float:
    return float(np.mean([take.hits[0].level_db for take in row]))


def _runs_downwards(rows: Sequence[Sequence[_Take]]) -> bool:
    """Whether numbered layers fall in level as their numbers rise; words and velocities surely rise."""
    first = rows[0][0].hits[0].named
    if len(rows) < 2 or first.is_dynamic or first.is_velocity:
        return False
    means = [_mean_db(row) for row in rows]
    slope = np.corrcoef(range(len(means)), means)[0, 1] if max(means) > min(means) else 0.0
    return bool(slope < -0.5 and means[0] - means[-1] > 2.0)


def _contradictions(rows: Sequence[Sequence[_Take]]) -> list[str]:
    """Where names and sound disagree about which layer is the louder."""
    means = [_mean_db(row) for row in rows]
    return [
        f"Layer {number + 2} ({rows[number + 1][0].hits[0].named.layer_text}) sounds {means[number] - means[number + 1]:.1f} dB"
        f" softer than layer {number + 1} ({rows[number][0].hits[0].named.layer_text})."
        for number in range(len(means) - 1)
        if means[number] - means[number + 1] > CONTRADICTION_DB
    ]


# Names and kinds -------------------------------------------------------------------------------------------------------


def _kinds(groups: Sequence[Sequence[PlacedFile]]) -> list[KindGuess]:
    """The kind of each drum, by name where that says one, which is sure; else by sound."""
    named = [kind_by_name(group) for group in groups]
    drums = [[hit.measure for hit in group] for group, kind in zip(groups, named, strict=True) if kind is None]
    heard = iter(heard_as_kit(drums, [kind for kind in named if kind]))
    return [KindGuess(kind, 1.0, kind) if kind else next(heard) for kind in named]


def _is_unsure(heard: KindGuess) -> bool:
    return heard.is_second_best or heard.share < UNSURE


def _doubts(heard: KindGuess) -> list[str]:
    """What is in doubt about a kind."""
    kind, other = (BY_SLUG[slug].label for slug in (heard.kind, heard.second))
    if heard.is_second_best:
        return [f"By sound alone most like {other}, but another drum is more so; then {kind}?"]
    return [f"By sound alone: {kind}, {heard.share:.0%} sure; else {other}."] if heard.share < UNSURE else []


def _is_nameless(named: Named) -> bool:
    return not (named.pieces or named.articulations or named.others)


def unsure_name(heard: KindGuess) -> str:
    """What a drum is called that only its sound tells, and not surely: its family where that is sure, ``"Tom?"``"""
    family, label = family_of(heard.kind), BY_SLUG[heard.kind].label
    spoken = family if family != heard.kind and heard.family_share >= UNSURE else label
    return f"{spoken[:1].upper()}{spoken[1:]}?"


def kind_by_name(group: Sequence[PlacedFile]) -> str | None:
    """What the names say, or the folders; None: only the sound can tell."""
    named = group[0].named
    spoken = " ".join([*named.pieces, *named.articulations, *_piece_number(group[0])])
    if (named.pieces or named.articulations) and (slug := kind_from_name(spoken) or next(iter(named.kinds), None)):
        return "ride_bell" if slug == "ride" and "bell" in named.articulations else slug
    for word in (*named.others, *named.folder_words):
        if slug := kind_from_name(word):
            return slug
    return next((KIND_OF_ARTICULATION[how] for how in named.articulations if how in KIND_OF_ARTICULATION), None)


def _piece_number(hit: PlacedFile) -> list[str]:
    """The number of a drum: among its pad's words, or behind a tom's name where there is no other."""
    numbers = [word for word in hit.pad if word.isdecimal()]
    is_tom = any(kind.endswith("tom") for kind in hit.named.kinds)
    behind = hit.named.numbers.get((PIECE, 0)) if is_tom and not hit.take else None
    return numbers or ([str(behind)] if behind else [])


def pad_name(named: Named, kind: str) -> str:
    """``"Snare rim shot"``: the piece as it was spoken, unless that is short for something: then its kind's name."""
    spoken = named.pieces[0] if named.pieces else ""
    is_short = len(spoken.replace(" ", "")) <= 3 or any(len(word) < 3 for word in spoken.split())
    piece = "" if is_short else spoken
    if not piece and (named.pieces or not named.others):
        slug = kind if kind.endswith("hat") or not named.kinds else named.kinds[0]
        piece = BY_SLUG[slug].label if kind != "other" or named.pieces else ""
    if sorted(piece.lower().split()) == sorted(BY_SLUG[kind].label.split()):
        piece = BY_SLUG[kind].label  # "tom mid" is a mid tom
    if spoken != "rack" and [spoken] in PLAIN_TOMS and (named.others or (PIECE, 0) in named.numbers):
        piece = "tom"  # which it is say other words, or its number
    said = piece.lower().split()
    more = [word for word in named.articulations if word not in said]  # a closed hat is not "closed hat closed"
    words = [piece, *more] if named.pieces else [*named.others, *more] or [piece]
    text = " ".join(dict.fromkeys(filter(None, words))).strip()
    return text[:1].upper() + text[1:] if text else PurePosixPath(named.file).stem[:40]


def _toms_in_order(pads: Sequence[ProposedPad], groups: Sequence[Sequence[PlacedFile]]) -> None:
    """Toms against each other: by number or size in inches, the first or smallest is the high one, and the last or largest the
    low one where there are no floor toms; toms that words tell apart which no table knows go by their pitch."""
    racks, unknown = [], []
    named = {pad.kind for pad, group in zip(pads, groups, strict=True) if group[0].named.pieces[:1] not in PLAIN_TOMS}
    for pad, group in zip(pads, groups, strict=True):
        numbers = [int(word) for word in group[0].pad if word.isdecimal() and int(word) <= LARGEST_TOM]
        is_plain = group[0].named.pieces[:1] in PLAIN_TOMS
        if numbers and (is_plain or pad.kind == "high_tom"):
            racks.append((float(numbers[0]), pad))
        elif is_plain and pad.kind == "mid_tom" and group[0].named.others:
            unknown.append((-float(np.median([hit.measure.pitch_hz for hit in group])), pad))
    order = sorted({number for number, _ in racks})
    ends_low = len(order) > 2 or (order and order[0] >= SMALLEST_TOM)
    for rows, is_last_low in ((racks, ends_low and "low_tom" not in named), (unknown, "low_tom" not in named)):
        places = sorted({place for place, _ in rows})
        for place, pad in rows if len(places) > 1 else ():
            is_first = place == places[0] and (rows is racks or "high_tom" not in named)
            pad.kind = "high_tom" if is_first else "low_tom" if place == places[-1] and is_last_low else "mid_tom"


def _name_apart(pads: Sequence[ProposedPad], groups: Sequence[Sequence[PlacedFile]]) -> None:
    """Add what tells pads apart where their names are equal: their other words and numbers, else a count."""
    counts = Counter(pad.name for pad in pads)
    for pad, group in zip(pads, groups, strict=True):
        if counts[pad.name] > 1:
            spoken = set(pad.name.lower().split())
            known = {*group[0].named.kinds, *group[0].named.articulations}
            more = [word for word in group[0].pad if word not in spoken and word not in known]
            pad.name = " ".join([pad.name, *more])
    seen: Counter[str] = Counter()
    for pad in pads:
        seen[pad.name] += 1
        if seen[pad.name] > 1:
            pad.name = f"{pad.name} {seen[pad.name]}"
