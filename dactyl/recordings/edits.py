"""Take in the tracks of a recording, keep what is found, make a part of it."""

from collections.abc import Mapping, Sequence

import soundfile
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from dactyl.core.errors import DactylError
from dactyl.core.hits.envelopes import Track
from dactyl.core.hits.find import LONGEST_SECONDS, MOST_TRACKS, Found, Hit, roles_of
from dactyl.core.hits.part import part_of
from dactyl.jobs.run import cancel, enqueue
from dactyl.parts.edits import add_part
from dactyl.parts.models import Part
from dactyl.recordings.models import RecordedTrack, Recording
from dactyl.shelf.store import write_whole

WORK = "dactyl.recordings.tasks.find_hits"
LOW_HZ, HIGH_HZ = 4_000, 384_000


def take_in(name: str, uploads: Sequence[UploadedFile]) -> Recording:
    """Keep the tracks; a file that is no sound is refused, and with it all, for they belong together."""
    if not 1 <= len(uploads) <= MOST_TRACKS:
        raise DactylError(f"A recording has 1 to {MOST_TRACKS} tracks; {len(uploads)} came.")
    recording = Recording.objects.create(name=name[:80])
    try:
        rows = []
        roles = roles_of([upload.name for upload in uploads])
        for position, (upload, role) in enumerate(zip(uploads, roles, strict=True)):
            write_whole(recording.folder / str(position), lambda out, up=upload: [out.write(b) for b in up.chunks()], sync=False)  # fmt: skip
            frames, rate_hz = _checked(recording.folder / str(position), upload.name[:120])
            rows.append(
                RecordedTrack(
                    recording=recording, name=upload.name[-255:], position=position, role=role, frames=frames, rate_hz=rate_hz
                )
            )  # fmt: skip
        RecordedTrack.objects.bulk_create(rows)
    except BaseException:
        recording.forget()
        raise
    return recording


def _checked(path, name: str) -> tuple[int, int]:
    try:
        with soundfile.SoundFile(path) as file:
            frames, rate_hz, channels = file.frames, file.samplerate, file.channels
    except (soundfile.LibsndfileError, RuntimeError, ValueError) as problem:
        raise DactylError(f"{name}: It is not a sound file; WAV, AIFF, FLAC, OGG and MP3 are read.") from problem
    if channels > 2 or not LOW_HZ <= rate_hz <= HIGH_HZ or frames < 1:
        raise DactylError(
            f"{name}: It has {channels} channels at {rate_hz:,} Hz; a track has one or two, at 4 to 384 kHz."
        )
    if frames > LONGEST_SECONDS * rate_hz:
        raise DactylError(f"{name}: It is longer than {LONGEST_SECONDS // 60} minutes. Cut it first.")
    return frames, rate_hz


def begin(recording: Recording, roles: Mapping[int, str]) -> None:
    """Listen in the background, with these roles. roles : by the key of the track"""
    if recording.job and not recording.job.is_over:
        raise DactylError("This recording is being listened to already. Wait, or cancel it.")
    with transaction.atomic():
        for track in recording.tracks.all():
            track.role = roles.get(track.pk, track.role)
            track.hits, track.softest_db, track.least_sure = [], None, 0.5
            track.save(update_fields=["role", "hits", "softest_db", "least_sure"])
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


def set_thresholds(track: RecordedTrack, softest_db: float | None, least_sure: float) -> None:
    RecordedTrack.objects.filter(pk=track.pk).update(softest_db=softest_db, least_sure=least_sure)


def forget(recording: Recording) -> None:
    if recording.job:
        cancel(recording.job)
    recording.forget()


def make_part(recording: Recording, notes: Mapping[int, int], *, velocity: int | None = None) -> Part:
    """All taken hits in one part. notes : by the key of the track; tracks without one are left out

    velocity : of all hits, where they shall be all the same
    """
    tracks = list(recording.tracks.all())
    found = [
        Found(
            Track(track.name, str(track.pk), lambda a, b: None, track.frames, track.rate_hz),
            tuple(Hit(time, 0, level, velocity or own, sure, why) for time, level, own, sure, why in track.taken()),
        )
        for track in tracks
    ]  # fmt: skip
    part = part_of(found, recording.name, {str(key): note for key, note in notes.items()})
    if not part.events:
        raise DactylError("No hit is left to make a part of. Lower a threshold, or give a track a pad.")
    return add_part(part)
