"""Turn hits into voices: match, cut, count (design rules 2 to 5). The page's player.js mirrors this file."""

from collections import defaultdict
from dataclasses import dataclass, field

from dactyl.core.parts.part import Hit
from dactyl.core.play.playbook import PadTable, Playbook, Region


@dataclass(slots=True)
class Voice:
    """One sounding take with all its mics."""

    hit: int  # number of the hit that began it
    pad: int  # index into Playbook.pads
    take: int
    start_frame: int
    end_frame: int  # where its longest sound ends
    gain: float
    regions: tuple[Region, ...]
    fades: list[tuple[int, int]] = field(default_factory=list)  # (first frame, frames): linear, one after another

    @property
    def is_fading(self) -> bool:
        return bool(self.fades)

    @property
    def last_frame(self) -> int:
        """The first frame in which nothing of it sounds."""
        return min(self.end_frame, sum(self.fades[-1])) if self.fades else self.end_frame

    def cut(self, frame: int, fade_frames: int) -> None:
        """Fade to silence from ``frame``; a later cut counts only if it ends sooner."""
        if frame + fade_frames < self.last_frame:
            self.fades.append((frame, fade_frames))


class Player:
    """Plays hits in order. Its state is the counters and the voices that sound."""

    def __init__(self, playbook: Playbook) -> None:
        self.playbook = playbook
        self._counters: dict[int, int] = defaultdict(int)
        self._sounding: list[list[Voice]] = [[] for _ in playbook.pads]
        self._hits = 0
        self._listeners: dict[str, list[int]] = defaultdict(list)
        for index, pad in enumerate(playbook.pads):
            for signal in pad.listens:
                self._listeners[signal].append(index)

    def play(self, hit: Hit) -> list[Voice]:
        """Return the voices that ``hit`` begins; cut those of earlier hits. Hits come in time order."""
        self._hits += 1
        begun: list[Voice] = []
        for index in self.playbook.notes.get(hit.note, ()):
            begun += self._strike(index, hit)
        return begun

    def _strike(self, index: int, hit: Hit) -> list[Voice]:
        pad = self.playbook.pads[index]
        self._send_signals(index, pad, hit.frame)
        chosen = self._choose_takes(pad, hit.velocity)
        sounding = [voice for voice in self._sounding[index] if voice.last_frame > hit.frame]
        self._make_room(pad, sounding, len(chosen), hit.frame)
        if pad.muted:
            chosen = []
        begun = [self._voice(index, take, gain, hit.frame) for take, gain in chosen]
        self._sounding[index] = sounding + begun
        return begun

    def _send_signals(self, index: int, pad: PadTable, frame: int) -> None:
        for signal in pad.emits:
            for other in self._listeners[signal]:
                if other == index and not pad.cuts_itself:
                    continue
                fade_frames = self.playbook.pads[other].fade_frames
                for voice in self._sounding[other]:
                    if voice.hit != self._hits and voice.last_frame > frame:
                        voice.cut(frame, fade_frames)

    def _choose_takes(self, pad: PadTable, velocity: int) -> list[tuple[int, float]]:
        chosen = []
        counted = set()
        for layer_index, gain in pad.steps[velocity - 1]:
            layer = pad.layers[layer_index]
            place = self._counters[layer.counter] - (layer.counter in counted)
            if layer.counter not in counted:
                self._counters[layer.counter] += 1
                counted.add(layer.counter)
            if layer.cycle:
                chosen += [(take, gain) for take in layer.cycle[place % len(layer.cycle)]]
        return chosen

    def _make_room(self, pad: PadTable, sounding: list[Voice], arriving: int, frame: int) -> None:
        counting = [voice for voice in sounding if not voice.is_fading and voice.hit != self._hits]
        for voice in counting[: max(0, len(counting) + arriving - pad.max_voices)]:
            voice.cut(frame, pad.fade_frames)

    def _voice(self, index: int, take: int, gain: float, frame: int) -> Voice:
        regions = self.playbook.pads[index].takes[take]
        frames = max(region.recipe.frames for region in regions)
        return Voice(self._hits, index, take, frame, frame + frames, gain, regions)
