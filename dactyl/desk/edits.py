"""The desk: channels, their groups, the parallel bus and the master; and what goes out where."""

from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any

from dactyl.core.errors import KitError
from dactyl.core.fields import DESK, OUTPUT_GROUP, SIDES
from dactyl.core.kit import MAIN
from dactyl.core.units import told_apart
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.edits.outputs import drop_empty_groups, output_called, touch_all
from dactyl.kits.edits.sentences import settings_named
from dactyl.kits.fields import OUTPUT_FIELDS
from dactyl.kits.models import Handle, Kit, Mic, Output, OutputGroup, Pad, Piece

MOST_OUTPUTS = 64
LONGEST = OUTPUT_FIELDS["name"].longest
USUAL = {
    "kick": "Kick", "snare": "Snare", "side_stick": "Snare", "closed_hat": "Hats", "pedal_hat": "Hats", "open_hat": "Hats",
    "low_tom": "Toms", "mid_tom": "Toms", "high_tom": "Toms", "ride": "Ride", "ride_bell": "Ride", "crash": "Cymbals",
}  # fmt: skip
"""Where pieces usually go, by the kind of their first pad; all others go to the rest."""
REST = "Rest"


def set_channels(outputs: Sequence[Output], kit: Kit, version: int, values: Mapping[str, Any]) -> Revision | None:
    """Settings of one channel, or of all that are selected: one undo."""
    names = outputs[0].name if len(outputs) == 1 else f"{len(outputs)} outputs"
    with edit(kit, version, settings_named(OUTPUT_FIELDS, values, f"output {names}")) as change:
        change.update_all(outputs, **values)
    return change.revision


def set_desk(kit: Kit, version: int, values: Mapping[str, Any]) -> Revision | None:
    """The master, the side, the parallel bus."""
    with edit(kit, version, _said(values)) as change:
        change.update(change.document, **values)
    return change.revision


def _said(values: Mapping[str, Any]) -> str:
    match values:
        case {"side": side}:
            return f"Kit heard from {SIDES[side]}"
        case {"parallel_is_on": is_on}:
            return f"Parallel bus {'on' if is_on else 'off'}"
    return settings_named(DESK, values, "the desk")


def next_group_name(known: Collection[str]) -> str:
    """What a group is called until a person names it."""
    return next(name for n in range(1, len(known) + 2) if (name := "Drums" if n == 1 else f"Group {n}") not in known)


def group(kit: Kit, version: int, outputs: Sequence[Output], name: str) -> Revision | None:
    """One handle for several outputs; they leave the groups that they were in."""
    refuse_group(OutputGroup, kit, name, len(outputs))
    with edit(kit, version, f"{len(outputs)} outputs grouped as {name}") as change:
        last = OutputGroup.objects.filter(kit=kit).order_by("-position").first()
        made = change.create(OutputGroup(kit=change.document, name=name, position=last.position + 1 if last else 0))
        change.update_all(outputs, group_id=made.pk)
        drop_empty_groups(change, OutputGroup)
    return change.revision


def refuse_group(groups: type[Handle], kit: Kit, name: str, outputs: int) -> None:
    """raises : KitError where a new group of so many outputs can't be, or not be called so"""
    if outputs < 2:
        raise KitError(
            "Select two outputs or more first: Ctrl and a press on their numbers, or Shift with the arrow keys."
        )
    refuse_known_group(groups, kit, name)


def set_group(row: Handle, version: int, values: Mapping[str, Any]) -> Revision | None:
    """row : a group of a kit, or of a lineup"""
    if "name" in values:
        refuse_known_group(type(row), row.kit, values["name"], besides=row.pk)
    with edit(row.kit, version, settings_named(OUTPUT_GROUP, values, f"group {row.name}")) as change:
        change.update(row, **values)
    return change.revision


def refuse_known_group(groups: type[Handle], kit: Kit, name: str, besides: int | None = None) -> None:
    if groups.objects.filter(kit=kit, name__iexact=name).exclude(pk=besides).exists():
        raise KitError(f"There is a group {name} already. Choose another name.")


def ungroup(row: Handle, version: int) -> Revision | None:
    """Its outputs keep their own levels. row : a group of a kit, or of a lineup"""
    with edit(row.kit, version, f"Group {row.name} dissolved") as change:
        change.update_all(list(row.outputs.all()), group_id=None)
        change.delete_all([row])
    return change.revision


def join_group(output: Output, version: int, row: OutputGroup | None) -> Revision | None:
    where = f"in group {row.name}" if row else "in no group"
    with edit(output.kit, version, f"Output {output.name} {where}") as change:
        change.update(output, group_id=row.pk if row else None)
        drop_empty_groups(change, OutputGroup)
    return change.revision


# What goes where ------------------------------------------------------------------------------------------------------


def route(kit: Kit, version: int, how: str) -> Revision | None:
    """how : a key of ``ROUTES``"""
    _, words, lay_out = ROUTES[how]
    with edit(kit, version, words) as change:
        lay_out(change)
        count = Output.objects.filter(kit=kit).count()
        if count > MOST_OUTPUTS:
            raise KitError(f"These would be {count} outputs; {MOST_OUTPUTS} are the most. Choose a coarser way.")
        touch_all(change)
    return change.revision


