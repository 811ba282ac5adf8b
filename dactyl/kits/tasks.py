"""What takes long: measuring what many takes play, listening for the transients of a loop."""

from collections.abc import Collection, Iterator
from functools import partial

import numpy as np

from dactyl.core.hits.onsets import listen
from dactyl.core.wave.read import read_range
from dactyl.jobs.run import Progress, enqueue
from dactyl.kits import queries
from dactyl.kits.models import Pad
from dactyl.shelf import store
from dactyl.shelf.models import Sample
from dactyl.shelf.spans import measure_missing

LISTEN = "dactyl.kits.tasks.listen_for_transients"


def listen_for_transients(sample_id: int) -> Iterator[Progress]:
    """Of a long loop, so that it can be cut by them at any sensitivity."""
    sample = Sample.objects.get(pk=sample_id)
    path = store.whole_path(sample.sha256)
    for step in listen(partial(read_range, path), sample.frames, sample.rate_hz):
        if isinstance(step, np.ndarray):
            store.write_whole(store.heard_path(sample.sha256), lambda file, flux=step: np.save(file, flux))
        else:
            yield Progress(round(100 * step), 100, "Listening for transients")


MOST_AT_ONCE = 64  # stretches that are measured in the request; a loop cut over as many pads takes a tenth of a second
MEASURE = "dactyl.kits.tasks.measure_kit"


def measure_takes(pad_ids: Collection[int]) -> None:
    """Measure what the takes of these pads play, where that is not known: now, or in the background where it is much."""
    stretches = queries.stretches(pad_ids)
    if len(stretches) <= MOST_AT_ONCE:
        measure_missing(stretches)
    elif pad_ids:
        enqueue(MEASURE, Pad.objects.values_list("kit", flat=True).get(pk=next(iter(pad_ids))), queue="imports")


def measure_kit(kit_id: int) -> Iterator[Progress]:
    stretches = queries.stretches(Pad.objects.filter(kit=kit_id).values_list("pk", flat=True))
    for done in range(0, len(stretches), MOST_AT_ONCE):
        measure_missing(stretches[done : done + MOST_AT_ONCE])
        yield Progress(min(done + MOST_AT_ONCE, len(stretches)), len(stretches), "Measuring takes")
