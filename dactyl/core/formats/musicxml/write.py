"""Write a part as MusicXML 4.0 percussion: hands above, feet below, ghosts in parentheses, flams as grace notes.

What a score does not show stands in the attributes that the format has for playing: ``dynamics`` (percent of velocity 90),
``attack`` (how far a note is played from where it is written, in divisions).
"""

import io
import xml.etree.ElementTree as ET
import zipfile
from collections import defaultdict
from collections.abc import Generator, Iterable, Mapping, Sequence
from fractions import Fraction
from itertools import groupby
from math import lcm

from dactyl.core.formats.musicxml.places import FEET, HANDS
from dactyl.core.formats.musicxml.rhythm import Bar, Head, Written, bars_of
from dactyl.core.kinds import BY_SLUG, OF_NOTE
from dactyl.core.parts.meter import bar_span
from dactyl.core.parts.part import Event, Part
from dactyl.core.steps import result_of

STANDARD = {note: (BY_SLUG[kind].label, kind) for note, kind in OF_NOTE.items()}
"""The drums of the standard notes, as ``write_musicxml`` takes them."""
FORTE = 90  # the velocity that 100 percent are
GHOST, ACCENT = 40, 116  # velocities up to the first, and from the second on
DYNAMICS = ((15, "ppp"), (31, "pp"), (47, "p"), (63, "mp"), (79, "mf"), (95, "f"), (111, "ff"), (127, "fff"))
SIGNS = {
    Fraction(1): "whole", Fraction(1, 2): "half", Fraction(1, 4): "quarter", Fraction(1, 8): "eighth", Fraction(1, 16): "16th",
    Fraction(1, 32): "32nd", Fraction(1, 64): "64th", Fraction(1, 128): "128th", Fraction(1, 256): "256th",
}  # fmt: skip
PACKED = ".mxl"
MEDIA_TYPE = "application/vnd.recordare.musicxml+xml"
DOCTYPE = '<!DOCTYPE score-partwise PUBLIC "-//Recordare//DTD MusicXML 4.0 Partwise//EN" "http://www.musicxml.org/dtds/partwise.dtd">'
TICKS, SHORT_BARS, SECTION_ENDS = "ticks-per-beat", "ticks-of-short-bars", "ticks-where-sections-end"
"""Names of fields in that we keep what a score does not say: how the part counts, and what is no length that notes have."""


def write_musicxml(part: Part, drums: Mapping[int, tuple[str, str]]) -> bytes:
    """drums : (name, slug of its kind) of each note that is known"""
    return result_of(musicxml_steps(part, drums))


def musicxml_steps(part: Part, drums: Mapping[int, tuple[str, str]]) -> Generator[tuple[int, int], None, bytes]:
    """The same in steps, which say how many of how many ticks are done; what is returned is the score."""
    bars, whole = [], 2 * max(1, part.loop_ticks)
    for bar in bars_of(part, {note: kind for note, (_, kind) in drums.items()}):
        bars.append(bar)
        yield bar.start_tick, whole
    writer = _Writer(part, drums, bars)
    head, tail = writer.around()
    measures = []
    for number, bar in enumerate(bars, start=1):
        measures.append(writer.measure(number, bar))
        yield whole // 2 + bar.start_tick, whole
    return b"".join([head, *measures, tail])


