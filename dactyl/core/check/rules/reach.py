"""Reach: pads no note strikes, notes that strike two by accident, layers no velocity reaches, notes nothing answers."""

from collections import Counter, defaultdict
from collections.abc import Iterator

from dactyl.core.check.finding import DOUBTFUL, NOTE, WRONG, Change, Finding, Place
from dactyl.core.check.measured import MeasuredKit
from dactyl.core.formats.notes import note_label
from dactyl.core.kinds import BY_SLUG, OF_NOTE, free_note
from dactyl.core.kit import Pad
from dactyl.core.play.compile import curve_table
from dactyl.core.stack.hearing import family_of

STANDARD_SHARE, LEAST_STANDARD = (
    0.6,
    4,
)  # of a kit's standard notes that strike their kind, where it keeps to the standard


TOMS = ("low_tom", "mid_tom", "high_tom")
FAR_CENTS, NEAR_CENTS = 1000.0, 100.0  # of a pad, and of most others


def pads_reached(kit: MeasuredKit) -> Iterator[Finding]:
    """A pad with takes that no note strikes and that sounds along with none."""
    struck = {pad for of in kit.kit.maps for _, pad in of.notes}
    struck |= {other for _, pad in kit.kit.pads() for other, _ in pad.companions}
    taken = {note for note, _ in kit.kit.maps[0].notes}
    for _, pad in kit.kit.pads():
        if pad.id in struck or not kit.of_pad(pad):
            continue
        note = free_note(pad.kind, taken)
        yield Finding(
            rule="pads_reached",
            severity=WRONG if struck else DOUBTFUL,
            place=Place(pad=pad.id),
            message=f"{pad.name} has no note: no part can play it.",
            mend=(Change("pad", pad.id, "note", note),) if note is not None else (),
            mend_words=f"Give it {note_label(note)}" if note is not None else "",
        )
        taken |= {note} if note is not None else set()


def notes_shared(kit: MeasuredKit) -> Iterator[Finding]:
    """A note that strikes two pads of one kind, or a pad inside another's range of keys; of two drums, which may be meant, it is
    worth knowing."""
    pads, notes_of = {pad.id: pad for _, pad in kit.kit.pads()}, kit.kit.notes()
    by_note: dict[int, list[Pad]] = defaultdict(list)
    for note, pad in kit.kit.maps[0].notes:
        if kit.of_pad(pads[pad]):
            by_note[note].append(pads[pad])
    told: set[frozenset[int]] = set()
    for note, struck in sorted(by_note.items()):
        for n, pad in enumerate(struck):
            for other in struck[n + 1 :]:
                pair = frozenset({pad.id, other.id})
                ranges = [len(notes_of[p.id]) for p in (pad, other)]
                is_range = max(ranges) >= 3 and notes_of[pad.id] != notes_of[other.id]
                if pair in told:
                    continue
                told.add(pair)
                is_layered = pad.kind != other.kind and not is_range
                how = "lies in the keys of" if is_range else "sounds with" if is_layered else "strikes at once with"
                yield Finding(
                    rule="notes_shared",
                    severity=NOTE if is_layered else DOUBTFUL,
                    place=Place(pad=other.id, note=note),
                    message=f"{note_label(note)} strikes two pads: {other.name} {how} {pad.name}.",
                )


def layers_reached(kit: MeasuredKit) -> Iterator[Finding]:
    """A layer that no stroke reaches, since the pad's curve leaves its velocities out."""
    for _, pad in kit.kit.pads():
        reached = set(curve_table(pad.curve))
        for number, layer in enumerate(pad.layers, start=1):
            blends = pad.crossfade > 1
            if not layer.takes or blends or any(layer.low <= velocity <= layer.high for velocity in reached):
                continue
            yield Finding(
                rule="layers_reached",
                severity=WRONG,
                place=Place(pad=pad.id, layer=number),
                message=f"Layer {number} of {pad.name} (velocities {layer.low} to {layer.high}) is never heard: the pad's curve gives {min(reached)} to {max(reached)}.",
                mend=(Change("pad", pad.id, "curve", "even"),),
                mend_words="Make the curve even",
            )


def empty_layers(kit: MeasuredKit) -> Iterator[Finding]:
    """A layer without a take that plays, in a pad that has others: its velocities are silent."""
    for _, pad in kit.kit.pads():
        if not kit.of_pad(pad):
            continue
        for number, layer in enumerate(pad.layers, start=1):
            if not kit.of_layer(layer):
                yield Finding(
                    rule="empty_layers",
                    severity=WRONG,
                    place=Place(pad=pad.id, layer=number),
                    message=f"Layer {number} of {pad.name} (velocities {layer.low} to {layer.high}) has no take that plays: it is silent there.",
                )


