"""What differs between two states of a kit, in sentences by piece: "Snare: border 64 → 71, 2 takes left out".

Pads are the same where their ids are, else where their names are.
"""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence

from dactyl.core import fields
from dactyl.core.fields import Field, are_alike, row_of
from dactyl.core.formats.notes import note_label
from dactyl.core.kit import FOLLOWS, Kit, Layer, Pad, Piece, Take
from dactyl.core.units import counted


def compare(before: Kit, after: Kit) -> list[str]:
    """One sentence for each pad, output or mic that differs, in the order of ``after``; what went comes last."""
    sentences = []
    if before.name != after.name:
        sentences.append(f"The kit is called {after.name}, not {before.name}")
    for what, table in (("outputs", fields.OUTPUT), ("mics", fields.MIC)):
        sentences += _named(what.removesuffix("s"), getattr(before, what), getattr(after, what), table)
    sentences += _named("group", before.groups, after.groups, fields.OUTPUT_GROUP)
    sentences += _members(before, after)
    if desk := list(_changes(fields.DESK, before, after)):
        sentences.append(f"Desk: {', '.join(desk)}")
    old = {pad.id: (piece, pad) for piece, pad in before.pads()}
    by_name = {pad.name: pad.id for pad in reversed([pad for _, pad in before.pads()])}
    notes_before, notes_after = before.notes(), after.notes()
    met = set()
    for piece, pad in after.pads():
        key = pad.id if pad.id in old else by_name.get(pad.name)
        if key is None or key in met:
            sentences.append(f"{pad.name} is new")
            continue
        met.add(key)
        told = list(_pad(*old[key], piece, pad, before, after))
        was, now = notes_before.get(key, ()), notes_after.get(pad.id, ())
        if was != now:
            told.append(f"notes {_notes(was)} → {_notes(now)}")
        if told:
            sentences.append(f"{pad.name}: {', '.join(told)}")
    sentences += [f"{pad.name} is gone" for key, (_, pad) in old.items() if key not in met]
    return sentences


def restacked(before: Kit, after: Kit) -> list[tuple[Pad | None, Pad | None]]:
    """Pads whose steps are other ones, as they were and as they are; None where one was not, or is no longer, there."""
    old = {pad.id: pad for _, pad in before.pads()}
    by_name = {pad.name: pad.id for pad in reversed([pad for _, pad in before.pads()])}
    pairs, met = [], set()
    for _, pad in after.pads():
        key = pad.id if pad.id in old else by_name.get(pad.name)
        was = old[key] if key is not None and key not in met else None
        met.add(key)
        if _steps(was) != _steps(pad):
            pairs.append((was, pad))
    return pairs + [(pad, None) for key, pad in old.items() if key not in met and pad.layers]


def _steps(pad: Pad | None) -> tuple:
    """What a staircase is drawn from."""
    if pad is None:
        return ()
    layers = [(layer.high, layer.gain_db, [(take.samples, take.gain_db, take.enabled) for take in layer.takes]) for layer in pad.layers]  # fmt: skip
    return (layers, pad.gain_db, pad.dynamics, pad.curve) if layers else ()


def _named(what: str, before: Sequence, after: Sequence, table: Mapping[str, Field]) -> Iterator[str]:
    old = {row.name: row for row in before}
    for row in after:
        if row.name not in old:
            yield f"{what.capitalize()} {row.name} is new"
        elif told := list(_changes(table, old[row.name], row)):
            yield f"{what.capitalize()} {row.name}: {', '.join(told)}"
    kept = {row.name for row in after}
    yield from (f"{what.capitalize()} {name} is gone" for name in old if name not in kept)


def _members(before: Kit, after: Kit) -> Iterator[str]:
    old, new = ({name: group.name for group in kit.groups for name in group.outputs} for kit in (before, after))
    for output in after.outputs:
        was, now = old.get(output.name, "no group"), new.get(output.name, "no group")
        if was != now:
            yield f"Output {output.name}: {was} → {now}"


def _pad(was: Piece, old: Pad, piece: Piece, pad: Pad, before: Kit, after: Kit) -> Iterator[str]:
    if old.name != pad.name:
        yield f"was called {old.name}"
    yield from _changes(fields.PAD, old, pad)
    if was.pads[0].id == old.id:
        yield from (f"piece {change}" for change in _changes(fields.PIECE, was, piece))
        yield from _mics_of(was, piece)
    outputs = [
        own.output or of.output or kit.outputs[0].name for own, of, kit in ((old, was, before), (pad, piece, after))
    ]
    if outputs[0] != outputs[1]:
        yield f"output {outputs[0]} → {outputs[1]}"
    for words, get in (
        ("choke group", lambda one: one.choke.letter if one.choke else "none"),
        ("silences", lambda one: ", ".join(str(group.number) for group in one.silences) or "none"),
        ("is silenced by", lambda one: ", ".join(str(group.number) for group in one.silenced_by) or "none"),
        ("curve", lambda one: one.curve if isinstance(one.curve, str) else "drawn"),
        ("companions", lambda one: len(one.companions)),
    ):
        if get(old) != get(pad):
            yield f"{words} {get(old)} → {get(pad)}"
    fades = [_fades(one) for one in (old, pad)]
    for group in fades[0].keys() & fades[1].keys():
        if fades[0][group] != fades[1][group]:
            yield f"cut over {fades[0][group]:g} → {fades[1][group]:g} ms"
    yield from _layers(old.layers, pad.layers)


