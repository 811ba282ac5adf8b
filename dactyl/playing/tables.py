"""The playbook as the page reads it, and the recipes behind the keys it names."""

from collections import OrderedDict
from collections.abc import Callable, Collection, Iterable
from dataclasses import asdict
from threading import Lock
from typing import Any

from dactyl.core import kit as core
from dactyl.core.audio.prepare import Recipe
from dactyl.core.desk.tables import Channel, level
from dactyl.core.maps.notes import pads_of
from dactyl.core.maps.translate import meeting
from dactyl.core.play.compile import compile_kit
from dactyl.core.play.playbook import ALL_CHANNELS, OutputTable, PadTable, Playbook, Region
from dactyl.kits.models import Kit
from dactyl.kits.queries import pad_notes
from dactyl.kits.values import kit_value
from dactyl.shelf.models import Sample

LOW_HZ, HIGH_HZ = 8000, 192_000  # rates that a page may play at
_MOST_RECIPES = 200_000
_recipes: OrderedDict[str, Recipe] = OrderedDict()
_lock = Lock()


def playbook_for_page(
    kit: Kit,
    rate_hz: int,
    pad_ids: Collection[int] | None = None,
    *,
    instead: dict[int, Sample] | None = None,
    auditioned: Callable[[core.Kit], core.Kit] | None = None,
) -> dict[str, Any]:
    """The playbook, whole or of some pads. ``docs/formats.md`` describes it. auditioned : what is heard in the kit's place"""
    value = kit_value(kit, pad_ids, instead=instead)
    playbook = compiled(auditioned(value) if auditioned else value, rate_hz)
    tables = as_tables(playbook, is_whole=pad_ids is None)
    for row, key in zip(tables["outputs"], kit.outputs.values_list("pk", flat=True), strict=False):
        row["key"] = key  # what the page points at it by, whatever it is called
    return {"version": kit.version, **tables}


def flipped_playbook(own: Kit, other: Kit, rate_hz: int) -> dict[str, Any]:
    """The tables of another kit as they are heard in this one's page: its notes are met, and its outputs stay.

    All of it leaves by the first output, as loud as its own outputs make it, so that what still rings of this kit keeps its
    levels. ``lights`` says which pad of this kit is lit where one of the other sounds.
    """
    return {**heard_as(own, kit_value(other), rate_hz), "kit": other.pk}


def heard_as(own: Kit, value: core.Kit, rate_hz: int) -> dict[str, Any]:
    """The tables of any kit, or of a version of this one, through this one's notes and outputs."""
    mine = kit_value(own, [])
    playbook, desk = compiled(value, rate_hz), as_tables(compiled(mine, rate_hz), is_whole=True)
    tables = as_tables(playbook, is_whole=True)
    main = level(mine.outputs[0].gain_db) or 1.0
    by = [level(output.gain_db, is_muted=output.muted) / main for output in value.outputs]
    for pad in tables["pads"]:
        for region in pad["regions"]:
            region["sounds"] = [
                [key, frames, left * by[output], right * by[output], 0, gain * by[output], pan]
                for key, frames, left, right, output, gain, pan in region["sounds"]
            ]
    ours = pad_notes(own)
    notes = meeting(ours, pads_of(value))
    lights = {pad: one.id for one in ours for note in one.notes for pad in notes.get(note, ())}
    shared = {name: desk[name] for name in ("outputs", "parallel")}
    return {**tables, **shared, "notes": notes, "allNotes": True, "lights": lights}


def compiled(value: core.Kit, rate_hz: int) -> Playbook:
    """For the rate of a page, as far as rates go; the recipes behind its keys are known from now on."""
    playbook = compile_kit(value, min(HIGH_HZ, max(LOW_HZ, rate_hz)))
    _remember(sound.recipe for pad in playbook.pads for region in pad.regions for sound in region.sounds)
    return playbook


def as_tables(playbook: Playbook, *, is_whole: bool) -> dict[str, Any]:
    """The tables that player.js reads."""
    return {
        "rate": playbook.rate_hz,
        "outputs": [
            _output(output, channel) for output, channel in zip(playbook.outputs, playbook.desk.channels, strict=True)
        ],
        "parallel": asdict(playbook.desk.compressors[0]) if playbook.desk.compressors else None,
        "notes": {note: [playbook.pads[i].id for i in indexes] for note, indexes in playbook.notes.items()},
        "pads": [_pad(pad) for pad in playbook.pads],
        "whole": is_whole,
    }


def _output(output: OutputTable, channel: Channel) -> dict[str, Any]:
    row = {"name": output.name, "matrix": channel.matrix, "toBus": channel.to_bus, "strip": channel.strip}
    if output.group:
        row["group"] = output.group
    if channel.is_hall:
        row["isHall"] = True
    return row


def _pad(pad: PadTable) -> dict[str, Any]:
    """What differs from the plainest pad; the page fills in the rest."""
    curves = list(dict.fromkeys(region.gains for region in pad.regions))
    row: dict[str, Any] = {
        "id": pad.id,
        "gains": curves,
        "regions": [
            {
                "gains": curves.index(region.gains),
                "counter": region.counter,
                "length": region.length,
                "places": region.places,
                "sounds": [
                    [s.recipe.key, s.recipe.frames, s.left, s.right, s.output, s.gain, s.pan] for s in region.sounds
                ],
                **_tuning(region),
            }
            for region in pad.regions
        ],
        "maxVoices": pad.max_voices,
        "limitFade": pad.limit_fade,
        "cutsItself": pad.cuts_itself,
    }
    if pad.channels != ALL_CHANNELS:
        row["channels"] = pad.channels
    if pad.muted:
        row["muted"] = True
    if pad.emits:
        row["emits"] = pad.emits
    if pad.listens:
        row["listens"] = pad.listens
    if pad.companions:
        row["companions"] = pad.companions
    if pad.is_held:
        row["held"] = True
    if pad.delay:
        row["delay"] = pad.delay
    if pad.is_held or not pad.envelope.is_flat:
        row["envelope"] = asdict(pad.envelope) | {"end": pad.envelope.end}
    if pad.filter:
        row["filter"] = {"rows": pad.filter.coefficients, "tails": pad.filter.tail_frames, "curve": pad.curve}
    if pad.cents_per_key:
        row["centsPerKey"], row["root"] = pad.cents_per_key, pad.root
    if pad.variation:
        row["variation"] = asdict(pad.variation)
    return row


def _tuning(region: Region) -> dict[str, float]:
    """In cents, where there is one: what stands in for a retuned sound is played at another rate."""
    tune_cents = region.sounds[0].recipe.tune_cents if region.sounds else 0.0
    return {"tune": tune_cents} if tune_cents else {}


def _remember(recipes: Iterable[Recipe]) -> None:
    with _lock:
        for recipe in recipes:
            _recipes[recipe.key] = recipe
        while len(_recipes) > _MOST_RECIPES:
            _recipes.popitem(last=False)


def recipes_of(keys: Iterable[str]) -> list[Recipe]:
    """The recipes of keys that a playbook has named; keys from before a restart are unknown and left out."""
    with _lock:
        return [_recipes[key] for key in keys if key in _recipes]
