"""A recording as the page reads it. ``docs/formats.md`` describes it."""

from typing import Any

from dactyl.core.errors import DactylError
from dactyl.core.hits.playback import BLOCK_FRAMES, FULL_SCALE, PEAK_FLOOR_DB, PEAK_FRAMES
from dactyl.history.queries import undo_state
from dactyl.kits.models import Kit
from dactyl.recordings.edits import lines_of
from dactyl.recordings.models import RecordedTrack, Recording
from dactyl.recordings.pads import proposed_pads


def whole(recording: Recording, kit: Kit) -> dict[str, Any]:
    """Everything, with all candidates: [seconds, level dB, confidence, number of its reason]."""
    tracks, reasons = _tracks(recording), {}
    hits = {
        track.pk: [[hit.time, hit.level_db, hit.confidence, reasons.setdefault(hit.why, len(reasons))] for hit in track.found]
        for track in tracks
    }  # fmt: skip
    return {**_about(recording, kit, tracks), "hits": hits, "reasons": list(reasons)}


def about(recording: Recording, kit: Kit) -> dict[str, Any]:
    """What edits change: all but the candidates."""
    return _about(recording, kit, _tracks(recording))


def _tracks(recording: Recording) -> list[RecordedTrack]:
    return list(recording.tracks.prefetch_related("mends"))


def _about(recording: Recording, kit: Kit, tracks: list[RecordedTrack]) -> dict[str, Any]:
    now, pads = undo_state(recording), proposed_pads(kit, tracks)
    try:
        lines, damage = lines_of(recording), ""
    except DactylError as problem:  # whatever it holds, it opens, and undo is reached
        lines, damage = [], str(problem)
    return {
        "id": recording.pk,
        "version": recording.version,
        "found": recording.job_id or 0,  # another: it was listened to anew, and its candidates are others
        "name": recording.name,
        "sound": {
            "rate": recording.played_rate_hz,
            "blockFrames": BLOCK_FRAMES,
            "peakFrames": PEAK_FRAMES,
            "peakFloor": PEAK_FLOOR_DB,
            "fullScale": FULL_SCALE,
        },
        "bars": recording.bars,
        "beats": recording.beats,
        "lines": [round(line, 6) for line in lines],
        "damage": damage,
        "undoes": now.undoes.sentence if now.undoes else "",
        "redoes": now.redoes.sentence if now.redoes else "",
        "tracks": [_track(track, pads[track.pk]) for track in tracks],
    }


def _track(track: RecordedTrack, pad: int) -> dict[str, Any]:
    soft, hard = track.curve()
    return {
        "id": track.pk,
        "name": track.name,
        "role": track.role,
        "heard": track.is_role_heard,
        "seconds": track.seconds,
        "channels": track.channels,
        "softest": track.softest_db,
        "sure": track.least_sure,
        "soft": round(soft, 1),
        "hard": round(hard, 1),
        "velocity": track.velocity,
        "pad": pad,
        "mends": [[m.pk, m.place, m.is_hit, m.time, m.level_db, m.velocity] for m in track.mends.all()],
    }
