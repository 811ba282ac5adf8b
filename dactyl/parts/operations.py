"""What a hand asks of a part's hits, as the core does it: the request's values in, a sentence and the change out."""

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from dactyl.core.errors import PartError
from dactyl.core.formats.midi import MAX_NOTES
from dactyl.core.parts import controls, curves, figures, select, structure, timing, velocity
from dactyl.core.parts.controls import Control
from dactyl.core.parts.meter import GRIDS
from dactyl.core.parts.part import Event, Part
from dactyl.core.parts.reshape import Reshaped, clip_velocity, held_inside, hits_of, moved, refused_behind
from dactyl.core.parts.timing import Grid
from dactyl.core.units import counted
from dactyl.kits.models import Output
from dactyl.parts import blocks, models, queries
from dactyl.parts.shown import SAID
from dactyl.web.request_values import JsonValues

TICKS = (0, 1 << 40)
NOTES, VELOCITIES, CHANNELS = (0, 127), (1, 127), (0, 15)
MS = (-2000, 2000)
SEEDS = (0, 1 << 32)


class Asking:
    """One request about a part: its values, and the hits it names."""

    def __init__(self, row: models.Part, asked: JsonValues) -> None:
        self.row, self.asked = row, asked
        self.part = queries.about(row)

    def hits(self) -> list[Event]:
        """The hits that ``ids`` names and that are still there. raises : PartError where there are none"""
        ids = self.asked.wholes("ids", 1, 1 << 62, MAX_NOTES)
        found = hits_of(queries.events(self.row, ids)) if ids else []
        if not found:
            raise PartError("No hits are selected. Select some first: press on one, or choose by what you want to say.")
        return found

    def every_hit(self) -> list[Event]:
        return hits_of(queries.events(self.row))

    def turn(self) -> tuple[int, int] | None:
        """The stretch that the page loops (``loop``: its first tick and the one after its last); None where it doesn't."""
        start, end = [*self.asked.wholes("loop", *TICKS, 2), 0, 0][:2]
        return (start, min(end, self.part.loop_ticks)) if start < min(end, self.part.loop_ticks) else None

    def grid(self) -> Grid:
        return Grid(name=self.asked.one_of("grid", GRIDS, "1/16"), swing=self.asked.number("swing", 50, 75, 50))

    def rng(self) -> np.random.Generator:
        return np.random.default_rng(self.asked.whole("seed", *SEEDS, 0))


Answer = tuple[str, Reshaped]
"""The sentence of the history, and what changes."""


# By hand --------------------------------------------------------------------------------------------------------------


def draw(asking: Asking) -> Answer:
    """``events``: rows of tick, note, velocity, channel, length."""
    limits = [TICKS, NOTES, VELOCITIES, CHANNELS, TICKS]
    new = tuple(Event(*row) for row in asking.asked.rows("events", limits, MAX_NOTES))
    return f"{counted(len(new), 'hit')} drawn", Reshaped(added=new)


def remove(asking: Asking) -> Answer:
    hits = asking.hits()
    return f"{counted(len(hits), 'hit')} removed", Reshaped(removed=tuple(hit.id for hit in hits))


def move(asking: Asking) -> Answer:
    """By ``ticks``, and from note to note as the rows of ``notes`` say (old, new), or those of ``to`` (old, its channel, new, its
    channel); ``copy`` leaves the originals."""
    hits = asking.hits()
    ticks = asking.asked.whole("ticks", -TICKS[1], TICKS[1], 0)
    to = dict(asking.asked.rows("notes", [NOTES, NOTES], 128))
    both = {(a, b): (c, d) for a, b, c, d in asking.asked.rows("to", [NOTES, CHANNELS] * 2, 128 * 16)}
    ticks = max(ticks, -min(hit.tick for hit in hits))
    new = [moved(hit, ticks) for hit in hits] if ticks else hits
    if to or both:
        places = [both.get((hit.note, hit.channel), (to.get(hit.note, hit.note), hit.channel)) for hit in hits]
        new = [hit._replace(note=note, channel=channel) for hit, (note, channel) in zip(new, places, strict=True)]
    if asking.asked.yes("copy"):
        return f"{counted(len(hits), 'hit')} copied", Reshaped(added=tuple(hit._replace(id=0) for hit in new))
    return f"{counted(len(hits), 'hit')} moved", Reshaped(changed=_different(hits, new))


