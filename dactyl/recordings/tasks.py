"""The job that listens to a recording. Begun again after a kill, it starts anew and ends the same."""

from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

from django.conf import settings

from dactyl.core.hits.envelopes import Track, reader
from dactyl.core.hits.find import find_hits as find
from dactyl.core.wave.read import seekable_copy
from dactyl.jobs.run import Progress
from dactyl.recordings import edits
from dactyl.recordings.models import RecordedTrack, Recording

STEPS = 1000


def find_hits(recording_id: int) -> Iterator[Progress]:
    recording = Recording.objects.get(pk=recording_id)
    with TemporaryDirectory(dir=settings.DATA / "incoming", prefix="tracks-") as folder:
        tracks = [_track(row, Path(folder, str(row.position))) for row in recording.tracks.all()]
        for step in find(tracks):
            if isinstance(step, list):
                edits.keep(recording, step)
            else:
                yield Progress(round(STEPS * step), STEPS, "Listening")


def _track(row: RecordedTrack, copy: Path) -> Track:
    return Track(row.name, row.role, reader(seekable_copy(row.path, copy), row.name), row.frames, row.rate_hz)
