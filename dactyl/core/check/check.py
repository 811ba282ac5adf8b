"""All rules over a measured kit: findings, the most severe first, then in the order of the kit."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

from dactyl.core.check.finding import SEVERITIES, WRONG, Finding
from dactyl.core.check.measured import MeasuredKit
from dactyl.core.check.rules import files, levels, likeness, phase, playing, reach, time, way_out


@dataclass(frozen=True, slots=True)
class Rule:
    words: str  # what it finds, as the head of a group of findings
    family: str
    look: Callable[[MeasuredKit], Iterable[Finding]]


RULES: dict[str, Rule] = {
    "damage": Rule("Files that can't be used", "Files", files.damage),
    "silence": Rule("Takes without sound", "Levels", levels.silence),
    "layers_rise": Rule("Layers that fall", "Levels", levels.layers_rise),
    "jumps": Rule("Borders that jump", "Levels", levels.jumps),
    "takes_alike": Rule("Takes of another level than their fellows", "Levels", levels.takes_alike),
    "pads_near_their_piece": Rule("Pads far from their piece", "Levels", levels.pads_near_their_piece),
    "clipped": Rule("Clipped takes", "Levels", levels.clipped),
    "noise_before": Rule("Noise ahead of the stroke", "Levels", levels.noise_before),
    "offset": Rule("Offsets (DC)", "Levels", levels.offset),
    "hum": Rule("Hum", "Levels", levels.hum),
    "onsets": Rule("Takes that come late", "Time", time.onsets),
    "pads_late": Rule("Pads that come late", "Time", time.pads_late),
    "beginnings": Rule("Attacks that are cut off", "Time", time.beginnings),
    "mics": Rule("Mics that come at another time", "Time", time.mics),
    "ends": Rule("Ends that click", "Time", time.ends),
    "tails": Rule("Tails cut short", "Time", time.tails),
    "second_strokes": Rule("Second strokes", "Time", time.second_strokes),
    "polarity": Rule("Turned polarity", "Phase", phase.polarity),
    "low_end": Rule("Mics that cancel", "Phase", phase.low_end),
    "another_drum": Rule("Takes of another drum", "Likeness", likeness.another_drum),
    "twice": Rule("One recording twice", "Likeness", likeness.twice),
    "rotations": Rule("Rotations of few", "Likeness", likeness.rotations),
    "open_hats": Rule("Open hats that ring on", "Playing", playing.open_hats),
    "grabs": Rule("Grabs that cut nothing", "Playing", playing.grabs),
    "zero_fades": Rule("Cuts that click", "Playing", playing.zero_fades),
    "voices": Rule("Too few voices", "Playing", playing.voices),
    "companions": Rule("Companions struck twice", "Playing", playing.companions),
    "pads_reached": Rule("Pads without a note", "Reach", reach.pads_reached),
    "notes_shared": Rule("Notes that strike two", "Reach", reach.notes_shared),
    "layers_reached": Rule("Layers never heard", "Reach", reach.layers_reached),
    "empty_layers": Rule("Silent velocities", "Reach", reach.empty_layers),
    "hidden_layers": Rule("Layers of one velocity", "Reach", reach.hidden_layers),
    "standard_notes": Rule("Standard notes of another kind", "Reach", reach.standard_notes),
    "toms_in_order": Rule("Toms on each other's notes", "Reach", reach.toms_in_order),
    "far_tuned": Rule("Pads far from their pitch", "Reach", reach.far_tuned),
    "notes_answered": Rule("Notes nothing answers", "Reach", reach.notes_answered),
    "outputs_used": Rule("Outputs without anything", "Ways out", way_out.outputs_used),
    "stems": Rule("Stems over full scale, or silent", "Ways out", way_out.stems),
    "mics_heard": Rule("Mics nobody hears", "Ways out", way_out.mics_heard),
    "ambience": Rule("Ambience that is missing", "Ways out", way_out.ambience),
    "rates": Rule("Other rates", "Files", files.rates),
    "channels": Rule("Mono among stereo", "Files", files.channels),
}
"""By name, in the order in which they are told."""
_RANKS = {severity: rank for rank, severity in enumerate(SEVERITIES)}
_ORDER = {rule: place for place, rule in enumerate(RULES)}
OVERRULED: dict[str, set[str]] = {
    "another_drum": {"ends", "tails", "second_strokes", "noise_before", "silence", "offset"},
    "takes_alike": {"silence", "noise_before", "clipped"},
    "tails": {"silence", "twice", "another_drum"},
    "onsets": {"noise_before", "another_drum"},
    "mics": {"noise_before", "beginnings", "offset", "another_drum", "silence"},
    "ends": {"offset", "hum"},
    "second_strokes": {"noise_before"},
}
"""What follows from another finding of the same take, and is none of its own. In this order: what is left out overrules
nothing."""


def check(kit: MeasuredKit) -> list[Finding]:
    found = _without_what_follows(list(_all(kit)))
    places = {pad.id: at for at, (_, pad) in enumerate(kit.kit.pads())}
    return sorted(
        found,
        key=lambda f: (
            _RANKS[f.severity],
            _ORDER[f.rule],
            places.get(f.place.pad, -1) if f.place.pad is not None else -1,
            f.place.layer or 0,
            f.place.take or 0,
        ),
    )


def _without_what_follows(found: list[Finding]) -> list[Finding]:
    fallen = {finding.place.pad for finding in found if finding.rule == "layers_rise"}  # its jumps follow from that
    kept = [finding for finding in found if not (finding.rule == "jumps" and finding.place.pad in fallen)]
    for rule, causes in OVERRULED.items():
        spoilt = {finding.place.take_id for finding in kept if finding.rule in causes and finding.place.take_id}
        sure = rule == "another_drum"  # where it is surely one, that is the cause
        kept = [f for f in kept if f.rule != rule or f.place.take_id not in spoilt or (sure and f.severity == WRONG)]
    return kept


def _all(kit: MeasuredKit) -> Iterator[Finding]:
    for rule in RULES.values():
        yield from rule.look(kit)