class _Writer:
    def __init__(self, part: Part, drums: Mapping[int, tuple[str, str]], bars: Sequence[Bar]) -> None:
        self._part, self._drums, self._bars = part, drums, bars
        lengths = [one.length for bar in self._bars for own in bar.voices.values() for one in own]
        self._divisions = lcm(*(length.denominator for length in lengths), 1)
        self._sections, self._tempos = defaultdict(list), defaultdict(list)  # by the tick at which their bar begins
        for section in part.sections:
            self._sections[self._bar_of(section.start_tick)].append(section)
        for tick, tempo in part.tempos:
            self._tempos[self._bar_of(tick)].append((tick, tempo))
        self._loudness, self._meter = "", None

    def _bar_of(self, tick: int) -> int:
        return bar_span(tick, self._part.meters, self._part.ticks_per_beat)[0]

    def around(self) -> tuple[bytes, bytes]:
        """What stands ahead of the measures, and behind them."""
        score = ET.Element("score-partwise", version="4.0")
        _text(score, "work/work-title", self._part.name)
        about = ET.SubElement(ET.SubElement(score, "identification"), "encoding")
        _text(about, "software", "Dactyl")
        fields = ET.SubElement(score.find("identification"), "miscellaneous")
        for name, text in (
            (TICKS, str(self._part.ticks_per_beat)),
            (SHORT_BARS, " ".join(f"{number}:{bar.ticks}" for number, bar in enumerate(self._bars) if bar.is_short)),
            (SECTION_ENDS, " ".join(str(one.end_tick) for one in self._part.sections)),
        ):
            if text:
                ET.SubElement(fields, "miscellaneous-field", name=name).text = text
        self._instruments(ET.SubElement(score, "part-list"))
        ET.SubElement(score, "part", id="P1").text = "\n"
        ET.indent(score, " ")
        head, tail = ET.tostring(score, "unicode").split("\n</part>")
        return f'<?xml version="1.0" encoding="UTF-8"?>\n{DOCTYPE}\n{head}\n'.encode(), f" </part>{tail}\n".encode()

    def measure(self, number: int, bar: Bar) -> bytes:
        """In their order, from 1 on."""
        measure = ET.Element("measure", number=str(number))
        if bar.is_short:
            measure.set("implicit", "yes")
        self._attributes(measure, bar, is_first=number == 1, is_new=bar.meter != self._meter)
        self._meter = bar.meter
        self._directions(measure, bar)
        self._voices(measure, bar)
        if number == len(self._bars):
            _text(ET.SubElement(measure, "barline", location="right"), "bar-style", "light-heavy")
        ET.indent(measure, " ", level=2)
        return b"  " + ET.tostring(measure, "utf-8") + b"\n"

    def _instruments(self, parts: ET.Element) -> None:
        part = ET.SubElement(parts, "score-part", id="P1")
        _text(part, "part-name", "Drums")
        notes = sorted({event.note for event in self._part.note_ons})
        for note in notes:
            name = self._drums.get(note, (f"Note {note}", ""))[0]
            _text(ET.SubElement(part, "score-instrument", id=_id(note)), "instrument-name", name)
        for note in notes:
            device = ET.SubElement(part, "midi-instrument", id=_id(note))
            _text(device, "midi-channel", "10")
            _text(device, "midi-unpitched", str(note + 1))

    def _attributes(self, measure: ET.Element, bar: Bar, *, is_first: bool, is_new: bool) -> None:
        if not is_first and not is_new:
            return
        attributes = ET.SubElement(measure, "attributes")
        if is_first:
            _text(attributes, "divisions", str(self._divisions))
            _text(attributes, "key/fifths", "0")
        time = ET.SubElement(attributes, "time")
        _text(time, "beats", str(bar.meter[0]))
        _text(time, "beat-type", str(bar.meter[1]))
        if is_first:
            clef = ET.SubElement(attributes, "clef")
            _text(clef, "sign", "percussion")

    def _directions(self, measure: ET.Element, bar: Bar) -> None:
        """Tempo and sections that begin in the bar, and how loud it is where that changes."""
        for section in self._sections[bar.start_tick]:
            direction = ET.SubElement(measure, "direction", placement="above")
            _text(direction, "direction-type/rehearsal", section.name)
            self._offset(direction, section.start_tick - bar.start_tick)
        for tick, tempo in self._tempos[bar.start_tick]:
            self._tempo(measure, bar, tick - bar.start_tick, 60_000_000 / tempo)
        struck = sorted(head.event.velocity for own in bar.voices.values() for one in own for head in one.heads)
        if struck:
            middle = struck[len(struck) // 2]
            loudness = next(name for high, name in DYNAMICS if middle <= high)
            if loudness != self._loudness:
                self._loudness = loudness
                direction = ET.SubElement(measure, "direction", placement="below")
                ET.SubElement(ET.SubElement(ET.SubElement(direction, "direction-type"), "dynamics"), loudness)

    def _offset(self, direction: ET.Element, ticks: int, **attributes: str) -> None:
        """From the beginning of the bar."""
        if ticks:
            divisions = Fraction(ticks * self._divisions, self._part.ticks_per_beat)
            _text(direction, "offset", _number(divisions), **attributes)

    def _tempo(self, measure: ET.Element, bar: Bar, ticks: int, bpm: float) -> None:
        direction = ET.SubElement(measure, "direction", placement="above")
        metronome = ET.SubElement(ET.SubElement(direction, "direction-type"), "metronome")
        _text(metronome, "beat-unit", "quarter")
        beats, unit = bar.meter
        is_compound = unit >= 8 and beats % 3 == 0 and beats > 3
        if is_compound:
            ET.SubElement(metronome, "beat-unit-dot")
        _text(metronome, "per-minute", f"{bpm / (1.5 if is_compound else 1):.2f}".rstrip("0").rstrip("."))
        self._offset(direction, ticks, sound="yes")
        ET.SubElement(direction, "sound", tempo=f"{bpm:.10g}")

    def _voices(self, measure: ET.Element, bar: Bar) -> None:
        for number, (voice, values) in enumerate(bar.voices.items()):
            if number:
                _text(ET.SubElement(measure, "backup"), "duration", str(int(bar.length * self._divisions)))
            if not any(one.heads for one in values):
                rest = ET.SubElement(measure, "note")
                ET.SubElement(rest, "rest", measure="yes")
                _text(rest, "duration", str(int(bar.length * self._divisions)))
                _text(rest, "voice", str(voice))
                continue
            beams = _beams(values)
            brackets = _brackets(values)
            for one, levels, bracket in zip(values, beams, brackets, strict=True):
                self._value(measure, one, voice, levels, bracket)

    def _value(
        self, measure: ET.Element, one: Written, voice: int, beams: Sequence[str], bracket: Sequence[str]
    ) -> None:
        for head in one.heads:
            for number in range(len(head.graces)):
                self._grace(measure, head, number, voice)
        for number, head in enumerate(one.heads or (None,)):
            note = ET.SubElement(measure, "note")
            if head:
                self._played(note, head.event, head.beside_ticks)
            if number:
                ET.SubElement(note, "chord")
            if head:
                _display(note, head)
            else:
                ET.SubElement(note, "rest")
            _text(note, "duration", str(int(one.length * self._divisions)))
            if head:
                ET.SubElement(note, "instrument", id=_id(head.event.note))
            _text(note, "voice", str(voice))
            self._look(note, one, head, voice)
            if not number:
                for level, beam in enumerate(beams, start=1):
                    _text(note, "beam", beam, number=str(level))
            self._notations(note, head, bracket if not number else ())

    def _look(self, note: ET.Element, one: Written, head: Head | None, voice: int) -> None:
        _text(note, "type", SIGNS[one.kind])
        for _ in range(one.dots):
            ET.SubElement(note, "dot")
        if one.actual > 1:
            changed = ET.SubElement(note, "time-modification")
            _text(changed, "actual-notes", str(one.actual))
            _text(changed, "normal-notes", str(one.normal))
        if head:
            _text(note, "stem", "up" if voice == HANDS else "down")
            _notehead(note, head)

    def _notations(self, note: ET.Element, head: Head | None, bracket: Iterable[str]) -> None:
        accent = head is not None and head.event.velocity >= ACCENT
        circle = head is not None and head.place.is_open
        bracket = list(bracket)
        if not (accent or circle or bracket):
            return
        notations = ET.SubElement(note, "notations")
        for way in bracket:
            ET.SubElement(notations, "tuplet", type=way, number="1")
        if circle:
            ET.SubElement(ET.SubElement(notations, "technical"), "open-string")
        if accent:
            ET.SubElement(ET.SubElement(notations, "articulations"), "accent")

    def _grace(self, measure: ET.Element, head: Head, number: int, voice: int) -> None:
        """A flam's with a slash; those of a drag or a ruff under two beams."""
        note, grace, last = ET.SubElement(measure, "note"), head.graces[number], len(head.graces) - 1
        ET.SubElement(note, "grace", {"slash": "yes"} if not last else {})
        self._played(note, grace, grace.tick - head.event.tick + head.beside_ticks)
        _display(note, head)
        ET.SubElement(note, "instrument", id=_id(grace.note))
        _text(note, "voice", str(voice))
        _text(note, "type", "16th" if last else "eighth")
        _text(note, "stem", "up" if voice == HANDS else "down")
        if head.place.head != "normal":
            _text(note, "notehead", head.place.head)
        for level in (1, 2) if last else ():
            way = "begin" if not number else "end" if number == last else "continue"
            _text(note, "beam", way, number=str(level))

    def _played(self, note: ET.Element, event: Event, beside_ticks: Fraction) -> None:
        note.set("dynamics", _number(Fraction(100 * event.velocity, FORTE)))
        if beside_ticks or note.find("grace") is not None:  # a grace note without it stands shortly before
            note.set("attack", _number(beside_ticks * self._divisions / self._part.ticks_per_beat))


def _display(note: ET.Element, head: Head) -> None:
    unpitched = ET.SubElement(note, "unpitched")
    _text(unpitched, "display-step", head.place.step)
    _text(unpitched, "display-octave", str(head.place.octave))


def _notehead(note: ET.Element, head: Head) -> None:
    is_ghost = head.event.velocity <= GHOST and head.place.voice != FEET
    if is_ghost:
        _text(note, "notehead", head.place.head, parentheses="yes")
    elif head.place.head != "normal":
        _text(note, "notehead", head.place.head)


def _beams(values: Sequence[Written]) -> list[list[str]]:
    """Beams of each value, the outermost first: neighbours of one beat, or of short beats that go together, that are shorter than a quarter."""
    found: list[list[str]] = [[] for _ in values]
    levels = [max(0, one.kind.denominator.bit_length() - 3) if one.heads else 0 for one in values]
    for _, group in groupby(range(len(values)), key=lambda at: (values[at].group, levels[at] > 0)):
        run = list(group)
        if len(run) < 2 or not levels[run[0]]:
            continue
        for level in range(1, max(levels[at] for at in run) + 1):
            for place, at in enumerate(run):
                if levels[at] < level:
                    continue
                before = place > 0 and levels[run[place - 1]] >= level
                after = place + 1 < len(run) and levels[run[place + 1]] >= level
                hook = "backward hook" if place else "forward hook"
                found[at].append(
                    {(False, True): "begin", (True, True): "continue", (True, False): "end"}.get((before, after), hook)
                )
    return found


def _brackets(values: Sequence[Written]) -> list[list[str]]:
    """Where a triplet's bracket begins and ends."""
    found: list[list[str]] = [[] for _ in values]
    for (_, actual), group in groupby(range(len(values)), key=lambda at: (values[at].beat, values[at].actual)):
        run = list(group)
        if actual > 1:
            found[run[0]].append("start")
            found[run[-1]].append("stop")
    return found


def _text(of: ET.Element, path: str, text: str, **attributes: str) -> None:
    *above, name = path.split("/")
    for one in above:
        of = ET.SubElement(of, one)
    ET.SubElement(of, name, attributes).text = _told(text)


def _told(text: str) -> str:
    """Without what XML can't hold."""
    return "".join(letter if letter.isprintable() else " " for letter in text)


def _id(note: int) -> str:
    return f"P1-I{note + 1}"


def packed(score: bytes) -> bytes:
    """A compressed file, whose container names the score in it (MusicXML 4.0, "Compressed .mxl files")."""
    container = ET.Element("container")
    ET.SubElement(
        ET.SubElement(container, "rootfiles"), "rootfile", {"full-path": "score.musicxml", "media-type": MEDIA_TYPE}
    )
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as made:
        for name, data in (("META-INF/container.xml", ET.tostring(container, "utf-8")), ("score.musicxml", score)):
            made.writestr(zipfile.ZipInfo(name, date_time=(1980, 1, 1, 0, 0, 0)), data, zipfile.ZIP_DEFLATED)
    return file.getvalue()


def _number(value: Fraction) -> str:
    """A decimal, which has no exponent (XML Schema 1.0, part 2, 3.2.3)."""
    return f"{float(value):.9f}".rstrip("0").rstrip(".")
