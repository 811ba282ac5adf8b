"""Names that carry no meaning, and numbers that are drums: told before any rule about names is used.

A name says something where a word of the tables stands in it, or where it shares a word with its neighbours. One that does
neither is no name: sound decides. In a set where next to nothing is shared, a short word of the tables is chance.
"""

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from os.path import commonprefix
from pathlib import PurePosixPath

import numpy as np

from dactyl.core.audio.measure import Measure
from dactyl.core.audio.timbre import BANDS, EDGES_MS
from dactyl.core.kinds import BY_SLUG, OF_NOTE
from dactyl.core.stack.cluster import layers_by_level
from dactyl.core.stack.hearing import family_of
from dactyl.core.stack.kind import kind_from_sound
from dactyl.core.stack.names import LEAD, Named, known_words, parts_of, read_name
from dactyl.core.stack.placed import PlacedFile, grouped
from dactyl.core.stack.words import NOISE, tokens

FEWEST = 4  # files, before a set is said to have no pattern
SHORT = 3  # letters of a word that may be chance
SHARED = 0.3  # of the files that must share words, for names to have a pattern
AGREES = 0.5  # share of the numbers whose drum sounds like what the number says
NAMED = 0.6  # of the files whose rest must name a drum, for the words before it to be the kit's
STEADY, LATE_MS = 0.25, 500  # of the greatest power, still there so late
MOST_COUNTED = 12  # values of a number that layers, takes or pads have
_COUNTER = re.compile(r"([^\W\d_]*)[\s_.\-–]*(\d+)(?:[\s_.\-–]++|(?=[^\w\s.]))[^\w]*+(?=\w)")
_WORD_END = re.compile(r"[\s_.\-–]+")


def without_kit_name(files: Sequence[str]) -> dict[str, str]:
    """The files under names without the words that all of them begin with: those are the kit's, where the rest names drums."""
    stems = [PurePosixPath(file.replace("\\", "/")).stem for file in files]
    shared = commonprefix([stem.lower() for stem in stems])
    shared = shared[: max((at.end() for at in _WORD_END.finditer(shared)), default=0)]
    rest = [set(kinds) for stem in stems if (kinds := read_name(stem[len(shared) :]).kinds)]
    if not shared or len(files) < FEWEST or len(rest) < NAMED * len(files) or len(set(map(frozenset, rest))) < 2:
        return {file: file for file in files}
    return {file: file[: -len(PurePosixPath(file).name)] + PurePosixPath(file).name[len(shared) :] for file in files}


def without_title(spoken: Mapping[str, str]) -> dict[str, str]:
    """Names without the folder that all of them are in, where its title says of all what the names say of some: how a drum is
    struck, or which microphone heard it. The title is only what the set is called by."""
    paths = {file: PurePosixPath(text.replace("\\", "/")) for file, text in spoken.items()}
    if len({path.parent for path in paths.values()}) != 1 or len(spoken) < FEWEST:
        return dict(spoken)
    title = read_name(f"{next(iter(paths.values())).parent.name}.wav")
    words = {*title.kinds, *title.articulations, *title.mics, *title.weak_mics}
    if not words:
        return dict(spoken)
    read = [read_name(path.name) for path in paths.values()]
    said = [words & {*one.kinds, *one.articulations, *one.mics, *one.weak_mics} for one in read]
    if not any(said) or all(said):
        return dict(spoken)
    return {file: str(path.parent.parent / path.name) for file, path in paths.items()}


def without_counters(spoken: Mapping[str, str]) -> dict[str, str]:
    """Names without the number that some recorder put before each of them, with its word: what tells the names apart is
    the rest. Where the rest doesn't, the number says something."""
    begins: dict[str, dict[str, tuple[int, str]]] = {}
    for file, text in spoken.items():
        name = PurePosixPath(text.replace("\\", "/")).name
        if found := _COUNTER.match(name):
            rest = text[: len(text) - len(name)] + name[found.end() :]
            begins.setdefault(found[1].lower(), {})[file] = int(found[2][:9]), rest
    result = dict(spoken)
    for counted in begins.values():
        numbers = {number for number, _ in counted.values()}
        left = {text for _, text in counted.values()}
        if len(counted) == len(spoken) and len(numbers) > MOST_COUNTED and len(left) == len(counted):
            result |= {file: text for file, (_, text) in counted.items()}
    return result


