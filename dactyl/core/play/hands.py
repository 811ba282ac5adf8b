"""What hands and feet do besides striking: pedals, places of a stroke, grabs (design rule 20). The page's hands.js mirrors it.

A piece may share its pads out along a controller, closed to open or centre to edge. Closing cuts what rings more open; a quick
close sounds the chick, a quick open behind it the splash; pressure on a key, or a note, grabs the piece.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from math import cos, floor, pi, sin
from typing import Any

from dactyl.core.parts.controls import CONTROLLER, KEY_PRESSURE, RESET_ALL
from dactyl.core.parts.part import Gesture
from dactyl.core.play.playbook import Grip, MemberTable, Playbook, Shares
from dactyl.core.units import ms_to_frames

MOST = 127  # of a controller, and open
QUICK_MS = 200.0  # a close that takes longer makes no chick; an open that comes later behind one no splash
FULL_MS = 40.0  # a close from all open within this time is as loud as can be

Blend = tuple[int, float]
"""(index of a pad, gain)"""


@dataclass(slots=True)
class Foot:
    """How one pedal moved: one channel's controller over one piece."""

    openness: int
    top: int = MOST  # where it was before it began to fall
    fell_frame: int | None = None  # of the first value of the fall that goes on; None: it does not fall
    chick: tuple[int, int] | None = None  # (frame, velocity) of the last, as long as no splash followed


@dataclass(frozen=True, slots=True)
class Deed:
    """What a gesture does to one piece: pads whose voices fall silent, and a pad that sounds."""

    member: int
    cut: tuple[int, ...] = ()
    fade: int = 0
    strikes: int | None = None  # index of a pad
    velocity: int | None = None  # None: at the level of what rings of ``cut``


@dataclass(slots=True)
class Hands:
    """State by channel, from the last value that came."""

    playbook: Playbook
    _values: dict[tuple[int, int], int] = field(default_factory=dict)  # (channel, controller) -> 0..127
    _pressed: dict[tuple[int, int], int] = field(default_factory=dict)  # (channel, note) -> 0..127
    _feet: dict[tuple[int, int, int], Foot] = field(default_factory=dict)  # (channel, member, place among its shares)
    _asked: tuple[int, ...] = field(init=False)  # controllers that pads are chosen by
    _grips: bool = field(init=False)

    def __post_init__(self) -> None:
        self._asked = tuple(sorted({shares.number for member in self.playbook.members for shares in member.shares}))
        self._grips = any(grip.note is not None for member in self.playbook.members for grip in member.grips)

    def state_of(self, channel: int) -> tuple[int | None, ...]:
        """All that choosing a pad goes by on a channel."""
        return tuple(self._values.get((channel, number)) for number in self._asked) if self._asked else ()

    def chosen(self, index: int, channel: int) -> list[Blend]:
        """What a strike of a pad plays: itself, unless its piece is shared out along a controller that said something."""
        for shares in self.playbook.members[self.playbook.pads[index].member].shares:
            if index in shares.pads and (value := self._values.get((channel, shares.number))) is not None:
                return blend(shares, openness(shares, value))
        return [(index, 1.0)]

    def take(self, gesture: Gesture) -> Iterator[Deed]:
        """Remember a gesture; yield what it does."""
        if gesture.kind == CONTROLLER and gesture.number == RESET_ALL:
            self._forget(gesture.channel)
        elif gesture.kind == CONTROLLER:
            self._values[gesture.channel, gesture.number] = gesture.value
            for number, member in self._reached(gesture):
                for place, shares in enumerate(member.shares):
                    if shares.number == gesture.number:
                        yield from self._moved(gesture, number, place, shares)
        elif gesture.kind == KEY_PRESSURE:
            was = self._pressed.get((gesture.channel, gesture.number), 0)
            self._pressed[gesture.channel, gesture.number] = gesture.value
            for number, member in self._reached(gesture):
                if not member.low <= gesture.number <= member.high:
                    continue
                struck = member.notes.get(gesture.number, ())  # by the part's notes, as it has them
                for grip in member.grips:
                    is_its = any(index in grip.pads for index in struck)
                    if is_its and grip.limit is not None and was < grip.limit <= gesture.value:
                        yield grab(number, grip)

    def grabbed_by(self, note: int, channel: int) -> list[tuple[int, Grip]]:
        """The pieces that a note grabs, with the numbers of their members."""
        if not self._grips:
            return []
        return [
            (number, grip)
            for number, member in enumerate(self.playbook.members)
            if member.hears(note, channel)
            for grip in member.grips
            if grip.note == member.played_as.get(note, note)
        ]

    def _forget(self, channel: int) -> None:
        for states in (self._values, self._pressed, self._feet):
            for key in [key for key in states if key[0] == channel]:
                del states[key]

    def _reached(self, gesture: Gesture) -> Iterator[tuple[int, MemberTable]]:
        for number, member in enumerate(self.playbook.members):
            if member.channels is None or gesture.channel in member.channels:
                yield number, member

    def _moved(self, gesture: Gesture, number: int, place: int, shares: Shares) -> Iterator[Deed]:
        now = openness(shares, gesture.value)
        if not shares.is_pedal:
            return
        yield Deed(number, tuple(above(shares, now)), shares.fade)
        key = gesture.channel, number, place
        foot = self._feet.get(key)
        if foot is None:
            self._feet[key] = Foot(now)
            return
        was, foot.openness = foot.openness, now
        if now < was and foot.fell_frame is None:
            foot.top, foot.fell_frame = was, gesture.frame
        elif now > was:
            foot.fell_frame = None
        closed = shares.highs[0]
        if now <= closed < was:
            velocity = chick_velocity(foot.top - now, gesture.frame - foot.fell_frame, self.playbook.rate_hz)
            foot.chick = (gesture.frame, velocity) if velocity else None
            if velocity and shares.chick is not None:
                yield Deed(number, strikes=shares.chick, velocity=velocity)
        elif was <= closed < now and foot.chick is not None:
            at, velocity = foot.chick
            foot.chick = None
            if shares.splash is not None and gesture.frame - at <= ms_to_frames(QUICK_MS, self.playbook.rate_hz):
                yield Deed(number, strikes=shares.splash, velocity=velocity)


