"""What one name, with the folders it lies in, says by itself: words recognised by the tables in words.py.

What a number without a label means can only be told among its neighbours: roles.py.
"""

import re
from collections.abc import Iterable, Sequence, Set
from dataclasses import dataclass, field
from functools import cache, lru_cache
from itertools import pairwise, zip_longest
from pathlib import PurePosixPath

from dactyl.core.kinds import KINDS
from dactyl.core.stack.words import (
    ARTICULATION_OF,
    COPIES,
    DYNAMIC_RANK,
    HANDS,
    HIGH,
    IN_PAIRS,
    LAYER_LABELS,
    LOW,
    MIC_LABELS,
    MIC_OF,
    NOISE,
    NOTE_LABELS,
    NUMERALS,
    PLAIN_MICS,
    SIDES,
    SIZES,
    TAKE_LABELS,
    WEAK_MICS,
    Token,
    tokens,
)

_SHORT_LABELS = frozenset({"v", "l", "r", "t", "n", "x", "s", "h", "no", "nr"})  # need their number right behind them
_GLUED_LABEL = re.compile("(?:vel|rr|[vlr])$")
LONG_WORD = 4  # letters
SHORTEST_ABBREVIATION = 4  # letters of a piece without its vowels
LONGEST_PARTED = 80  # letters run together, in which words are looked for
IN_OTHER_WORDS = frozenset(
    {"ride", "rack", "hats", "toms", "tamb", "ltom", "htom", "mtom", "caja", "palma", "skarp"}
)  # stride, track, that's, bottoms
_RANGE = re.compile(r"(?<![\d.])(\d{1,3})-(\d{1,3})(?!\d|\.\d)")
_HAT_LETTER = re.compile(r"(?<![a-z])(?:hh|hats?|hi[ _-]?hats?)[ _.-]?([cop])(?![a-z])", re.IGNORECASE)
_LEFT_OF_DIR = re.compile(r"(?<![^\W\d_])(?:esq|izq)(?![^\W\d_])", re.IGNORECASE)
_TOMS = ("tom", "том", "puka")
HAT_LETTERS = {"c": "closed", "o": "open", "p": "pedal"}
_NOTE_LETTER = re.compile("[a-g](?:#|♯|b|s)?")
FOLDER, LEAD, PIECE, END, ROMAN = "folder", "lead", "piece", "end", "roman"
UNKNOWN = "unknown"  # behind a word that no table knows, until the whole name is read
Slot = tuple[str, int]
"""Where a number without a label stands: alone in a folder (0 is the nearest), before all words, behind the piece's word, or
counted from the end."""


