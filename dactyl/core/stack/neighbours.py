"""Words that no table knows, told by their neighbours: where most words of a place are levels, the others are too.

Each rule looks at hits whose names differ in one unknown word only, and leaves that word as it is where it is in doubt.
"""

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence

import numpy as np

from dactyl.core.stack.names import END, ROMAN, Named
from dactyl.core.stack.placed import PlacedFile, grouped
from dactyl.core.stack.words import DYNAMIC_RANK, HIGH, LOW, NUMERALS

STEP_DB = 3.0  # between "low" and "high", where they are levels
LOW_RANK, HIGH_RANK = DYNAMIC_RANK["soft"], DYNAMIC_RANK["hard"]
SAME_PLACES = 0.8  # share of the hits under one word that stand under the other word too
SAME_HIT_DB = 0.35  # by how much the distance between two mics may vary from hit to hit
FEWEST_HITS = 6  # for levels alone to say so


def explain(hits: Sequence[PlacedFile]) -> None:
    """Turn unknown words of ``hits`` into numbers, levels and mics where their neighbours show what they are."""
    _numerals(hits)
    _strength_labels(hits)
    _low_and_high(hits)
    of_word, of_base = _indexed(hits)
    for word in _unknown_words(hits):
        with_word = of_word.get(word, [])
        bases = dict.fromkeys(_base(hit.named, word) for hit in with_word)
        without = [hit for base in bases for hit in of_base.get(base, []) if word not in _unknown(hit.named)]
        if with_word and _is_level(with_word, without):
            _as_level(word, with_word, without)
        elif with_word and _is_mic(with_word, without):
            _as_mic(word, with_word)
        else:
            continue
        of_word, of_base = _indexed(hits)
    _words_of_one_rank(hits)


def _indexed(hits: Sequence[PlacedFile]) -> tuple[dict[str, list[PlacedFile]], dict[tuple, list[PlacedFile]]]:
    """Hits by each of their unknown words, and by all that stands in their names."""
    of_word: dict[str, list[PlacedFile]] = defaultdict(list)
    for hit in hits:
        for word in dict.fromkeys(_unknown(hit.named)):
            of_word[word].append(hit)
    return of_word, grouped(hits, lambda hit: _base(hit.named, ""))


def _unknown(named: Named) -> list[str]:
    return [word for word in [*named.others, *named.folder_words] if word[0].isalpha() and not word.startswith("note ")]


def _unknown_words(hits: Iterable[PlacedFile]) -> list[str]:
    """The rarer first: the odd one out among known words is told before the words that many share."""
    counts = Counter(word for hit in hits for word in dict.fromkeys(_unknown(hit.named)))
    return [word for word, count in sorted(counts.items(), key=lambda pair: (pair[1], pair[0])) if count < len(hits)]


def _base(named: Named, word: str) -> tuple:
    """What stays of a name without ``word``, its level, its take and its mic."""
    rest = [other for other in (*named.others, *named.folder_words) if other != word]
    return (*named.kinds, *sorted(named.articulations), *sorted(rest))


def _drop(named: Named, word: str) -> None:
    named.others = [other for other in named.others if other != word]
    named.folder_words = [other for other in named.folder_words if other != word]


def _numerals(hits: Sequence[PlacedFile]) -> None:
    """i, ii, iii, iv and one, two, three: a number where at least two of them stand in a set."""
    written = {word for hit in hits for word in hit.named.others if word in NUMERALS}
    if len(written) < 2:
        return
    for hit in hits:
        named = hit.named
        word = next((word for word in named.others if word in NUMERALS), named.letter)
        if word in NUMERALS:
            _drop(named, word)
            named.letter = "" if word == named.letter else named.letter
            named.numbers[ROMAN, 0], named.number_texts[ROMAN, 0] = NUMERALS[word], word


def _strength_labels(hits: Sequence[PlacedFile]) -> None:
    """S1, M1, H1: "s" and "h" may label takes and "l" a layer, but not where an "m" stands in the same place."""
    for group in grouped(hits, lambda hit: _base(hit.named, "")).values():
        labels = {hit.named.label for hit in group} - {""}
        if labels and labels <= {"s", "h", "l"} and {hit.named.letter for hit in group} == {"", "m"}:
            for hit in (hit for hit in group if hit.named.label):
                named = hit.named
                labelled = "layer" if named.label == "l" else "take"
                number = int(getattr(named, labelled) or 0)
                setattr(named, labelled, None)
                named.letter = named.label
                named.numbers.setdefault((END, 0), number)
                named.number_texts.setdefault((END, 0), str(number))


