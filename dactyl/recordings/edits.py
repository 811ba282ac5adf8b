"""Take in the tracks of a recording, keep what is found, mend it, make a part of it."""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from django.conf import settings
from django.core.files import File
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from dactyl.core.errors import DactylError
from dactyl.core.formats.unzip import unzip
from dactyl.core.hits.envelopes import Track
from dactyl.core.hits.find import Found, roles_of
from dactyl.core.hits.mend import Mend, bar_lines, velocity_of
from dactyl.core.hits.part import Stroke, part_from
from dactyl.core.hits.tracks import check_tracks, measure_track, opened
from dactyl.core.units import counted
from dactyl.core.wave.read import SUFFIXES
from dactyl.history.edits import edit
from dactyl.history.models import Revision
from dactyl.jobs.run import cancel, enqueue
from dactyl.parts.edits import add_part
from dactyl.parts.models import Part
from dactyl.recordings.models import RecordedPart, RecordedTrack, Recording, TrackMend
from dactyl.shelf.store import write_whole

WORK = "dactyl.recordings.tasks.find_hits"
MOST_IN_ZIP = 200  # files, tracks and others


def bring_in(name: str, uploads: Sequence[UploadedFile]) -> Recording:
    """Keep the tracks, those of a zip too; other files in it are left out."""
    if len(uploads) != 1 or not uploads[0].name.lower().endswith(".zip"):
        return take_in(name, uploads)
    with TemporaryDirectory(dir=settings.DATA / "incoming", prefix="tracks-") as place:
        packed, folder = Path(place, "tracks.zip"), Path(place, "files")
        write_whole(packed, lambda out: [out.write(block) for block in uploads[0].chunks()], sync=False)
        unzip(packed, folder, name=uploads[0].name[:120], max_files=MOST_IN_ZIP, max_bytes=settings.MAX_ZIP_BYTES)
        found = sorted(
            path for path in folder.rglob("*") if path.suffix.lower() in SUFFIXES and not path.name.startswith(".")
        )
        with ExitStack() as opened_files:
            files = [File(opened_files.enter_context(path.open("rb")), path.name) for path in found]
            return take_in(name, files)


def take_in(name: str, uploads: Sequence[File]) -> Recording:
    """Keep the tracks; a file that is no sound is refused, and with it all, for they belong together."""
    names = [upload.name for upload in uploads]
    check_tracks(names)
    recording = Recording.objects.create(name=name[:80])
    try:
        rows = []
        for position, (upload, role) in enumerate(zip(uploads, roles_of(names), strict=True)):
            row = RecordedTrack(recording=recording, name=upload.name[-255:], position=position, role=role)
            write_whole(row.path, lambda out, up=upload: [out.write(block) for block in up.chunks()], sync=False)
            row.frames, row.rate_hz, row.channels = measure_track(row.path, upload.name[:120])
            rows.append(row)
        RecordedTrack.objects.bulk_create(rows)
    except BaseException:
        recording.forget()
        raise
    return recording


def begin(recording: Recording, roles: Mapping[int, str]) -> None:
    """Listen in the background, with these roles; what was mended before goes. roles : by the key of the track"""
    if recording.job and not recording.job.is_over:
        raise DactylError("This recording is being listened to already. Wait, or cancel it.")
    with transaction.atomic():
        for track in recording.tracks.all():
            track.role = roles.get(track.pk, track.role)
            track.hits, track.softest_db, track.least_sure, track.soft_db, track.hard_db = [], None, 0.5, None, None
            track.save(update_fields=["role", "hits", "softest_db", "least_sure", "soft_db", "hard_db"])
        TrackMend.objects.filter(track__recording=recording).delete()
        Revision.objects.filter(journal=recording.journal_id).delete()
        recording.job = enqueue(WORK, recording.pk, queue="imports")
        recording.save(update_fields=["job"])


def keep(recording: Recording, found: Sequence[Found]) -> None:
    with transaction.atomic():
        for track, one in zip(recording.tracks.all(), found, strict=True):
            every = sorted((*one.hits, *one.unsure), key=lambda hit: hit.time)
            track.hits = [
                [round(hit.time, 7), round(hit.level_db, 2), hit.velocity, round(hit.confidence, 3), hit.why] for hit in every
            ]  # fmt: skip
            track.save(update_fields=["hits"])


