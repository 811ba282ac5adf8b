"""A part: notes in ticks under a tempo map, and the hits they become at a rate."""

from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise


@dataclass(frozen=True, slots=True)
class Hit:
    frame: int
    note: int  # 0..127
    velocity: int  # 1..127
    channel: int = 0  # 0..15


@dataclass(frozen=True, slots=True)
class Note:
    tick: int
    note: int
    velocity: int
    channel: int = 9
    length_ticks: int = 0  # 0 where the file never ended it


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    name: str
    ticks_per_beat: int
    tempos: tuple[tuple[int, int], ...]  # (tick, microseconds per beat), the first at tick 0
    notes: tuple[Note, ...]  # in time order, then as they came
    end_tick: int
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
        for note in self.notes:
            yield Hit(self.frame_at(note.tick, rate_hz), note.note, note.velocity, note.channel)

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
        elapsed = sum((b - a) * tempo for (a, tempo), (b, _) in pairwise(self.tempos[: index + 1]))
        start, tempo = self.tempos[index]
        return elapsed + (tick - start) * tempo
