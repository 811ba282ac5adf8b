"""A part: notes in ticks under a tempo map, and the hits they become at a rate."""

from bisect import bisect_left, bisect_right
from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache, lru_cache
from itertools import accumulate, pairwise


@dataclass(frozen=True, slots=True)
class Hit:
    frame: int
    note: int  # 0..127
    velocity: int  # 1..127; 0 is a note-off
    channel: int = 0  # 0..15


@dataclass(frozen=True, slots=True)
class Note:
    tick: int
    note: int
    velocity: int
    channel: int = 9
    length_ticks: int = 0  # 0 where the file never ended it


@dataclass(frozen=True, slots=True)
class Off:
    """A note-off, in its order among the notes."""

    place: int  # how many notes stand before it
    tick: int
    note: int
    channel: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    name: str
    ticks_per_beat: int
    tempos: tuple[tuple[int, int], ...]  # (tick, microseconds per beat), the first at tick 0
    notes: tuple[Note, ...]  # in time order, then as they came
    end_tick: int
    offs: tuple[Off, ...] = ()  # in time order; () where the notes' lengths say it all
    beats_per_bar: int = 4
    beat_unit: int = 4  # 4: quarter notes

    @property
    def bar_ticks(self) -> int:
        return max(1, self.ticks_per_beat * 4 * self.beats_per_bar // self.beat_unit)

    @property
    def bars(self) -> int:
        """Whole bars that hold the part; a loop turns at the end of the last one."""
        return max(1, -(-self.end_tick // self.bar_ticks))

    @property
    def bpm(self) -> float:
        return 60_000_000 / self.tempos[0][1]

    def hits(self, rate_hz: int) -> Iterator[Hit]:
        """Notes and note-offs, in the order they came."""
        frame_at = cache(lambda tick: self.frame_at(tick, rate_hz))
        for tick, note, velocity, channel in self.events():
            yield Hit(frame_at(tick), note, velocity, channel)

    def events(self) -> Iterator[tuple[int, int, int, int]]:
        """(tick, note, velocity, channel) of notes and note-offs (velocity 0), in the order they came."""
        offs = deque(self.offs or self._offs_by_length())
        for place, note in enumerate(self.notes):
            while offs and offs[0].place <= place:
                off = offs.popleft()
                yield off.tick, off.note, 0, off.channel
            yield note.tick, note.note, note.velocity, note.channel
        for off in offs:
            yield off.tick, off.note, 0, off.channel

    def _offs_by_length(self) -> list[Off]:
        """A note ends before another begins at the same tick."""
        ticks = [note.tick for note in self.notes]
        ends = sorted((n.tick + n.length_ticks, n.note, n.channel) for n in self.notes if n.length_ticks)
        return [Off(bisect_left(ticks, tick), tick, note, channel) for tick, note, channel in ends]

    def end_frame(self, rate_hz: int) -> int:
        return self.frame_at(self.end_tick, rate_hz)

    def loop_frames(self, rate_hz: int) -> int:
        return max(1, self.frame_at(self.bars * self.bar_ticks, rate_hz))

    def seconds_at(self, tick: int) -> float:
        return self._tick_microseconds(tick) / (self.ticks_per_beat * 1_000_000)

    def frame_at(self, tick: int, rate_hz: int) -> int:
        """floor(seconds x rate + 1/2), in integers: no rounding ever adds up (design rule 1)."""
        unit = self.ticks_per_beat * 1_000_000
        return (2 * self._tick_microseconds(tick) * rate_hz + unit) // (2 * unit)

    def _tick_microseconds(self, tick: int) -> int:
        """Microseconds up to ``tick``, times ticks per beat."""
        index = bisect_right(self.tempos, tick, key=lambda change: change[0]) - 1
        start, tempo = self.tempos[index]
        return _elapsed(self.tempos)[index] + (tick - start) * tempo


@lru_cache(maxsize=64)
def _elapsed(tempos: tuple[tuple[int, int], ...]) -> tuple[int, ...]:
    """Microseconds up to each tempo change, times ticks per beat."""
    steps = ((later - tick) * tempo for (tick, tempo), (later, _) in pairwise(tempos))
    return tuple(accumulate(steps, initial=0))
