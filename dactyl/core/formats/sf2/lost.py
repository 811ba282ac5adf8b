"""What one format loses of another, said once for all pads that lose it."""

from collections.abc import Iterator

from dactyl.core.kit import Kit, Pad
from dactyl.core.units import counted

NAMED = 3  # pads that a sentence names


class Lost:
    def __init__(self) -> None:
        self._names: dict[str, list[str]] = {}

    def add(self, name: str, words: str) -> None:
        names = self._names.setdefault(words, [])
        if name not in names:
            names.append(name)

    def sentences(self) -> Iterator[str]:
        for words, names in self._names.items():
            more = f" and {len(names) - NAMED} more" if len(names) > NAMED else ""
            yield f"{', '.join(names[:NAMED])}{more}: {words}."


def lost_by_a_soundfont(kit: Kit) -> tuple[str, ...]:
    """What of ``kit`` a SoundFont can't hold; how far levels are off is known once it is written."""
    lost, notes = Lost(), kit.notes()
    for _, pad in kit.pads():
        if pad.layers and not pad.muted:
            for words in _of_pad(pad, has_note=bool(notes.get(pad.id))):
                lost.add(pad.name, words)
    of_kit = []
    if len(kit.mics) > 1:
        of_kit.append(f"The {counted(len(kit.mics), 'mic')} are mixed as they stand.")
    if len(kit.outputs) > 1 or not kit.has_plain_desk:
        of_kit.append("Outputs and the desk are left out: a SoundFont has none.")
    return (*of_kit, *lost.sentences())


def _of_pad(pad: Pad, *, has_note: bool) -> Iterator[str]:
    if not has_note:
        yield "left out, since no note strikes it"
        return
    said = {
        "of several takes the first of each layer is kept": any(
            sum(take.enabled for take in layer.takes) > 1 for layer in pad.layers
        ),
        "variation is left out": not pad.variation.is_off,
        "a high-pass or band-pass filter is left out": pad.filter.kind in ("high", "band"),
        "mute groups are left out": bool(pad.silences or pad.silenced_by),
        "what sounds along is left out": bool(pad.companions),
        "velocity crossfades become borders": pad.crossfade > 0,
    }
    yield from (words for words, is_lost in said.items() if is_lost)
