"""What one format loses of another, said once for all pads that lose it."""

from collections.abc import Iterator

from dactyl.core.kit import VOICES, Kit, Pad
from dactyl.core.units import counted

SHORT_FADE_MS = 10.0  # no longer than players take to end a sound
FLAT_Q = 0.7  # of a Butterworth filter, the least that a SoundFont can say
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
        if pad.layers and pad.muted:
            lost.add(pad.name, "muted, and left out; what it would choke or mute rings on")
        elif pad.layers:
            for words in _of_pad(pad, has_note=bool(notes.get(pad.id))):
                lost.add(pad.name, words)
    of_kit = []
    if len(kit.mics) > 1:
        of_kit.append(f"The {counted(len(kit.mics), 'mic')} are mixed as they stand.")
    if len(kit.outputs) > 1 or not kit.has_plain_desk or kit.outputs[0].gain_db:
        of_kit.append("All is mixed as the desk has it: a SoundFont has no outputs.")
    if kit.parallel.is_on:
        of_kit.append("The parallel bus is left out.")
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
        "a limit of voices is left out": pad.max_voices < VOICES,
        "how it fades where it is choked is up to the player": bool(pad.choke and pad.choke.fade_ms > SHORT_FADE_MS),
        "how its filter opens with velocity is left out": pad.filter.kind == "low" and bool(pad.filter.octaves),
        "its filter becomes one without a dip ahead of its edge": pad.filter.kind == "low" and pad.filter.q < FLAT_Q,
    }
    yield from (words for words, is_lost in said.items() if is_lost)
