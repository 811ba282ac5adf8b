"""What the Map view draws: 128 keys, and which pads they strike."""

from typing import Any

from django.conf import settings

from dactyl.core.formats.notes import note_name
from dactyl.core.maps import notes as maps
from dactyl.kits import queries
from dactyl.kits.models import Kit
from dactyl.kits.templatetags.kit_filters import note as note_label


def map_context(kit: Kit) -> dict[str, Any]:
    pads = queries.pad_notes(kit)
    doubled = maps.doubled(pads)
    used = {note for pad in pads for note in pad.notes}
    return {
        "map_pads": [(pad, [(note, note in doubled) for note in pad.notes]) for pad in pads],
        "doubled": [(note_label(note), names) for note, names in doubled.items()],
        "keys": [
            (note, maps.is_black(note), note in used, note in doubled, note_label(note), maps.STANDARD.get(note, ""))
            for note in range(maps.NOTES)
        ],
        "octaves": [note_name(note, middle_c_octave=settings.MIDDLE_C_OCTAVE) for note in range(0, maps.NOTES, 12)],
        "free": maps.NOTES - len(used),
        "other_kits": list(Kit.objects.filter(is_put_away=False).exclude(pk=kit.pk).order_by("name")),
        "middle_c_octave": settings.MIDDLE_C_OCTAVE,
    }
