"""Channels that move along a part: curves of their level, width and balance (design rules 16 and 17).

Each curve is read at every 32nd frame of the part, made linear, and joined by lines. Levels are added to what is set, in
dB; width and balance take the place of what is set.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from dactyl.core.desk.tables import SILENT_DB, STEP_FRAMES, Channel, become, steps_of
from dactyl.core.parts.curves import GROUP, OUTPUT, Curve, Line, line_of
from dactyl.core.parts.part import Part
from dactyl.core.units import pan_gains

_PLACES = np.arange(STEP_FRAMES) / STEP_FRAMES


@dataclass(frozen=True, slots=True)
class Motion:
    """What moves of one channel."""

    rate_hz: int
    levels: tuple[Line, ...] = ()  # its own and its group's, dB
    handles: tuple[Line, ...] = ()  # of its group in a lineup, behind its own kit's desk, dB
    width: Line | None = None
    balance: Line | None = None

    def move(self, sound: np.ndarray, sent: np.ndarray, channel: Channel, first_frame: int) -> None:
        """sound : float32, (2, frames), from a whole step on: becomes what leaves, in place. sent : of all parallel buses,
        (buses, 2, frames), is added to"""
        level, width, left, right = self._gains(channel, first_frame, sound.shape[1])
        middle, away = (sound[0] + sound[1]) * np.float32(0.5), (sound[0] - sound[1]) * np.float32(0.5) * width
        sides = (middle + away) * (level * left), (middle - away) * (level * right)
        if channel.sent is not None:
            for total, side in zip(sent[channel.bus], sides, strict=True):
                total += side * np.float32(channel.sent)
        for place, side in enumerate(reversed(sides) if channel.is_hall else sides):
            sound[place] = side * np.float32(channel.level)
        if self.handles:
            sound *= self._level(self.handles, first_frame, sound.shape[1])
        if channel.behind is not None:
            if channel.behind.to_bus is not None:
                sent[channel.behind.bus] += np.reshape(channel.behind.to_bus, (2, 2)).astype(np.float32) @ sound
            become(sound, channel.behind.matrix)

    def _level(self, lines: Sequence[Line], first_frame: int, frames: int) -> np.ndarray | np.float32:
        """float32, (frames,), or 1."""
        level = np.float32(1)
        for line in lines:
            level = level * _joined(linear(line.at(self._seconds(first_frame, frames))), frames)
        return level

    def _seconds(self, first_frame: int, frames: int) -> np.ndarray:
        """The ends of all steps."""
        return (first_frame + STEP_FRAMES * np.arange(steps_of(frames) + 1)) / self.rate_hz

    def _gains(self, channel: Channel, first_frame: int, frames: int) -> tuple[np.ndarray, ...]:
        """Level, width, and what balance makes of left and right, each float32, (frames,) or a number."""
        seconds, level = self._seconds(first_frame, frames), self._level(self.levels, first_frame, frames)
        width = np.float32(channel.width) if self.width is None else _joined(self.width.at(seconds), frames)
        if self.balance is None:
            return level, width, *(np.float32(gain) for gain in _balanced(channel.balance))
        return level, width, *(_joined(ends, frames) for ends in _balanced_along(self.balance.at(seconds)))


def _joined(ends: np.ndarray, frames: int) -> np.ndarray:
    """Lines between the ends of steps: float32, (frames,)."""
    lines = ends[:-1, np.newaxis] + np.diff(ends)[:, np.newaxis] * _PLACES
    return lines.ravel()[:frames].astype(np.float32)


def linear(db: np.ndarray) -> np.ndarray:
    return np.where(db <= SILENT_DB, 0.0, 10 ** (db / 20))


def _balanced(balance: float) -> tuple[float, float]:
    return pan_gains(balance) if balance else (1.0, 1.0)


def _balanced_along(balance: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The law of design rule 6."""
    theta = (balance + 1) * (np.pi / 4)
    return np.sqrt(2) * np.cos(theta), np.sqrt(2) * np.sin(theta)


def motions(part: Part, outputs: Sequence[tuple[str, str, str]], rate_hz: int) -> dict[int, Motion]:
    """What the part's curves move, by the number of the output.

    outputs : (name, name of its group or "", of its group in the lineup or "") of each, as the kit and the lineup have them
    """
    named = {(curve.of, curve.what): curve for curve in part.curves}
    found = {}
    for number, (output, group, handle) in enumerate(outputs):
        own = [f"{OUTPUT}:{output}", *[f"{GROUP}:{group}"] * bool(group and group != handle)]
        motion = Motion(
            rate_hz,
            _lines(part, named, own),
            _lines(part, named, [f"{GROUP}:{handle}"] * bool(handle)),
            _line(part, named, output, "width"),
            _line(part, named, output, "balance"),
        )
        if motion.levels or motion.handles or motion.width or motion.balance:
            found[number] = motion
    return found


def _lines(part: Part, named: Mapping[tuple[str, str], Curve], of: Iterable[str]) -> tuple[Line, ...]:
    curves = (named[one, "gain_db"] for one in of if (one, "gain_db") in named)
    return tuple(line_of(curve, part.seconds()) for curve in curves)


def _line(part: Part, named: Mapping[tuple[str, str], Curve], output: str, what: str) -> Line | None:
    curve = named.get((f"{OUTPUT}:{output}", what))
    return line_of(curve, part.seconds()) if curve else None