def strike(asking: Asking) -> Answer:
    """Velocities as a hand drew them: ``velocities``, rows of id and velocity."""
    wanted = dict(asking.asked.rows("velocities", [(1, 1 << 62), VELOCITIES], MAX_NOTES))
    hits = hits_of(queries.events(asking.row, list(wanted)))
    new = [hit._replace(velocity=wanted[hit.id]) for hit in hits]
    return f"Velocity of {counted(len(hits), 'hit')}", Reshaped(changed=_different(hits, new))


def set_numbers(asking: Asking) -> Answer:
    """One number of the selected hits, typed: tick, ms, note, velocity, channel or length."""
    hits, asked = asking.hits(), asking.asked
    what = asked.one_of("field", ("tick", "ms", "note", "velocity", "channel", "length"))
    if what == "ms":
        tick = asking.part.tick_at(asked.number("value", 0, 4 * 3600 * 1000) / 1000)
        new = [moved(hit, tick - hit.tick) for hit in hits]
    elif what == "tick":
        tick = asked.whole("value", 0, asking.part.loop_ticks - 1)
        new = [moved(hit, tick - hit.tick) for hit in hits]
    else:
        limits = {"note": NOTES, "velocity": VELOCITIES, "channel": CHANNELS, "length": TICKS}[what]
        name = "length_ticks" if what == "length" else what
        new = [hit._replace(**{name: asked.whole("value", *limits)}) for hit in hits]
    words = {"ms": "Time", "tick": "Time"}.get(what, what.capitalize())
    return f"{words} of {counted(len(hits), 'hit')} typed", Reshaped(changed=_different(hits, new))


def paste(asking: Asking) -> Answer:
    """``events``: rows of tick, note, velocity, channel, length and played tick, as they were copied; put at ``at``."""
    limits = [TICKS, NOTES, VELOCITIES, CHANNELS, TICKS, TICKS]
    held = [Event(*row) for row in asking.asked.rows("events", limits, MAX_NOTES)]
    if not held:
        raise PartError("There is nothing to paste. Select hits and press Ctrl C first.")
    at = asking.asked.whole("at", *TICKS)
    start = asking.asked.whole("start", *TICKS, min(event.tick for event in held))
    new = [hit for hit in structure.copies(held, at - start) if hit.tick < asking.part.loop_ticks]
    if not new:
        raise PartError("What you paste would stand behind the part's end. Add bars, or move the playhead.")
    return f"{counted(len(new), 'hit')} pasted", Reshaped(added=tuple(new))


def duplicate(asking: Asking) -> Answer:
    hits = asking.hits()
    made = structure.behind(asking.part, hits)
    inside = tuple(hit for hit in made.added if hit.tick < asking.part.loop_ticks)
    if not inside:
        raise PartError("There is no room behind the selected hits. Add bars first.")
    return f"{counted(len(inside), 'hit')} duplicated behind", Reshaped(added=inside)


def repeat(asking: Asking) -> Answer:
    made = structure.repeat(asking.part, asking.hits(), MAX_NOTES - blocks.count(asking.row))
    return f"{counted(len(made.added), 'hit')} repeated to the end", made


# Velocity and time ----------------------------------------------------------------------------------------------------


def shape_velocity(asking: Asking) -> Answer:
    hits, asked = asking.hits(), asking.asked
    ways: dict[str, Callable[[], list[Event]]] = {
        "set": lambda: velocity.set_to(hits, asked.whole("value", *VELOCITIES)),
        "add": lambda: velocity.add(hits, asked.whole("value", -126, 126)),
        "scale": lambda: velocity.scale(hits, asked.number("value", 0, 1000) / 100),
        "spread": lambda: velocity.spread(hits, asked.number("value", 0, 400) / 100),
        "ramp": lambda: velocity.ramp(
            hits, asked.whole("first", *VELOCITIES), asked.whole("last", *VELOCITIES), asked.number("curve", -1, 1, 0)
        ),
        "accent": lambda: velocity.accent(hits, asked.text("pattern", 64)),
        "random": lambda: velocity.randomize(hits, asked.number("value", 0, 126), asking.rng()),
    }
    words = {
        "set": "set", "add": "raised or lowered", "scale": "scaled", "spread": "evened out or spread",
        "ramp": "on a line", "accent": "accented", "random": "varied",
    }  # fmt: skip
    how = asked.one_of("how", ways)
    return f"Velocity of {counted(len(hits), 'hit')} {words[how]}", Reshaped(changed=tuple(ways[how]()))


