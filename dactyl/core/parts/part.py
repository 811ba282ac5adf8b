"""A part: events in ticks under a tempo map, and the hits they become at a rate."""

import heapq
from bisect import bisect_right
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from itertools import accumulate, pairwise
from operator import itemgetter
from typing import NamedTuple

import numpy as np

from dactyl.core.parts.controls import Controls
from dactyl.core.parts.curves import Curve, LaneCurves, Moved
from dactyl.core.parts.meter import Meters, bar_ticks, bars_up_to, tick_of_bar

DRUM_CHANNEL = 9  # the tenth, counted from 0 (General MIDI)


@dataclass(frozen=True, slots=True)
class Hit:
    frame: int
    note: int  # 0..127
    velocity: int  # 1..127; 0 is a note-off
    channel: int = 0  # 0..15
    moved: Moved | None = None  # by the curves of its lane


@dataclass(frozen=True, slots=True)
class Gesture:
    """A value of a controller, or aftertouch, at a frame."""

    frame: int
    kind: str  # a key of controls.KINDS
    number: int  # of the controller, or the note of a key
    value: int  # 0..127
    channel: int = 0  # 0..15


class Event(NamedTuple):
    """A hit of a part; or, of velocity 0, a note-off that no hit's length says.

    A tuple, made in a quarter of the time of a frozen dataclass: a long part has 100,000.
    """

    tick: int
    note: int  # 0..127
    velocity: int  # 0..127
    channel: int = DRUM_CHANNEL
    length_ticks: int = 0  # 0: nothing ends it
    played_tick: int | None = None  # where it was played, before it was tightened; None: at its tick
    order: int = 0  # among the events of its tick
    id: int = 0  # its row, where it has one
    pass_id: int | None = None  # the pass of playing in that it came with
    lane: int | None = None  # the note that its lane has, where it is played as another; None: its note

    @property
    def played(self) -> int:
        return self.tick if self.played_tick is None else self.played_tick