def _mics_of(was: Piece, piece: Piece) -> Iterator[str]:
    """What the piece says of single mics."""
    gains, pans = ([dict(getattr(one, name)) for one in (was, piece)] for name in ("mic_gains_db", "mic_pans"))
    for mic in dict.fromkeys([*gains[0], *gains[1], *pans[0], *pans[1], *was.mic_flips, *piece.mic_flips]):
        if (before := gains[0].get(mic, 0.0)) != (after := gains[1].get(mic, 0.0)):
            yield f"mic {mic} {before:+.1f} → {after:+.1f} dB".replace("-", "−")
        if (before := pans[0].get(mic)) != (after := pans[1].get(mic)):
            yield f"mic {mic} {mic_place(before)} → {mic_place(after)}"
        if (mic in was.mic_flips) != (mic in piece.mic_flips):
            yield f"mic {mic} turned in polarity" if mic in piece.mic_flips else f"mic {mic} turned back"


def mic_place(pan: float | str | None) -> str:
    """Where a mic stands for a piece, in words."""
    if pan is None or isinstance(pan, str):
        return {None: "as the mic says", FOLLOWS: "follows the pan"}.get(pan, "stays in place")
    return "in the centre" if not round(100 * pan) else f"{'left' if pan < 0 else 'right'} {abs(round(100 * pan))}"


def _fades(pad: Pad) -> dict[str | int, float]:
    """Of the groups that cut it, by letter or number."""
    choke = {pad.choke.letter: pad.choke.fade_ms} if pad.choke else {}
    return choke | {group.number: group.fade_ms for group in pad.silenced_by}


def _layers(before: Sequence[Layer], after: Sequence[Layer]) -> Iterator[str]:
    if before == after:
        return
    if len(before) != len(after):
        yield f"{counted(len(before), 'layer')} → {len(after)}"
    else:
        for old, new in zip(before[:-1], after[:-1], strict=True):
            if old.high != new.high:
                yield f"border {old.high} → {new.high}"
        for number, (old, new) in enumerate(zip(before, after, strict=True), start=1):
            yield from (f"layer {number} {change}" for change in _changes(fields.LAYER, old, new))
    takes = [dict(_numbered(take for layer in layers for take in layer.takes)) for layers in (before, after)]
    gone, new = set(takes[0]) - set(takes[1]), set(takes[1]) - set(takes[0])
    both = [(takes[0][key], takes[1][key]) for key in takes[0] if key in takes[1]]
    left, back = (sum(old.enabled is was and new.enabled is not was for old, new in both) for was in (True, False))
    shaped = sum(any(_changes(fields.TAKE, old, new)) for old, new in both)
    for count, words in ((len(new), "added"), (len(gone), "gone"), (left, "left out"), (back, "heard again")):
        if count:
            yield f"{counted(count, 'take')} {words}"
    if shaped > left + back:
        yield f"{counted(shaped - left - back, 'take')} changed"


def _numbered(takes: Iterable[Take]) -> Iterator[tuple[tuple, Take]]:
    """Takes by what they play of which samples; equal ones are counted."""
    seen: Counter[tuple] = Counter()
    for take in takes:
        seen[take.samples] += 1
        yield (take.samples, seen[take.samples]), take


def _changes(table: Mapping[str, Field], before: object, after: object) -> Iterator[str]:
    """ "level 0.0 dB → −3.0 dB" for each field that differs."""
    if are_alike(table, before, after):
        return
    old, new = row_of(table, before), row_of(table, after)
    for name, field in table.items():
        if old[name] != new[name] and name != "name":
            yield f"{field.words.lower()} {_said(field, old[name])} → {_said(field, new[name])}"


def _said(field: Field, value: object) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if field.choices is not None:
        return field.choices.get(value, str(value))
    return field.said(value) or ("none" if value is None else str(value))


def _notes(notes: Sequence[int]) -> str:
    return ", ".join(map(note_label, notes[:3])) + (" …" if len(notes) > 3 else "") or "none"