def tighten(asking: Asking) -> Answer:
    hits, asked = asking.hits(), asking.asked
    strength = asked.number("strength", 0, 100)
    new = timing.tighten(
        asking.part,
        hits,
        asking.grid(),
        strength / 100,
        closer_ms=asked.number("closer_ms", 0, 500, 0),
        further_ms=asked.number("further_ms", 0, 500, 0),
    )
    return f"{counted(len(hits), 'hit')} tightened by {strength:g} %", Reshaped(changed=tuple(new))


def as_played(asking: Asking) -> Answer:
    hits = asking.hits()
    return f"{counted(len(hits), 'hit')} back where played", Reshaped(changed=tuple(timing.as_played(hits)))


def nudge(asking: Asking) -> Answer:
    """By ``ticks``, or by ``ms`` under the tempo at each hit."""
    hits, asked = asking.hits(), asking.asked
    if asked.has("ms"):
        ms = asked.number("ms", *MS)
        new, said = timing.pull(asking.part, hits, ms), f"{abs(ms):g} ms {'later' if ms > 0 else 'earlier'}"
    else:
        ticks = asked.whole("ticks", -TICKS[1], TICKS[1])
        new, said = (
            timing.nudge(hits, ticks),
            f"{counted(abs(ticks), 'tick')} {'later' if ticks > 0 else 'earlier'}",
        )
    return f"{counted(len(hits), 'hit')} {said}", Reshaped(changed=tuple(new))


def loosen(asking: Asking) -> Answer:
    hits, ms = asking.hits(), asking.asked.number("ms", 0, 100)
    new = timing.loosen(asking.part, hits, ms, asking.rng())
    return f"{counted(len(hits), 'hit')} loosened by {ms:g} ms", Reshaped(changed=tuple(new))


def feel(asking: Asking) -> Answer:
    """Of the part that ``from`` names."""
    hits, asked = asking.hits(), asking.asked
    source = models.Part.objects.filter(pk=asked.whole("from", 0, 1 << 62)).first()
    if source is None:
        raise PartError("The part whose feel you want is gone. Choose another.")
    found = timing.feel_of(queries.part_value(source), asking.grid())
    time, loud = asked.number("time", 0, 100, 100) / 100, asked.number("velocity", 0, 100, 100) / 100
    new = timing.give_feel(asking.part, hits, found, time, loud)
    return f"Feel of {source.name} given to {counted(len(hits), 'hit')}", Reshaped(changed=tuple(new))


# Figures --------------------------------------------------------------------------------------------------------------


def grace(asking: Asking) -> Answer:
    hits, asked = asking.hits(), asking.asked
    figure = asked.one_of("figure", figures.GRACES, "flam")
    made = figures.graces(
        asking.part,
        hits,
        figure,
        ms=asked.number("ms", 5, 120, 25),
        strength=asked.number("strength", 1, 100, 50) / 100,
    )
    return f"{figure.capitalize()} on {counted(len(hits), 'hit')}", made


def roll(asking: Asking) -> Answer:
    """From each selected hit up to the next hit of its note, or as far as ``beats`` says."""
    hits, asked = asking.hits(), asking.asked
    longest = int(asked.number("beats", 0, 64, 0) * asking.part.ticks_per_beat)
    ends = figures.ends_of(hits, asking.every_hit(), asking.part.loop_ticks)
    if longest:
        ends = [min(end, hit.tick + longest) for hit, end in zip(hits, ends, strict=True)]
    made = figures.roll(
        asking.part, hits, ends, asking.grid(), first=asked.whole("first", *VELOCITIES, 50),
        last=asked.whole("last", *VELOCITIES, 110), doubles=asked.yes("doubles"),
    )  # fmt: skip
    return f"Roll of {counted(len(made.added) + len(hits), 'stroke')}", made