def route_pieces(kit: Kit, version: int, pieces: Sequence[Piece], output: Output) -> Revision | None:
    """Pieces to one output, with all their pads."""
    names = ", ".join(piece.name or "a piece" for piece in pieces[:3])
    with edit(kit, version, f"{names} to {output.name}") as change:
        _send(change, pieces, output)
        change.touch(*Pad.objects.filter(piece__in=pieces).values_list("pk", flat=True))
    return change.revision


def _send(change: Change, pieces: Sequence[Piece], output: Output) -> None:
    change.update_all(pieces, output_id=None if output.is_main else output.pk)
    change.update_all(list(Pad.objects.filter(piece__in=pieces).exclude(output=None)), output_id=None)


def _filled(change: Change) -> list[Pad]:
    pads = Pad.objects.filter(kit=change.document, layers__takes__isnull=False).distinct()
    return list(pads.select_related("piece").order_by("position"))


def _each_piece(change: Change) -> None:
    pads = _filled(change)
    pieces = list(dict.fromkeys(pad.piece for pad in pads))
    names = told_apart([_free(piece.name or piece.pads.first().full_name) for piece in pieces])
    called = dict(zip((piece.pk for piece in pieces), names, strict=True))
    _lay_out(change, [(pad, called[pad.piece_id]) for pad in pads])


def _as_usual(change: Change) -> None:
    called: dict[int, str] = {}
    for pad in (pads := _filled(change)):
        called.setdefault(pad.piece_id, USUAL.get(pad.kind, REST))
    _lay_out(change, [(pad, called[pad.piece_id]) for pad in pads])


def _each_pad(change: Change) -> None:
    pads = _filled(change)
    names = told_apart([_free(pad.full_name) for pad in pads])
    _lay_out(change, list(zip(pads, names, strict=True)), each=True)


def _lay_out(change: Change, wanted: Sequence[tuple[Pad, str]], *, each: bool = False) -> None:
    """Send pads to outputs of these names, which are set as the ones that they leave: no sample of the mix changes.

    each : whether every pad says its own output, and not its piece
    """
    there = list(Output.objects.filter(kit=change.document).order_by("position"))
    by_key = {output.pk: output for output in there}
    piece_output: dict[int, Output] = {}
    for pad, name in wanted:
        left = by_key[pad.output_id or pad.piece.output_id or there[0].pk]
        output = _output_like(change, there, name, left)
        by_key[output.pk] = output
        own = each or piece_output.setdefault(pad.piece_id, output) != output
        change.update(pad, output_id=output.pk if own else None)
    for piece in dict.fromkeys(pad.piece for pad, _ in wanted):
        if piece.pk in piece_output:
            change.update(piece, output_id=None if piece_output[piece.pk].is_main else piece_output[piece.pk].pk)


AS_LEFT = ("gain_db", "width", "balance", "muted", "parallel_db", "group_id")
"""What an output of its own takes over from the one that was left."""


def _output_like(change: Change, there: list[Output], name: str, left: Output) -> Output:
    """The output of this name where it is set as another, or where there is none one that is; else the next name."""
    settings = {field: getattr(left, field) for field in AS_LEFT}
    for number in range(1, MOST_OUTPUTS + 2):
        called = name if number == 1 else f"{name} {number}"
        found = next((one for one in there if one.name.lower() == called.lower()), None)
        if found is None:
            position = max(one.position for one in there) + 1
            there.append(change.create(Output(kit=change.document, name=called, position=position, **settings)))
            return there[-1]
        if all(getattr(found, field) == value for field, value in settings.items()):
            return found
    raise KitError(f"These would be over {MOST_OUTPUTS} outputs. Choose a coarser way.")


def _each_mic(change: Change) -> None:
    for mic in Mic.objects.filter(kit=change.document):
        change.update(mic, output_id=output_called(change, _free(mic.name)).pk)


def _all_to_main(change: Change) -> None:
    for model in (Pad, Piece, Mic):
        change.update_all(list(model.objects.filter(kit=change.document).exclude(output=None)), output_id=None)


def _free(name: str) -> str:
    """Nothing of its own is called Main."""
    name = name[: LONGEST - 4].strip()
    return f"{name} 2" if name.lower() == MAIN.lower() else name


ROUTES: dict[str, tuple[str, str, Callable[[Change], None]]] = {
    "usual": ("As the kinds usually go", "Outputs as the kinds usually go", _as_usual),
    "pieces": ("One for each piece", "An output for each piece", _each_piece),
    "pads": ("One for each pad", "An output for each pad", _each_pad),
    "mics": ("One for each mic", "An output for each mic", _each_mic),
    "main": ("Everything to Main", "Everything to Main", _all_to_main),
}
"""Ways to lay the outputs out: name -> as it is asked for, as the history says it, what does it."""