@dataclass(slots=True)
class Named:
    """One file's name, read word by word."""

    file: str
    pieces: list[str] = field(default_factory=list)  # kinds, as spoken: ["floor tom"]
    kinds: list[str] = field(default_factory=list)
    articulations: list[str] = field(default_factory=list)
    others: list[str] = field(default_factory=list)  # words of the name that no table knows
    folder_words: list[str] = field(default_factory=list)  # the same for its folders, the nearest last
    layer: float | None = None  # a labelled layer or velocity, or the rank of a dynamic
    layer_text: str = ""
    is_velocity: bool = False  # the layer is a velocity: it surely rises with force
    is_dynamic: bool = False
    take: int | None = None
    label: str = ""  # the single letter that labelled the layer or the take, where it was s, h or l
    mics: list[str] = field(default_factory=list)
    weak_mics: list[str] = field(default_factory=list)  # words that may be mics
    side: str = ""  # "l" or "r"
    side_of_next_mic: str = ""  # the same of the mic whose word follows
    is_side_of_mic: bool = False  # it stands beside a mic of which there are pairs
    hand: str = ""  # the same of the hand that struck
    copy: int = 0  # of a file that an editor copied
    letter: str = ""  # a single letter that means nothing by itself: a take, a strength, one of two drums
    numbers: dict[Slot, int] = field(default_factory=dict)
    number_texts: dict[Slot, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Manner:
    """What only the names of a set together show."""

    ranges: bool = False  # two numbers joined by a hyphen are a range of velocities
    hat_letters: bool = False  # a lone c, o or p behind a hat says how it is played
    letters: bool = False  # lone letters count something: "c" says nothing of a hat beside "b" and "d"
    everywhere: frozenset[str] = frozenset()  # letters that stand in every name and say nothing
    strengths: frozenset[str] = frozenset()  # words that say how hard beside drums that are no toms
    lettered: frozenset[str] = frozenset()  # words with a letter behind them that counts: "kicka", "kickb"
    dir_is_right: bool = False  # beside "esq" or "izq"
    no_strength: str = ""  # a word for a strength that is a part of a drum's name here: "Hard Kick"


def manner_of(files: Sequence[str]) -> Manner:
    letters = {found.lower() for file in files for found in _HAT_LETTER.findall(file)}
    alone = [_lone_letters(file) for file in files]
    written = [[token.text for token in tokens(file)] for file in files]
    strengths = frozenset(word for words in written for word in _strengths(words))
    everywhere = frozenset.intersection(*alone) if len(alone) > 1 else frozenset()
    counted = frozenset.union(*alone, frozenset()) - everywhere
    return Manner(
        _have_ranges(files),
        {"c", "o"} <= letters,
        letters={"a", "b", "c"} <= counted,
        everywhere=everywhere,
        strengths=strengths,
        lettered=_lettered({word for words in written for word in words}),
        dir_is_right=any(_LEFT_OF_DIR.search(file) for file in files),
    )


def _lettered(words: Set[str]) -> frozenset[str]:
    """Words that are a drum's or a code's with one letter more, where others have the next letters: a and b at least."""
    begun = [word[:-1] for word in words if word[-1:] == "a" and word[:-1] + "b" in words]
    known = {word for word in begun if word in _single_words()}
    return frozenset(word for word in words if word[:-1] in known and word not in known_words())


def _lone_letters(file: str) -> frozenset[str]:
    stem = PurePosixPath(file.replace("\\", "/")).stem
    return frozenset(token.text for token in tokens(stem) if len(token.text) == 1 and token.text.isalpha())


def _strengths(words: Sequence[str]) -> list[str]:
    """Words for a strength of a name that names no tom: there they can't be the middle one."""
    if any(mark in word for word in words for mark in _TOMS):
        return []
    slugs = {slug for word in words for phrase, slug in _phrases_from().get(word, ()) if len(phrase) == 1}
    has_one_pitch = bool(slugs & {"kick", "snare"})  # a low and a high one are soft and loud
    return [word for word in words if word in DYNAMIC_RANK or has_one_pitch and word in LOW + HIGH]


def _have_ranges(files: Iterable[str]) -> bool:
    """Whether 1-32, 33-64 ... 97-127 stand in these names: ranges that cover the velocities without gap or overlap."""
    found = {(int(low), int(high)) for file in files for low, high in _RANGE.findall(file)}
    ranges = sorted((low, high) for low, high in found if low < high)
    touches = all(high + 1 == low for (_, high), (low, _) in pairwise(ranges))
    return len(ranges) > 1 and ranges[0][0] <= 1 and ranges[-1][1] == 127 and touches


def read_name(file: str, manner: Manner = Manner()) -> Named:
    """Read ``file``, a path with either slash; only what it says, nothing of how it sounds."""
    text = _RANGE.sub(r" vel \2 ", file) if manner.ranges else file
    if manner.hat_letters:
        text = _HAT_LETTER.sub(lambda found: f"hat {HAT_LETTERS[found[1].lower()]} ", text)
    named = Named(file)
    path = PurePosixPath(text.replace("\\", "/"))
    depths = range(len(path.parts) - 2, -1, -1)
    for depth, folder in zip(depths, path.parts[:-1], strict=True):  # the name last: what is nearer tells more
        row = _unglued(_parted(folder, manner))
        if folder not in ("/", ".", ".."):
            _read(named, row, manner, depth)
    _read(named, _unglued(_parted(path.stem, manner)), manner)
    is_bare = not (named.pieces or named.others or named.articulations)
    if is_bare and "overhead" in named.mics and "oh" in _texts(tokens(path.stem)):
        named.pieces, named.kinds, named.mics = ["oh"], ["open_hat"], [mic for mic in named.mics if mic != "overhead"]
    return named


def _parted(text: str, manner: Manner) -> list[Token]:
    row = []
    for token in tokens(text):
        if token.text in manner.lettered:
            row += [Token(token.text[:-1], token.is_glued), Token(token.text[-1], True)]
        else:
            row.append(token)
    return row


def _read(named: Named, row: list[Token], manner: Manner, depth: int | None = None) -> None:
    """depth : of a folder, 0 for the nearest; None for the name itself"""
    is_folder, above = depth is not None, list(named.kinds)
    unlabelled: list[tuple[str, Token]] = []
    at = 0
    while at < len(row):
        step = _code(named, row, at, is_folder) or _size(named, row, at) or _labelled(named, row, at)
        step = step or _hand(named, row, at) or (not is_folder and _copy(named, row, at))
        if not step:
            step = _piece(named, row, at, above, manner)
            if step and at + step < len(row) and row[at + step].is_number and not _size(Named(""), row, at + step):
                if is_folder:
                    named.others.append(row[at + step].text)
                else:
                    unlabelled.append((PIECE, row[at + step]))
                step += 1
        step = (
            step
            or (not is_folder and _model(named, row, at))
            or _articulation(named, row, at)
            or (not (manner.dir_is_right and row[at].text == "dir") and _mic(named, row, at))
            or (row[at].text != manner.no_strength and _dynamic(named, row, at, is_folder))
        )
        if not step:
            _rest(named, row, at, is_folder, unlabelled, manner)
            step = 1
            following = row[at + 1] if at + 1 < len(row) and not is_folder else None
            if following and following.is_number and (at == 0 or following.is_glued) and _may_be_piece(named, row[at]):
                unlabelled.append((UNKNOWN, following))  # "Pan 12": a drum that no table knows
                step = 2
        at += step
    if depth is None:
        _place_numbers(named, unlabelled)
    elif unlabelled:
        token = unlabelled[0][1]
        named.numbers[FOLDER, depth], named.number_texts[FOLDER, depth] = int(token.text[:9]), token.text


def _may_be_piece(named: Named, token: Token) -> bool:
    return not named.kinds and token.text in named.others and token.text not in NUMERALS


def _code(named: Named, row: list[Token], at: int, is_folder: bool) -> int:
    """A short code in front of a name that has no word for its piece: ``t2_v1``, ``ch-03``."""
    word, following = row[0].text, row[1] if len(row) > 1 else None
    if at or is_folder or named.kinds or word not in ("t", "ch"):
        return 0
    if any(_piece(Named(""), row, place, []) for place in range(1, len(row))):
        return 0
    if word == "t" and following and following.is_number and following.is_glued:
        named.pieces, named.kinds = ["tom"], ["mid_tom"]
        named.numbers[PIECE, 0], named.number_texts[PIECE, 0] = int(following.text[:9]), following.text
        return 2
    if word == "ch":
        named.pieces, named.kinds = ["ch"], ["closed_hat"]
        return 1
    return 0


def _hand(named: Named, row: list[Token], at: int) -> int:
    """RH, left hand"""
    following = row[at + 1].text if at + 1 < len(row) else ""
    for text, length in ((row[at].text + following, 2), (row[at].text, 1)):
        if text in HANDS:
            named.hand = HANDS[text]
            return length
    return 0


def _copy(named: Named, row: list[Token], at: int) -> int:
    """``copy``, ``copy 2``"""
    if row[at].text not in COPIES or (at == 0 and not named.kinds):
        return 0
    following = row[at + 1] if at + 1 < len(row) else None
    named.copy = int(following.text[:9]) if following and following.is_number else 1
    return 2 if following and following.is_number else 1


def _size(named: Named, row: list[Token], at: int) -> int:
    """14x6, 10 inch: the size of a drum."""
    size = row[at : at + 3]
    if len(size) > 1 and size[0].is_number and size[1].text in SIZES:
        named.others.append(size[0].text)
        return 2
    if len(size) == 3 and size[0].is_number and size[1].text == "x" and size[2].is_number and size[2].is_glued:
        named.others.append(f"{size[0].text}x{size[2].text}")
        return 3
    return 0


def _labelled(named: Named, row: list[Token], at: int) -> int:
    """A label and its number, such as v3, vel 90, RR-02, note 38: how many tokens it takes up."""
    word, number = row[at].text, row[at + 1] if at + 1 < len(row) else None
    if word in MIC_LABELS and number and len(number.text) == 1 and number.text in "abcdefgh":
        named.mics.append(f"mic {number.text}")
        return 2
    if number is None or not number.is_number or (word in _SHORT_LABELS and not number.is_glued):
        return 0
    value = int(number.text[:9])
    if word in MIC_LABELS:
        named.mics.append(f"mic {value}")
    elif word in NOTE_LABELS:
        named.others.append(f"note {value}")
    elif word in LAYER_LABELS and named.layer is None:
        named.layer, named.layer_text = float(value), word + number.text
        named.is_velocity = word.startswith("vel") and word != "velocitylayer" and value > 12
        named.label = word if word == "l" else named.label
    elif word in TAKE_LABELS and named.take is None:
        named.take = value
        named.label = word if word in ("s", "h") else named.label
        if word == "r":
            named.side = "r?"
    else:
        return 0
    if word == "l":
        named.side = "l?"
    return 2


@cache
def _phrases() -> tuple[tuple[tuple[str, ...], str], ...]:
    """Every word of the kinds, as tokens, the longest first; of equal length in the table's order."""
    rows = [(tuple(t.text for t in tokens(word)), kind.slug) for kind in KINDS for word in kind.words]
    return tuple(sorted({row: None for row in rows if not row[0][-1].isdecimal()}, key=lambda row: -len(row[0])))


@cache
def _phrases_from() -> dict[str, list[tuple[tuple[str, ...], str]]]:
    """The phrases by their first word."""
    by_word: dict[str, list] = {}
    for phrase, slug in _phrases():
        by_word.setdefault(phrase[0], []).append((phrase, slug))
    return by_word


def _texts(row: Iterable[Token]) -> list[str]:
    return [token.text for token in row]


@cache
def _joined() -> dict[str, tuple[str, str]]:
    """Two words run together, as they come in names: tomhi, snrrim, hatcl."""
    phrases = [row for row, _ in _phrases()]
    words = {row[0] for row in phrases if len(row) == 1 and len(row[0]) > 1}
    known = words | set(ARTICULATION_OF) | set(MIC_OF) | set(DYNAMIC_RANK)
    pairs = [row for row in phrases if len(row) == 2]
    pairs += [(piece, how) for piece in words for how in ARTICULATION_OF if " " not in how and len(how) > 2]
    return {one + other: (one, other) for one, other in pairs if one + other not in known}


@cache
def _long_words() -> tuple[str, ...]:
    """Words that say a piece wherever a word begins or ends with them, the longest first."""
    words = {row[0] for row, _ in _phrases() if len(row) == 1 and len(row[0]) >= LONG_WORD}
    return tuple(sorted(words - IN_OTHER_WORDS, key=lambda word: (-len(word), word)))


@cache
def _single_words() -> frozenset[str]:
    """Pieces that one word says."""
    return frozenset(row[0] for row, _ in _phrases() if len(row) == 1)


@cache
def _without_vowels() -> dict[str, str]:
    """Pieces as they are shortened, shkr and cwbll, where one of them alone has these consonants."""
    by_consonants: dict[str, set[str]] = {}
    for word in _single_words():
        if len(word) >= LONG_WORD and word.isascii():
            by_consonants.setdefault(word[0] + re.sub("[aeiou]", "", word[1:]), set()).add(word)
    return {
        short: words.pop()
        for short, words in by_consonants.items()
        if len(words) == 1 and len(short) >= SHORTEST_ABBREVIATION and short not in known_words()
    }


@cache
def known_words() -> frozenset[str]:
    """Every word that a table knows, by itself or in a pair."""
    phrases = {word for row, _ in _phrases() for word in row}
    how = {part for word in (*ARTICULATION_OF, *MIC_OF, *DYNAMIC_RANK) for part in word.split()}
    return frozenset(phrases | how | NOISE | LAYER_LABELS | TAKE_LABELS | MIC_LABELS | NOTE_LABELS)


@cache
def _glued_phrases() -> tuple[tuple[str, tuple[str, ...]], ...]:
    """Names of several words that are run together, the longest first: caisseclaire, baquetacruzada."""
    phrases = [row for row, _ in _phrases() if len(row) > 1]
    phrases += [tuple(how.split()) for how in ARTICULATION_OF if " " in how]
    found = {"".join(row): row for row in phrases if len("".join(row)) >= 2 * LONG_WORD}
    return tuple(sorted(found.items(), key=lambda pair: (-len(pair[0]), pair[0])))


@lru_cache(maxsize=1 << 14)
def parts_of(word: str) -> tuple[str, ...]:
    """What is run together in a word that no table knows: tomhi -> tom hi, hardsnare -> hard snare, snaredrum -> snare drum."""
    if word in _joined() or word in known_words() or len(word) > LONGEST_PARTED:
        return _joined().get(word, (word,))
    if word in _without_vowels():
        return (_without_vowels()[word],)
    for glued, phrase in _glued_phrases():
        if word.startswith(glued):
            rest = word[len(glued) :]
            return (*phrase, *parts_of(rest)) if rest else phrase
    for long in _long_words():
        if word.startswith(long) and len(word) > len(long) + 1:  # one letter more is a plural
            return long, *parts_of(word[len(long) :])
        if word.endswith(long) and word != long:
            return *parts_of(word[: -len(long)]), long
    return (word,)


def _unglued(row: list[Token]) -> list[Token]:
    """Part what is run together: a label and its piece, BDV1 -> BD V 1; a piece and how it is struck, SNRRIM."""
    row = [
        Token(text, token.is_glued and not place) for token in row for place, text in enumerate(parts_of(token.text))
    ]
    parted = []
    for token, following in zip_longest(row, row[1:]):
        label = _GLUED_LABEL.search(token.text) if following and following.is_number and following.is_glued else None
        if label and token.text[: label.start()] in _single_words():
            parted += [Token(token.text[: label.start()], token.is_glued), Token(label[0], True)]
        else:
            parted.append(token)
    return parted


def _piece(named: Named, row: list[Token], at: int, above: list[str], manner: Manner = Manner()) -> int:
    """A word for a piece. One in the name takes the place of one in a folder above it."""
    for phrase, slug in _phrases_from().get(row[at].text, ()):
        if tuple(token.text for token in row[at : at + len(phrase)]) == phrase:
            if manner.letters and any(len(word) == 1 for word in phrase):
                continue
            if any(word in manner.strengths for word in phrase) and _only_strength(named, phrase):
                continue
            if named.kinds and " ".join(phrase) in ARTICULATION_OF:
                break  # "snare rim shot": how it is struck
            if named.kinds == above:
                named.pieces, named.kinds = [], []
            elif slug in named.kinds and at + len(phrase) < len(row) and row[at + len(phrase)].text in MIC_OF:
                return len(phrase)  # SnareTop, behind the snare's own name: a mic
            named.pieces.append(" ".join(phrase))
            named.kinds.append(slug)
            return len(phrase)
    return 0


def _only_strength(named: Named, phrase: tuple[str, ...]) -> bool:
    """Whether a drum's word would take the only strength that a name says, where all others say one: "medio tom 2"."""
    return sum(token.text in DYNAMIC_RANK for token in tokens(named.file)) <= sum(
        word in DYNAMIC_RANK for word in phrase
    )


def _articulation(named: Named, row: list[Token], at: int) -> int:
    for length in (2, 1):
        name = ARTICULATION_OF.get(" ".join(token.text for token in row[at : at + length]))
        if name and at + length <= len(row):
            if name not in named.articulations:
                named.articulations.append(name)
            return length
    return 0


def _mic(named: Named, row: list[Token], at: int) -> int:
    word = row[at].text
    mic = MIC_OF.get(word)
    if mic is None and word[-1] in "lr" and word[:-1] in MIC_OF and word[:-1] not in WEAK_MICS:
        mic = f"{MIC_OF[word[:-1]]} {'left' if word[-1] == 'l' else 'right'}"  # OHL, OHR
    if mic is None:
        return 0
    if named.side_of_next_mic:
        mic, named.side_of_next_mic = f"{mic} {_SPOKEN_SIDE[named.side_of_next_mic]}", ""
    (named.weak_mics if row[at].text in WEAK_MICS else named.mics).append(mic)
    return 1


def mic_from_name(name: str) -> tuple[str, bool] | None:
    """The mic that the last word for one in a name says, and whether it is an overhead or a room."""
    for token in reversed(tokens(name)):
        word, side = token.text, ""
        if word not in MIC_OF and word[:-1] in MIC_OF and word[:-1] not in WEAK_MICS:
            word, side = word[:-1], {"l": " left", "r": " right"}.get(word[-1], "")
        if (mic := MIC_OF.get(word)) and (side or word == token.text):
            return mic + side, mic not in PLAIN_MICS
    return None


def _dynamic(named: Named, row: list[Token], at: int, is_folder: bool) -> int:
    """A word for how hard: ``soft``, ``mf``, and two together, ``very hard`` or ``med soft``."""
    word = row[at].text
    following = row[at + 1].text if at + 1 < len(row) else ""
    length = 1
    if at == 0 and not named.kinds and _is_note(row, at):
        return 0
    if word in ("very", "v", "sehr", "extra", "x") and following in DYNAMIC_RANK:
        rank, length = DYNAMIC_RANK[following] + (1 if DYNAMIC_RANK[following] > 4 else -1), 2
    elif word in DYNAMIC_RANK and word + following in DYNAMIC_RANK and following:
        rank, length = DYNAMIC_RANK[word + following], 2
    elif word in DYNAMIC_RANK and (len(word) > 1 or not is_folder or len(row) == 1):
        rank = DYNAMIC_RANK[word]
    else:
        return 0
    if named.layer is None:
        named.layer, named.layer_text, named.is_dynamic = float(rank), word, True
    return length


def _rest(
    named: Named, row: list[Token], at: int, is_folder: bool, unlabelled: list[tuple[str, Token]], manner: Manner
) -> None:
    token = row[at]
    if token.is_number:
        unlabelled.append((LEAD if at == 0 and len(row) > 1 else END, token))
    elif (
        side := SIDES.get(token.text) or ("r" if manner.dir_is_right and token.text == "dir" else "")
    ) and not is_folder:
        _side(named, row, at, side)
    elif _is_note(row, at) and not named.kinds and not is_folder:
        named.others.append(f"note {token.text}{row[at + 1].text}")
    elif len(token.text) == 1 and token.text in manner.everywhere:
        pass
    elif len(token.text) == 1 and token.text.isalpha() and (not is_folder or len(row) == 1):
        named.letter = token.text
    elif is_folder:
        named.folder_words.append(token.text)
    elif token.text not in NOISE and not (token.text == "one" and "shot" in _texts(row[at + 1 : at + 2])):
        named.others.append(token.text)


def _side(named: Named, row: list[Token], at: int, side: str) -> None:
    """Left or right: of two of one name that which stands beside a mic is the mic's."""
    is_beside_mic = any(0 <= n < len(row) and MIC_OF.get(row[n].text) in IN_PAIRS for n in (at - 1, at + 1))
    if named.side and is_beside_mic:
        if at and MIC_OF.get(row[at - 1].text) in IN_PAIRS:
            named.mics[-1:] = [f"{mic} {_SPOKEN_SIDE[side]}" for mic in named.mics[-1:]]
        else:
            named.side_of_next_mic = side
        return
    if named.side and named.is_side_of_mic:
        named.mics[:1] = [f"{mic} {_SPOKEN_SIDE[named.side]}" for mic in named.mics[:1]]
        is_beside_mic = False
    named.side, named.is_side_of_mic = side, is_beside_mic


_SPOKEN_SIDE = {"l": "left", "r": "right"}


def _model(named: Named, row: list[Token], at: int) -> int:
    """e604: letters with a number too large for a velocity are a word."""
    following = row[at + 1] if at + 1 < len(row) else None
    if (
        row[at].is_number
        or not (following and following.is_number and following.is_glued)
        or int(following.text[:9]) <= 127
    ):
        return 0
    named.others.append(row[at].text + following.text)
    return 2


def _is_note(row: list[Token], at: int) -> bool:
    """C1, F#2, Bb0: a letter from a to g with its octave glued to it."""
    following = row[at + 1] if at + 1 < len(row) else None
    return bool(_NOTE_LETTER.fullmatch(row[at].text) and following and following.is_glued and len(following.text) == 1)


def _place_numbers(named: Named, unlabelled: list[tuple[str, Token]]) -> None:
    of_unknown = END if named.kinds else PIECE  # where a table knows another word of the name, that is the drum's
    unlabelled = [(of_unknown if kind == UNKNOWN else kind, token) for kind, token in unlabelled]
    ends = [token for kind, token in unlabelled if kind == END]
    slots = [((kind, 0), token) for kind, token in unlabelled if kind != END]
    slots += [((END, place), token) for place, token in enumerate(reversed(ends))]
    for slot, token in slots:
        named.numbers.setdefault(slot, int(token.text[:9]))
        named.number_texts.setdefault(slot, token.text)
