"""What names mean among their neighbours: which file is which hit of which pad, heard by which mic.

A number without a label, a lone letter, a word that may be a mic: each is told by how it varies in the set, and where
that leaves it open, by how the files sound.
"""

import re
from collections import Counter, defaultdict
from collections.abc import Sequence, Set

import numpy as np

from dactyl.core.stack.alternatives import are_drums, tell_alternatives
from dactyl.core.stack.cluster import drums_by_sound
from dactyl.core.stack.names import END, FOLDER, LEAD, PIECE, ROMAN, Slot
from dactyl.core.stack.neighbours import FEWEST_HITS, SAME_HIT_DB, explain
from dactyl.core.stack.placed import PlacedFile, grouped
from dactyl.core.stack.words import LARGEST_TOM, MIC_LETTERS, SMALLEST_TOM

LAYER_SHARE = 0.6  # of the variance of levels that a number must explain to be a layer
LAYER_RANGE_DB = 3.0
SOUND_SHARE = 0.75  # of the variance of pitch or brightness, for a number that tells drums apart
STRENGTH_LETTERS = ("smh", "lmh", "sml", "pmf")
ENOUGH_HITS = 12
MOST_MICS = 8  # that one number tells apart
MOST_DRUMS = 6  # that one number tells apart
FEWEST_NAMED = 3  # drums that names tell apart, for names to be taken at their word
STRENGTH_SHARE, STRENGTH_STEP_DB = 0.8, 2.0  # of letters that say how hard
STRUCK_BY_HANDS = {"snare", "kick", "low_tom", "mid_tom", "high_tom", "side_stick"}


def assign(hits: Sequence[PlacedFile]) -> None:
    """Fill pad, layer, take and mic of every hit."""
    _sides(hits)
    _counted_words(hits)
    tell_alternatives(hits)
    explain(hits)
    _words_of_all(hits)
    groups = list(grouped(hits, _words).values())
    for group in groups:
        _mics(group)
        _say(group)
    of_mics = _slots_of_mics(groups)
    for group in groups:
        _assign_group(group, of_mics)
    _tell_apart_by_folder(hits)
    pads = grouped(hits, lambda hit: hit.pad)
    for words, group in pads.items():
        if (not words or len(pads) < FEWEST_NAMED) and _says_nothing(group):
            for hit, number in zip(group, drums_by_sound([hit.measure for hit in group]), strict=True):
                hit.pad += (f"sound {number}",)


def _says_nothing(group: Sequence[PlacedFile]) -> bool:
    """A number that is another in every name only counts the files."""
    named = [hit.named for hit in group]
    is_known = any(name.kinds or name.articulations or name.layer is not None for name in named)
    says_takes = any(name.take is not None for name in named) and len({hit.take for hit in group}) < len(group)
    return len(group) > 1 and not is_known and not says_takes and len({hit.mic for hit in group}) == 1


def _words(hit: PlacedFile) -> tuple[str, ...]:
    """The words of a pad: what it is, how it is struck, and whatever else its name says, in a settled order."""
    named = hit.named
    return (*named.kinds, *sorted(named.articulations), *sorted(named.others))


def _sides(hits: Sequence[PlacedFile]) -> None:
    """L2 and R3 in one name are layer and round robin; where a set has only the one or the other, left and right."""
    both = [hit for hit in hits if hit.named.side in ("l?", "r?")]
    letters = {hit.named.side for hit in both}
    is_side = letters == {"l?", "r?"} and not any(
        hit.named.layer is not None and hit.named.take is not None for hit in both
    )
    for hit in both:
        named = hit.named
        if is_side:
            place = next(n for n in range(len(named.numbers) + 1) if (END, n) not in named.numbers)
            named.numbers[END, place] = int((named.layer if named.side == "l?" else named.take) or 0)
            named.layer, named.take = (None, named.take) if named.side == "l?" else (named.layer, None)
        named.side = named.side[0] if is_side else ""


COUNTED_WORD = re.compile(r"([^\W\d_]+)(\d+)")


def _counted_words(hits: Sequence[PlacedFile]) -> None:
    """A word whose number is another in nearly every name counts the files: it names no drum."""
    found: dict[str, list[tuple[PlacedFile, str, int]]] = defaultdict(list)
    for hit in hits:
        for word in hit.named.others:
            if match := COUNTED_WORD.fullmatch(word):
                found[match[1]].append((hit, word, int(match[2])))
    for rows in found.values():
        if len({number for *_, number in rows}) > max(MOST_DRUMS, 0.5 * len(rows)):
            for hit, word, number in rows:
                hit.named.others.remove(word)
                hit.named.numbers.setdefault((LEAD, 1), number)
                hit.named.number_texts.setdefault((LEAD, 1), word)