def grab(number: int, grip: Grip) -> Deed:
    return Deed(number, grip.pads, grip.fade, grip.sounds)


def openness(shares: Shares, value: int) -> int:
    """0 closed (or the first pad's place) to 127 open, of what a controller says."""
    return MOST - value if shares.is_turned else value


def share_of(shares: Shares, place: int, at: int) -> float:
    """How far ``at`` is across the border above a pad's stretch, 0..1, as layers cross (design rule 4)."""
    high = shares.highs[place]
    below = shares.highs[place - 1] if place else -1
    width = min(shares.width, high - below, shares.highs[place + 1] - high)
    distance = at - (high + 0.5)
    return min(1.0, max(0.0, distance / width + 0.5)) if width else float(distance > 0)


def blend(shares: Shares, at: int) -> list[Blend]:
    """The pads that sound at an openness: one, or two neighbours with the gains of a crossfade."""
    found = []
    for place, index in enumerate(shares.pads):
        gain = sin(share_of(shares, place - 1, at) * pi / 2) if place else 1.0
        if place + 1 < len(shares.pads):
            gain *= cos(share_of(shares, place, at) * pi / 2)
        if gain > 1e-9:
            found.append((index, gain))
    return found


def above(shares: Shares, at: int) -> Iterable[int]:
    """Pads whose stretch lies above an openness, and the splash where the pedal is closed: what rings of them falls silent."""
    for place, index in enumerate(shares.pads):
        if place and share_of(shares, place - 1, at) == 0.0:
            yield index
    if shares.splash is not None and at <= shares.highs[0] and shares.splash not in shares.pads:
        yield shares.splash


def chick_velocity(fallen: int, frames: int, rate_hz: int) -> int:
    """How loud a close that fell so far in so many frames sounds; 0: too slow to be heard.

    floor(fallen x min(1, 40 ms / time) + 1/2), at least 1.
    """
    if frames > ms_to_frames(QUICK_MS, rate_hz):
        return 0
    full = ms_to_frames(FULL_MS, rate_hz)
    return max(1, floor(fallen * min(1.0, full / max(1, frames)) + 0.5))


def ringing_velocity(rings: Iterable[tuple[int, int, int]], frame: int) -> int | None:
    """How loud a grab sounds: the largest of what rings, each as it was struck and less by how much of it is over. None: nothing rings.

    rings : (velocity it was struck with, first frame, frame behind its end) of each voice
    """
    levels = [
        floor(velocity * (1 - (frame - start) / (end - start)) + 0.5)
        for velocity, start, end in rings
        if start <= frame < end
    ]
    return max(1, *levels) if levels else None


def table_of(shares: Shares, rate_hz: int) -> dict[str, Any]:
    """All that a player looks up, by the controller's value 0..127: what plays, what is cut, how open that is. Pads in ``plays`` are
    places in ``shares.pads``; in ``cuts`` indexes into Playbook.pads."""
    at = [openness(shares, value) for value in range(MOST + 1)]
    places = {index: place for place, index in enumerate(shares.pads)}
    return {
        "number": shares.number,
        "plays": [[(places[index], gain) for index, gain in blend(shares, one)] for one in at],
        "cuts": [list(above(shares, one)) for one in at] if shares.is_pedal else [[]] * (MOST + 1),
        "openness": at,
        "closed": shares.highs[0],
        "isPedal": shares.is_pedal,
        "fade": shares.fade,
        "quick": ms_to_frames(QUICK_MS, rate_hz),
        "full": ms_to_frames(FULL_MS, rate_hz),
    }