def _low_and_high(hits: Sequence[PlacedFile]) -> None:
    """Levels where both words stand in one place, on the same drum by its other words, and the high is the louder."""
    for group in _groups(hits, LOW + HIGH).values():
        low, high = ([hit for hit in group if _first(hit.named, words)] for words in (LOW, HIGH))
        if not (low and high) or _mean_db(high) < _mean_db(low) + STEP_DB:
            continue
        for row, rank in ((low, LOW_RANK), (high, HIGH_RANK)):
            for hit in row:
                word = _first(hit.named, LOW + HIGH)
                _drop(hit.named, word)
                hit.named.layer, hit.named.layer_text, hit.named.is_dynamic = rank, word, True


def _groups(hits: Iterable[PlacedFile], words: Sequence[str]) -> dict[tuple, list[PlacedFile]]:
    """Hits with one of ``words`` and without another level, by what else their names say."""
    groups: dict[tuple, list[PlacedFile]] = defaultdict(list)
    for hit in hits:
        word = _first(hit.named, words)
        if word and hit.named.layer is None:
            groups[_base(hit.named, word)].append(hit)
    return groups


def _first(named: Named, words: Sequence[str]) -> str:
    return next((word for word in _unknown(named) if word in words), "")


def _mean_db(hits: Sequence[PlacedFile]) -> float:
    return float(np.mean([hit.level_db for hit in hits]))


# Levels ---------------------------------------------------------------------------------------------------------------


def _is_level(with_word: Sequence[PlacedFile], without: Sequence[PlacedFile]) -> bool:
    """A word in the place of ``soft`` and ``hard``, on about as many recordings as each of them, as level as they are."""
    if any(hit.named.layer is not None for hit in with_word):
        return False
    ranks = _by_rank(without)
    if len(ranks) < 2 or not all(hit.named.is_dynamic for hit in without):
        return False
    usual = np.median([len(row) for row in ranks.values()])
    widest = max(float(np.ptp([hit.level_db for hit in row])) for row in ranks.values())
    own = float(np.ptp([hit.level_db for hit in with_word]))
    return usual / 2 <= len(with_word) <= 2 * usual and own <= max(2 * widest, 3.0)


def _by_rank(hits: Iterable[PlacedFile]) -> dict[float, list[PlacedFile]]:
    return grouped((hit for hit in hits if hit.named.layer is not None), lambda hit: hit.named.layer)


def _as_level(word: str, with_word: Sequence[PlacedFile], without: Sequence[PlacedFile]) -> None:
    """Its rank is told by its loudness among the others."""
    known = sorted((float(np.mean([hit.level_db for hit in row])), rank) for rank, row in _by_rank(without).items())
    level_db = float(np.mean([hit.level_db for hit in with_word]))
    levels, ranks = [level for level, _ in known], [rank for _, rank in known]
    if level_db <= levels[0]:
        rank = min(ranks) - 1
    elif level_db >= levels[-1]:
        rank = max(ranks) + 1
    else:
        rank = float(np.interp(level_db, levels, ranks))
    rank += 1e-3 * (rank in ranks)
    for hit in with_word:
        _drop(hit.named, word)
        hit.named.layer, hit.named.layer_text, hit.named.is_dynamic = rank, word, True


def _words_of_one_rank(hits: Sequence[PlacedFile]) -> None:
    """``hard`` and ``loud`` mean the same, but not where both name the same take: then the louder is the louder."""
    for group in grouped(hits, lambda hit: _base(hit.named, "")).values():
        for rank, row in _by_rank(hit for hit in group if hit.named.is_dynamic).items():
            words = grouped(row, lambda hit: hit.named.layer_text)
            places = [{(tuple(hit.named.mics), _place(hit.named)) for hit in own} for own in words.values()]
            if len(words) < 2 or not set.intersection(*places):
                continue
            for order, own in enumerate(sorted(words.values(), key=_mean_db)):
                for hit in own:
                    hit.named.layer = rank + 0.01 * order


# Mics -----------------------------------------------------------------------------------------------------------------


def _place(named: Named) -> tuple:
    """Which hit a name means, whatever mic heard it."""
    return named.layer, named.take, named.letter, tuple(sorted(named.numbers.items()))


def _is_mic(with_word: Sequence[PlacedFile], without: Sequence[PlacedFile]) -> bool:
    """A word in the place of a mic: the same hits stand under it as under a known mic."""
    if any(hit.named.mics or hit.named.weak_mics for hit in with_word):
        return False
    known = {(_base(hit.named, ""), _place(hit.named)) for hit in without if hit.named.mics or hit.named.weak_mics}
    words = {word for hit in with_word for word in _unknown(hit.named)}
    own = {(_base(hit.named, word), _place(hit.named)) for hit in with_word for word in words}
    return len(known & own) >= SAME_PLACES * max(1, len(with_word), len(known))


def _as_mic(word: str, hits: Sequence[PlacedFile]) -> None:
    for hit in hits:
        _drop(hit.named, word)
        hit.named.mics.append(word)
