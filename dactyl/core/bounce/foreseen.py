"""What a bounce will do, told before it is made: hits that nothing answers, what it can't move, how large it is."""

import math
from bisect import bisect_left
from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, replace
from operator import attrgetter

from dactyl.core.bounce.grouping import Key, Stems
from dactyl.core.bounce.order import BounceOrder
from dactyl.core.bounce.render import bounce_frames, voices_of
from dactyl.core.formats.notes import note_label
from dactyl.core.parts.controls import CONTROLLER, KEY_PRESSURE, RESET_ALL
from dactyl.core.parts.curves import GROUP, LANE, OUTPUT
from dactyl.core.parts.part import Gesture, Hit, Part
from dactyl.core.play.playbook import MicSound, PadTable, Playbook
from dactyl.core.play.player import NO_NOTE, Player, Strike
from dactyl.core.units import counted
from dactyl.core.wave.write import BYTES_PER_VALUE


def unmet_curves(playbook: Playbook, part: Part, *, is_dry: bool = False) -> list[str]:
    """What the part's curves move that nothing here is called, and what a dry bounce leaves out, in words."""
    outputs = {one.merged or one.name for one in playbook.outputs}
    of_desk = [curve for curve in part.curves if curve.kind != LANE]
    if is_dry and of_desk:
        return [f"{counted(len(of_desk), 'curve')} of outputs and groups left out of a dry bounce."]
    there = {OUTPUT: outputs, GROUP: set(playbook.groups)}
    missing = dict.fromkeys(f"{curve.kind} {curve.name}" for curve in of_desk if curve.name not in there[curve.kind])
    return [f"A curve moves {of}, which the kit does not have." for of in missing]


@dataclass(frozen=True, slots=True)
class Unanswered:
    note: int
    hits: int

    @property
    def label(self) -> str:
        return note_label(self.note)


