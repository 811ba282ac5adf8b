"""One view for each edit of a kit: read what was typed by the tables in fields.py, call the edit."""

import json
from collections.abc import Mapping

from django.http import HttpRequest

from dactyl.core.errors import DactylError, KitError
from dactyl.core.kinds import free_note
from dactyl.core.stack.layers import BORDERS
from dactyl.history import edits as history
from dactyl.history.door import Answer
from dactyl.kits import edits, fields, queries, sounding
from dactyl.kits.models import Kit, Layer, Mic, Output, Pad, Piece, Take, TakeSample
from dactyl.kits.views.answer import find, kit_edit, pad_of, pads_of, takes_of
from dactyl.shelf import queries as shelf_queries
from dactyl.web.note_naming import middle_c_octave
from dactyl.web.request_values import ids_in


def _value(request: HttpRequest) -> str:
    return request.POST.get("value", "")


# The kit ---------------------------------------------------------------------------------------------------------------


@kit_edit
def undo(request: HttpRequest, kit: Kit, version: int) -> Answer:
    undone = history.undo(kit, version)
    return undone, f"Undone: {undone.sentence}" if undone else "There is nothing to undo."


@kit_edit
def redo(request: HttpRequest, kit: Kit, version: int) -> Answer:
    redone = history.redo(kit, version)
    return redone, f"Done again: {redone.sentence}" if redone else "There is nothing to do again."


@kit_edit
def go_to(request: HttpRequest, kit: Kit, version: int, revision_id: int) -> Answer:
    """Undo down to and with one edit, or do again up to and with it."""
    gone = history.go_to(kit, version, revision_id)
    return gone or (None, "This change is no longer listed.")


@kit_edit
def rename_kit(request: HttpRequest, kit: Kit, version: int) -> Answer:
    return edits.kits.rename_kit(kit, version, fields.kit_name(_value(request)))


# Pads ------------------------------------------------------------------------------------------------------------------


@kit_edit
def add_pads(request: HttpRequest, kit: Kit, version: int) -> Answer:
    return edits.pads.add_pads(kit, version, fields.whole("The number of pads", 1, 128)(request.POST.get("count", "8")))


@kit_edit
def set_pad(request: HttpRequest, kit: Kit, version: int, pad_id: int, field: str) -> Answer:
    """One setting of a pad, or of all selected pads if it is one of them; the value comes as ``value``."""
    text, pads = _value(request), pads_of(request, kit, pad_id)
    pad = next(pad for pad in pads if pad.pk == pad_id)
    if field in ("name", "notes") and len(pads) > 1:
        pads = [pad]  # two pads want no name and no note in common by accident
    if field in fields.PAD_FIELDS:
        return edits.pads.set_fields(pads, version, {field: fields.read(fields.PAD_FIELDS, field, text)})
    if field.startswith("piece_") and field.removeprefix("piece_") in fields.PIECE_FIELDS:
        name = field.removeprefix("piece_")
        return edits.pads.set_piece(pad, version, name, fields.read(fields.PIECE_FIELDS, name, text))
    settings_of_groups = {
        "muted": lambda: edits.pads.mute_pads(pads, version, fields.yes_no(text)),
        "notes": lambda: edits.pads.set_notes(pad, version, fields.notes(text, middle_c_octave=middle_c_octave())),
        "choke": lambda: edits.pads.choke_pads(pads, version, fields.choke_letter(text)),
        "fade_ms": lambda: edits.pads.set_choke_fade(pad, version, fields.group_fade_ms(text)),
        "silences": lambda: edits.pads.set_mute_groups(pads, version, "silences", fields.mute_numbers(text)),
        "silenced_by": lambda: edits.pads.set_mute_groups(pads, version, "silenced_by", fields.mute_numbers(text)),
        "output": lambda: edits.pads.route_pads(pads, version, fields.output_name(text)),
        "pedal": lambda: edits.pads.give_pedal(pad, version),
        "piece": lambda: (
            edits.pads.join_piece(pad, version, fields.read(fields.PIECE_FIELDS, "name", text))
            if text
            else edits.pads.part_from_piece(pad, version)
        ),
    }
    if field not in settings_of_groups:
        raise DactylError(f"A pad has no setting named “{field[:30]}”. Reload the page.")
    return settings_of_groups[field]()


