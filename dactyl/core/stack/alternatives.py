"""Words that stand for each other: which of them change what is heard, and how, whatever they mean and whatever language.

Two words are alternatives where one in the place of the other makes the names of other files: "lewy" and "prawy" in a set
where each hit is there under both. What the exchange changes in the sound tells what the words are: nothing, and they count
takes; the loudness alone, in one order for every drum, and they are layers; a distance in level that stays from hit to hit,
and they are microphones; else they tell drums apart, and stay where they are. What counts, or hears, stands at most drums of a
set; what stands at one of many tells it from another.
"""

import itertools
from collections import Counter, defaultdict
from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from dactyl.core.stack.hearing import alike
from dactyl.core.stack.names import PIECE, ROMAN, Named
from dactyl.core.stack.placed import PlacedFile, grouped
from dactyl.core.stack.words import IN_PAIRS, MIC_LETTERS, MIC_OF

CROSSED = 0.75  # of the names of the rarer word that must be there with the other word too
FEWEST_PAIRS, MOST_WORDS, MOST_COLUMNS = 3, 64, 4
SMALL_STEP_DB = 1.6  # between hits of one layer
GO_TOGETHER = 0.8  # correlation of such steps, where two microphones heard them
FEWEST_STEPS, ALWAYS_APART_DB = 5, 0.05
SAME_DISTANCE_DB, MIC_DISTANCE_DB = (
    0.7,
    2.5,
)  # by which two mics' distance may vary from hit to hit: unknown words, and known
ANOTHER_DRUM = 8.0  # in the space of hearing.alike, where hits of one drum lie about one apart in each direction
NOISE_HZ = 6000.0  # where no timbre is known: above it pitches are alike
OCTAVES = (60.0, 12.0, 18.0)  # there: what one of pitch, brightness and decay counts; the second changes with force
LAYER_STEP_DB, LAYER_ORDERED = 1.5, 0.85  # between layers on the mean, and the share of drums and steps that rise
TAKE_DB = 1.5  # on the mean between two words that count takes
# Where the order of loudness alone tells layers, whatever else differs: steps, of two words alone, share that rises, drums.
SURE_STEP_DB, SURE_PAIR_DB, SURELY_ORDERED, SURE_DRUMS = 3.0, 6.0, 0.95, 3
LETTER, SIDE, MIC, STRENGTH, STRUCK, NONE = "letter ", "side ", "mic ", "strength ", "struck ", ""


SIDE_MICS = {"l": "left", "r": "right"}


@dataclass(frozen=True)
class Column:
    """Words that stand for each other."""

    words: tuple[str, ...]
    cells: tuple[dict[str, PlacedFile], ...]  # hits whose names differ in this word alone

    @property
    def drums(self) -> set[tuple]:
        return {_drum(next(iter(cell.values())), self.words) for cell in self.cells}

    def has(self, mark: str) -> bool:
        """Whether tables know one of its words: STRENGTH, or STRUCK."""
        return any(word.startswith(mark) for word in self.words)


def tell_alternatives(hits: Sequence[PlacedFile]) -> None:
    """Give layers, takes and mics that only unknown words tell; the column that crosses most names first."""
    for _ in range(MOST_COLUMNS):
        columns = [column for column in _columns(hits) if _may_count(column, hits)]
        found = [(column, role) for column in columns if (role := _role(column)) and not _are_some(column, role, hits)]
        if not found:
            return
        column, role = found[0]
        wordless = {id(cell[NONE]) for cell in column.cells if NONE in cell and role == "layer"}
        numbers = {word: number for number, word in enumerate(_in_order(column, role))}
        for hit in hits:
            for word in [word for word in _words(hit.named) if word in numbers]:
                _give(hit.named, word, role, numbers[word])
            if id(hit) in wordless:
                _give(hit.named, NONE, role, numbers[NONE])


def _may_count(column: Column, hits: Sequence[PlacedFile]) -> bool:
    """Whether its words stand at most drums of the set, and do more than say again what tables know."""
    drums = len({_drum(hit, column.words) for hit in hits})
    if column.has(STRUCK):
        if not column.has(STRENGTH) or len(column.drums) < SURE_DRUMS:
            return False
    elif all(word.startswith(STRENGTH) or word == NONE for word in column.words):
        return False
    return drums < 3 or 2 * len(column.drums) > drums


