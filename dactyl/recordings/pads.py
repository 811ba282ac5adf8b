"""Which pad of a kit each track's hits go to."""

from collections.abc import Sequence

from dactyl.core.hits.part import kinds_of
from dactyl.core.stack.hearing import FAMILY_OF
from dactyl.kits.models import Kit
from dactyl.kits.queries import pad_notes
from dactyl.recordings.models import RecordedTrack


def proposed_pads(kit: Kit, tracks: Sequence[RecordedTrack]) -> dict[int, int]:
    """By key of the track the pad that was chosen, else the first of the kind that it hears, or of its family; 0: none."""
    pads = [pad for pad in pad_notes(kit) if pad.notes]
    known = {pad.id for pad in pads}
    kinds = kinds_of([track.role for track in tracks])
    result = {}
    for track in tracks:
        chosen = track.pads.get(str(kit.pk))
        kind = kinds.get(track.role)
        family = FAMILY_OF.get(kind or "")
        own = (pad.id for pad in pads if pad.kind == kind)
        alike = (pad.id for pad in pads if family and FAMILY_OF.get(pad.kind) == family)
        result[track.pk] = chosen if chosen == 0 or chosen in known else next(own, None) or next(alike, 0)
    return result
