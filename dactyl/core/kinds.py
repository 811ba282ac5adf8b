"""The kinds of drum sound, in one table: their words in file names and their standard notes.

Notes are General MIDI Level 1 percussion key numbers (MIDI Association, GM System Level 1).
"""

from collections.abc import Collection
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Kind:
    slug: str
    label: str
    notes: tuple[int, ...]  # standard drum notes, the most usual first
    words: tuple[str, ...]  # as they stand in names, lower case; several words are all needed

    @property
    def is_hat(self) -> bool:
        return self.slug.endswith("hat")


# fmt: off
KINDS = (  # a more special kind stands before the kind whose word it shares
    Kind("ride_bell", "ride bell", (53,), ("ride bell", "ridebell", "rdbell", "ride cup")),
    Kind("cowbell", "cowbell", (56,), ("cowbell", "cow bell", "cb")),
    Kind("side_stick", "side stick", (37,), (
        "sidestick", "side stick", "cross stick", "crossstick", "xstick", "rimclick", "rim click", "stick",
    )),
    Kind("pedal_hat", "pedal hat", (44,), (
        "pedal hat", "hat pedal", "pedal hihat", "pedal hi hat", "hihat pedal", "hi hat pedal", "foot hihat", "hh pedal", "hat foot", "hh foot", "phh", "hhp", "chick", "pedal",
    )),
    Kind("open_hat", "open hat", (46,), (
        "open hat", "hat open", "open hihat", "open hi hat", "openhihat", "open hh", "o hihat", "ohihat", "hihatop", "hihat open", "hh open", "hats open", "ohh", "hho", "oh hat", "openhat", "openhh",
        "hatopen", "opened hat", "half open", "hat op", "hh op", "hihat op", "hat o", "hh o",
    )),
    Kind("closed_hat", "closed hat", (42,), (
        "closed hat", "hat closed", "c hihat", "chihat", "chh", "hhc", "hihat", "hi hat", "hat", "hats", "hh", "closedhat", "hatclosed", "hat cl", "hh cl", "hihat cl", "hat c", "hh c",
    )),
    Kind("low_tom", "low tom", (41, 43), ("floor tom", "floortom", "low tom", "lowtom", "tom low", "tom lo", "tom floor",
                                       "ltom", "ft", "tom 3", "tom3", "floor")),
    Kind("high_tom", "high tom", (50, 48), ("high tom", "hightom", "hi tom", "tom hi", "tom high", "rack tom", "htom",
                                         "tom 1", "tom1", "rack")),
    Kind("mid_tom", "mid tom", (47, 45), ("mid tom", "midtom", "tom mid", "mtom", "tom 2", "tom2", "tom", "toms", "tm")),
    Kind("crash", "crash", (49, 57), ("crash", "crsh", "cr", "china", "splash")),
    Kind("ride", "ride", (51, 59), ("ride", "rd", "ridecym")),
    Kind("tambourine", "tambourine", (54,), ("tambourine", "tamb", "tambo")),
    Kind("shaker", "shaker", (70,), ("shaker", "shake", "shk", "maraca", "cabasa")),
    Kind("clap", "clap", (39,), ("clap", "claps", "handclap", "clp")),
    Kind("snare", "snare", (38, 40), ("snare", "snr", "sd", "sn", "rimshot", "rim shot", "snares")),
    Kind("kick", "kick", (36, 35), ("kick", "kik", "bd", "bdrum", "b drum", "bass drum", "bassdrum", "base drum", "basedrum", "kck", "kd", "kicks")),
    Kind("other", "other", (), (
        "conga", "congas", "bongo", "bongos", "timbale", "timbales", "agogo", "triangle", "woodblock", "wood block", "guiro",
        "claves", "vibraslap", "whistle", "gong", "timpani", "djembe", "cajon", "tabla", "taiko", "udu", "surdo", "cuica",
        "castanet", "castanets", "jingle", "chime", "chimes", "marimba", "metronome",
    )),
)
BY_SLUG = {kind.slug: kind for kind in KINDS}
OF_NOTE = {note: kind.slug for kind in reversed(KINDS) for note in kind.notes}
"""The kind of each standard drum note."""
IN_SCORE_ORDER = tuple(BY_SLUG[slug] for slug in (
    "kick", "snare", "side_stick", "clap", "closed_hat", "pedal_hat", "open_hat", "low_tom", "mid_tom", "high_tom",
    "crash", "ride", "ride_bell", "cowbell", "tambourine", "shaker", "other",
))


def free_note(kind: str, taken: Collection[int]) -> int | None:
    """The standard drum note of ``kind`` if it is free, else the lowest free note from 60 that no kind claims."""
    claimed = {note for other in KINDS for note in other.notes}
    usual = [note for note in BY_SLUG[kind].notes if note not in taken]
    spare = [note for note in (*range(60, 128), *range(60)) if note not in taken and note not in claimed]
    return next(iter(usual + spare), None)
