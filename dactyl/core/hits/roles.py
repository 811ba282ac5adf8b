"""What each track of a recording hears: by its name, and where that says nothing by the sound of its loudest strokes."""

import re
from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from dactyl.core.audio.measure import measure
from dactyl.core.hits.envelopes import Track
from dactyl.core.hits.onsets import find_onsets
from dactyl.core.stack.kind import heard_together

ROLE_WORDS = (  # a more special role stands before the one whose word it shares
    ("hat", r"hi ?-?_?hats?|hats?|hh"), ("ride", "ride|rd"), ("kick", "kick|kik|bd|bass ?_?drum|kd"),
    ("snare", "snare|snr|sn|sd"), ("overhead", "overheads?|oh[lr]?"), ("room", "rooms?|amb|ambience|hall"),
    ("tom", "toms?|rack|floor|ft|tm"),
)  # fmt: skip
OTHER, OVERHEAD = "other", "overhead"
ROLE_OF_KIND = {
    "kick": "kick", "snare": "snare", "high_tom": "tom", "mid_tom": "tom", "low_tom": "tom", "closed_hat": "hat",
    "open_hat": "hat", "pedal_hat": "hat", "ride": "ride", "ride_bell": "ride",
}  # fmt: skip
STRETCH_SECONDS, MOST_STRETCHES = 60, 5  # of a track that are listened to, until there are strokes enough
MOST_STROKES, FEWEST_STROKES = 8, 3
SHORTEST_SECONDS = 0.1  # of a stretch in which a stroke can be heard
APART_SECONDS, STROKE_SECONDS, ATTACK_SECONDS = 0.12, 0.5, 0.05


def role_of(name: str) -> str:
    """What a track hears, by its name: ``"07 Tom Floor.wav" -> "tom"``; toms are numbered by ``numbered``."""
    spoken = re.sub(r"[^a-z]+", " ", name.replace("\\", "/").rsplit("/", 1)[-1].rsplit(".", 1)[0].lower())
    return next((role for role, words in ROLE_WORDS if re.search(rf"(?<![a-z])(?:{words})(?![a-z])", spoken)), OTHER)


def roles_of(names: Sequence[str]) -> list[str]:
    """The roles of all tracks by their names."""
    return numbered([role_of(name) for name in names])


def numbered(roles: Sequence[str]) -> list[str]:
    """Several toms get numbers in their order; those that have theirs keep them."""
    if sum(role.startswith("tom") for role in roles) < 2:
        return list(roles)
    free = (f"tom {number}" for number in range(1, len(roles) + 1) if f"tom {number}" not in roles)
    return [next(free) if role == "tom" else role for role in roles]


@dataclass(frozen=True, slots=True)
class _Heard:
    role: str
    share: float  # how sure, 0 to 1


def heard_roles(tracks: Sequence[Track], said: Container[str] = ()) -> list[str]:
    """The roles of all tracks, those that are ``OTHER`` by what they sound like. said : names of tracks whose roles stay

    Over a whole kit the snare is loudest as a rule: of several tracks that sound like one, the snare's own is the surest, and
    the others are taken for overheads, in which nothing is found that is not there. A second kick is a deep tom.
    """
    heard = {
        n: found
        for n, track in enumerate(tracks)
        if track.role == OTHER and track.name not in said and (found := _heard(track))
    }
    roles = [heard[n].role if n in heard else track.role for n, track in enumerate(tracks)]
    for n in _seconds("snare", tracks, heard):
        roles[n] = OVERHEAD
    for n in _seconds("kick", tracks, heard):
        roles[n] = "tom"
    return numbered(roles)


def _seconds(role: str, tracks: Sequence[Track], heard: Mapping[int, _Heard]) -> list[int]:
    """The tracks that sound like this drum beside its own: the one that is named so, or the surest."""
    alike = sorted((n for n, found in heard.items() if found.role == role), key=lambda n: -heard[n].share)
    return alike if any(track.role == role for track in tracks) else alike[1:]


def _heard(track: Track) -> _Heard | None:
    """None where there is too little to hear."""
    strokes: list[tuple[float, np.ndarray]] = []
    for number in range(MOST_STRETCHES):
        first = number * STRETCH_SECONDS * track.rate_hz
        if first >= track.frames or len(strokes) >= MOST_STROKES:
            break
        strokes += _strokes(
            track.read(first, min(track.frames, first + STRETCH_SECONDS * track.rate_hz)), track.rate_hz
        )
    if len(strokes) < FEWEST_STROKES:
        return None
    loudest = sorted(strokes, key=lambda stroke: -stroke[0])[:MOST_STROKES]
    together = heard_together([measure(sound, track.rate_hz) for _, sound in loudest])
    return _Heard(ROLE_OF_KIND.get(together.kind, OTHER), together.share)


def _strokes(sound: np.ndarray, rate_hz: int) -> list[tuple[float, np.ndarray]]:
    """Strokes that stand by themselves: the peak of each, and its sound up to the next."""
    if sound.shape[1] < SHORTEST_SECONDS * rate_hz:
        return []
    begins = find_onsets(sound, rate_hz)
    found = []
    for first, last in zip(begins, [*begins[1:], sound.shape[1]], strict=True):
        if last - first >= APART_SECONDS * rate_hz:
            own = sound[:, first : min(last, first + round(STROKE_SECONDS * rate_hz))]
            found.append((float(np.abs(own[:, : round(ATTACK_SECONDS * rate_hz)]).max()), own))
    return found