def _are_some(column: Column, role: str, hits: Sequence[PlacedFile]) -> bool:
    """Whether words are some of a drum's strengths, of which tables know the others: those are told by ``neighbours``."""
    if role != "layer":
        return False
    others = (hit for hit in hits if hit.named.layer is not None and _drum(hit, column.words) in column.drums)
    return any(not set(column.words) & set(_words(hit.named)) for hit in others)


def _words(named: Named) -> list[str]:
    """Words of a name that no table knows, or that may be mics, and its lone letter and side."""
    known = [word for word in dict.fromkeys((*named.others, *named.folder_words)) if not word.startswith("note ")]
    is_sided = named.side in ("l", "r") and not any(mic.endswith((" left", " right")) for mic in named.mics)
    marks = [LETTER + named.letter] * bool(named.letter) + [SIDE + named.side] * is_sided
    marks += [_strength(named)] if _has_strength(named) else []
    marks += [STRUCK + one for one in named.articulations[:1] if len(named.articulations) == 1]
    return known + marks + [MIC + mic for mic in named.weak_mics]


def _has_strength(named: Named) -> bool:
    """A word for how hard: it stands for itself in a column, beside words that no table knows."""
    return named.is_dynamic and bool(named.layer_text)


def _strength(named: Named) -> str:
    """With its rank: "very soft" and "very hard" begin alike."""
    return f"{STRENGTH}{named.layer:g} {named.layer_text}"


def _rest(named: Named, words: Iterable[str]) -> tuple:
    """All that a name says besides its words of ``_words``."""
    return (
        tuple(named.kinds), tuple(sorted(named.articulations[1:] and named.articulations)), tuple(sorted(words)),
        None if _has_strength(named) else named.layer, named.take, named.hand, named.copy,
        tuple(named.mics), tuple(sorted(named.numbers.items())),
    )  # fmt: skip


def _columns(hits: Sequence[PlacedFile]) -> list[Column]:
    """Every set of words that stand for each other, those first that cross most names."""
    cells: dict[tuple, dict[str, PlacedFile]] = defaultdict(dict)
    counts: Counter[str] = Counter()
    for hit in hits:
        own = _words(hit.named)
        counts.update(own)
        for word in own:
            cells[_rest(hit.named, (other for other in own if other != word))][word] = hit
        cells[_rest(hit.named, own)][NONE] = hit
    crossed: Counter[tuple[str, str]] = Counter()
    bare: Counter[str] = Counter()
    for cell in cells.values():
        row = sorted(word for word in cell if word != NONE)
        bare.update(row if NONE in cell else ())
        if len(row) > MOST_WORDS:
            continue  # a word for each file: names of drums
        crossed.update((one, other) for n, one in enumerate(row) for other in row[n + 1 :])
    home = {word: word for word in counts}

    def root(word: str) -> str:
        while home[word] != word:
            word = home[word]
        return word

    for (one, other), times in crossed.items():
        if times >= max(FEWEST_PAIRS, CROSSED * min(counts[one], counts[other])):
            home[root(one)] = root(other)
    sets: dict[str, list[str]] = defaultdict(list)
    for word in counts:
        sets[root(word)].append(word)
    columns = []
    for words in sets.values():
        if all(bare[word] >= max(FEWEST_PAIRS, CROSSED * counts[word]) for word in words):
            words.append(NONE)
        if len(words) > 1:
            own = set(words)
            kept = [{word: hit for word, hit in cell.items() if word in own} for cell in cells.values()]
            columns.append(Column(tuple(sorted(words)), tuple(cell for cell in kept if len(cell) > 1)))
    return sorted(columns, key=lambda column: -sum(map(len, column.cells)))


# What a column is -----------------------------------------------------------------------------------------------------


def _role(column: Column) -> str:
    """ "mic", "layer", "take", or nothing where its words tell drums apart, or too little shows what they are."""
    is_known = column.has(STRENGTH) or column.has(STRUCK)  # such words are layers, or stay what tables say
    if not is_known and _may_be_mics(column) and _are_mics(column):
        return "mic"
    if _are_surely_layers(column):
        return "layer"
    if _differ(column) or column.has(STRUCK):
        return ""
    if _are_layers(column):
        return "layer"
    return "take" if not is_known and _are_takes(column) else ""


