"""The playbook as the page reads it, and the recipes behind the keys it names."""

from collections import OrderedDict
from collections.abc import Collection, Iterable
from threading import Lock
from typing import Any

from dactyl.core.audio.prepare import Recipe
from dactyl.core.play.playbook import PadTable, Playbook, compile_kit
from dactyl.kits.models import Kit
from dactyl.kits.queries import kit_value

_MOST_RECIPES = 200_000
_recipes: OrderedDict[str, Recipe] = OrderedDict()
_lock = Lock()


def playbook_for_page(kit: Kit, rate_hz: int, pad_ids: Collection[int] | None = None) -> dict[str, Any]:
    """The playbook, whole or of some pads. ``docs/formats.md`` describes it."""
    playbook = compile_kit(kit_value(kit.pk, pad_ids), rate_hz)
    _remember(region.recipe for pad in playbook.pads for take in pad.takes for region in take)
    return {
        "version": kit.version,
        "rate": rate_hz,
        "outputs": [{"name": output.name, "gain": output.gain} for output in playbook.outputs],
        "notes": {note: [playbook.pads[i].id for i in indexes] for note, indexes in playbook.notes.items()},
        "pads": [_pad(pad) for pad in playbook.pads],
        "whole": pad_ids is None,
    }


def _pad(pad: PadTable) -> dict[str, Any]:
    return {
        "id": pad.id,
        "muted": pad.muted,
        "steps": pad.steps,
        "layers": [{"counter": layer.counter, "cycle": layer.cycle, "takes": layer.takes} for layer in pad.layers],
        "takes": [
            [[r.recipe.key, r.recipe.frames, r.left, r.right, r.output] for r in take] for take in pad.takes
        ],
        "emits": pad.emits,
        "listens": pad.listens,
        "cutsItself": pad.cuts_itself,
        "fadeFrames": pad.fade_frames,
        "maxVoices": pad.max_voices,
    }  # fmt: skip


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


def playbook_of(kit: Kit, rate_hz: int) -> Playbook:
    return compile_kit(kit_value(kit.pk), rate_hz)
