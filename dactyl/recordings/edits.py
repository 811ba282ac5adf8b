"""Take in the tracks of a recording, keep what is found, mend it, make a part of it."""

import shutil
from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import replace
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
from dactyl.core.hits.find import Found
from dactyl.core.hits.mend import Mend, bar_lines, velocity_of
from dactyl.core.hits.part import Stroke, part_from
from dactyl.core.hits.roles import heard_roles, roles_of
from dactyl.core.hits.tempo import Bars, Struck, propose_bars
from dactyl.core.hits.tracks import check_tracks, measure_track, opened
from dactyl.core.units import counted
from dactyl.core.wave.read import SUFFIXES
from dactyl.history.edits import begin_anew, edit, raise_version
from dactyl.history.models import Revision
from dactyl.jobs.reserve import with_reserve
from dactyl.jobs.run import cancel, enqueue
from dactyl.parts.edits import add_part
from dactyl.parts.models import Part
from dactyl.recordings.models import RecordedPart, RecordedTrack, Recording, TrackMend
from dactyl.shelf.store import LEFT_FREE_BYTES, write_whole

FIRST_WORK, WORK = "dactyl.recordings.tasks.hear_roles_and_find_hits", "dactyl.recordings.tasks.find_hits"
BYTES_OF_SAMPLE = 2.1  # 16 bits, and a level for some of them
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
    with TemporaryDirectory(dir=settings.DATA / "incoming", prefix="tracks-") as place:
        folder, rows = Path(place, "whole"), []
        for position, (upload, role) in enumerate(zip(uploads, roles_of(names), strict=True)):
            path = folder / str(position)
            write_whole(path, lambda out, up=upload: [out.write(block) for block in up.chunks()], sync=False)
            frames, rate_hz, channels = measure_track(path, upload.name[:120])
            about = {"frames": frames, "rate_hz": rate_hz, "channels": channels, "role": role}
            rows.append(RecordedTrack(name=upload.name[-255:], position=position, **about))
        with transaction.atomic():  # rows and files are there together or not at all, whenever it is killed (``sweep``)
            recording = Recording.objects.create(name=name[:80])
            for row in rows:
                row.recording = recording
            RecordedTrack.objects.bulk_create(rows)
            recording.folder.parent.mkdir(parents=True, exist_ok=True)
            shutil.rmtree(recording.folder, ignore_errors=True)
            folder.rename(recording.folder)
    return recording


def sweep() -> None:
    """Delete what kills left behind: folders without a recording, and recordings without tracks."""
    for recording in Recording.objects.filter(tracks=None):
        recording.forget()
    known = {str(key) for key in Recording.objects.values_list("pk", flat=True)}
    for folder in (settings.DATA / "recordings").glob("*"):
        if folder.name not in known:
            shutil.rmtree(folder, ignore_errors=True)


def begin(recording: Recording, roles: Mapping[int, str] | None = None) -> None:
    """Listen in the background; what was mended before goes.

    roles : by the key of the track, as a person has seen them; None: nobody has, and what names do not say is heard
    """
    _refuse_without_room(recording)
    with transaction.atomic():
        recording = Recording.objects.select_related("job").get(pk=recording.pk)  # as no one else changes it any more
        if recording.job and not recording.job.is_over:
            raise DactylError("This recording is being listened to already. Wait, or cancel it.")
        for track in recording.tracks.all():
            said = (roles or {}).get(track.pk, track.role)
            track.role, track.is_role_heard = said, track.is_role_heard and said == track.role
            track.hits, track.softest_db, track.least_sure, track.soft_db, track.hard_db = [], None, 0.5, None, None
            track.save(
                update_fields=["role", "is_role_heard", "hits", "softest_db", "least_sure", "soft_db", "hard_db"]
            )
        TrackMend.objects.filter(track__recording=recording).delete()
        begin_anew(recording)
        recording.job = enqueue(FIRST_WORK if roles is None else WORK, recording.pk, queue="imports")
        recording.save(update_fields=["job"])


def hear_roles(tracks: Sequence[RecordedTrack], opened: Sequence[Track]) -> list[Track]:
    """What tracks hear whose names say nothing, kept as heard by their sound; the opened tracks with these roles."""
    roles = heard_roles(opened)
    for row, role in zip(tracks, roles, strict=True):
        if role != row.role:
            row.is_role_heard = row.role != "tom"  # a tom that is only numbered was named
            row.role = role
            row.save(update_fields=["role", "is_role_heard"])
    return [replace(track, role=role) for track, role in zip(opened, roles, strict=True)]