def ghost(asking: Asking) -> Answer:
    hits, asked = asking.hits(), asking.asked
    places = asked.whole("places", -8, 8, 1)
    note = asked.whole("note", *NOTES) if asked.has("note") else None
    made = figures.ghosts(
        asking.part, hits, asking.every_hit(), asking.grid(), places=places,
        strength=asked.number("strength", 1, 100, 35) / 100, note=note,
    )  # fmt: skip
    return f"{counted(len(made.added), 'ghost note')} {'before' if places < 0 else 'after'} hits", made


def hats(asking: Asking) -> Answer:
    """``how`` close: open hats end at the next closed or pedal hit; foot: a pedal on the beats that no hat strikes."""
    asked = asking.asked
    opens, closed = (asked.wholes(name, *NOTES, 128) for name in ("open", "closed"))
    pedal = asked.whole("pedal", *NOTES, 44)
    if asked.one_of("how", ("close", "foot"), "close") == "close":
        made = figures.close_hats(asking.every_hit(), set(opens), {*closed, pedal})
        return f"{counted(len(made.changed), 'open hat')} closed", made
    start, end = asked.whole("start", *TICKS, 0), asked.whole("end", *TICKS, asking.part.loop_ticks)
    made = figures.foot_on_beats(
        asking.part, asking.every_hit(), pedal, {*opens, *closed}, start, min(end, asking.part.loop_ticks),
        velocity=asked.whole("velocity", *VELOCITIES, 60),
    )  # fmt: skip
    return f"{counted(len(made.added), 'pedal hat')} on the beats", made


def alternate(asking: Asking) -> Answer:
    hits, asked = asking.hits(), asking.asked
    made = figures.alternate(hits, asked.whole("one", *NOTES), asked.whole("other", *NOTES))
    return f"{counted(len(hits), 'hit')} on two pads in turn", made


OPERATIONS: dict[str, Callable[[Asking], Answer]] = {
    "draw": draw,
    "remove": remove,
    "move": move,
    "strike": strike,
    "numbers": set_numbers,
    "paste": paste,
    "duplicate": duplicate,
    "repeat": repeat,
    "velocity": shape_velocity,
    "tighten": tighten,
    "as-played": as_played,
    "nudge": nudge,
    "loosen": loosen,
    "feel": feel,
    "grace": grace,
    "roll": roll,
    "ghost": ghost,
    "hats": hats,
    "alternate": alternate,
}


BY_RULE = {"tighten", "as-played", "loosen", "feel"}
"""What finds the places by itself: what it moves stays where it is drawn and heard. All else is refused behind the end."""


def apply(asking: Asking, what: str) -> Answer:
    """One of ``OPERATIONS``: the one gate for all that moves hits."""
    said, made = OPERATIONS[what](asking)
    if what not in BY_RULE:
        return said, refused_behind(asking.part, made)
    before = list(queries.events(asking.row, [hit.id for hit in made.changed]))
    inside = held_inside(asking.part, before, made.changed, asking.turn())
    own = {hit.id: hit for hit in before}
    return said, replace(made, changed=tuple(hit for hit in inside if hit != own[hit.id]))


def _different(before: Sequence[Event], after: Sequence[Event]) -> tuple[Event, ...]:
    return tuple(new for old, new in zip(before, after, strict=True) if new != old)


# Choosing -------------------------------------------------------------------------------------------------------------


