"""Where each kind of drum stands on five lines with the percussion clef, and with which head: as drummers are used to.

Steps are named as under a treble clef, as MusicXML wants them for unpitched notes.
"""

from dataclasses import dataclass

HANDS, FEET = 1, 2  # voices


@dataclass(frozen=True, slots=True)
class Place:
    step: str
    octave: int
    head: str = "normal"
    voice: int = HANDS
    is_open: bool = False  # an open hat has a circle over it


PLACES = {
    "kick": Place("F", 4, voice=FEET), "pedal_hat": Place("D", 4, "x", FEET),
    "snare": Place("C", 5), "side_stick": Place("C", 5, "x"), "clap": Place("C", 5, "triangle"),
    "closed_hat": Place("G", 5, "x"), "open_hat": Place("G", 5, "x", is_open=True),
    "high_tom": Place("E", 5), "mid_tom": Place("D", 5), "low_tom": Place("A", 4),
    "crash": Place("A", 5, "x"), "ride": Place("F", 5, "x"), "ride_bell": Place("F", 5, "diamond"),
    "cowbell": Place("E", 5, "triangle"), "tambourine": Place("D", 5, "triangle"), "shaker": Place("B", 5, "slash"),
    "other": Place("B", 4, "diamond"),
}  # fmt: skip