def _words_of_all(hits: Sequence[PlacedFile]) -> None:
    """A word of every name is the kit's, and no drum's, where the rest tells drums apart."""
    shared = set.intersection(*({*hit.named.others} for hit in hits)) if hits else set()
    rest = {(*hit.named.kinds, *(word for word in hit.named.others if word not in shared)) for hit in hits}
    if len(rest) < 2 or () in rest:
        return
    for hit in hits:
        hit.named.others = [word for word in hit.named.others if word not in shared]


def _mics(group: Sequence[PlacedFile]) -> None:
    """Words that may be a mic are one where they vary within the pad, or stand beside a sure one."""
    weak = {tuple(hit.named.weak_mics) for hit in group}
    has_sure = any(hit.named.mics for hit in group)
    takes_weak = has_sure or len(weak) > 1
    sides: dict[tuple, set[str]] = defaultdict(set)  # of the hits that one mic heard
    for hit in group:
        sides[tuple(hit.named.mics)].add(hit.named.side)
    are_pairs = _are_halves(group)
    for hit in group:
        named = hit.named
        words = [*named.mics[:1], *(named.weak_mics if takes_weak else [])]
        if words and named.side and {"l", "r"} <= sides[tuple(named.mics)] and are_pairs:
            words.append({"l": "left", "r": "right"}[named.side])
            named.side = ""
        hit.mic = " ".join(dict.fromkeys(words)) or "close"


def _are_halves(group: Sequence[PlacedFile]) -> bool:
    """Whether left and right are halves of one pair of mics: their levels go together from hit to hit, as those of two drums don't."""
    heard: dict[tuple, dict[str, float]] = defaultdict(dict)
    for hit in group:
        named = hit.named
        heard[tuple(named.mics), named.layer, named.take, tuple(sorted(named.numbers.items()))][named.side] = (
            hit.level_db
        )
    both = [levels["l"] - levels["r"] for levels in heard.values() if {"l", "r"} <= set(levels)]
    return len(both) < FEWEST_HITS or bool(np.std(both) <= SAME_HIT_DB)


def _say(group: Sequence[PlacedFile]) -> None:
    """What the names say of pad, layer and take."""
    for hit in group:
        named = hit.named
        words = [*_words(hit), *({"l": ["left"], "r": ["right"]}.get(named.side, []))]
        hit.pad, hit.layer = tuple(words), named.layer
        hit.take = (named.take,) if named.take is not None else ()


def _assign_group(group: Sequence[PlacedFile], of_mics: Set[Slot]) -> None:
    """Decide the numbers and letters of hits that share their words."""
    _hands(group)
    slots = [slot for slot in _varying_slots(group) if not _says_layer_again(group, slot)]
    _drop_running_number(group, slots)
    for slot in [slot for slot in slots if slot[0] == PIECE]:
        open_roles = _open_roles(group)
        if _tells_drums_apart(group, slot, spare=len(slots) - 1 >= open_roles or open_roles == 0):
            for hit in group:
                if slot in hit.named.numbers:
                    hit.pad += (str(hit.named.numbers[slot]),)
            slots.remove(slot)
    _mics_by_number(group, slots, of_mics)
    _mics_by_letter(group, slots)
    _assign_letters(group)
    for part in grouped(group, lambda hit: hit.pad).values():
        _assign_numbers(part, [slot for slot in slots if _varies(part, slot)])
    have_copies = any(hit.named.copy for hit in group)
    for hit in group:  # another hand, or a copy of a file, is another take
        hand = ("lr".index(hit.named.hand) + 1,) if hit.named.hand else ()
        hit.take = (*hit.take, *hand, *((hit.named.copy,) if have_copies else ()))


def _hands(group: Sequence[PlacedFile]) -> None:
    """Left and right of a drum that sounds the same are the hands that struck it."""
    sides = [hit.named.side for hit in group]
    if set(sides) != {"l", "r"} or not STRUCK_BY_HANDS & set(group[0].named.kinds) or _differs(group, sides):
        return
    for hit in group:
        hit.named.hand, hit.named.side = hit.named.hand or hit.named.side, ""
        hit.pad = tuple(word for word in hit.pad if word not in ("left", "right"))


