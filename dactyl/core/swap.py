"""Another drum in the place of a piece: which articulation stands for which, and the kit as it then sounds.

What a pad is in its kit stays: its notes, output, groups, companions, level and pan, and its name. What it sounds like is
the other drum's: layers, takes and their order, dynamics, curve, tuning, envelope, filter, tone and variation.
"""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from difflib import SequenceMatcher

from dactyl.core.kit import Kit, Layer, Mic, Pad, Sample, Take
from dactyl.core.stack.hearing import family_of
from dactyl.core.units import resampled_frames

SOUND = (
    "layers", "rotation", "shared_counter", "dynamics", "curve", "crossfade", "tune_cents", "is_held", "envelope", "filter",
    "weight_db", "snap_db", "variation",
)  # fmt: skip
"""Fields of a pad that are how it sounds, and not what it is in its kit."""

COPIES_FROM, MOST_LAYERS = 1 << 40, 128  # ids of layers that several pads sound by
ALIKE = 0.6  # of names that mean the same articulation
MOST_GAIN_DB, LEAST_GAIN_DB = 24.0, -60.0
Samples = tuple[tuple[str, Sample], ...]
Pairs = Mapping[int, int | None]
"""By id of a pad of the piece the pad that sounds in its place; None: it falls silent. A pad that is missing stays as it is."""


def pairs_of(ours: Sequence[Pad], theirs: Sequence[Pad]) -> dict[int, int | None]:
    """Articulations by kind and name; what has no counterpart takes the nearest, or stays.

    A drum of one articulation stands for one: the first of the same kind, else the first of all.
    """
    pairs: dict[int, int | None] = {}
    left = list(theirs)
    for pad in sorted(ours, key=lambda pad: -max((_alike(pad, other) for other in theirs), default=0.0)):
        best = max(left, key=lambda other: _alike(pad, other), default=None)
        if best is not None and _alike(pad, best) > 0:
            pairs[pad.id] = best.id
            left.remove(best)
    for pad in ours:
        if pad.id not in pairs and (near := _nearest(pad, theirs)):
            pairs[pad.id] = near.id
    if not pairs and ours and theirs:
        pairs[ours[0].id] = theirs[0].id
    return pairs


def _alike(pad: Pad, other: Pad) -> float:
    """0: another kind of sound; beyond: the kind, and then the name."""
    if pad.kind != other.kind:
        return 0.0
    words = (_articulation(pad), _articulation(other))
    return 1.0 + SequenceMatcher(None, *words).ratio()


def _articulation(pad: Pad) -> str:
    """What of a pad's name is its own and not the drum's: its last words."""
    return pad.name.casefold().split(" ", 1)[-1]


def _nearest(pad: Pad, theirs: Sequence[Pad]) -> Pad | None:
    """Of the family of its kind, where the kind itself is missing."""
    family = family_of(pad.kind)
    same = [other for other in theirs if family_of(other.kind) == family or _alike(pad, other) > 1 + ALIKE]
    return same[0] if same else None


def in_place(
    kit: Kit, source: Kit, pairs: Pairs, gains_db: Mapping[int, float] | None = None, only_mic: str = ""
) -> Kit:  # fmt: skip
    """The kit with pads that sound like those of another.

    gains_db : by id of a pad, added to its level; only_mic : what this mic hears is all that comes, such as the room
    """
    theirs = {pad.id: pad for _, pad in source.pads()}
    gains, used = gains_db or {}, set()

    def sounding(pad: Pad) -> Pad:
        if pad.id not in pairs:
            return pad
        other = theirs.get(pairs[pad.id])
        if other is None:
            return replace(pad, layers=())
        gain_db = min(MOST_GAIN_DB, max(LEAST_GAIN_DB, pad.gain_db + gains.get(pad.id, 0.0)))
        if only_mic:
            return replace(pad, layers=_with_mic(pad.layers, other.layers, only_mic))
        sound = {name: getattr(other, name) for name in SOUND}
        if other.id in used:
            sound["layers"] = _as_new(pad, other.layers)
        used.add(other.id)
        return replace(pad, gain_db=gain_db, **sound)

    pieces = tuple(replace(piece, pads=tuple(map(sounding, piece.pads))) for piece in kit.pieces)
    return replace(kit, pieces=pieces, mics=mics_with(kit, source, pieces))


def _with_mic(ours: Sequence[Layer], theirs: Sequence[Layer], mic: str) -> tuple[Layer, ...]:
    """Our takes with what a mic heard of theirs: of the layer that answers the middle of ours, take by take in turn.

    All mics of a take start together, so another drum's mic stands as far from its stroke as its own take starts before it.
    """
    result = []
    for layer in ours:
        middle = (layer.low + layer.high) // 2
        other = next(one for one in theirs if one.low <= middle <= one.high)
        heard = [dict(take.samples).get(mic) for take in other.takes]
        heard = [sample for sample in heard if sample is not None]
        takes = [_heard_by(take, mic, heard[n % len(heard)]) if heard else take for n, take in enumerate(layer.takes)]
        result.append(replace(layer, takes=tuple(takes)))
    return tuple(result)


def _heard_by(take: Take, mic: str, sample: Sample) -> Take:
    """The take with another sample of a mic. Where its start and end count in that mic they are counted anew."""
    first_mic, first = take.samples[0]
    changed = replace(take, samples=_replaced(take.samples, mic, sample))
    if mic != first_mic:
        return changed
    start = min(resampled_frames(take.start_frame, first.rate_hz, sample.rate_hz), sample.frames - 1)
    end = take.end_frame and max(start + 1, resampled_frames(take.end_frame, first.rate_hz, sample.rate_hz))
    return replace(changed, start_frame=start, end_frame=end if end and end < sample.frames else None)


def _replaced(samples: Samples, mic: str, sample: Sample) -> Samples:
    """With a mic's sample, in its place where there was one, else last."""
    if mic in dict(samples):
        return tuple((name, sample if name == mic else own) for name, own in samples)
    return (*samples, (mic, sample))


def _as_new(pad: Pad, layers: Sequence[Layer]) -> tuple[Layer, ...]:
    """Layers that another pad sounds by already, with ids of their own: they count apart."""
    first = COPIES_FROM + MOST_LAYERS * pad.id
    return tuple(replace(layer, id=first + n, random_stream=layer.stream) for n, layer in enumerate(layers))


def mics_with(kit: Kit, source: Kit, pieces: Sequence) -> tuple[Mic, ...]:
    """The kit's own mics, and those of the other that its sounds need; they leave by Main."""
    known = {mic.name for mic in kit.mics}
    heard = {
        mic
        for piece in pieces
        for pad in piece.pads
        for layer in pad.layers
        for take in layer.takes
        for mic, _ in take.samples
    }
    return (*kit.mics, *(replace(mic, output=None) for mic in source.mics if mic.name in heard - known))


def in_words(pad_names: Mapping[int, str], their_names: Mapping[int, str], pairs: Pairs) -> list[str]:
    """What becomes of the articulations that have no counterpart of their own, said."""
    taken = [other for other in pairs.values() if other is not None]
    words = []
    for pad, name in pad_names.items():
        if pad not in pairs:
            words.append(f"{name} stays as it is")
        elif pairs[pad] is None:
            words.append(f"{name} falls silent")
        elif taken.count(pairs[pad]) > 1:
            words.append(f"{name} shares {their_names.get(pairs[pad], 'a sound')}")
    return words
