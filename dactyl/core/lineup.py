"""Kits loaded together as frozen values: which hits reach each of them, and as what (design rule 19)."""

from collections import Counter
from dataclasses import dataclass, replace

from dactyl.core.errors import KitError
from dactyl.core.fields import DESK, MEMBER, MOST_POINTS, OUTPUT, OUTPUT_GROUP, STRENGTH, check, check_one
from dactyl.core.kit import CURVE_EXPONENTS, NOTES, SIDES, STOOL, Curve, Kit, Parallel, is_drawn

CHANNELS = 16
MOST_MEMBERS = 16
Link = tuple[int, int, int, int, float]
"""(member, pad id, member, pad id, strength): struck in the first, the second sounds along. Members count from 0."""
Choke = tuple[int, str, int, str]
"""(member, letter, member, letter): two choke groups that cut each other as one does itself."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Listening:
    """Which hits of a part reach a kit, and as what; with nothing set it hears them as it would by itself."""

    channels: tuple[int, ...] | None = None  # 0..15; None: all
    low: int = 0  # notes of the part, before they are translated
    high: int = NOTES - 1
    gain_db: float = 0.0  # of all that leaves its desk
    muted: bool = False
    delay_ms: float = 0.0
    curve: Curve = "even"  # of velocity, before the pads' own
    pieces: tuple[int, ...] | None = None  # ids of those that take part; None: all
    notes: tuple[tuple[int, int], ...] = ()  # (note of the part, note of this kit); others stay as they are


@dataclass(frozen=True, slots=True, kw_only=True)
class Member(Listening):
    kit: Kit


@dataclass(frozen=True, slots=True, kw_only=True)
class LineupOutput:
    """What the desk of a lineup makes of an output of one of its members, behind that kit's own desk."""

    member: int
    name: str  # of the output, in its kit
    gain_db: float = 0.0
    width: float = 1.0
    balance: float = 0.0
    muted: bool = False
    parallel_db: float | None = None  # how much of it goes to the lineup's parallel bus; None: nothing
    group: str = ""  # of the lineup; none: it leaves by itself


@dataclass(frozen=True, slots=True, kw_only=True)
class LineupGroup:
    """One handle for outputs of several members."""

    name: str
    gain_db: float = 0.0
    muted: bool = False
    colour: str = ""  # a key of fields.COLOURS


@dataclass(frozen=True, slots=True, kw_only=True)
class Lineup:
    name: str
    members: tuple[Member, ...]
    links: tuple[Link, ...] = ()
    chokes: tuple[Choke, ...] = ()
    outputs: tuple[LineupOutput, ...] = ()  # those that are set; all others leave as they are
    groups: tuple[LineupGroup, ...] = ()
    parallel: Parallel = Parallel()
    master_db: float = 0.0  # behind the desks of its members
    side: str = STOOL  # a key of SIDES: from the hall, each member is heard from where it is not

    def __post_init__(self) -> None:
        if not 1 <= len(self.members) <= MOST_MEMBERS:
            raise KitError(f"A lineup has 1 to {MOST_MEMBERS} members; this one has {len(self.members)}.")
        check_one(DESK["master_db"], self.master_db, "the lineup")
        if self.side not in SIDES:
            raise KitError(f"{self.side[:40]} is no side that a lineup is heard from; stool and hall are.")
        for number, member in enumerate(self.members):
            check_listening(member, f"member {number + 1}, {member.kit.name[:40]},")
            known = {piece.id for piece in member.kit.pieces}
            if strange := next((key for key in member.pieces or () if key not in known), None):
                raise KitError(f"Member {number + 1} names piece {str(strange)[:40]}, which its kit does not have.")
        for one, pad, other, other_pad, strength in self.links:
            self._check_pad(one, pad)
            self._check_pad(other, other_pad)
            if one == other:
                raise KitError(f"A link of member {one + 1} leads to itself; within a kit that is a companion.")
            check_one(STRENGTH, strength, "a link")
        for one, _, other, _ in self.chokes:
            if one == other or not {one, other} <= set(range(len(self.members))):
                raise KitError("A choke of a lineup joins groups of two of its members.")
        self._check_desk()

    def _check_desk(self) -> None:
        check({name: one for name, one in DESK.items() if name.startswith("parallel")}, self, "the lineup")
        for group in self.groups:
            check(OUTPUT_GROUP, group, f"group {group.name[:40]} of the lineup")
        names = [group.name for group in self.groups]
        if twice := next((name for name, count in Counter(names).items() if count > 1), None):
            raise KitError(f"The lineup has two groups called {twice[:40]}.")
        seen = set()
        for one in self.outputs:
            check(OUTPUT, one, f"output {one.name[:40]} of the lineup")
            if not 0 <= one.member < len(self.members):
                raise KitError(f"The lineup's desk names member {one.member + 1}; there are {len(self.members)}.")
            kit = self.members[one.member].kit
            if all(output.name != one.name for output in kit.outputs):
                raise KitError(f"The lineup's desk names output {one.name[:40]}, which {kit.name[:40]} does not have.")
            if one.group and one.group not in names:
                raise KitError(f"Output {one.name[:40]} is in group {one.group[:40]}, which the lineup does not have.")
            if (one.member, one.name) in seen:
                raise KitError(f"The lineup's desk says two things of output {one.name[:40]} of {kit.name[:40]}.")
            seen.add((one.member, one.name))

    def _check_pad(self, member: int, pad: int) -> None:
        if not 0 <= member < len(self.members):
            raise KitError(f"A link names member {member + 1}; there are {len(self.members)}.")
        if all(own.id != pad for _, own in self.members[member].kit.pads()):
            raise KitError(f"A link names pad {pad} of member {member + 1}, which its kit does not have.")


def check_listening(asked: Listening, of: str) -> None:
    """raises : KitError that names what can't be"""
    check(MEMBER, asked, of)
    if asked.channels is not None and (not asked.channels or not set(asked.channels) <= set(range(CHANNELS))):
        raise KitError(f"The channels of {of} are {list(asked.channels)}; one or more from 0 to 15 can be.")
    if asked.low > asked.high:
        raise KitError(f"The notes of {of} run from {asked.low} to {asked.high}.")
    if wrong := next((note for pair in asked.notes for note in pair if not 0 <= note < NOTES), None):
        raise KitError(f"The translation of {of} holds the note {wrong}; notes are numbers from 0 to {NOTES - 1}.")
    twice = [note for note, count in Counter(note for note, _ in asked.notes).items() if count > 1]
    if twice:
        raise KitError(f"The translation of {of} says two things of note {twice[0]}.")
    if isinstance(asked.curve, str):
        if asked.curve not in CURVE_EXPONENTS:
            raise KitError(f"{asked.curve[:40]} is not a velocity curve that {of} can have.")
    elif not is_drawn(asked.curve) or len(asked.curve) > MOST_POINTS:
        raise KitError(f"The velocity curve of {of} is not drawn as one: 2 to {MOST_POINTS} points that rise.")


def kit_of(member: Member) -> Kit:
    """The member's kit with the pieces that take part; what leads to the others is left out."""
    if member.pieces is None:
        return member.kit
    pieces = tuple(piece for piece in member.kit.pieces if piece.id in member.pieces)
    there = {pad.id for piece in pieces for pad in piece.pads}
    maps = tuple(replace(m, notes=tuple((note, pad) for note, pad in m.notes if pad in there)) for m in member.kit.maps)
    surfaces = tuple(replace(s, cells=tuple((at, p) for at, p in s.cells if p in there)) for s in member.kit.surfaces)
    return replace(member.kit, pieces=pieces, maps=maps, surfaces=surfaces)