class Foreseen:
    """What a part will strike, counted by what is struck and how hard, never hit by hit."""

    def __init__(self, playbook: Playbook, part: Part) -> None:
        self.playbook, self.part = playbook, part
        self._player = Player(playbook)
        self._strikes: Counter[tuple[Strike, ...]] = Counter()
        for act, count in self._acts():
            self._strikes.update(dict.fromkeys(map(tuple, self._player.strikes_of(act)), count))
        self.sounding = self._sounding()

    def _acts(self) -> Iterable[tuple[Hit | Gesture, int]]:
        """Hits that are alike, and how many; one by one where pedals and hands decide between them what is struck."""
        if self.part.controls:
            return (
                (act, 1) for act in self.part.acts(self.playbook.rate_hz) if isinstance(act, Gesture) or act.velocity
            )
        alike = Counter((event.note, event.velocity, event.channel) for event in self.part.note_ons)
        return ((Hit(0, *how), count) for how, count in alike.items())

    def _sounding(self) -> list[tuple[PadTable, MicSound]]:
        """Every sound that may be heard, of which pad."""
        strikes = dict.fromkeys(strike for strikes in self._strikes for strike in strikes)
        regions = {
            (strike[0], id(region)): region for strike in strikes for region in self._player.sounding(strike)
        }  # the velocities of a layer strike the same
        pads = self.playbook.pads
        return [(pads[index], sound) for (index, _), region in regions.items() for sound in region.sounds]

    @property
    def pad_ids(self) -> set[int]:
        return {pad.id for pad, _ in self.sounding}

    def shared_hits(self, stems: Stems) -> list[tuple[tuple[str, ...], int]]:
        """Hits that sound in more than one stem of one kit: which stems, and how many hits; the most frequent first.

        Of a pad whose takes differ in their mics all stems that one of them reaches.
        """
        named = dict(zip(stems.keys, stems.names, strict=True))
        together: Counter[frozenset[Key]] = Counter()
        for strikes, hits in self._strikes.items():
            keys: dict[int, set[Key]] = defaultdict(set)
            for strike in strikes:
                pad = self.playbook.pads[strike[0]]
                sounds = (sound for region in self._player.sounding(strike) for sound in region.sounds)
                keys[pad.member] |= {stems.key_of(pad, one) for one in sounds if one.mic not in stems.left_out}
            together.update(dict.fromkeys((frozenset(own) for own in keys.values() if len(own) > 1), hits))
        return [(tuple(sorted(named[key] for key in keys)), hits) for keys, hits in together.most_common()]

    def frames(self) -> int:
        """How long the bounce is. Only what may ring behind the part's end is played; which takes sound and how they vary
        is a guess there."""
        part, rate_hz = self.part, self.playbook.rate_hz
        first = part.tick_at(max(0, part.end_frame(rate_hz) - self._longest()) / rate_hz)
        late = bisect_left(part.events, first, key=attrgetter("tick"))
        voices = voices_of(self.playbook, replace(part, events=part.events[late:]).acts(rate_hz))
        return bounce_frames(voices, part.end_frame(rate_hz))

    def _longest(self) -> int:
        """Frames from a hit until the last of what it strikes has ended, at most."""
        curves = (curve for curve in self.part.curves if curve.kind == LANE and curve.what == "tune_cents")
        lowest = min((value for curve in curves for _, value in curve.points), default=0.0)
        slowest = 2 ** (max(0.0, -lowest) / 1200)
        longest = 0.0
        for strike in {strike for strikes in self._strikes for strike in strikes}:
            pad, note = self.playbook.pads[strike[0]], strike[2]
            frames = max(
                (sound.recipe.frames for one in self._player.sounding(strike) for sound in one.sounds), default=0
            )
            key = pad.cents_per_key * (pad.root - note) / 1200 if note != NO_NOTE else 0.0
            varied = pad.variation
            stretched = frames * slowest * 2 ** max(0.0, key) / (min(1.0, *varied.ratios) if varied else 1.0)
            late = self.playbook.members[pad.member].delay + pad.delay + (max(varied.delays) if varied else 0)
            longest = max(longest, stretched + late + (max(pad.filter.tail_frames) if pad.filter else 0))
        return math.ceil(longest)


def size_on_disk(stem_count: int, frames: int, order: BounceOrder) -> int:
    """Bytes that stereo stems and their mix take at most; FLAC takes less."""
    return (stem_count + order.has_mix) * (frames * 2 * BYTES_PER_VALUE[order.bits] + 4096)


def unanswered(playbook: Playbook, part: Part) -> list[Unanswered]:
    """Notes of ``part`` that no filled pad answers, the most frequent first. A muted pad answers by design."""
    filled = [any(region.places for region in pad.regions) for pad in playbook.pads]

    def is_answered(note: int, channel: int) -> bool:
        return any(filled[index] for index in playbook.struck(note, channel))

    missing: Counter[int] = Counter()
    for (note, channel), hits in Counter((event.note, event.channel) for event in part.note_ons).items():
        if not is_answered(note, channel):
            missing[note] += hits
    return [Unanswered(note, hits) for note, hits in missing.most_common()]


def unused_controls(playbook: Playbook, part: Part) -> list[str]:
    """One sentence of what controllers and aftertouch say that nothing here goes by; none where there is nothing."""
    used = {RESET_ALL, *(shares.number for member in playbook.members for shares in member.shares)}
    has_grabs = any(grip.limit is not None for member in playbook.members for grip in member.grips)
    lines = Counter((one.kind, one.number if one.kind == CONTROLLER else 0) for one in part.controls)
    unused = [
        f"controller {number}" if kind == CONTROLLER else "aftertouch"
        for kind, number in sorted(lines)
        if not (number in used if kind == CONTROLLER else kind == KEY_PRESSURE and has_grabs)
    ]
    if not unused:
        return []
    named = list(dict.fromkeys(unused))
    return [f"{', '.join(named)} of the part: kept, and nothing of the kit goes by it.".capitalize()]
