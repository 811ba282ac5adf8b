"""The largest kit that is still normal: 128 pads of 8 layers, 8 takes, three mics, in a database of its own."""

import io
import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from benchmarks.measured import sized

PADS, LAYERS, TAKES, MICS = sized(128, 3), 8, sized(8, 2), ("close", "overhead", "room")


@contextmanager
def own_data() -> Iterator[Path]:
    """Django with an empty data folder; once in a process."""
    with tempfile.TemporaryDirectory(prefix="dactyl-bench-") as folder:
        os.environ |= {"DACTYL_DATA": folder, "DJANGO_SETTINGS_MODULE": "dactyl.site.settings"}
        import django
        from django.core.management import call_command

        django.setup()
        call_command("prepare", stdout=io.StringIO())
        from dactyl.keeping.collecting import collect_seldom

        collect_seldom()  # as the server does
        yield Path(folder)


def large_kit():
    """Rows of the kit; its recordings are 24 samples used again and again."""
    from dactyl.kits import edits
    from dactyl.kits.edits.samples import NewPad, NewTake
    from dactyl.shelf.tests.sounds import shelf_of

    samples = shelf_of([-3.0 * n for n in range(8 * len(MICS))], name="bench")
    kit = edits.kits.create_kit("Large", pads=0)
    highs = [127 * (n + 1) // LAYERS for n in range(LAYERS)]

    def take(layer: int, number: int) -> NewTake:
        first = (7 - layer) * len(MICS)
        heard = {mic: samples[first + place] for place, mic in enumerate(MICS)}
        return NewTake(heard, {"start_frame": heard["close"].onset_frame, "gain_db": -0.25 * number})

    def pad(number: int) -> NewPad:
        layers = [[take(layer, take_number) for take_number in range(TAKES)] for layer in range(LAYERS)]
        return NewPad(f"Drum {number + 1}", "snare", layers, highs)

    edits.samples.apply_proposal(kit, kit.version, [pad(number) for number in range(PADS)], None)
    kit.refresh_from_db()
    return kit
