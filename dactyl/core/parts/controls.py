"""Controllers and aftertouch of a part: what hands and feet say besides striking, kept to the tick (design rule 20).

Each is an event by itself, a value that holds until the next of its line. Where parts are joined or bars go, each hit keeps the
state it was played under: values are said again at the seam, and where there was none the channel's controllers are reset
(controller 121, Recommended Practice RP-015 of the MIDI Association).
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import NamedTuple

from dactyl.core.errors import PartError

CONTROLLER, CHANNEL_PRESSURE, KEY_PRESSURE = "controller", "channel", "key"
KINDS = {CONTROLLER: "Controller", CHANNEL_PRESSURE: "Aftertouch", KEY_PRESSURE: "Aftertouch of key"}
PEDAL = 4  # the foot controller (MIDI 1.0, table of control changes)
RESET_ALL = 121
MOST_CONTROLS = 200_000  # of a part: ten minutes of a pedal that sends three hundred a second
LATEST_TICK = 1 << 40

Line = tuple[str, int, int]
"""(kind, number, channel): of which a channel has one value at a time."""


class Control(NamedTuple):
    """One value that came."""

    tick: int
    kind: str  # a key of KINDS
    number: int  # of the controller, or the note of a key; 0 of a channel's aftertouch
    value: int  # 0..127
    channel: int  # 0..15

    @property
    def line(self) -> Line:
        return self.kind, self.number, self.channel


Controls = tuple[Control, ...]
"""In time order; those of one tick as they came."""


def check(controls: Iterable[Control]) -> Controls:
    """In order. raises : PartError for values that no message has, or more than a part holds"""
    controls = tuple(sorted(controls, key=_tick))
    if len(controls) > MOST_CONTROLS:
        raise PartError(f"A part holds at most {MOST_CONTROLS:,} values of controllers. Thin them out, or split it.")
    for one in controls:
        if one.kind not in KINDS or not (0 <= one.number < 128 and 0 <= one.value < 128 and 0 <= one.channel < 16):
            raise PartError(f"{one.kind[:20]} {one.number} with the value {one.value} is no message of a controller.")
        if not 0 <= one.tick <= LATEST_TICK:
            raise PartError(f"A value of {name_of(one.line)} stands at tick {one.tick}, which no part has.")
    return controls


def name_of(line: Line) -> str:
    """As a person reads it, the channel counted from 1."""
    kind, number, channel = line
    return f"{KINDS[kind]}{'' if kind == CHANNEL_PRESSURE else f' {number}'}, channel {channel + 1}"


def lines_of(controls: Iterable[Control]) -> dict[Line, list[tuple[int, int]]]:
    """(tick, value) of each line, in the order in which they first come."""
    found: dict[Line, list[tuple[int, int]]] = {}
    for one in controls:
        found.setdefault(one.line, []).append((one.tick, one.value))
    return found


def with_recorded(controls: Sequence[Control], played: Iterable[Control], span: range, loop_ticks: int) -> Controls:
    """With what was played in: of its lines, what stood in the stretch that was played over goes. What follows the stretch stays
    under the values that it had."""
    played = tuple(played)
    lines = {one.line for one in played}
    own = check([*(one for one in controls if one.line not in lines or one.tick not in span), *played])
    end = max([span.stop, *(one.tick + 1 for one in played)])
    if end >= loop_ticks:
        return own
    ahead, behind = ([o for o in own if o.tick < end], [o for o in own if o.tick >= end])
    return (*ahead, *restated(end, state_at(own, end), state_at(controls, end)), *behind)


# What goes along with bars --------------------------------------------------------------------------------------------


def state_at(controls: Sequence[Control], tick: int) -> dict[Line, int]:
    """What holds right before a tick; a line that said nothing yet is not in it."""
    state: dict[Line, int] = {}
    for one in controls:
        if one.tick >= tick:
            break
        take(state, one)
    return state


def take(state: dict[Line, int], one: Control) -> None:
    """Change a state by what came."""
    if one.kind == CONTROLLER and one.number == RESET_ALL:
        for line in [line for line in state if line[2] == one.channel]:
            del state[line]
    else:
        state[one.line] = one.value


def restated(tick: int, before: Mapping[Line, int], wanted: Mapping[Line, int]) -> list[Control]:
    """What must come at a tick so that after ``before`` that holds which is ``wanted``."""
    reset = sorted({line[2] for line in before if line not in wanted})
    said = [Control(tick, CONTROLLER, RESET_ALL, 0, channel) for channel in reset]
    for (kind, number, channel), value in wanted.items():
        if channel in reset or before.get((kind, number, channel)) != value:
            said.append(Control(tick, kind, number, value, channel))
    return said


def shifted(controls: Sequence[Control], to: Callable[[int], int]) -> Controls:
    return tuple(one._replace(tick=to(one.tick)) for one in controls)


def cut_out(controls: Sequence[Control], start: int, end: int) -> Controls:
    """Without a stretch; what follows closes up, under the values that it had."""
    said = restated(start, state_at(controls, start), state_at(controls, end))
    behind = (one._replace(tick=one.tick - (end - start)) for one in controls if one.tick >= end)
    return (*(one for one in controls if one.tick < start), *said, *behind)


def without(controls: Sequence[Control], start: int, end: int) -> Controls:
    """Without what comes in a stretch; what follows it stays under the values that it had."""
    said = restated(end, state_at(controls, start), state_at(controls, end))
    return (*(o for o in controls if o.tick < start), *said, *(o for o in controls if o.tick >= end))


def copied_behind(controls: Sequence[Control], start: int, end: int) -> Controls:
    """A stretch once more, right behind itself, where room was made. controls : as they were before"""
    length = end - start
    inside = [one for one in controls if start <= one.tick < end]
    said = restated(end, state_at(controls, end), state_at(controls, start))
    return (
        *(one for one in controls if one.tick < end),
        *said,
        *(one._replace(tick=one.tick + length) for one in inside),
        *(one._replace(tick=one.tick + length) for one in controls if one.tick >= end),
    )


def put_behind(controls: Sequence[Control], at: int, others: Sequence[Control]) -> Controls:
    """Join those of two parts at a tick: the second begins with nothing said, as it did by itself."""
    own = ending_at(controls, at)
    return (*own, *restated(at, state_at(own, at), {}), *shifted(others, lambda tick: tick + at))


def laid_over(
    controls: Sequence[Control], others: Sequence[Control], struck: set[tuple[int, int]]
) -> tuple[Controls, tuple[Line, ...]]:
    """Lay those of another part over a part that stays as it sounds; return them, and the lines left out.

    struck : (note, channel) of the hits of the part. Where it has hits or controllers of its own, its own hold; aftertouch of a
        key that it does not strike moves none of its hits.
    """
    own, channels = lines_of(controls), {channel for _, channel in struck} | {one.channel for one in controls}
    coming = lines_of(others)

    def is_free(line: Line) -> bool:
        kind, number, channel = line
        return line not in own and (number, channel) not in struck if kind == KEY_PRESSURE else channel not in channels

    left = tuple(line for line, points in coming.items() if not is_free(line) and own.get(line) != points)
    taken = (one for one in others if is_free(one.line))
    return tuple(sorted((*controls, *taken), key=_tick)), left


def ending_at(controls: Sequence[Control], loop_ticks: int) -> Controls:
    """Without what stands at the end of a part or behind it."""
    return tuple(one for one in controls if one.tick < loop_ticks)


def of_hits(controls: Sequence[Control], struck: set[tuple[int, int]]) -> Controls:
    """Those that may matter to hits of these (note, channel): all of their channels, and of keys those of their notes."""
    channels = {channel for _, channel in struck}
    return tuple(
        one
        for one in controls
        if ((one.number, one.channel) in struck if one.kind == KEY_PRESSURE else one.channel in channels)
    )


def renoted(controls: Sequence[Control], becomes: Callable[[int], int | None]) -> Controls:
    """Aftertouch of keys follows their notes; that of no note goes."""
    made = []
    for one in controls:
        number = becomes(one.number) if one.kind == KEY_PRESSURE else one.number
        if number is not None:
            made.append(one._replace(number=number))
    return tuple(made)


def _tick(one: Control) -> int:
    return one.tick
