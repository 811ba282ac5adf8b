"""Read a score of drums: MusicXML, plain or packed, as a part. Simple repeats are played out."""

import codecs
import io
import math
import xml.etree.ElementTree as ET
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from itertools import pairwise
from xml.parsers import expat

from dactyl.core.errors import PartError
from dactyl.core.formats.midi import BEAT_UNITS
from dactyl.core.formats.musicxml.places import PLACES
from dactyl.core.formats.musicxml.write import ACCENT, FORTE, GHOST, TICKS
from dactyl.core.formats.unzip import DAMAGE
from dactyl.core.kinds import BY_SLUG
from dactyl.core.parts.meter import bar_ticks
from dactyl.core.parts.part import DRUM_CHANNEL, Event, Part, Section
from dactyl.core.parts.structure import MAX_BARS, MOST_HITS, ending_behind_hits, in_order, within_reach

MAX_BYTES, MOST_ELEMENTS = 32 << 20, 2_000_000
LEAST_DIVISIONS = 0.01
AT_ONCE = 1 << 20  # bytes
MOST_DIGITS = 9
TICKS_PER_BEAT = 960
GRACE_SECONDS = 0.025  # before the note, where the score does not say
LOUDNESS = {"pppp": 8, "ppp": 16, "pp": 33, "p": 49, "mp": 64, "mf": 80, "f": 96, "ff": 112, "fff": 126, "ffff": 127}


def is_musicxml(data: bytes) -> bool:
    """Packed, or some XML: no MIDI file begins like these."""
    return (
        data[:2] in (b"PK", codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)
        or data[:200].lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<"
    )


def read_musicxml(data: bytes, name: str) -> Part:
    """The first part that has unpitched notes. raises : PartError where there is none, or it is damaged"""
    root = _root(_unpacked(data, name), name)
    if root.tag != "score-partwise":
        raise PartError(f"{name} is a score by time, not by part. Export it as score-partwise.")
    for part in root.iter("part"):
        if part.find(".//unpitched") is not None:
            return _Reader(root, part, name).part()
    raise PartError(f"{name} has no part of drums. Choose a score with unpitched notes.")


def _unpacked(data: bytes, name: str) -> bytes:
    """Of a packed score the one that its container names first (MusicXML 4.0, compressed files)."""
    if data[:2] != b"PK":
        return data
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            container = _root(_within(packed, "META-INF/container.xml", name), name)
            place = next((one.get("full-path") for one in container.iter() if one.tag.endswith("rootfile")), None)
            return _within(packed, place or "", name)
    except DAMAGE as problem:
        raise _damaged(name) from problem


def _within(packed: zipfile.ZipFile, place: str, name: str) -> bytes:
    with packed.open(place) as file:
        data = file.read(MAX_BYTES + 1)
    if len(data) > MAX_BYTES:
        raise PartError(f"{name} holds more than {MAX_BYTES >> 20} MB; no drum part does.")
    return data


def _root(data: bytes, name: str) -> ET.Element:
    if len(data) > MAX_BYTES:
        raise PartError(f"{name} is larger than {MAX_BYTES >> 20} MB; no drum part is.")
    if _has_words_of_its_own(data):
        raise PartError(f"{name} defines words of its own, which no score needs. Export it again.")
    parser, root, elements = ET.XMLPullParser(("start",)), None, 0
    try:
        for at in range(0, len(data), AT_ONCE):
            parser.feed(data[at : at + AT_ONCE])
            for _, element in parser.read_events():
                root = element if root is None else root
                elements += 1
            if elements > MOST_ELEMENTS:
                raise PartError(
                    f"{name} has over {MOST_ELEMENTS:,} elements; no drum part has. Export the drums alone."
                )
        parser.close()
    except (ET.ParseError, ValueError, LookupError) as problem:
        raise _damaged(name) from problem
    if root is None:
        raise _damaged(name)
    return root


class _Found(Exception):
    """What was looked for."""


class _Begun(Exception):
    """The first element: nothing is defined behind it."""


def _has_words_of_its_own(data: bytes) -> bool:
    """Whether entities are declared ahead of the first element, in whatever encoding; none is expanded.

    Source: https://docs.python.org/3/library/xml.html#xml-vulnerabilities
    """

    def found(*_: object) -> None:
        raise _Found

    def begun(*_: object) -> None:
        raise _Begun

    looking = expat.ParserCreate()
    looking.EntityDeclHandler, looking.StartElementHandler = found, begun
    try:
        looking.Parse(data, True)
    except _Found:
        return True
    except (_Begun, expat.ExpatError, ValueError, LookupError):  # damage is told by who reads all of it
        return False
    return False


def _damaged(name: str) -> PartError:
    return PartError(f"{name} is damaged, or no MusicXML. Export it again.")


