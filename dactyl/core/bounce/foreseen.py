"""What a bounce will do, told before it is made: hits that nothing answers, what it can't move, how large it is."""

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

from dactyl.core.bounce.grouping import Key, Stems
from dactyl.core.bounce.order import BounceOrder
from dactyl.core.formats.notes import note_label
from dactyl.core.parts.controls import CONTROLLER, KEY_PRESSURE, RESET_ALL
from dactyl.core.parts.curves import GROUP, LANE, OUTPUT
from dactyl.core.parts.part import Part
from dactyl.core.play.playbook import Playbook
from dactyl.core.play.player import Voice
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


def shared_hits(stems: Stems, voices: Sequence[Voice]) -> list[tuple[tuple[str, ...], int]]:
    """Hits that sound in more than one stem of one kit: which stems, and how many hits; the most frequent first."""
    keys_of_hit: dict[tuple[int, int], set[Key]] = defaultdict(set)
    for voice in voices:
        keys = {stems.key_of(voice.pad, sound) for sound in voice.sounds if sound.mic not in stems.left_out}
        keys_of_hit[voice.hit, voice.pad.member] |= keys
    named = dict(zip(stems.keys, stems.names, strict=True))
    together = Counter(frozenset(keys) for keys in keys_of_hit.values() if len(keys) > 1).most_common()
    return [(tuple(sorted(named[key] for key in keys)), hits) for keys, hits in together]


def size_on_disk(stem_count: int, frames: int, order: BounceOrder) -> int:
    """Bytes that stereo stems and their mix take at most; FLAC takes less."""
    return (stem_count + order.has_mix) * (frames * 2 * BYTES_PER_VALUE[order.bits] + 4096)


def unanswered(playbook: Playbook, part: Part) -> list[Unanswered]:
    """Notes of ``part`` that no filled pad answers, the most frequent first. A muted pad answers by design."""
    filled = [any(region.places for region in pad.regions) for pad in playbook.pads]

    @cache
    def is_answered(note: int, channel: int) -> bool:
        return any(filled[index] for index in playbook.struck(note, channel))

    missing = Counter(event.note for event in part.note_ons if not is_answered(event.note, event.channel))
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
