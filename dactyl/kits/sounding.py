"""What takes and pads sound like: pictures and measures made from their prepared sounds."""

import statistics
from collections.abc import Sequence
from functools import partial
from typing import Any

import numpy as np
from django.conf import settings

from dactyl.core.audio.align import lag_frames
from dactyl.core.audio.overview import overview_of_blocks
from dactyl.core.bounce.response import Response, measure_response
from dactyl.core.bounce.sound_cache import SoundCache
from dactyl.core.errors import KitError
from dactyl.core.hits.onsets import listen, onsets_of
from dactyl.core.play.compile import compile_kit
from dactyl.core.wave.read import read_blocks, read_range, read_sound
from dactyl.kits import queries
from dactyl.kits.models import Pad, Take, TakeSample
from dactyl.kits.values import some_pads
from dactyl.shelf.models import Sample
from dactyl.shelf.sounds import broken_sounds, prepared_head, ready_sounds
from dactyl.shelf.store import heard_path, whole_path

DECODED_BYTES = 128 << 20
AT_ONCE_SECONDS = 30  # of a loop whose transients are found within a request; a minute takes about a second
_decoded = SoundCache(lambda sha256: read_sound(whole_path(sha256)).audio, DECODED_BYTES)


def response_of(pad: Pad) -> Response | None:
    """The pad's answer at every velocity, as the bounce would render it; None while its sounds are being prepared."""
    kit = some_pads(pad.kit_id, [pad.pk]).alone
    book = compile_kit(kit, settings.PLAYING_RATE_HZ)
    (table,) = book.pads
    recipes = list({sound.recipe.key: sound.recipe for region in table.regions for sound in region.sounds}.values())
    if broken := broken_sounds(recipes):
        raise KitError(next(iter(broken.values())))
    if len(ready_sounds(recipes)) < len(recipes):
        return None
    value = kit.pieces[0].pads[0]
    load = SoundCache(prepared_head, DECODED_BYTES)
    response = measure_response(table, [(layer.low, layer.high) for layer in value.layers], load, book.rate_hz)
    added = [layer.gain_db + gain for layer, gain in zip(value.layers, response.proposed_gains_db, strict=True)]
    return Response(response.levels_db, response.alike, tuple(added))


def sample_waveform(sample: Sample, columns: int) -> bytes:
    """A whole sample of the shelf as ``waveform_of`` has a take."""
    return overview_of_blocks(read_blocks(whole_path(sample.sha256), 0, sample.frames), sample.frames, columns)


def transients_of(sample: Sample, sensitivity: float, most: int) -> list[int] | None:
    """Frames at which a loop is struck, the first of them first; None for a long one that nobody listened to yet."""
    read = partial(read_range, whole_path(sample.sha256))
    if sample.seconds <= AT_ONCE_SECONDS:
        *_, flux = listen(read, sample.frames, sample.rate_hz)
    else:
        try:
            flux = np.load(heard_path(sample.sha256))  # as tasks.listen_for_transients left it
        except (OSError, ValueError):
            return None
    return onsets_of(flux, read, sample.frames, sample.rate_hz, sensitivity=sensitivity, most=most)


def waveform_of(take: Take, start: int, stop: int, columns: int) -> bytes:
    """Lowest and highest value of the first mic's sample in each column, from ``start`` to ``stop``: int8 pairs, 127 is the
    peak of what is shown. A ``stop`` at or before ``start`` means the end."""
    sample = _first_sample(take)
    start = max(0, min(start, sample.frames - 1))
    stop = sample.frames if stop <= start else min(stop, sample.frames)
    if take.is_reversed:
        start, stop = sample.frames - stop, sample.frames - start
    packed = overview_of_blocks(read_blocks(whole_path(sample.sha256), start, stop), stop - start, columns)
    return np.frombuffer(packed, np.int16)[::-1].tobytes() if take.is_reversed else packed


def _first_sample(take: Take) -> Sample:
    return take.samples.select_related("sample").order_by(*TakeSample.FIRST)[0].sample


def _audio(take: Take) -> np.ndarray:
    audio = _decoded(_first_sample(take).sha256)
    return audio[:, ::-1] if take.is_reversed else audio


def mended(takes: Sequence[Take], what: str) -> list[tuple[Take, dict[str, Any]]]:
    """The values that bring takes in line with the rest of their layer; only those that differ.

    what : "level", to the median of the others; "onset", to the layer's first other take; "polarity", to the same
    """
    changes = []
    rows_of_pads = queries.sheet_rows(takes[0].layer.pad.kit, {take.layer.pad_id for take in takes})
    by_layer = {layer.row.pk: layer.takes for row in rows_of_pads for layer in queries.card_layers(row)}
    for take in takes:
        rows = by_layer[take.layer_id]
        others = [row for row in rows if row.take.pk != take.pk]
        if not others:
            raise KitError("A layer of one take has nothing to compare it with.")
        row = next(row for row in rows if row.take.pk == take.pk)
        if what == "level":
            middle = statistics.median(other.level_db for other in others)
            gain_db = round(min(24.0, max(-96.0, take.gain_db + middle - row.level_db)), 2)
            value: dict[str, Any] = {"gain_db": gain_db}
        else:
            reference = next((other for other in others if other.take.pk not in {t.pk for t in takes}), others[0])
            lag, sign = lag_frames(
                _from_start(take), _from_start(reference.take), row.sample.rate_hz
            )  # fmt: skip
            if what == "onset":
                value = {"start_frame": max(0, take.start_frame + lag)}
            else:
                value = {"is_flipped": take.is_flipped != (sign < 0)}
        if any(getattr(take, name) != new for name, new in value.items()):
            changes.append((take, value))
    return changes


def _from_start(take: Take) -> np.ndarray:
    audio = _audio(take)[:, take.start_frame :]
    return -audio if take.is_flipped else audio
