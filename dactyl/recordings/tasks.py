"""The job that listens to a recording. Begun again after a kill, it starts anew and ends the same."""

from collections.abc import Iterator

from django.conf import settings

from dactyl.core.hits.envelopes import Track
from dactyl.core.hits.find import find_hits as find
from dactyl.core.hits.playback import write_playback
from dactyl.jobs.run import Progress
from dactyl.recordings import edits
from dactyl.recordings.models import RecordedTrack, Recording

STEPS = 1000
PREPARED = 0.3  # of the work is preparing what the page plays


def hear_roles_and_find_hits(recording_id: int) -> Iterator[Progress]:
    """The first time: nobody has said yet what its tracks hear."""
    yield from _listen(recording_id, hears_roles=True)


def find_hits(recording_id: int) -> Iterator[Progress]:
    """With the roles that a person has seen, and may have set."""
    yield from _listen(recording_id, hears_roles=False)


def _listen(recording_id: int, *, hears_roles: bool) -> Iterator[Progress]:
    recording = Recording.objects.get(pk=recording_id)
    rows = list(recording.tracks.all())
    with edits.opened_tracks(rows) as tracks:
        for number, (row, track) in enumerate(zip(rows, tracks, strict=True)):
            for share in _prepare(row, track):
                yield _progress(PREPARED * (number + share) / len(rows), "Preparing to be heard")
        if hears_roles:
            tracks = edits.hear_roles(rows, tracks)
        Recording.objects.filter(pk=recording_id).update(played_rate_hz=settings.PLAYING_RATE_HZ)
        for step in find(tracks):
            if isinstance(step, list):
                edits.keep(recording, step)
            else:
                yield _progress(PREPARED + (1 - PREPARED) * step, "Listening")


def _progress(share: float, label: str) -> Progress:
    return Progress(round(STEPS * share), STEPS, label)


def _prepare(row: RecordedTrack, track: Track) -> Iterator[float]:
    """What the page plays and draws, under its final names once it is whole."""
    partial = [path.with_name(f"{path.name}.part") for path in (row.sound_path, row.peaks_path)]
    with partial[0].open("wb") as sound, partial[1].open("wb") as peaks:
        yield from write_playback(track, settings.PLAYING_RATE_HZ, sound, peaks)
    for path, final in zip(partial, (row.sound_path, row.peaks_path), strict=True):
        path.replace(final)
