"""Who silences whom in a kit, by what; and the groups that hats and grabbed cymbals usually stand in."""

import re
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from dactyl.core.stack.hearing import family_of

GRABBED = re.compile(r"\b(grab\w*|choke\w*|damp\w*|catch|caught|stop\w*|mute\w*|shut|hand)\b", re.IGNORECASE)
ITSELF, CHOKE, MUTE = "itself", "choke", "mute"


@dataclass(frozen=True, slots=True, kw_only=True)
class PadCuts:
    """What of a pad says whom it cuts and who cuts it."""

    id: int
    name: str
    kind: str
    piece: int
    choke: str = ""  # letter
    silences: tuple[int, ...] = ()  # numbers of mute groups
    silenced_by: tuple[int, ...] = ()
    cuts_itself: bool = False


@dataclass(frozen=True, slots=True)
class Cut:
    by: int  # the pad that is struck
    of: int  # the pad that falls silent
    how: str  # ITSELF, CHOKE or MUTE
    group: str = ""  # letter or number


@dataclass(frozen=True, slots=True)
class Proposed:
    """A group that is usual, and that the kit does not have."""

    words: str
    chokes: tuple[int, ...] = ()  # pads that are to cut each other
    silencers: tuple[int, ...] = ()  # pads that are to silence ...
    silenced: tuple[int, ...] = ()  # ... these, one way


def cuts_of(pads: Sequence[PadCuts]) -> list[Cut]:
    """Every pair once, by design rule 3: a pad that both silences and is silenced by one group is silenced by the others."""
    chokes, silenced = defaultdict(list), defaultdict(list)
    for pad in pads:
        if pad.choke:
            chokes[pad.choke].append(pad.id)
        for number in pad.silenced_by:
            silenced[number].append(pad.id)
    cuts = []
    for pad in pads:
        if pad.cuts_itself:
            cuts.append(Cut(pad.id, pad.id, ITSELF))
        cuts += [Cut(pad.id, other, CHOKE, pad.choke) for other in chokes.get(pad.choke, ()) if other != pad.id]
        for number in pad.silences:
            cuts += [Cut(pad.id, other, MUTE, str(number)) for other in silenced[number] if other != pad.id]
    return list({(cut.by, cut.of): cut for cut in reversed(cuts)}.values())[::-1]


def usual(pads: Sequence[PadCuts]) -> list[Proposed]:
    """Hats of a piece cut each other; a grabbed cymbal silences the rest of its piece and is not silenced by it."""
    of_piece: dict[int, list[PadCuts]] = defaultdict(list)
    for pad in pads:
        of_piece[pad.piece].append(pad)
    known = {(cut.by, cut.of) for cut in cuts_of(pads)}
    proposed = []
    hats = [[pad for pad in own if family_of(pad.kind) == "hat"] for own in of_piece.values()]
    if all(len(own) < 2 for own in hats):  # each hat a piece of its own: they are one hat all the same
        hats = [[pad for own in hats for pad in own]]
    for own in hats:
        ids = [pad.id for pad in own]
        if len(ids) > 1 and any((a, b) not in known for a in ids for b in ids if a != b):
            proposed.append(Proposed(f"{_listed(own)} cut each other", chokes=tuple(ids)))
    for own in of_piece.values():
        cymbals = [pad for pad in own if family_of(pad.kind) == "cymbal"]
        grabs = [pad for pad in cymbals if GRABBED.search(pad.name)]
        rest = [pad for pad in cymbals if pad not in grabs]
        if grabs and rest and any((a.id, b.id) not in known for a in grabs for b in rest):
            words = f"{_listed(grabs)} silence{'s' if len(grabs) == 1 else ''} {_listed(rest)}"
            proposed.append(Proposed(words, silencers=tuple(p.id for p in grabs), silenced=tuple(p.id for p in rest)))
    return proposed


def _listed(pads: Iterable[PadCuts]) -> str:
    *first, last = [pad.name for pad in pads]
    return f"{', '.join(first)} and {last}" if first else last