def choose(asking: Asking) -> list[Event]:
    """The hits that ``rule`` means: of those that ``ids`` names where there are any, else of all."""
    asked, every = asking.asked, asking.every_hit()
    ids = set(asked.wholes("ids", 1, 1 << 62, MAX_NOTES))
    chosen = [hit for hit in every if hit.id in ids]
    among = chosen if chosen else every
    rules: dict[str, Callable[[], list[Event]]] = {
        "notes": lambda: select.of_notes(every, set(asked.wholes("notes", *NOTES, 128))),
        "between": lambda: select.between(
            among, asked.whole("start", *TICKS), asked.whole("end", *TICKS, asking.part.loop_ticks)
        ),
        "every": lambda: select.every(among, asked.whole("nth", 1, 64), asked.whole("first", 1, 64, 1)),
        "on-beat": lambda: select.on_beat(asking.part, among, on=True),
        "off-beat": lambda: select.on_beat(asking.part, among, on=False),
        "same-place": lambda: select.same_place(asking.part, every, chosen),
        "softer": lambda: select.by_velocity(among, high=asked.whole("velocity", *VELOCITIES) - 1),
        "louder": lambda: select.by_velocity(among, low=asked.whole("velocity", *VELOCITIES) + 1),
        "close": lambda: select.close_together(asking.part, among, asked.number("ms", 1, 2000)),
    }
    return rules[asked.one_of("rule", rules)]()


# Curves ---------------------------------------------------------------------------------------------------------------


def draw_curves(asking: Asking) -> tuple[str, Part, Part]:
    """``curves``: of what, what of it, and its points; each takes the place of the one that was there, no points take it
    away. The sentence, the part before and as it is then, both without their hits."""
    asked, part = asking.asked, asking.part
    made, names = curves.ending_at(part.curves, part.loop_ticks), []
    ticks = asked.whole("ticks_per_beat", 1, curves.MOST_TICKS, part.ticks_per_beat)  # a file may count otherwise
    for one in asked.objects("curves", curves.MOST_CURVES):
        of, what = one.text("of", 80), one.one_of("what", curves.LIMITS)
        points = tuple(one.points("points", curves.MOST_POINTS))
        if asked.has("ticks_per_beat") and points:
            told = (curves.Curve(of, what, points),)
            points = curves.counted_as(told, ticks, part.ticks_per_beat, part.loop_ticks)[0].points
        if not points and not any((curve.of, curve.what) == (of, what) for curve in part.curves):
            continue
        made = curves.with_curve(made, [of], what, points)
        names.append((what, one.text("name", 80) or of.partition(":")[2], len(points)))
    if not names:
        raise PartError("No curve was named. Choose what is to move first.")
    what, name, count = names[0]
    said = f"{curves.WORDS[what].capitalize()} of {name}: {counted(count, 'point') if count else 'still again'}"
    return said, part, replace(part, curves=curves.check(made, part.loop_ticks))


# Structure ------------------------------------------------------------------------------------------------------------


def restructure(asking: Asking, what: str) -> tuple[str, Part, Part]:
    """The sentence, the whole part before, and as it is then."""
    asked = asking.asked
    before = queries.about(asking.row, queries.events(asking.row))
    bar, count = (lambda: asked.whole("bar", 1, structure.MAX_BARS) - 1), (lambda: asked.whole("count", 1, 1000, 1))
    ways: dict[str, Callable[[], tuple[str, Part]]] = {
        "rename": lambda: _renamed(before, asked.text("name", 80)),
        "tempo": lambda: _tempo(before, asked),
        "meter": lambda: _meter(before, bar(), asked),
        "section": lambda: (
            f"Section {asked.text('name', 60) or 'taken away'}",
            structure.set_section(before, asked.whole("start", *TICKS), asked.whole("end", *TICKS), asked.text("name", 60)),
        ),
        "insert-bars": lambda: (
            f"{counted(count(), 'bar')} inserted", structure.insert_bars(before, bar(), count())
        ),
        "delete-bars": lambda: (
            f"{counted(count(), 'bar')} deleted", structure.delete_bars(before, bar(), count())
        ),
        "duplicate-bars": lambda: (
            f"{counted(count(), 'bar')} duplicated", structure.duplicate_bars(before, bar(), count())
        ),
        "clear-bars": lambda: (f"{counted(count(), 'bar')} cleared", structure.clear_bars(before, bar(), count())),
        "put-behind": lambda: _put_behind(asking, before),
        "lay-over": lambda: _lay_over(asking, before),
    }  # fmt: skip
    if what not in ways:
        raise PartError(f"A part can't be changed by “{what[:30]}”. Reload the page.")
    sentence, after = ways[what]()
    return sentence, before, after


