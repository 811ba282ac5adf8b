"""A pad measured against its track: what the core compares, and the edits that bring the pad nearer."""

from collections.abc import Callable, Sequence
from statistics import fmean
from typing import Any

import numpy as np
import soxr
from django.conf import settings

from dactyl.core.errors import DactylError
from dactyl.core.fields import PAD
from dactyl.core.hits.envelopes import Track
from dactyl.core.hits.match import MOST_STROKES, Match, alone, match, place_of, side_of, strokes_of
from dactyl.core.play.compile import compile_kit
from dactyl.history.models import Revision
from dactyl.kits import edits as kit_edits
from dactyl.kits.models import Kit, Pad, Take, TakeSample
from dactyl.kits.values import some_pads
from dactyl.recordings.edits import opened_tracks
from dactyl.recordings.models import RecordedTrack, Recording
from dactyl.recordings.pads import proposed_pads
from dactyl.shelf.sounds import prepared_sound

FEWEST = 3
LOUD = 0.6  # of a track's strokes are compared with the loudest layer
MOST_PAN_SPREAD = 0.15
LEVELS = {"level": "gain_db", "weight": "weight_db", "snap": "snap_db"}  # fields of a pad, and of what was measured
SIDE_STROKES = 6  # of each drum tell where it stands


def measured(recording: Recording, track: RecordedTrack, kit: Kit) -> tuple[Pad, Match]:
    """raises : DactylError where there is nothing to compare"""
    tracks = list(recording.tracks.prefetch_related("mends"))
    key = proposed_pads(kit, tracks)[track.pk]
    pad = Pad.objects.select_related("piece", "kit").filter(pk=key).first()
    if pad is None:
        raise DactylError(f"{track.name} goes to no pad. Choose one first.")
    takes = _loudest_layer(pad)
    hits = sorted(track.taken(), key=lambda hit: -hit.level_db)
    loud = sorted(hit.time for hit in hits[: max(FEWEST, round(LOUD * len(hits)))])
    others = [hit.time for other in tracks if other.pk != track.pk for hit in other.taken()]
    times = alone(loud, others) or loud
    if len(times) < FEWEST:
        raise DactylError(f"{track.name} has {len(times)} strokes to compare; {FEWEST} at least are needed.")
    over = _overheads(tracks)
    with opened_tracks([one for one in (track, over) if one]) as (close, *pairs):
        some = times[:: max(1, len(times) // MOST_STROKES)][:MOST_STROKES]
        rate = settings.PLAYING_RATE_HZ
        strokes = _at_rate(close, some, rate)
        images = _at_rate(pairs[0], some, rate) if pairs else []
    if len(strokes) < FEWEST:
        raise DactylError(f"{track.name} ends before {FEWEST} of its strokes are over.")
    return pad, match(strokes, takes, rate, images)


def side(recording: Recording) -> tuple[str | None, dict[str, float]]:
    """From whose side the recording shows the kit, and where its overheads hear each drum."""
    tracks = list(recording.tracks.prefetch_related("mends"))
    over = _overheads(tracks)
    close = [one for one in tracks if one.role.split()[0] in ("hat", "ride", "tom")]
    if over is None or len(close) < 2:
        return None, {}
    every = {one.pk: [hit.time for hit in one.taken()] for one in tracks}
    pans = {}
    with opened_tracks([over, *close]) as (pair, *read):
        for row, track in zip(close, read, strict=True):
            others = [time for key, times in every.items() if key != row.pk for time in times]
            times = (alone(every[row.pk], others) or every[row.pk])[:SIDE_STROKES]
            rate = settings.PLAYING_RATE_HZ
            place = place_of(_at_rate(track, times, rate), _at_rate(pair, times, rate), rate)
            if place is not None:
                pans[row.role] = place
    return side_of(pans), pans


def _overheads(tracks: Sequence[RecordedTrack]) -> RecordedTrack | None:
    """The pair of microphones that hears where a drum stands."""
    return next((one for one in tracks if one.role == "overhead" and one.channels == 2), None)


def _loudest_layer(pad: Pad) -> list[np.ndarray]:
    """The takes of the pad's loudest layer as they are prepared, its first mic, without the pad's level and pan."""
    book = compile_kit(some_pads(pad.kit_id, [pad.pk]).alone, settings.PLAYING_RATE_HZ)
    (table,) = book.pads
    regions = [region for region in table.regions if region.sounds and region.gains[126] is not None]
    if not regions:
        raise DactylError(f"{pad.full_name} has no take in its loudest layer to compare. Give it one first.")
    return [region.sounds[0].gain * prepared_sound(region.sounds[0].recipe) for region in regions[:4]]


def _at_rate(track: Track, times: list[float], rate_hz: int) -> list[np.ndarray]:
    sounds = strokes_of(track, times)
    if track.rate_hz == rate_hz:
        return sounds
    return [soxr.resample(sound.T, track.rate_hz, rate_hz).T for sound in sounds]


def told(pad: Pad, found: Match) -> list[dict[str, Any]]:
    """What was measured, in words, and what would be set: rows of what, words, evidence, whether it can be given."""
    rows = [
        _row("pan", found.pan, lambda v: f"pan {100 * v:+.0f}", f"± {100 * (found.pan_spread or 0):.0f} among {found.strokes} strokes in the overheads", (found.pan_spread or 0) <= MOST_PAN_SPREAD),
        _row("tune", found.tune_cents if abs(found.tune_cents or 0) >= 0.5 else None, lambda v: f"tuned by {v:+.0f} cents", _pitches(found), True),
        _row("polarity", found.is_flipped or None, lambda _: "polarity the other way round", _alike(found), found.alike_after > found.alike_before),
        _row("time", found.late_ms if abs(found.late_ms) >= 0.02 else None, lambda v: f"{abs(v):.2f} ms {'sooner' if v > 0 else 'later'}", _alike(found), found.alike_after > found.alike_before),
        _row("level", found.gain_db, lambda v: f"level {v:+.1f} dB", f"of {found.strokes} loud strokes against its loudest layer", True),
        _row("weight", found.weight_db, lambda v: f"weight {v:+.1f} dB", "of the low end, level apart", True),
        _row("snap", found.snap_db, lambda v: f"snap {v:+.1f} dB", "of the attack against the body", True),
    ]  # fmt: skip
    return [row for row in rows if row["words"]]


def _row(what: str, value: float | bool | None, words: Callable[[Any], str], why: str, is_sure: bool) -> dict[str, Any]:
    said = words(value).replace("-", "−") if value is not None else ""
    return {"what": what, "words": said, "why": why, "isSure": bool(is_sure)}


def _pitches(found: Match) -> str:
    return "{:.0f} Hz recorded, {:.0f} Hz here".format(*found.pitches_hz) if found.pitches_hz else ""


def _alike(found: Match) -> str:
    return f"alike by {found.alike_before:+.2f} now, {found.alike_after:+.2f} then".replace("-", "−")


def give(pad: Pad, found: Match, what: str, version: int) -> Revision | None:
    """Bring the pad nearer in one respect: one edit of the kit."""
    takes = list(Take.objects.filter(layer__pad=pad).select_related("layer__pad__piece", "layer__pad__kit"))
    for take in takes:
        take.layer.pad.kit = pad.kit
    values: dict[str, Any] = {}
    if what == "pan" and found.pan is not None:
        values = {"pan": _left_over(pad, takes, 100 * found.pan)}
    elif what == "tune" and found.tune_cents is not None:
        values = {"tune_cents": round(pad.tune_cents + found.tune_cents, 1)}
    elif what in LEVELS:
        name = LEVELS[what]
        values = {name: _nearer(pad, name, getattr(found, name))}
    elif what == "polarity":
        return kit_edits.takes.set_each(
            [(take, {"is_flipped": not take.is_flipped}) for take in takes], version, "Polarity turned of"
        )
    elif what == "time":
        changes = _moved(takes, found.late_ms)
        return kit_edits.takes.set_each(
            changes, version, f"{abs(found.late_ms):.2f} ms {'sooner' if found.late_ms > 0 else 'later'}:"
        )
    if not values:
        raise DactylError("This could not be told from the recording.")
    return kit_edits.pads.set_fields([pad], version, values)


def _left_over(pad: Pad, takes: Sequence[Take], wanted: float) -> int:
    """What the pad adds to the pan of its takes and its piece, so that it stands there in all (design rule 6)."""
    field, own = PAD["pan"], [take.pan for take in takes if take.is_enabled]
    left = wanted - pad.piece.pan - (fmean(own) if own else 0)
    return round(min(field.high, max(field.low, left)))


def _nearer(pad: Pad, name: str, by_db: float) -> float:
    """A level of the pad, changed as far as the field goes."""
    field = PAD[name]
    return round(min(field.high, max(field.low, getattr(pad, name) + by_db)), 1)


def _moved(takes: list[Take], late_ms: float) -> list[tuple[Take, dict[str, int]]]:
    """Starts moved so that the sound comes sooner or later, as far as the samples reach."""
    used = TakeSample.objects.filter(take__in=takes).order_by(*TakeSample.FIRST).reverse()
    rates = dict(used.values_list("take", "sample__rate_hz"))  # of a take the first sample is the last that counts here
    changes = [
        (take, {"start_frame": max(0, take.start_frame + round(late_ms * rates[take.pk] / 1000))}) for take in takes
    ]
    if all(take.start_frame == values["start_frame"] for take, values in changes):
        raise DactylError(
            "The takes begin at their very beginning and can't come later. Move the hits of the part instead."
        )
    return changes