def forget(recording: Recording) -> None:
    if recording.job:
        cancel(recording.job)
    recording.forget()


@contextmanager
def opened_tracks(rows: Sequence[RecordedTrack]) -> Iterator[Sequence[Track]]:
    """Tracks to be read, as far as they are wanted."""
    with opened([(row.path, row.name, row.role) for row in rows], settings.DATA / "incoming") as tracks:
        yield tracks


# Mending --------------------------------------------------------------------------------------------------------------


def set_track(track: RecordedTrack, version: int, sentence: str, **fields: Any) -> Revision | None:
    """Thresholds, curve, pad of a track."""
    with edit(track.recording, version, sentence) as change:
        change.update(track, **fields)
        change.touch(track.pk)
    return change.revision


def mend(
    recording: Recording, version: int, sentence: str, wanted: Sequence[tuple[RecordedTrack, int | None, Mend]]
) -> Revision | None:
    """Decide over candidates, and put in, move or take out hits of one's own.

    wanted : the track, the key of the mend that is changed or None, and what it is to be
    """
    with edit(recording, version, sentence) as change:
        known = {row.pk: row for row in TrackMend.objects.filter(track__recording=recording)}
        decided = {(row.track_id, row.place): row for row in known.values() if row.place is not None}
        for track, key, value in wanted:
            row = known.get(key) if key else decided.get((track.pk, value.place))
            fields = {name: getattr(value, name) for name in ("is_hit", "time", "level_db", "velocity")}
            if key and row is None:
                raise DactylError("One of these hits is no longer there. It is shown as it is now; do it again.")
            if row is None:
                change.create(TrackMend(track=track, place=value.place, **fields))
            elif row.place is None and not value.is_hit:
                change.delete_all([row])
            else:
                change.update(row, **fields)
            change.touch(track.pk)
    return change.revision


def set_bars(recording: Recording, version: int, anchors: Mapping[int, float], beats: int) -> Revision | None:
    """Bar lines of a free recording: where the first beats of some bars stand. No hit moves."""
    rising = sorted(anchors.items())
    if len(rising) == 1 or any(b <= a + 0.05 for (_, a), (_, b) in zip(rising, rising[1:], strict=False)):
        raise DactylError("Bar lines rise in time, one behind the other, and two at least are needed.")
    bars = [[number, round(seconds, 6)] for number, seconds in rising]
    sentence = f"Bar lines set at {counted(len(bars), 'place')}" if bars else "Bar lines taken away"
    with edit(recording, version, sentence) as change:
        change.update(recording, bars=bars, beats=beats)
    return change.revision


def lines_of(recording: Recording) -> list[float]:
    """Seconds of the bar lines, the first at or before the recording's zero; none where none are set."""
    if len(recording.bars) < 2:
        return []
    longest = max((track.seconds for track in recording.tracks.all()), default=0.0)
    return bar_lines(dict(recording.bars), longest)


# To the part ----------------------------------------------------------------------------------------------------------


def make_parts(recording: Recording, notes: Mapping[int, int], *, one_each: bool = False) -> list[Part]:
    """All taken hits in one part, or a part for each track. notes : by the key of the track; those without are left out"""
    tracks = list(recording.tracks.prefetch_related("mends"))
    strokes = {
        track: [Stroke(hit.time, notes[track.pk], _velocity(track, hit)) for hit in track.taken()]
        for track in tracks
        if track.pk in notes
    }
    if not any(strokes.values()):
        raise DactylError("No hit is left to make a part of. Lower a threshold, or give a track a pad.")
    lines, longest = lines_of(recording), max(track.seconds for track in tracks)
    groups = {f"{recording.name} {track.role}": own for track, own in strokes.items() if own} if one_each else {recording.name: [stroke for own in strokes.values() for stroke in own]}  # fmt: skip
    parts = []
    with transaction.atomic():
        for name, own in groups.items():
            part = add_part(part_from(own, name, longest, lines, recording.beats))
            RecordedPart.objects.create(recording=recording, part=part, zero_seconds=-lines[0] if lines else 0.0)
            parts.append(part)
    return parts


def _velocity(track: RecordedTrack, hit) -> int:
    return track.velocity or hit.velocity or velocity_of(hit.level_db, *track.curve())