def _renamed(before: Part, name: str) -> tuple[str, Part]:
    if not name:
        raise PartError("A part's name can't be empty.")
    return f"Part named {name}", replace(before, name=name)


def _tempo(before: Part, asked: JsonValues) -> tuple[str, Part]:
    tick = asked.whole("tick", 0, max(0, before.loop_ticks - 1), 0)
    bpm = asked.number("bpm", *structure.TEMPOS_BPM) if asked.has("bpm") else None
    said = f"Tempo {bpm:g}" if bpm is not None else "Tempo change taken away"
    return said, structure.set_tempo(before, tick, bpm)


def _meter(before: Part, bar: int, asked: JsonValues) -> tuple[str, Part]:
    if not asked.has("beats"):
        return "Meter change taken away", structure.set_meter(before, bar, None)
    beats, unit = asked.whole("beats", 1, 32), asked.whole("unit", 1, 32)
    return f"Meter {beats}/{unit}", structure.set_meter(before, bar, beats, unit)


def _put_behind(asking: Asking, before: Part) -> tuple[str, Part]:
    name, other = _other_part(asking, before)
    return f"{name} put after", structure.put_behind(before, other, _resting(asking))


def _lay_over(asking: Asking, before: Part) -> tuple[str, Part]:
    name, other = _other_part(asking, before)
    after, left, unsaid = structure.laid_over(before, other, _resting(asking))
    said = f"{name} laid over"
    if unsaid:
        named = ", ".join(map(controls.name_of, unsaid[:3]))
        said += f"; left out, since this part has hits there too: {named}{' …' if len(unsaid) > 3 else ''}"
    if left:
        named = ", ".join(f"{curves.WORDS[curve.what]} of {curve.name}" for curve in left[:3])
        said += f"; its automation is left out where it would move hits of this part too: {named}" + (
            " …" if len(left) > 3 else ""
        )
    return said, after


def _other_part(asking: Asking, before: Part) -> tuple[str, Part]:
    """The name and the value of the part that ``from`` names."""
    other = models.Part.objects.filter(pk=asking.asked.whole("from", 0, 1 << 62)).first()
    if other is None:
        raise PartError("The other part is gone. Choose another.")
    if other.written_for != asking.row.written_for:
        raise PartError(
            f"{other.name} and this part are written for different notes, so its hits would sound otherwise here. "
            "In the Map view, write the translation into one of them first."
        )
    value = queries.part_value(other)
    if len(before.events) + len(value.events) > MAX_NOTES:
        raise PartError(f"Together they hold over {MAX_NOTES:,} hits, which is the most.")
    return other.name, value


def _resting(asking: Asking) -> curves.Resting:
    """Width and balance as the kit of the page (``kit``) sets them; all else as usual."""
    outputs = Output.objects.filter(kit=asking.asked.whole("kit", 0, 1 << 62, 0))
    known = {f"{curves.OUTPUT}:{one.name}": {"width": one.width / 100, "balance": one.balance / 100} for one in outputs}
    return lambda of, what: known.get(of, {}).get(what, curves.usual(of, what))


def recorded(part: Part, rows: Sequence[Sequence[int]], rate_hz: int) -> list[Event]:
    """Hits as they were played in.

    rows : frame in the part, note, velocity, channel, and the frames it was held or 0
    """
    return [
        Event(
            min(part.tick_at(frame / rate_hz), part.loop_ticks - 1),
            note,
            clip_velocity(velocity_),
            channel,
            part.tick_at((frame + held) / rate_hz) - part.tick_at(frame / rate_hz) if held else 0,
        )
        for frame, note, velocity_, channel, held in rows
    ]


def recorded_controls(part: Part, rows: Sequence[Sequence[int]], rate_hz: int) -> list[Control]:
    """What controllers said while a pass was played. rows : frame in the part, kind as ``shown.SAID`` counts them, number, value, channel"""
    last = part.loop_ticks - 1
    return [
        Control(min(part.tick_at(frame / rate_hz), last), SAID[kind], number, value, channel)
        for frame, kind, number, value, channel in rows
    ]