@dataclass(slots=True)
class _Bar:
    """What one measure holds, from its beginning in quarters."""

    length: Fraction
    notes: list[tuple[Fraction, int, int, bool]] = field(default_factory=list)  # (when, note, velocity, is a grace)
    tempos: list[tuple[Fraction, float]] = field(default_factory=list)
    sections: list[tuple[Fraction, str]] = field(default_factory=list)
    meter: tuple[int, int] = (4, 4)
    begins_repeat: bool = False
    times: int = 1  # that what is repeated is played, where the repeat ends here


class _Reader:
    def __init__(self, root: ET.Element, part: ET.Element, name: str) -> None:
        self._part, self._name, self._root = part, name, root
        self._notes = {
            device.get("id"): number - 1
            for device in root.iter("midi-instrument")
            if (number := _whole(device.findtext("midi-unpitched"), 1, 128))
        }
        self._places = {
            (place.step, place.octave, place.head): BY_SLUG[kind].notes[0]
            for kind, place in reversed(PLACES.items())
            if BY_SLUG[kind].notes and not place.is_open
        }
        self._divisions, self._meter, self._velocity = Fraction(1), (4, 4), FORTE

    def part(self) -> Part:
        bars = [self._bar(measure) for measure in self._part.findall("measure")[: MAX_BARS + 1]]
        ticks = self._ticks_per_beat()
        at, events, tempos, meters, sections = 0, [], {}, {}, []
        for bar in _played_out(bars):
            if not meters or next(reversed(meters.values())) != bar.meter:
                meters[at] = bar.meter
            for when, bpm in bar.tempos:
                tempos[at + round(when * ticks)] = min(0xFF_FFFF, max(1, round(60_000_000 / bpm)))
            sections += [(at + round(when * ticks), words) for when, words in bar.sections]
            bpm = 60_000_000 / next(reversed(tempos.values()), 500_000)
            for when, note, velocity, is_grace in bar.notes:
                before = Fraction(round(GRACE_SECONDS * bpm / 60 * ticks), ticks) if is_grace else 0
                events.append(Event(max(0, at + round((when - before) * ticks)), note, velocity, DRUM_CHANNEL))
            is_whole = bar.length == Fraction(4 * bar.meter[0], bar.meter[1])
            at += bar_ticks((0, *bar.meter), ticks) if is_whole else round(bar.length * ticks)
            if len(events) > MOST_HITS:
                raise PartError(f"{self._name} has over {MOST_HITS:,} hits. Split it.")
        if not events:
            raise PartError(f"{self._name} has no note of a drum.")
        return self._made(events, tempos, meters, sections, at, ticks)

    def _made(self, events, tempos, meters, sections, end: int, ticks: int) -> Part:
        ordered = sorted(sections)
        named = tuple(
            Section(start, stop, words) for (start, words), (stop, _) in pairwise([*ordered, (end, "")]) if start < stop
        )
        title = self._root.findtext("work/work-title") or self._root.findtext("movement-title") or ""
        return within_reach(ending_behind_hits(Part(
            name=" ".join(title.split())[:80] or self._name.rsplit(".", 1)[0][:80],
            ticks_per_beat=ticks,
            tempos=tuple(sorted(({0: 500_000} | tempos).items())),
            events=in_order(events),
            end_tick=max(1, end),
            meters=tuple((tick, *meter) for tick, meter in sorted(meters.items())),
            sections=named,
        )), self._name)  # fmt: skip

    def _ticks_per_beat(self) -> int:
        for one in self._root.iter("miscellaneous-field"):
            if one.get("name") == TICKS and (ticks := _whole(one.text, 1, 1_000_000)):
                return ticks
        return TICKS_PER_BEAT

    def _bar(self, measure: ET.Element) -> _Bar:
        bar, at, last, longest = _Bar(Fraction(0)), Fraction(0), Fraction(0), Fraction(0)
        for element in measure:
            match element.tag:
                case "attributes":
                    self._attributes(element)
                case "backup":
                    at = max(Fraction(0), at - self._duration(element))
                case "forward":
                    at += self._duration(element)
                case "direction" | "sound":
                    self._direction(element, bar, at)
                case "barline":
                    self._barline(element, bar)
                case "note":
                    if element.find("chord") is None:
                        last = at
                        at += self._duration(element) if element.find("grace") is None else 0
                    self._note(element, bar, last)
            longest = max(longest, at)
        beats, unit = self._meter
        bar.meter = self._meter
        whole = Fraction(4 * beats, unit)
        bar.length = longest if measure.get("implicit") == "yes" and longest else whole
        return bar

    def _attributes(self, element: ET.Element) -> None:
        if (divisions := _number(element.findtext("divisions"))) and divisions >= LEAST_DIVISIONS:
            self._divisions = Fraction(divisions).limit_denominator(1000)
        counted = [_whole(one, 1, 64) for one in (element.findtext("time/beats") or "").split("+")]
        unit = _whole(element.findtext("time/beat-type"), 1, 64)
        if unit in BEAT_UNITS and all(counted) and sum(counted) <= 64:
            self._meter = (sum(counted), unit)

    def _direction(self, element: ET.Element, bar: _Bar, at: Fraction) -> None:
        at += Fraction(_number(element.findtext("offset")) or 0).limit_denominator(10**6) / self._divisions
        at = min(max(Fraction(0), at), Fraction(4 * self._meter[0], self._meter[1]))  # within its bar
        sound = element if element.tag == "sound" else element.find("sound")
        bpm = _number(sound.get("tempo")) if sound is not None else None
        if bpm is None and (metronome := element.find("direction-type/metronome")) is not None:
            unit = {"half": 2.0, "quarter": 1.0, "eighth": 0.5}.get(metronome.findtext("beat-unit") or "", 1.0)
            dotted = 1.5 if metronome.find("beat-unit-dot") is not None else 1.0
            marked = _number(metronome.findtext("per-minute"))
            bpm = marked * unit * dotted if marked else None
        if bpm and 4 <= bpm <= 1000:
            bar.tempos.append((at, bpm))
        for words in element.findall("direction-type/rehearsal"):
            if text := " ".join((words.text or "").split())[:80]:
                bar.sections.append((at, text))
        for dynamics in element.findall("direction-type/dynamics"):
            self._velocity = next((LOUDNESS[mark.tag] for mark in dynamics if mark.tag in LOUDNESS), self._velocity)

    def _barline(self, element: ET.Element, bar: _Bar) -> None:
        repeat = element.find("repeat")
        if repeat is None:
            return
        if repeat.get("direction") == "forward":
            bar.begins_repeat = True
        else:
            bar.times = _whole(repeat.get("times"), 1, 64) or 2

    def _note(self, element: ET.Element, bar: _Bar, at: Fraction) -> None:
        unpitched = element.find("unpitched")
        is_silent = element.find("cue") is not None or any(tie.get("type") == "stop" for tie in element.findall("tie"))
        if unpitched is None or is_silent:
            return
        note = self._notes.get(
            (element.find("instrument").get("id") or "") if element.find("instrument") is not None else ""
        )
        if note is None:
            note = self._by_place(unpitched, element)
        said = _number(element.get("dynamics"))
        velocity = round(said * FORTE / 100) if said is not None else self._heard(element)
        attack = _number(element.get("attack"))
        is_grace = element.find("grace") is not None and attack is None
        when = at + Fraction(attack or 0).limit_denominator(10**7) / self._divisions
        bar.notes.append((when, note, min(127, max(1, velocity)), is_grace))

    def _by_place(self, unpitched: ET.Element, element: ET.Element) -> int:
        octave = _whole(unpitched.findtext("display-octave"), 1, 9) or 5
        step, head = unpitched.findtext("display-step") or "C", element.findtext("notehead") or "normal"
        if head == "circle-x" or element.find("notations/technical/open") is not None:
            return BY_SLUG["open_hat"].notes[0]
        key = (step.strip(), octave)
        return self._places.get((*key, head)) or self._places.get((*key, "normal")) or self._places.get((*key, "x"), 38)

    def _heard(self, element: ET.Element) -> int:
        head = element.find("notehead")
        if head is not None and head.get("parentheses") == "yes":
            return min(GHOST, self._velocity)
        strong = element.find("notations/articulations")
        is_accent = strong is not None and any(mark.tag in ("accent", "strong-accent") for mark in strong)
        softer = 0.6 if element.find("grace") is not None else 1.0
        return max(ACCENT, self._velocity) if is_accent else round(self._velocity * softer)

    def _duration(self, element: ET.Element) -> Fraction:
        duration = _number(element.findtext("duration"))
        return (
            Fraction(duration).limit_denominator(10**6) / self._divisions
            if duration and 0 < duration < 10**9
            else Fraction(0)
        )


def _played_out(bars: Sequence[_Bar]) -> list[_Bar]:
    """Bars in the order in which they are played; repeats within repeats are not told apart."""
    played: list[_Bar] = []
    begin = 0
    for number, bar in enumerate(bars):
        if bar.begins_repeat:
            begin = number
        played.append(bar)
        for _ in range(bar.times - 1):
            played += bars[begin : number + 1]
        if bar.times > 1:
            begin = number + 1
        if len(played) > MAX_BARS:
            raise PartError(f"The score is played out over more than {MAX_BARS:,} bars. Take repeats out.")
    return played


def _whole(text: str | None, low: int, high: int) -> int | None:
    """None where it is no whole number between these."""
    text = (text or "").strip()
    value = int(text) if text.isascii() and text.isdecimal() and len(text) <= MOST_DIGITS else low - 1
    return value if low <= value <= high else None


def _number(text: str | None) -> float | None:
    try:
        value = float((text or "")[:24])
    except ValueError:
        return None
    return value if math.isfinite(value) else None