def _slots_of_mics(groups: Sequence[Sequence[PlacedFile]]) -> set[Slot]:
    """Numbers that are microphones with most drums whose hits are enough to tell: one may look so by chance."""
    votes: Counter[Slot] = Counter()
    for group in groups:
        slots = _varying_slots(group)
        if len(slots) <= _open_roles(group) or {hit.mic for hit in group} != {"close"} or len(group) < 2 * FEWEST_HITS:
            continue
        for slot in slots:
            others = [other for other in slots if other != slot]
            votes[slot] += 1 if _are_mics(group, [hit.named.numbers.get(slot) for hit in group], others) else -1
    return {slot for slot, count in votes.items() if count > 0}


def _open_roles(group: Sequence[PlacedFile]) -> int:
    return (not _mostly(group, "layer")) + (not _mostly(group, "take"))


def _mics_by_number(group: Sequence[PlacedFile], slots: list[Slot], of_mics: Set[Slot]) -> None:
    """Where layer and take are said, one more number is a mic if every hit has each, and their levels go together."""
    if len(slots) <= _open_roles(group) or {hit.mic for hit in group} != {"close"}:
        return
    for slot in [slot for slot in reversed(slots) if slot in of_mics]:
        if all(slot in hit.named.numbers for hit in group):
            for hit in group:
                hit.mic = f"mic {hit.named.numbers[slot]}"
            slots.remove(slot)
            return


def _mics_by_letter(group: Sequence[PlacedFile], slots: Sequence[Slot]) -> None:
    """T and B, or C, O and R, are mics if every hit has each, and their levels go together."""
    letters = [hit.named.letter or hit.named.side for hit in group]
    if {hit.mic for hit in group} != {"close"} or not set(letters) <= set(MIC_LETTERS):
        return
    if _are_mics(group, letters, slots):
        for hit, letter in zip(group, letters, strict=True):
            hit.mic, hit.named.letter, hit.named.side = MIC_LETTERS[letter], "", ""
            hit.pad = tuple(word for word in hit.pad if word not in ("left", "right"))


def _are_mics(group: Sequence[PlacedFile], marks: Sequence[int | str | None], slots: Sequence[Slot]) -> bool:
    """Whether every hit stands under each mark, and all marks of a hit are as far apart in level as of any other."""
    heard: dict[tuple, dict[int | str | None, PlacedFile]] = defaultdict(dict)
    sides = ("left", "right") if "r" in marks else ()
    for hit, mark in zip(group, marks, strict=True):
        pad = tuple(word for word in hit.pad if word not in sides)
        heard[pad, hit.layer, hit.take, *(hit.named.numbers.get(slot) for slot in slots)][mark] = hit
    kinds = sorted(set(marks), key=str)
    if None in kinds or not 2 <= len(kinds) <= MOST_MICS or len(heard) < FEWEST_HITS:
        return False
    if any(len(hits) != len(kinds) for hits in heard.values()) or len(heard) * len(kinds) != len(group):
        return False
    levels = np.array([[hits[kind].level_db for kind in kinds] for hits in heard.values()])
    most_db = SAME_HIT_DB * min(1.0, len(levels) / ENOUGH_HITS)  # of few, takes may be as far apart by chance
    return bool(np.std(levels - levels[:, :1], axis=0).max() <= most_db < np.std(levels[:, 0]))


def _varying_slots(group: Sequence[PlacedFile]) -> list[Slot]:
    slots = {slot: None for hit in group for slot in hit.named.numbers}
    order = {FOLDER: 0, LEAD: 1, PIECE: 2, ROMAN: 3, END: 4}
    return [slot for slot in sorted(slots, key=lambda slot: (order[slot[0]], -slot[1])) if _varies(group, slot)]


def _varies(group: Sequence[PlacedFile], slot: Slot) -> bool:
    """Whether a number differs between hits; one that only counts the mics says nothing more than they do."""
    heard: dict[str, set[int | None]] = defaultdict(set)
    for hit in group:
        heard[hit.mic].add(hit.named.numbers.get(slot))
    return any(len(values) > 1 for values in heard.values())


def _says_layer_again(group: Sequence[PlacedFile], slot: Slot) -> bool:
    """Whether a number counts the words for how hard: "1 ghost", "2 normal", "3 accent"."""
    pairs = {(hit.layer, hit.named.numbers.get(slot)) for hit in group}
    layers, numbers = {layer for layer, _ in pairs}, {number for _, number in pairs}
    return None not in layers and len(layers) > 1 and len(pairs) == len(layers) == len(numbers)


def _drop_running_number(group: Sequence[PlacedFile], slots: list[Slot]) -> None:
    """A number that is different in every file says nothing where the rest of the name tells them apart already."""
    for slot in list(slots):
        values = [hit.named.numbers.get(slot) for hit in group]
        rest = [
            (
                hit.mic,
                hit.layer,
                hit.take,
                hit.named.letter,
                *(hit.named.numbers.get(other) for other in slots if other != slot),
            )
            for hit in group
        ]
        if len(group) > 2 and len(set(values)) == len(values) and len(set(rest)) == len(rest):
            slots.remove(slot)


