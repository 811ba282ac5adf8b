"""Any set of cuts as choke and mute groups: a pair is set or taken away, and no other pair changes."""

from collections.abc import Collection, Iterable
from itertools import product
from string import ascii_uppercase

from dactyl.core.cuts import PadCuts
from dactyl.core.errors import KitError
from dactyl.core.fields import MUTE_NUMBER

LETTERS = ascii_uppercase  # of choke groups
NUMBERS = range(int(MUTE_NUMBER.low), int(MUTE_NUMBER.high) + 1)  # of mute groups
Pair = tuple[int, int]
"""(the pad that is struck, the pad that falls silent)"""


class CutGroups:
    """The groups of a kit's pads while they are rearranged. Pads are told by their ids."""

    def __init__(self, pads: Iterable[PadCuts]) -> None:
        self.letters: dict[int, str] = {}  # of the pads in a choke group
        self.silencing: dict[int, set[int]] = {}  # number of each mute group -> the pads that silence it
        self.silenced: dict[int, set[int]] = {}  # ... and its members
        self.fade_like: dict[str | int, str | int] = {}  # a new group -> the group that it has its fade from
        for pad in pads:
            if pad.choke:
                self.letters[pad.id] = pad.choke
            for number in pad.silences:
                self._members(number)[0].add(pad.id)
            for number in pad.silenced_by:
                self._members(number)[1].add(pad.id)

    def pairs(self) -> set[Pair]:
        """Every pad that cuts another one (design rule 3)."""
        return self._choking() | {pair for number in self.silencing for pair in self._muting(number)}

    def let_cut(self, by: Collection[int], of: Collection[int]) -> None:
        """Each of ``by`` cuts each of ``of``, one way."""
        self._let_cut(set(by), set(of), self.pairs())

    def let_choke(self, pads: Collection[int]) -> None:
        """All of them cut each other: in one choke group where that changes nothing else."""
        known, wanted = self.pairs(), set(pads)
        known |= _between(wanted, wanted)
        letters = sorted({self.letters[pad] for pad in wanted if pad in self.letters})
        letter = letters[0] if letters else next((one for one in LETTERS if one not in self.letters.values()), None)
        company = wanted | {pad for pad, own in self.letters.items() if own == letter}
        if letter and len(letters) < 2 and _between(company, company) <= known:
            self.letters |= dict.fromkeys(wanted, letter)
            self._leave_what_chokes()
        else:
            for pad in sorted(wanted):
                self._let_cut({pad}, wanted - {pad}, known)

    def let_part(self, by: int, of: int) -> None:
        """``by`` no longer cuts ``of``."""
        kept = self.pairs() - {(by, of)}
        letter = self.letters.get(by)
        if letter and letter == self.letters.get(of):
            company = {pad for pad, own in self.letters.items() if own == letter} - {of}
            for pad in (of, *(company if len(company) == 1 else ())):
                del self.letters[pad]
            self._let_cut({of}, company, kept, letter)
            self._let_cut(company - {by}, {of}, kept, letter)
        while numbers := [number for number in self.silencing if (by, of) in self._muting(number)]:
            self._part_in(numbers[0], by, of, kept)

    def _part_in(self, number: int, by: int, of: int, kept: set[Pair]) -> None:
        """The pad leaves whose leaving ends nothing else; where there is none, ``by`` leaves and is given back the rest."""
        self.silenced[number].discard(of)
        if not kept <= self.pairs():
            self.silenced[number].add(of)
            self.silencing[number].discard(by)
            self._let_cut({by}, {other for _, other in kept - self.pairs()}, kept, number)
        if not (self.silencing[number] and self.silenced[number]):
            del self.silencing[number], self.silenced[number]

    def _let_cut(self, by: set[int], of: set[int], known: set[Pair], fade_like: str | int | None = None) -> None:
        """By a group that they fit in, so that nothing beyond ``known`` and this is cut; else by a new one."""
        if _between(by, of) <= self.pairs():
            return
        known = known | _between(by, of)
        for number in sorted(self.silencing):
            silencing, silenced = self.silencing[number] | by, self.silenced[number] | of
            shares = self.silencing[number] & by or self.silenced[number] & of
            if shares and not silencing & silenced and _between(silencing, silenced) <= known:
                break
        else:
            number = next((one for one in NUMBERS if one not in self.silencing), 0)
            if not number:
                raise KitError("All mute groups are in use. Take dots away first.")
            if fade_like is not None:
                self.fade_like[number] = self.fade_like.get(fade_like, fade_like)
        silencing, silenced = self._members(number)
        silencing |= by
        silenced |= of

    def _leave_what_chokes(self) -> None:
        """A mute group all of whose pairs choke each other says nothing of its own."""
        choking = self._choking()
        for number in [number for number in self.silencing if self._muting(number) <= choking]:
            del self.silencing[number], self.silenced[number]

    def _choking(self) -> set[Pair]:
        by_letter: dict[str, set[int]] = {}
        for pad, letter in self.letters.items():
            by_letter.setdefault(letter, set()).add(pad)
        return {pair for own in by_letter.values() for pair in _between(own, own)}

    def _muting(self, number: int) -> set[Pair]:
        return _between(self.silencing[number], self.silenced[number])

    def _members(self, number: int) -> tuple[set[int], set[int]]:
        return self.silencing.setdefault(number, set()), self.silenced.setdefault(number, set())


def _between(by: Iterable[int], of: Iterable[int]) -> set[Pair]:
    return {(one, other) for one, other in product(by, of) if one != other}