def _may_be_mics(column: Column) -> bool:
    """Sides are halves of a pair where the microphones are said, and letters what they begin."""
    marks = {word.removeprefix(LETTER).removeprefix(SIDE) for word in column.words if word.startswith((LETTER, SIDE))}
    if any(word.startswith(LETTER) for word in column.words):
        return marks <= set(MIC_LETTERS)
    sided = [hit.named for cell in column.cells for word, hit in cell.items() if word.startswith(SIDE)]
    return all(named.mics and named.mics[0] in IN_PAIRS for named in sided) or _are_as_long(column)


def _are_as_long(column: Column) -> bool:
    """Whether files of one hit are of one length to the frame, and those of others are not: one performance, heard twice."""
    lengths = [{hit.frames for hit in cell.values()} for cell in column.cells]
    if any(len(own) > 1 for own in lengths) or len(lengths) < FEWEST_PAIRS:
        return False
    return 0 not in lengths[0] and len(set().union(*lengths)) > CROSSED * len(lengths)


def _are_mics(column: Column) -> bool:
    """Whether the same performance is heard under every word: small steps from hit to hit are the same under both."""
    if _are_as_long(column):
        return True
    first = column.words[0]
    is_known = any(word in MIC_OF or word.startswith(MIC) for word in column.words)
    for other in column.words[1:]:
        rows: dict[tuple, list[tuple[float, float]]] = defaultdict(list)
        for cell in column.cells:
            if first in cell and other in cell:
                rows[_drum(cell[first], column.words)].append((cell[first].level_db, cell[other].level_db))
        if sum(map(len, rows.values())) < FEWEST_PAIRS:
            return False
        by_drum = [np.array(sorted(own)) for own in rows.values()]
        apart = np.concatenate(
            [levels[:, 0] - levels[:, 1] - np.mean(levels[:, 0] - levels[:, 1]) for levels in by_drum]
        )
        steps = np.concatenate([np.diff(levels, axis=0) for levels in by_drum])
        if np.std(apart) > (MIC_DISTANCE_DB if is_known else SAME_DISTANCE_DB):
            return False
        if (
            not is_known
            and np.std(apart) > ALWAYS_APART_DB
            and not _go_together(steps[np.abs(steps[:, 0]) < SMALL_STEP_DB])
        ):
            return False
    return True


def _go_together(steps: np.ndarray) -> bool:
    """Whether hits that are nearly as loud as each other differ alike under two words. steps : (n, 2), dB"""
    if len(steps) < FEWEST_STEPS or np.std(steps, axis=0).min() < 1e-6:
        return False
    return bool(np.corrcoef(steps.T)[0, 1] >= GO_TOGETHER)


def _drum(hit: PlacedFile, words: Sequence[str] = ()) -> tuple:
    """words : of a column: they don't tell drums apart"""
    named = hit.named
    struck = sorted(one for one in named.articulations if STRUCK + one not in words)
    side = named.side if SIDE + named.side not in words else ""
    is_tom = any(kind.endswith("tom") for kind in named.kinds)
    return (*named.kinds, *struck, side, named.numbers.get((PIECE, 0)) if is_tom else None)


def _differ(column: Column) -> bool:
    """Whether the sound changes with the word, beyond what strength explains: from each to the next louder one."""
    means = _levels(column)
    for one, other in itertools.pairwise(sorted(means, key=lambda word: means[word])):
        drums: dict[tuple, list[np.ndarray]] = defaultdict(list)
        for cell in column.cells:
            if one in cell and other in cell:
                drums[_drum(cell[one], column.words)].append(_place(cell[one]) - _place(cell[other]))
        shifts = [np.linalg.norm(np.mean(rows, axis=0)) for rows in drums.values()]
        if shifts and np.median(shifts) > ANOTHER_DRUM:
            return True
    return False


def are_drums(hits: Sequence[PlacedFile], labels: Sequence[Hashable]) -> bool:
    """Whether what the labels part sounds like different drums: all with timbres."""
    places = alike(np.array([hit.measure.timbre for hit in hits]))
    rows = [
        np.array([place for _, place in row])
        for row in grouped(zip(labels, places, strict=True), lambda pair: pair[0]).values()
    ]
    means = [row.mean(axis=0) for row in rows]
    apart = [np.linalg.norm(one - other) for n, one in enumerate(means) for other in means[n + 1 :]]
    inside = sum(float(np.square(row - mean).sum()) for row, mean in zip(rows, means, strict=True))
    is_told = inside < 0.5 * float(np.square(places - places.mean(axis=0)).sum())
    return bool(apart) and is_told and float(np.median(apart)) > ANOTHER_DRUM