def _mostly(group: Sequence[PlacedFile], what: str) -> bool:
    """Whether most names say their layer, or which take they are; one number in all of them says nothing."""
    known = [hit.take if what == "take" else hit.layer for hit in group]
    said = sum(bool(value) if what == "take" else value is not None for value in known)
    return said * 2 > len(group) and (what == "layer" or len(set(known)) > 1)


def _tells_drums_apart(group: Sequence[PlacedFile], slot: Slot, *, spare: bool) -> bool:
    """Whether the number behind a piece's word says which drum: always among toms, else where they sound different."""
    numbers = [hit.named.numbers.get(slot) for hit in group]
    is_all_said = all(hit.layer is not None and hit.take for hit in group)
    if len(set(numbers)) > MOST_DRUMS and not is_all_said:
        return False
    levels = np.array([hit.level_db for hit in group])
    if (
        all(hit.measure.timbre for hit in group)
        and _share_explained(levels, numbers) < LAYER_SHARE
        and are_drums(group, numbers)
    ):
        return True
    is_tom = any(kind.endswith("tom") for kind in group[0].named.kinds)
    if _are_sizes(numbers) and (is_tom or _stand_at_all_layers(group, numbers)):
        return True
    if is_tom and (spare or len(set(numbers)) <= 4):
        return spare or _differs(group, numbers)
    if not spare:
        return False
    return is_all_said or _differs(group, numbers)


def _stand_at_all_layers(group: Sequence[PlacedFile], numbers: Sequence[int | None]) -> bool:
    """Whether names say the layers, and every number stands at each of them."""
    layers = {
        number: {hit.layer for hit, own in zip(group, numbers, strict=True) if own == number} for number in numbers
    }
    every = set().union(*layers.values())
    return None not in every and all(own == every for own in layers.values())


def _are_sizes(numbers: Sequence[int | None]) -> bool:
    """Numbers such as 10, 12, 14: of inches, and no count."""
    sizes = sorted({number or 0 for number in numbers})
    is_count = sizes[-1] - sizes[0] == len(sizes) - 1
    return not is_count and sizes[0] >= SMALLEST_TOM and sizes[-1] <= LARGEST_TOM


def _differs(group: Sequence[PlacedFile], numbers: Sequence[int | None]) -> bool:
    """Whether pitch, or brightness beyond what loudness explains, changes with the number far more than within it."""
    levels = np.array([hit.level_db for hit in group])
    if all(hit.measure.timbre for hit in group):
        return are_drums(group, numbers)
    for quality in ("pitch_hz", "brightness_hz"):
        values = np.log([max(getattr(hit.measure, quality), 1.0) for hit in group])
        values = values - np.polyval(np.polyfit(levels, values, 1), levels) if np.ptp(levels) > 0.1 else values
        if _share_explained(values, numbers) > SOUND_SHARE and _spread_of_means(values, numbers) > 0.06:
            return True
    return False


def _share_explained(values: np.ndarray, labels: Sequence) -> float:
    """Share of the variance of ``values`` that lies between the labels, 0..1, corrected for their number (epsilon²)."""
    total = float(((values - values.mean()) ** 2).sum())
    kinds = list(dict.fromkeys(labels))
    if total <= 1e-12 or len(kinds) < 2:
        return 0.0
    inside = sum(float(((v - v.mean()) ** 2).sum()) for v in (values[[label == k for label in labels]] for k in kinds))
    free = len(values) - len(kinds)
    if free <= 0:
        return 1.0 if len(kinds) == len(values) else 0.0
    return max(0.0, 1 - (inside / free) / (total / (len(values) - 1)))


def _spread_of_means(values: np.ndarray, labels: Sequence) -> float:
    means = [values[[label == kind for label in labels]].mean() for kind in dict.fromkeys(labels)]
    return float(max(means) - min(means))


# Numbers and letters -------------------------------------------------------------------------------------------------


