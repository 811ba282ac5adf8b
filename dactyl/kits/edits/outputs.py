"""Outputs and mics."""

from collections.abc import Mapping
from typing import Any

from dactyl.core.compare import mic_place
from dactyl.core.errors import KitError
from dactyl.core.kit import MAIN
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.edits.sentences import settings_named
from dactyl.kits.fields import MIC_FIELDS
from dactyl.kits.models import Handle, Mic, Output, OutputGroup, Pad, Piece, PieceMic, TakeSample


def touch_all(change: Change) -> None:
    """Every pad of the kit is to be drawn and played anew."""
    change.touch(*Pad.objects.filter(kit=change.document).values_list("pk", flat=True))


def output_called(change: Change, name: str) -> Output:
    """The kit's output of this name, made if it is new; Main where the name is empty."""
    output = Output.objects.filter(kit=change.document, name__iexact=name or MAIN).first()
    if output is None:
        last = Output.objects.filter(kit=change.document).order_by("-position").first()
        output = change.create(Output(kit=change.document, name=name, position=last.position + 1))
        touch_all(change)  # players number outputs in their order
    return output


def drop_empty_groups(change: Change, groups: type[Handle]) -> None:
    """A group without outputs stands nowhere in the page. groups : those of a kit, or of a lineup"""
    change.delete_all(list(groups.objects.filter(kit=change.document, outputs=None)))


def rename_output(output: Output, version: int, name: str) -> Revision | None:
    if output.is_main or name.lower() == MAIN.lower():
        raise KitError("Main keeps its name; everything without an output of its own goes there.")
    if Output.objects.filter(kit=output.kit_id, name__iexact=name).exclude(pk=output.pk).exists():
        raise KitError(f"There is an output {name} already. Choose another name.")
    with edit(output.kit, version, f"Output {output.name} named {name}") as change:
        change.update(output, name=name)
        touch_all(change)
    return change.revision


def delete_output(output: Output, version: int) -> Revision | None:
    """What went there goes to Main again."""
    if output.is_main:
        raise KitError("Main can't be deleted; a kit needs one way out.")
    with edit(output.kit, version, f"Output {output.name} deleted") as change:
        for model in (Pad, Piece, Mic):
            for row in model.objects.filter(output=output):
                change.update(row, output_id=None)
        change.delete_all([output])
        drop_empty_groups(change, OutputGroup)
        left = Output.objects.filter(kit=change.document).order_by("position")
        change.update_each(
            [(row, {"position": number}) for number, row in enumerate(left)]
        )  # their numbers, everywhere
        touch_all(change)
    return change.revision


def add_mic(kit, version: int, name: str) -> Revision | None:
    _refuse_known(kit.pk, name)
    with edit(kit, version, f"Mic {name} added") as change:
        last = Mic.objects.filter(kit=kit).order_by("-position").first()
        change.create(Mic(kit=change.document, name=name, position=last.position + 1 if last else 0, follows_pan=False))
    return change.revision


def set_mic(mic: Mic, version: int, field: str, value: Any) -> Revision | None:
    """Name or level of a mic, or whether it follows the pads' pan."""
    if field == "name":
        _refuse_known(mic.kit_id, value, besides=mic.pk)
    with edit(mic.kit, version, settings_named(MIC_FIELDS, {field: value}, f"mic {mic.name}")) as change:
        change.update(mic, **{field: value})
        touch_all(change)
    return change.revision


def route_mic(mic: Mic, version: int, name: str) -> Revision | None:
    """Send a mic to an output of its own, whatever the pads' outputs are; an empty name leaves it with the pads."""
    with edit(
        mic.kit, version, f"Mic {mic.name} to {f'output {name}' if name else 'the outputs of the pads'}"
    ) as change:
        output = output_called(change, name) if name else None
        change.update(mic, output_id=output.pk if output else None)
        touch_all(change)
    return change.revision


def set_piece_mic(piece: Piece, mic: Mic, version: int, said: Mapping[str, Any]) -> Revision | None:
    """What one piece says of a mic.

    said : columns of its row: ``gain_db``, ``is_flipped``, or ``way`` and ``pan``
    """
    of = f"mic {mic.name} for {piece.name or 'a piece'}"
    if "gain_db" in said:
        words = settings_named(MIC_FIELDS, said, of)
    elif "is_flipped" in said:
        words = f"Polarity of {of} {'turned' if said['is_flipped'] else 'as it was'}"
    else:
        pan = said["way"] or (None if said["pan"] is None else said["pan"] / 100)
        words = f"{of[0].upper()}{of[1:]}: {mic_place(pan)}"
    with edit(piece.kit, version, words) as change:
        row = PieceMic.objects.filter(piece=piece, mic=mic).first()
        if row is None:
            change.create(PieceMic(piece=piece, mic=mic, **said))
        else:
            change.update(row, **said)
        change.touch(*piece.pads.values_list("pk", flat=True))
    return change.revision


def delete_mic(mic: Mic, version: int) -> Revision | None:
    if TakeSample.objects.filter(mic=mic).exists():
        raise KitError(f"Mic {mic.name} has recordings on pads. Take them off first, or silence it by its level.")
    if Mic.objects.filter(kit=mic.kit_id).count() == 1:
        raise KitError("A kit needs one mic.")
    with edit(mic.kit, version, f"Mic {mic.name} deleted") as change:
        change.delete_all([mic])
        touch_all(change)
    return change.revision


def _refuse_known(kit_id: int, name: str, besides: int | None = None) -> None:
    if Mic.objects.filter(kit=kit_id, name__iexact=name).exclude(pk=besides).exists():
        raise KitError(f"There is a mic {name} already. Choose another name.")