def _place(hit: PlacedFile) -> np.ndarray:
    """Where a hit lies in the space of drums, as nearly as it is known."""
    measure = hit.measure
    if measure.timbre:
        return alike(np.array([measure.timbre]))[0]
    pitch = np.log2(max(measure.pitch_hz, 20.0)) if measure.pitch_hz < NOISE_HZ else np.log2(NOISE_HZ)
    bright, decay = np.log2(max(measure.brightness_hz, 20.0)), np.log2(max(measure.decay_seconds, 0.01))
    return np.array(OCTAVES) * [pitch, bright, decay]


def _are_layers(column: Column) -> bool:
    step_db, rising = _staircase(column)
    return step_db >= LAYER_STEP_DB and rising >= LAYER_ORDERED and (len(column.words) > 2 or len(column.drums) > 1)


def _are_surely_layers(column: Column) -> bool:
    """Whether loudness rises in one order, plainly and for several drums: a soft stroke may sound as unlike a hard one as another
    drum does. Words for how hard that stand among them must come in their own order."""
    step_db, rising = _staircase(column)
    if step_db < SURE_STEP_DB or rising < SURELY_ORDERED:
        return False
    ranks = {_strength(n): n.layer for cell in column.cells for hit in cell.values() if _has_strength(n := hit.named)}
    known = [ranks[word] for word in _in_order(column, "layer") if word.startswith(STRENGTH)]
    if known != sorted(known):
        return False
    if len(column.words) > 2:
        return len(column.drums) >= SURE_DRUMS - bool(known)
    return len(column.drums) >= SURE_DRUMS and step_db >= SURE_PAIR_DB


def _staircase(column: Column) -> tuple[float, float]:
    """The least step between words in the order of their loudness, in dB, and the share of single steps that rise with it."""
    means, order = _levels(column), _in_order(column, "layer")
    rising = total = 0
    for cell in column.cells:
        own = [cell[word].level_db for word in order if word in cell]
        rising, total = rising + sum(np.diff(own) > 0), total + len(own) - 1
    return min((means[two] - means[one] for one, two in itertools.pairwise(order)), default=0.0), rising / max(1, total)


def _are_takes(column: Column) -> bool:
    means = list(_levels(column).values())
    return max(means) - min(means) < TAKE_DB


def _levels(column: Column) -> dict[str, float]:
    """Of each word, against the other words of the same names."""
    rows: dict[str, list[float]] = defaultdict(list)
    for cell in column.cells:
        usual = float(np.mean([hit.level_db for hit in cell.values()]))
        for word, hit in cell.items():
            rows[word].append(hit.level_db - usual)
    return {word: float(np.mean(own)) for word, own in rows.items()}


def _in_order(column: Column, role: str) -> list[str]:
    means = _levels(column)
    return sorted(column.words, key=lambda word: means[word]) if role == "layer" else list(column.words)


def _give(named: Named, word: str, role: str, number: int) -> None:
    is_strength = word.startswith(STRENGTH)
    text = named.layer_text if is_strength else word
    for mark in (LETTER, SIDE, MIC, STRUCK):
        text = text.removeprefix(mark)
    named.weak_mics = [mic for mic in named.weak_mics if MIC + mic != word]
    if word.startswith(LETTER):
        named.letter = ""
    elif word.startswith(SIDE):
        named.side = ""
    named.articulations = [one for one in named.articulations if STRUCK + one != word]
    named.others = [other for other in named.others if other != word]
    named.folder_words = [other for other in named.folder_words if other != word]
    if role == "mic" and word.startswith(SIDE) and named.mics:
        named.mics[0] = f"{named.mics[0]} {SIDE_MICS[text]}"
    elif role == "mic":
        named.mics.append(SIDE_MICS.get(text) or MIC_LETTERS[text] if word.startswith((LETTER, SIDE)) else text)
    elif role == "layer" and (named.layer is None or is_strength):
        named.layer, named.layer_text, named.is_dynamic = float(number), text, True
    else:
        slot = (ROMAN, 1 + sum(kind == ROMAN for kind, _ in named.numbers))
        named.numbers[slot], named.number_texts[slot] = number + 1, text