def _assign_numbers(part: Sequence[PlacedFile], slots: list[Slot]) -> None:
    """Give each varying number of a pad the role that is still open and that it fits."""
    if not slots:
        return
    has_layer, has_take = _mostly(part, "layer"), _mostly(part, "take") or any(hit.named.copy for hit in part)
    if not has_layer and (len(slots) > 1 or has_take or _are_velocities(part, slots[0])):
        layer = _layer_slot(part, slots, is_sure=has_take)
        if layer is not None:
            for hit in part:
                if layer in hit.named.numbers:
                    hit.layer = float(hit.named.numbers[layer])
                    hit.named.layer_text = hit.named.number_texts[layer]
                    hit.named.is_velocity = _are_velocities(part, layer)
            slots.remove(layer)
    for hit in part:  # what is left orders the takes, the foremost number first
        hit.take = (*hit.take, *(hit.named.numbers.get(slot, 0) for slot in slots))


def _layer_slot(part: Sequence[PlacedFile], slots: Sequence[Slot], *, is_sure: bool) -> Slot | None:
    mics = Counter(hit.mic for hit in part)
    heard = [hit for hit in part if hit.mic == mics.most_common(1)[0][0]]
    levels = np.array([hit.level_db for hit in heard])
    shares = {}
    for slot in slots:
        labels = [hit.named.numbers.get(slot) for hit in heard]
        if len(set(labels)) == len(labels) and len(slots) > 1:
            shares[slot] = 0.0  # a running number is no layer while another number varies
        elif _spread_of_means(levels, labels) >= LAYER_RANGE_DB or _are_velocities(part, slot):
            shares[slot] = _share_explained(levels, labels)
    best = max(shares, key=lambda slot: shares[slot], default=None)
    if best is not None and (shares[best] >= LAYER_SHARE or is_sure):
        return best
    return next((slot for slot in slots if _are_velocities(part, slot)), None)


def _are_velocities(part: Sequence[PlacedFile], slot: Slot) -> bool:
    """Numbers such as 32, 64, 96, 127: few, far apart, and none above 127."""
    values = sorted({hit.named.numbers[slot] for hit in part if slot in hit.named.numbers})
    return len(values) > 1 and 64 <= values[-1] <= 127 and min(np.diff(values)) >= 5 and len(values) < len(part)


def _assign_letters(part: Sequence[PlacedFile]) -> None:
    """s, m, h: how hard. a, b, c ...: takes where those are open, else drums of one kind."""
    letters = {hit.named.letter or hit.named.side for hit in part} - {""}
    if len(letters) < 2 and all(hit.named.letter for hit in part):
        return
    has_layer, has_take = _mostly(part, "layer"), _mostly(part, "take")
    for strengths in STRENGTH_LETTERS:
        if not has_layer and len(letters) > 1 and letters <= set(strengths):
            for hit in part:
                letter = hit.named.letter or hit.named.side
                hit.layer, hit.named.layer_text, hit.named.is_dynamic = float(strengths.index(letter)), letter, True
                hit.pad = tuple(word for word in hit.pad if word not in ("left", "right"))
            return
    if len(part) > len(letters) and _differs(part, [hit.named.letter or hit.named.side for hit in part]):
        for hit in part:
            hit.pad += (hit.named.letter,) if hit.named.letter else ()
        return
    if not has_layer and _are_layers(part):
        for hit in part:
            hit.layer, hit.named.layer_text = float(ord(hit.named.letter)), hit.named.letter
        return
    for hit in part:
        if hit.named.letter and has_layer and has_take:
            hit.pad += (hit.named.letter,)
        elif hit.named.letter:
            hit.take = (*hit.take, ord(hit.named.letter) - ord("a") + 1)


def _are_layers(part: Sequence[PlacedFile]) -> bool:
    """Whether the letters of a drum rise, or fall, with its loudness, beside something else that counts its takes."""
    letters = [hit.named.letter for hit in part]
    if not all(letters) or len(set(letters)) < 2 or not (_mostly(part, "take") or _varying_slots(part)):
        return False
    levels = np.array([hit.level_db for hit in part])
    order = sorted(set(letters))
    means = [float(levels[[letter == one for letter in letters]].mean()) for one in order]
    steps = np.diff(means) * np.sign(means[-1] - means[0])
    return bool(steps.min() >= STRENGTH_STEP_DB) and _share_explained(levels, letters) >= STRENGTH_SHARE


def _tell_apart_by_folder(hits: Sequence[PlacedFile]) -> None:
    """Where two files have one place by their names, what differs in their folders tells their pads apart."""
    for same in grouped(hits, lambda hit: hit.pad).values():
        places = Counter((hit.layer, hit.take, hit.mic) for hit in same)
        folders = {tuple(hit.named.folder_words) for hit in same}
        if max(places.values()) > 1 and len(folders) > 1:
            shared = set.intersection(*(set(words) for words in folders))
            for hit in same:
                hit.pad += tuple(word for word in hit.named.folder_words if word not in shared)