@kit_edit
def give_free_note(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    """Let a pad that has no note answer the one its kind usually has, or else a free one, so that a part can hold it."""
    pad = pad_of(kit, pad_id)
    if pad.notes.filter(map__is_default=True).exists():
        return None
    note = free_note(pad.kind, queries.taken_notes(kit))
    if note is None:
        raise KitError(f"No note is free for {pad.full_name}. Take one from another pad, in the Map view.")
    return edits.pads.set_notes(pad, version, [note])


@kit_edit
def give_note(request: HttpRequest, kit: Kit, version: int, note: int) -> Answer:
    """Let the pad that ``value`` names answer one note more."""
    name = _value(request).strip()
    pads = Pad.objects.filter(kit=kit).select_related("piece").order_by("position")
    pad = next((pad for pad in pads if pad.full_name.casefold() == name.casefold()), None)
    if pad is None:
        raise KitError(f"No pad is called “{name[:60]}”. Choose one from the list.")
    pad.kit = kit
    own = pad.notes.filter(map__is_default=True).values_list("note", flat=True)
    return edits.pads.set_notes(pad, version, sorted({*own, min(127, note)}))


@kit_edit
def set_pad_values(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    """Several settings at once, as dragging an envelope gives: ``values`` is a JSON object of texts."""
    return edits.pads.set_fields(pads_of(request, kit, pad_id), version, _values(request, fields.PAD_FIELDS))


def _values(request: HttpRequest, known: Mapping[str, fields.Field]) -> dict:
    try:
        texts = json.loads(request.POST.get("values", ""))
    except (ValueError, RecursionError):
        texts = None
    if not isinstance(texts, dict) or not texts or not set(texts) <= set(known):
        raise KitError("These settings did not arrive whole; do it again.")
    return {name: fields.read(known, name, str(text)) for name, text in texts.items()}


@kit_edit
def clear_pad(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    return edits.pads.clear_pads(pads_of(request, kit, pad_id), version)


@kit_edit
def delete_pad(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    return edits.pads.delete_pads(pads_of(request, kit, pad_id), version)


@kit_edit
def duplicate_pad(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    return edits.pads.duplicate_pads(pads_of(request, kit, pad_id), version)


@kit_edit
def paste_settings(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    """Give the selected pads the settings of the pad named by ``source``."""
    source = pad_of(kit, next(iter(ids_in(request.POST.get("source", ""))), 0))
    return edits.pads.paste_settings(source, pads_of(request, kit, pad_id), version)


@kit_edit
def move_pad(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    """Put the pad's piece before the piece of ``before``, or up and down by one piece."""
    pads = pads_of(request, kit, pad_id)
    before = next(iter(ids_in(request.POST.get("before", ""))), None)
    if by := request.POST.get("by"):
        pieces = list(dict.fromkeys(kit.pads.order_by("position").values_list("piece", flat=True)))
        place = pieces.index(pads[0].piece_id) + (-1 if by == "-1" else 2)
        if place < 0 or place > len(pieces):
            raise KitError("The piece is at that end already.")
        before = (
            kit.pads.filter(piece=pieces[place]).values_list("pk", flat=True).first() if place < len(pieces) else None
        )
    return edits.pads.move_pads(pads, version, pad_of(kit, before) if before else None)


@kit_edit
def order_by_kind(request: HttpRequest, kit: Kit, version: int) -> Answer:
    return edits.pads.order_by_kind(kit, version)


@kit_edit
def set_companion(request: HttpRequest, kit: Kit, version: int, pad_id: int, other_id: int) -> Answer:
    """``value``: how strongly the other pad sounds along; empty: not at all."""
    text = _value(request)
    strength = fields.strength(text) if text.strip() else None
    return edits.pads.set_companion(pad_of(kit, pad_id), version, pad_of(kit, other_id), strength)


@kit_edit
def replace_samples(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    samples = shelf_queries.in_order(ids_in(request.POST.get("samples", "")))
    return edits.takes.replace_samples(pad_of(kit, pad_id), version, samples)


# Layers ----------------------------------------------------------------------------------------------------------------


def _layer(kit: Kit, layer_id: int) -> Layer:
    return find(Layer.objects.select_related("pad__piece"), layer_id, kit, pad__kit=kit)


@kit_edit
def set_border(request: HttpRequest, kit: Kit, version: int, layer_id: int) -> Answer:
    return edits.layers.set_border(_layer(kit, layer_id), version, fields.velocity(_value(request)))


@kit_edit
def set_borders(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    """``value``: even, or by the measured levels."""
    how = fields.one_of("way to set borders", BORDERS)(_value(request) or "even")
    pad = pad_of(kit, pad_id)
    (row,) = queries.sheet_rows(kit, [pad.pk])
    return edits.layers.set_borders(pad, version, how, [layer.level_db for layer in row.layers])


@kit_edit
def insert_layer(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    return edits.layers.insert_layer(pad_of(kit, pad_id), version)


@kit_edit
def reverse_layers(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    return edits.layers.reverse_layers(pad_of(kit, pad_id), version)


@kit_edit
def even_out(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    pad = pad_of(kit, pad_id)
    response = sounding.response_of(pad)
    if response is None:
        return None, "The pad's sounds are still being prepared; even it out in a moment."
    return edits.layers.even_out(pad, version, response.proposed_gains_db)


@kit_edit
def change_layer(request: HttpRequest, kit: Kit, version: int, layer_id: int, what: str) -> Answer:
    """what : split, join, delete, softer, louder, or gain_db with a ``value``"""
    layer = _layer(kit, layer_id)
    ways = {
        "split": lambda: edits.layers.split_layer(
            layer, version, fields.velocity(_value(request)) if _value(request) else None
        ),
        "join": lambda: edits.layers.join_layer(layer, version),
        "delete": lambda: edits.layers.delete_layer(layer, version),
        "softer": lambda: edits.layers.move_layer(layer, version, -1),
        "louder": lambda: edits.layers.move_layer(layer, version, 1),
        "gain_db": lambda: edits.layers.set_level(
            [layer], version, fields.read(fields.LAYER_FIELDS, "gain_db", _value(request))
        ),
    }
    if what not in ways:
        raise DactylError(f"A layer can't be changed by “{what[:30]}”. Reload the page.")
    return ways[what]()


# Takes -----------------------------------------------------------------------------------------------------------------


@kit_edit
def set_take(request: HttpRequest, kit: Kit, version: int, take_id: int, field: str) -> Answer:
    takes = takes_of(request, kit, take_id)
    if field == "is_enabled":
        return edits.takes.enable_takes(takes, version, fields.yes_no(_value(request)))
    if field not in fields.TAKE_FIELDS:
        raise DactylError(f"A take has no setting named “{field[:30]}”. Reload the page.")
    return edits.takes.set_fields(takes, version, {field: fields.read(fields.TAKE_FIELDS, field, _value(request))})


@kit_edit
def set_take_values(request: HttpRequest, kit: Kit, version: int, take_id: int) -> Answer:
    """Start, end and fades together, as dragging on the waveform gives: ``values`` is a JSON object of texts."""
    take = find(Take.objects.select_related("layer__pad__piece"), take_id, kit, layer__pad__kit=kit)
    return edits.takes.set_fields([take], version, _values(request, fields.TAKE_FIELDS))


@kit_edit
def remove_take(request: HttpRequest, kit: Kit, version: int, take_id: int) -> Answer:
    return edits.takes.remove_takes(takes_of(request, kit, take_id), version)


@kit_edit
def move_take(request: HttpRequest, kit: Kit, version: int, take_id: int) -> Answer:
    """Put takes on ``pad``, or into ``layer`` at ``position``, or move them by one place or layer; ``copy=1`` leaves the
    originals."""
    takes, copy = takes_of(request, kit, take_id), request.POST.get("copy") == "1"
    if pad_ids := ids_in(request.POST.get("pad", "")):
        return edits.takes.move_to_pad(takes, version, pad_of(kit, pad_ids[0]), copy=copy)
    layer, position = takes[0].layer, takes[0].position
    by = request.POST.get("by", "")
    if by in ("softer", "louder"):
        layers = list(layer.pad.layers.order_by("high"))
        place = [row.pk for row in layers].index(layer.pk) + (1 if by == "louder" else -1)
        if not 0 <= place < len(layers):
            raise KitError("There is no layer on that side.")
        layer, position = layers[place], 1_000_000
    elif by in ("-1", "1"):
        position = max(0, position - 1) if by == "-1" else takes[-1].position + 2
    else:
        layer = _layer(kit, next(iter(ids_in(request.POST.get("layer", ""))), 0))
        position = fields.whole("The place", 0, 1_000_000)(request.POST.get("position", "1000000"))
    return edits.takes.move_takes(takes, version, layer, position, copy=copy)


@kit_edit
def mend_takes(request: HttpRequest, kit: Kit, version: int, take_id: int, what: str) -> Answer:
    """what : level (to the layer), onset (start at the same point of the attack), polarity (as most of the layer)"""
    words = {"level": "Levelled", "onset": "Aligned the starts of", "polarity": "Flipped the polarity of"}.get(what)
    if words is None:
        raise DactylError(
            f"A take can't be mended by “{fields.words('It', 30, may_be_empty=True)(what[:30])}”. Reload the page."
        )
    changes = sounding.mended(takes_of(request, kit, take_id), what)
    return edits.takes.set_each(changes, version, words) if changes else (None, "They agree with their layer already.")


@kit_edit
def keep_tried(request: HttpRequest, kit: Kit, version: int, take_id: int) -> Answer:
    """Keep the sample that was tried in the place of a take's."""
    take = find(Take.objects.select_related("layer__pad__piece"), take_id, kit, layer__pad__kit=kit)
    samples = shelf_queries.in_order(ids_in(request.POST.get("sample", "")))
    if not samples:
        raise KitError("This sample is no longer on the shelf. Choose another.")
    mic = take.samples.order_by(*TakeSample.FIRST).values_list("mic", flat=True).first()
    return edits.takes.replace_sample(take, version, samples[0], mic or kit.mics.first().pk)


# Outputs and mics ------------------------------------------------------------------------------------------------------


@kit_edit
def delete_output(request: HttpRequest, kit: Kit, version: int, output_id: int) -> Answer:
    return edits.outputs.delete_output(find(Output.objects, output_id, kit, kit=kit), version)


@kit_edit
def add_mic(request: HttpRequest, kit: Kit, version: int) -> Answer:
    return edits.outputs.add_mic(kit, version, fields.read(fields.MIC_FIELDS, "name", request.POST.get("name", "")))


@kit_edit
def set_mic(request: HttpRequest, kit: Kit, version: int, mic_id: int, field: str) -> Answer:
    mic = find(Mic.objects, mic_id, kit, kit=kit)
    if field == "output":
        return edits.outputs.route_mic(mic, version, fields.output_name(_value(request)))
    if field not in fields.MIC_FIELDS:
        raise DactylError(f"A mic has no setting named “{field[:30]}”. Reload the page.")
    return edits.outputs.set_mic(mic, version, field, fields.read(fields.MIC_FIELDS, field, _value(request)))


@kit_edit
def set_piece_mic(request: HttpRequest, kit: Kit, version: int, piece_id: int, mic_id: int, what: str) -> Answer:
    """what : gain_db, is_flipped or place"""
    mic, piece = find(Mic.objects, mic_id, kit, kit=kit), find(Piece.objects, piece_id, kit, kit=kit)
    return edits.outputs.set_piece_mic(piece, mic, version, fields.of_piece_mic(what, _value(request)))


@kit_edit
def delete_mic(request: HttpRequest, kit: Kit, version: int, mic_id: int) -> Answer:
    return edits.outputs.delete_mic(find(Mic.objects, mic_id, kit, kit=kit), version)