def standard_notes(kit: MeasuredKit) -> Iterator[Finding]:
    """A standard drum note that strikes another kind, in a kit that keeps to the standard."""
    pads = {pad.id: pad for _, pad in kit.kit.pads()}
    asked = [(note, pads[pad]) for note, pad in kit.kit.maps[0].notes if note in OF_NOTE and kit.of_pad(pads[pad])]
    fits = {note for note, pad in asked if family_of(pad.kind) == family_of(OF_NOTE[note])}
    notes = {note for note, _ in asked}
    if len(fits) < LEAST_STANDARD or len(fits) < STANDARD_SHARE * len(notes):
        return
    for note, pad in asked:
        own = kit.kit.notes()[pad.id]
        is_layered = note in fits and len(own) > 1  # it sounds along with the right one
        if family_of(pad.kind) == family_of(OF_NOTE[note]) or pad.kind == "other" or len(own) > 4 or is_layered:
            continue
        yield Finding(
            rule="standard_notes",
            severity=DOUBTFUL,
            place=Place(pad=pad.id, note=note),
            message=f"{note_label(note)} is the standard note of {_a(OF_NOTE[note])}; here it strikes {pad.name}.",
        )


def toms_in_order(kit: MeasuredKit) -> Iterator[Finding]:
    """A tom on the standard note of another one that the kit has too."""
    toms = {pad.id: pad for _, pad in kit.kit.pads() if pad.kind in TOMS and kit.of_pad(pad)}
    kinds, notes_of = {pad.kind for pad in toms.values()}, kit.kit.notes()
    for note, pad in kit.kit.maps[0].notes:
        meant = OF_NOTE.get(note)
        own = notes_of.get(pad, ())
        if pad in toms and meant in kinds and meant != toms[pad].kind and len(own) <= 2:
            if any(OF_NOTE.get(other) == toms[pad].kind for other in own):
                continue  # one tom for two notes, its own among them
            yield Finding(
                rule="toms_in_order",
                severity=DOUBTFUL,
                place=Place(pad=pad, note=note),
                message=f"{note_label(note)} is the standard note of {_a(meant)}, which the kit has too; here it strikes {toms[pad].name}.",
            )


def far_tuned(kit: MeasuredKit) -> Iterator[Finding]:
    """A pad that is played an octave or more from how it was recorded, in a kit whose others are not."""
    steps, notes_of = {}, kit.kit.notes()
    for _, pad in kit.kit.pads():
        notes = notes_of.get(pad.id, ())
        if kit.of_pad(pad) and notes:
            by_keys = (
                min((pad.cents_per_key * (note - pad.root) for note in notes), key=abs) if pad.root is not None else 0.0
            )
            steps[pad.id] = pad, pad.tune_cents + by_keys
    for pad, cents in steps.values():
        rest = [abs(other) for one, other in steps.values() if one is not pad]
        if abs(cents) >= FAR_CENTS and len(rest) >= 3 and sorted(rest)[len(rest) // 2] < NEAR_CENTS:
            yield Finding(
                rule="far_tuned",
                severity=DOUBTFUL,
                place=Place(pad=pad.id),
                message=f"{pad.name} sounds {abs(cents) / 100:.0f} semitones {'higher' if cents > 0 else 'lower'} than it was recorded.",
                measured=round(cents / 100, 2),
                usual=0.0,
                limit=FAR_CENTS / 100,
                unit="semitones",
            )  # fmt: skip


def _a(kind: str) -> str:
    label = BY_SLUG[kind].label
    return f"{'an' if label[0] in 'aeiou' else 'a'} {label}"


def notes_answered(kit: MeasuredKit) -> Iterator[Finding]:
    """Notes of the parts at hand that nothing answers."""
    filled = {pad.id for _, pad in kit.kit.pads() if kit.of_pad(pad)}
    answered = {note for note, pad in kit.kit.maps[0].notes if pad in filled}
    for part in kit.parts:
        missing = Counter(event.note for event in part.note_ons if event.note not in answered)
        for note, hits in sorted(missing.items()):
            yield Finding(
                rule="notes_answered",
                severity=DOUBTFUL,
                place=Place(note=note),
                message=f"Nothing answers {note_label(note)}, which {part.name} strikes {hits} {'time' if hits == 1 else 'times'}.",
                measured=float(hits),
                unit="hits",
            )


def hidden_layers(kit: MeasuredKit) -> Iterator[Finding]:
    """A layer of a single velocity between others: seldom meant."""
    for _, pad in kit.kit.pads():
        for number, layer in enumerate(pad.layers, start=1):
            if len(pad.layers) > 2 and layer.low == layer.high and 1 < number < len(pad.layers) and kit.of_layer(layer):
                yield Finding(
                    rule="hidden_layers",
                    severity=NOTE,
                    place=Place(pad=pad.id, layer=number),
                    message=f"Layer {number} of {pad.name} answers velocity {layer.low} alone.",
                    measured=1.0,
                    unit="velocities",
                )
