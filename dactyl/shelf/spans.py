"""What takes really play of their samples: each stretch measured once, whoever plays it."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from django.db.models import Q

from dactyl.core.audio.measure import measure_span
from dactyl.core.errors import AudioError
from dactyl.core.wave.read import read_heard
from dactyl.shelf.models import Sample, Span
from dactyl.shelf.store import whole_path

AT_ONCE = 200


@dataclass(frozen=True, slots=True)
class Stretch:
    """Of a sample, as it is heard: backwards its frames count from the end."""

    sample_id: int
    start_frame: int
    end_frame: int  # exclusive
    is_reversed: bool


def measure_missing(stretches: Iterable[Stretch]) -> int:
    """Measure those that are not yet; returns how many were. A sample that can't be read is left out."""
    wanted = list(dict.fromkeys(stretches))
    done = 0
    for at in range(0, len(wanted), AT_ONCE):
        some = wanted[at : at + AT_ONCE]
        known = {(s.sample_id, s.start_frame, s.end_frame, s.is_reversed) for s in _known(some)}
        missing = [s for s in some if (s.sample_id, s.start_frame, s.end_frame, s.is_reversed) not in known]
        samples = Sample.objects.defer("overview").in_bulk({s.sample_id for s in missing})
        rows = [row for s in missing if (row := _measured(samples[s.sample_id], s))]
        Span.objects.bulk_create(rows, ignore_conflicts=True)
        done += len(rows)
    return done


def _known(stretches: Sequence[Stretch]) -> Iterable[Span]:
    starts = {s.start_frame for s in stretches}
    return Span.objects.filter(Q(sample__in={s.sample_id for s in stretches}), start_frame__in=starts)


def _measured(sample: Sample, stretch: Stretch) -> Span | None:
    try:
        audio = read_heard(
            whole_path(sample.sha256), sample.frames, stretch.start_frame, stretch.end_frame, is_reversed=stretch.is_reversed
        )  # fmt: skip
    except (AudioError, OSError):
        return None
    found = measure_span(audio, sample.rate_hz)
    return Span(
        sample=sample, start_frame=stretch.start_frame, end_frame=stretch.end_frame, is_reversed=stretch.is_reversed,
        level_db=found.level_db, peak_db=found.peak_db, onset_frame=stretch.start_frame + found.onset_frame,
    )  # fmt: skip