def set_zero(link: RecordedPart, part: Part, version: int, seconds: float) -> Revision | None:
    """Where the recording begins in the part that was made of it: an edit of the part."""
    with edit(part, version, f"Recording begins at {seconds * 1000:.0f} ms") as change:
        change.update(link, zero_seconds=seconds)
    return change.revision


def _refuse_without_room(recording: Recording) -> None:
    """What the page plays is written while it is listened to. raises : DactylError"""
    frames = sum(
        track.frames * settings.PLAYING_RATE_HZ / track.rate_hz * track.channels for track in recording.tracks.all()
    )
    needed = round(frames * BYTES_OF_SAMPLE)
    free = shutil.disk_usage(settings.DATA).free
    if needed + LEFT_FREE_BYTES > free:
        raise DactylError(
            f"Listening writes {needed >> 20:,} MB for the page to play, and {free >> 20:,} MB are free of which "
            f"{LEFT_FREE_BYTES >> 20:,} stay so. Make room, then press it again."
        )


def keep(recording: Recording, found: Sequence[Found]) -> None:
    """The hits that were found; decisions of pages that showed others, by their places, are refused from now on."""
    with transaction.atomic():
        raise_version(recording)
        for track, one in zip(recording.tracks.all(), found, strict=True):
            every = sorted((*one.hits, *one.unsure), key=lambda hit: hit.time)
            track.hits = [
                [round(hit.time, 7), round(hit.level_db, 2), hit.velocity, round(hit.confidence, 3), hit.why] for hit in every
            ]  # fmt: skip
            track.save(update_fields=["hits"])


def forget(recording: Recording) -> None:
    with with_reserve():
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
    """Decide over candidates, and put in, move or take out hits of one's own. What a decision does not say stays.

    wanted : the track, the key of the mend that is changed or None, and what it is to be
    """
    with edit(recording, version, sentence) as change:
        known = {row.pk: row for row in TrackMend.objects.filter(track__recording=recording)}
        decided = {(row.track_id, row.place): row for row in known.values() if row.place is not None}
        for track, key, value in wanted:
            row = known.get(key) if key else decided.get((track.pk, value.place))
            values = {name: getattr(value, name) for name in ("is_hit", "time", "level_db", "velocity")}
            fields = {
                name: one for name, one in values.items() if one is not None
            }  # of what is not said nothing changes
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
    if bars:
        bar_lines(dict(bars), _longest(recording))  # what was written must be readable
    sentence = f"Bar lines set at {counted(len(bars), 'place')}" if bars else "Bar lines taken away"
    with edit(recording, version, sentence) as change:
        change.update(recording, bars=bars, beats=beats)
    return change.revision


def offered_bars(recording: Recording) -> Bars | None:
    """Where the taken hits say that the bars stand; nothing is set."""
    tracks = recording.tracks.prefetch_related("mends")
    strokes = [Struck(hit.time, _velocity(track, hit) / 127, track.role) for track in tracks for hit in track.taken()]
    return propose_bars(strokes, _longest(recording))


def lines_of(recording: Recording) -> list[float]:
    """Seconds of the bar lines, the first at or before the recording's zero; none where none are set.

    raises : PartError for lines that an earlier version let be set too close together
    """
    if len(recording.bars) < 2:
        return []
    return bar_lines(dict(recording.bars), _longest(recording))


def _longest(recording: Recording) -> float:
    return max((track.seconds for track in recording.tracks.all()), default=0.0)


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
    if one_each:
        groups = [
            (f"{recording.name} {name}", own) for name, own in zip(_each_name(strokes), strokes.values(), strict=True)
        ]
    else:
        groups = [(recording.name, [stroke for own in strokes.values() for stroke in own])]
    parts = []
    with transaction.atomic():
        for name, own in groups:
            if not own:
                continue
            part = add_part(part_from(own, name, longest, lines, recording.beats))
            RecordedPart.objects.create(recording=recording, part=part, zero_seconds=-lines[0] if lines else 0.0)
            parts.append(part)
    return parts


def _each_name(tracks: Collection[RecordedTrack]) -> Iterator[str]:
    """The role of each, numbered where several have it."""
    counts, seen = Counter(track.role for track in tracks), Counter()
    for track in tracks:
        seen[track.role] += 1
        yield f"{track.role} {seen[track.role]}" if counts[track.role] > 1 else track.role


def _velocity(track: RecordedTrack, hit) -> int:
    return track.velocity or hit.velocity or velocity_of(hit.level_db, *track.curve())
