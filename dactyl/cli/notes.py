"""``dactyl notes KIT``: which notes strike which pads."""

import argparse
import json
from pathlib import Path

from dactyl.cli.say import warn
from dactyl.core.bounce.source import open_kit
from dactyl.core.formats.midi_names import write_names
from dactyl.core.formats.notes import note_label
from dactyl.core.maps.notes import PadNotes, as_csv, doubled, names_of, pads_of


def run(asked: argparse.Namespace) -> int:
    pads = pads_in(asked.kit)
    if asked.csv:
        print(as_csv(pads), end="")
    elif asked.names:
        print(write_names(asked.kit.stem, names_of(pads)).decode(), end="")
    elif asked.json:
        print(json.dumps([{"pad": pad.name, "kind": pad.kind, "notes": pad.notes} for pad in pads]))
    else:
        for pad in pads:
            print(f"{', '.join(map(note_label, pad.notes)) or 'no note':>24}  {pad.name}")
        warn([f"{note_label(note)} strikes {' and '.join(names)}." for note, names in doubled(pads).items()])
    return 0


def pads_in(path: Path) -> list[PadNotes]:
    with open_kit(path) as source:
        source.check(skip_bad=True)
        kit, _ = source.kit()
    return pads_of(kit)
