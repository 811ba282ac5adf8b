"""Found hits as a part: the standard drum note of each role, at ticks so fine that every time is exact to its frame."""

from collections.abc import Mapping, Sequence

from dactyl.core.hits.find import Found
from dactyl.core.kinds import BY_SLUG
from dactyl.core.parts.part import Event, Part

TICKS_PER_BEAT = 24_000  # at 120 beats a minute 48,000 ticks a second: a tick is a frame at 48 kHz
BEAT_MICROSECONDS = 500_000
KIND_OF = {"kick": "kick", "snare": "snare", "hat": "closed_hat", "ride": "ride", "overhead": "crash", "tom": "mid_tom"}
TOMS = ("high_tom", "mid_tom", "low_tom")


def kinds_of(roles: Sequence[str]) -> dict[str, str]:
    """The kind of drum that each role hears; several toms from high to low. Rooms and others hear none."""
    toms = [role for role in roles if role.startswith("tom")]
    kinds = {}
    for role in roles:
        kind = KIND_OF.get(role.split()[0])
        if role in toms and len(toms) > 1:
            kind = TOMS[min(2, round(2 * toms.index(role) / (len(toms) - 1)))]
        if kind:
            kinds[role] = kind
    return kinds


def notes_of(roles: Sequence[str]) -> dict[str, int]:
    """The standard drum note of each role."""
    return {role: BY_SLUG[kind].notes[0] for role, kind in kinds_of(roles).items()}


def part_of(found: Sequence[Found], name: str, notes: Mapping[str, int] | None = None) -> Part:
    """All hits in one part, in time order. notes : of each role; by default the standard ones"""
    chosen = notes if notes is not None else notes_of([one.track.role for one in found])
    ticks_a_second = TICKS_PER_BEAT * 1_000_000 // BEAT_MICROSECONDS
    rows = sorted(
        (round(hit.time * ticks_a_second), chosen[one.track.role], hit.velocity)
        for one in found
        if one.track.role in chosen
        for hit in one.hits
    )
    events = tuple(Event(tick=tick, note=note, velocity=velocity) for tick, note, velocity in rows)
    last = max((one.track.frames / one.track.rate_hz for one in found), default=1.0)
    return Part(
        name=name, ticks_per_beat=TICKS_PER_BEAT, tempos=((0, BEAT_MICROSECONDS),), events=events,
        end_tick=max(1, round(last * ticks_a_second)),
    )  # fmt: skip