def is_noise(measure: Measure) -> bool:
    """Whether a sound is as loud after half a second as when it begins: no drum is."""
    if not measure.timbre:
        return False
    windows = np.array(measure.timbre[: (len(EDGES_MS) - 1) * BANDS]).reshape(-1, BANDS)
    power = (10 ** (2 * windows)).sum(axis=1)
    late = next(number for number, begin in enumerate(EDGES_MS) if begin >= LATE_MS)
    return bool(power[late] > STEADY * power.max())


def words_of_drums(hits: Sequence[PlacedFile]) -> dict[str, str]:
    """Words for a strength that are a part of their drum's name, as in "Hard Kick v1": all its files have the same, and are
    of several strengths by their sound. By file."""
    drums = grouped(hits, lambda hit: tuple(map(tuple, (hit.named.pieces, hit.named.articulations, hit.named.others))))
    found = {}
    for own in drums.values():
        said = {hit.named.layer_text if hit.named.is_dynamic else "" for hit in own}
        if len(own) < FEWEST or len(said) > 1 or "" in said:
            continue
        if len(layers_by_level([hit.level_db for hit in own])) > 1:
            found |= dict.fromkeys((hit.named.file for hit in own), said.pop())
    return found


def forget_meaningless(hits: Sequence[PlacedFile]) -> None:
    """Take the words and numbers out of names that say nothing."""
    written = [_words(hit.named.file) for hit in hits]
    counts = Counter(word for words in written for word in words)
    most = max(2, SHARED * len(hits))
    shared = [any(counts[word] > 1 if len(word) > 1 else counts[word] >= most for word in words) for words in written]
    known = [_is_known(hit.named) for hit in hits]
    has_pattern = len(hits) < FEWEST or sum(shared) >= SHARED * len(hits) or sum(known) >= SHARED * len(hits)
    nameless = []
    for hit, words, is_shared, is_known in zip(hits, written, shared, known, strict=True):
        by_chance = not has_pattern and _longest_known(words) <= SHORT
        if words and (not is_known or by_chance) and (not is_shared or not has_pattern):
            nameless.append(hit)
    if len(nameless) > 1:
        for hit in nameless:
            folders = hit.named.folder_words
            hit.named = Named(hit.named.file, folder_words=folders)


def _words(file: str) -> set[str]:
    """The words of the name itself, without those that stand in any name."""
    stem = PurePosixPath(file.replace("\\", "/")).stem
    return {token.text for token in tokens(stem) if not token.is_number and token.text not in NOISE}


def _longest_known(words: Iterable[str]) -> int:
    """Letters of the longest word that a table knows, as it stands in the name."""
    return max((len(part) for word in words for part in parts_of(word) if part in known_words()), default=0)


def _is_known(named: Named) -> bool:
    return bool(named.kinds or named.articulations or named.is_dynamic or named.mics)


def drums_by_number(hits: Sequence[PlacedFile]) -> None:
    """A lone number that is a standard drum note gives the kind, where the sounds of the set agree with their numbers."""
    alone = [(hit, number) for hit in hits if (number := _lone_number(hit.named)) in OF_NOTE]
    if len({number for _, number in alone}) < 3:
        return
    agreeing = sum(family_of(OF_NOTE[number]) == family_of(kind_from_sound(hit.measure)) for hit, number in alone)
    if agreeing < AGREES * len(alone):
        return
    for hit, number in alone:
        slug = OF_NOTE[number]
        hit.named.kinds, hit.named.pieces = [slug], [BY_SLUG[slug].label]
        hit.named.others.append(f"note {number}")
        for slot in [slot for slot, value in hit.named.numbers.items() if value == number][:1]:
            del hit.named.numbers[slot], hit.named.number_texts[slot]


def _lone_number(named: Named) -> int | None:
    """The number in front of a name that has no word of the tables, or the only one it has."""
    if named.kinds or named.articulations or named.others:
        return None
    if (LEAD, 0) in named.numbers:
        return named.numbers[LEAD, 0]
    is_alone = len(named.numbers) == 1 and named.layer is None and named.take is None
    return next(iter(named.numbers.values())) if is_alone else None