@dataclass(frozen=True, slots=True)
class Section:
    """A named stretch of a part."""

    start_tick: int
    end_tick: int  # the tick after its last
    name: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    name: str
    ticks_per_beat: int
    tempos: tuple[tuple[int, int], ...]  # (tick, microseconds per beat), the first at tick 0
    events: tuple[Event, ...]  # in time order, then as they came
    end_tick: int
    meters: tuple[tuple[int, int, int], ...] = ((0, 4, 4),)  # (tick, beats in a bar, beat unit), the first at tick 0
    sections: tuple[Section, ...] = ()
    curves: tuple[Curve, ...] = ()
    controls: Controls = ()

    @property
    def note_ons(self) -> tuple[Event, ...]:
        return tuple(event for event in self.events if event.velocity)

    @property
    def bar_ticks(self) -> int:
        """Of the first bar."""
        return bar_ticks(self.meters[0], self.ticks_per_beat)

    @property
    def bars(self) -> int:
        """Whole bars that hold the part; a loop turns at the end of the last one."""
        return _bars(self.end_tick, self.meters, self.ticks_per_beat)

    @property
    def loop_ticks(self) -> int:
        return _loop_ticks(self.end_tick, self.meters, self.ticks_per_beat)

    @property
    def bpm(self) -> float:
        return 60_000_000 / self.tempos[0][1]

    def hits(self, rate_hz: int) -> Iterator[Hit]:
        """Notes and note-offs, in the order in which they are played."""
        frame_at = self.frames(rate_hz)
        seconds_at = self.seconds()
        lanes = LaneCurves(self.curves, seconds_at)
        if not lanes:
            for tick, note, velocity, channel, _ in self._struck():
                yield Hit(frame_at(tick), note, velocity, channel)
            return
        for tick, note, velocity, channel, lane in self._struck():
            moved = lanes.at(lane, seconds_at(tick)) if velocity else None
            yield Hit(frame_at(tick), note, velocity, channel, moved)

    def acts(self, rate_hz: int) -> Iterator[Hit | Gesture]:
        """Hits and what controllers say, in the order in which they are played: at a tick controllers first (rule 20)."""
        if not self.controls:
            return self.hits(rate_hz)
        frame_at = self.frames(rate_hz)
        end = self.loop_ticks  # what stands behind it is kept and not played, as the loop would not
        said = ((tick, Gesture(frame_at(tick), *line)) for tick, *line in self.controls if tick < end)
        struck = zip((tick for tick, *_ in self._struck()), self.hits(rate_hz), strict=True)
        return (act for _, act in heapq.merge(said, struck, key=itemgetter(0)))

    def messages(self) -> Iterator[tuple[int, int, int, int]]:
        """(tick, note, velocity, channel) of notes and note-offs (velocity 0); a hit ends before others begin."""
        for tick, note, velocity, channel, _ in self._struck():
            yield tick, note, velocity, channel

    def _struck(self) -> Iterator[tuple[int, int, int, int, int]]:
        """The same, with the note of the lane."""
        offs = sorted(
            (event.tick + event.length_ticks, event.note, event.channel)
            for event in self.events
            if event.length_ticks and event.velocity
        )
        at = 0
        for event in self.events:
            while at < len(offs) and offs[at][0] <= event.tick:
                tick, note, channel = offs[at]
                yield tick, note, 0, channel, note
                at += 1
            lane = event.note if event.lane is None else event.lane
            yield event.tick, event.note, event.velocity, event.channel, lane
        for tick, note, channel in offs[at:]:
            yield tick, note, 0, channel, note

    def end_frame(self, rate_hz: int) -> int:
        return self.frame_at(self.end_tick, rate_hz)

    def loop_frames(self, rate_hz: int) -> int:
        return max(1, self.frame_at(self.loop_ticks, rate_hz))

    def seconds_at(self, tick: int) -> float:
        return self.seconds()(tick)

    def seconds(self) -> Callable[[int], float]:
        """``seconds_at`` of many ticks."""
        unit, microseconds = self.ticks_per_beat * 1_000_000, self._microseconds()
        return lambda tick: microseconds(tick) / unit

    def frame_at(self, tick: int, rate_hz: int) -> int:
        """floor(seconds x rate + 1/2), in integers: no rounding ever adds up (design rule 1)."""
        return self.frames(rate_hz)(tick)

    def frames(self, rate_hz: int) -> Callable[[int], int]:
        """``frame_at`` of many ticks."""
        unit, steps, microseconds = self.ticks_per_beat * 1_000_000, 2 * rate_hz, self._microseconds()
        return lambda tick: (microseconds(tick) * steps + unit) // (2 * unit)

    def frames_of(self, ticks: np.ndarray, rate_hz: int) -> np.ndarray:
        """``frame_at`` of ticks, int64: whole seconds and the rest apart, so that it stays exact."""
        unit, tempos = self.ticks_per_beat * 1_000_000, self.tempos
        most = int(ticks.max(initial=0)) * max(tempo for _, tempo in tempos), 2 * unit * (rate_hz + 1)
        if max(most) >= 1 << 62:
            return np.array([self.frame_at(tick, rate_hz) for tick in ticks.tolist()], np.int64)
        starts, each = np.array(tempos, np.int64).T
        at = np.maximum(np.searchsorted(starts, ticks, "right") - 1, 0)
        seconds, rest = np.divmod(np.array(self.tempo_times, np.int64)[at] + (ticks - starts[at]) * each[at], unit)
        return seconds * rate_hz + (2 * rest * rate_hz + unit) // (2 * unit)

    def tick_at(self, seconds: float) -> int:
        """The tick nearest to a time, from 0 up."""
        wanted = round(seconds * self.ticks_per_beat * 1_000_000)
        elapsed = _elapsed(self.tempos)
        index = max(0, bisect_right(elapsed, wanted) - 1)
        start, tempo = self.tempos[index]
        return max(0, start + (2 * (wanted - elapsed[index]) + tempo) // (2 * tempo))

    def ms_before(self, tick: int, ms: float) -> int:
        """The tick that stands ``ms`` before (or, below 0, after) another, under the part's own tempo map."""
        return self.tick_at(self.seconds_at(tick) - ms / 1000)

    @property
    def tempo_times(self) -> tuple[int, ...]:
        """Microseconds up to each tempo change, times ticks per beat: exact."""
        return _elapsed(self.tempos)

    def _microseconds(self) -> Callable[[int], int]:
        """From a tick to the microseconds up to it, times ticks per beat."""
        return _microseconds_up_to(self.tempos)


@lru_cache(maxsize=64)
def _bars(end_tick: int, meters: Meters, ticks_per_beat: int) -> int:
    return max(1, bars_up_to(end_tick, meters, ticks_per_beat))


@lru_cache(maxsize=64)
def _loop_ticks(end_tick: int, meters: Meters, ticks_per_beat: int) -> int:
    return tick_of_bar(_bars(end_tick, meters, ticks_per_beat), meters, ticks_per_beat)


@lru_cache(maxsize=64)
def _microseconds_up_to(tempos: tuple[tuple[int, int], ...]) -> Callable[[int], int]:
    starts, elapsed = [tick for tick, _ in tempos], _elapsed(tempos)

    def up_to(tick: int) -> int:
        index = bisect_right(starts, tick) - 1
        return elapsed[index] + (tick - starts[index]) * tempos[index][1]

    return up_to


@lru_cache(maxsize=64)
def _elapsed(tempos: tuple[tuple[int, int], ...]) -> tuple[int, ...]:
    """Microseconds up to each tempo change, times ticks per beat."""
    steps = ((later - tick) * tempo for (tick, tempo), (later, _) in pairwise(tempos))
    return tuple(accumulate(steps, initial=0))
