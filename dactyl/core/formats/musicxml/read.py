"""Read a score of drums: MusicXML, plain or packed, as a part, with its repeats, endings and jumps played out."""

import codecs
import io
import math
import re
import xml.etree.ElementTree as ET
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from itertools import pairwise
from xml.parsers import expat

from dactyl.core.errors import PartError
from dactyl.core.formats.midi import BEAT_UNITS
from dactyl.core.formats.musicxml.places import PLACES
from dactyl.core.formats.musicxml.write import ACCENT, FORTE, GHOST, SECTION_ENDS, SHORT_BARS, TICKS
from dactyl.core.formats.unzip import DAMAGE
from dactyl.core.kinds import BY_SLUG
from dactyl.core.parts.meter import bar_ticks
from dactyl.core.parts.part import DRUM_CHANNEL, Event, Part, Section
from dactyl.core.parts.structure import MAX_BARS, MOST_HITS, ending_behind_hits, in_order, within_reach

MAX_BYTES, MOST_ELEMENTS = 64 << 20, 2_000_000
LEAST_DIVISIONS = 0.01
AT_ONCE = 1 << 20  # bytes
MOST_DIGITS = 9
SLOWEST_BPM, FASTEST_BPM = 4, 1000  # beyond these a tempo is taken as the nearest
TICKS_PER_BEAT = 960
GRACE_SECONDS = 0.025  # before the note, where the score does not say
JUMPS = ("dacapo", "dalsegno", "fine", "segno", "coda", "tocoda")  # attributes of what is told to players
WRITTEN = {
    "dacapo": re.compile(r"\s*D\.? ?C\b|\s*da capo", re.IGNORECASE), "dalsegno": re.compile(r"\s*D\.? ?S\b|\s*dal segno", re.IGNORECASE),
    "fine": re.compile(r"\s*fine\b", re.IGNORECASE), "tocoda": re.compile(r"\s*to coda\b", re.IGNORECASE),
}  # fmt: skip
FLAGS = {"eighth": 1, "16th": 2, "32nd": 3, "64th": 4}
MOST_FLAGS, MOST_STROKES = 6, 256  # a 256th; of one tremolo
OPEN = ("open-string", "open")
NOTES_OF_OTHERS = (*range(60, 82), *range(27, 35), *range(82, 128))  # behind the drums of a kit
MOST_TICKS, MOST_FIELD = 10**9, 1 << 20
KindOf = Callable[[str], str | None]
LOUDNESS = {"pppp": 8, "ppp": 16, "pp": 33, "p": 49, "mp": 64, "mf": 80, "f": 96, "ff": 112, "fff": 126, "ffff": 127}


def is_musicxml(data: bytes) -> bool:
    """Packed, or some XML: no MIDI file begins like these."""
    return (
        data[:2] in (b"PK", codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)
        or data[:200].lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<"
    )


def read_musicxml(data: bytes, name: str, kind_of: KindOf = lambda words: None) -> Part:
    """All parts that have unpitched notes, as one.

    kind_of : the kind of drum that an instrument's name says. raises : PartError where no part has any, or it is damaged
    """
    root = _root(_unpacked(data, name), name)
    if root.tag != "score-partwise":
        raise PartError(f"{name} is a score by time, not by part. Export it as score-partwise.")
    parts = [part for part in root.iter("part") if part.find(".//unpitched") is not None]
    if not parts:
        raise PartError(f"{name} has no part of drums. Choose a score with unpitched notes.")
    return _Reader(root, name, kind_of).part(parts)


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
class _Stroke:
    when: Fraction  # quarters from the bar's beginning
    note: int
    velocity: int
    graces: int = 0  # of a grace note without a time of its own: how many stand from it to its note


@dataclass(slots=True)
class _Bar:
    """What one measure holds, from its beginning in quarters."""

    length: Fraction
    ticks: int = 0  # where a file of ours says it; else as long as its notes
    notes: list[_Stroke] = field(default_factory=list)
    tempos: list[tuple[Fraction, float]] = field(default_factory=list)
    sections: list[tuple[Fraction, str]] = field(default_factory=list)
    meter: tuple[int, int] = (4, 4)
    begins_repeat: bool = False
    times: int = 1  # that what is repeated is played, where the repeat ends here
    endings: frozenset[int] = frozenset()  # in which rounds of the repeat it is played; none: in all
    jumps: set[str] = field(default_factory=set)  # of JUMPS

    @property
    def is_short(self) -> bool:
        return self.length < Fraction(4 * self.meter[0], self.meter[1])


class _Reader:
    def __init__(self, root: ET.Element, name: str, kind_of: KindOf) -> None:
        self._name, self._root = name, root
        self._notes: dict[str | None, int] = {}  # of instruments
        for instrument in root.iter("score-instrument"):
            kind = kind_of(instrument.findtext("instrument-name") or "")
            if kind and BY_SLUG[kind].notes and instrument.get("id"):
                self._notes[instrument.get("id")] = BY_SLUG[kind].notes[0]
        for device in root.iter("midi-instrument"):
            if number := _whole(device.findtext("midi-unpitched"), 1, 128):
                self._notes[device.get("id")] = number - 1
        self._strokes_left = MOST_HITS
        self._unknown: dict[object, int] = {}  # notes of instruments and places that say no drum
        self._begin()
        self._places = {
            (place.step, place.octave, place.head): BY_SLUG[kind].notes[0]
            for kind, place in reversed(PLACES.items())
            if BY_SLUG[kind].notes and not place.is_open
        }

    def _begin(self) -> None:
        """What holds at the beginning of each part."""
        self._divisions, self._meter, self._velocity = Fraction(1), (4, 4), FORTE
        self._graces: list[list[_Stroke]] = []  # that wait for their note
        self._repeated = 0  # of so many bars what follows is a repetition
        self._ending: frozenset[int] = frozenset()

    def _bars(self, parts: Sequence[ET.Element]) -> list[_Bar]:
        """Of the first part, with what the others play in them."""
        bars: list[_Bar] = []
        for part in parts:
            self._begin()
            own: list[_Bar] = []
            for measure in part.findall("measure")[: MAX_BARS + 1]:
                own.append(self._bar(measure))
                if 0 < self._repeated < len(own) and not own[-1].notes:
                    own[-1].notes = own[-1 - self._repeated].notes
            for bar, other in zip(bars, own, strict=False):
                bar.notes = [*bar.notes, *other.notes]
                bar.length = max(bar.length, other.length)
            bars += own[len(bars) :]
        for number, ticks in self._field(SHORT_BARS, 2):
            if number < len(bars):
                bars[number].ticks = ticks
        return bars

    def part(self, parts: Sequence[ET.Element]) -> Part:
        ticks = self._ticks_per_beat()
        at, events, tempos, meters, sections, is_cut = 0, [], {}, {}, [], False
        for bar in _played_out(self._bars(parts)):
            if is_cut or not meters or next(reversed(meters.values())) != bar.meter:
                meters[at] = bar.meter  # behind a bar that is cut short, or an upbeat, bars are counted anew
            for when, bpm in bar.tempos:
                tempos[at + round(when * ticks)] = min(0xFF_FFFF, max(1, round(60_000_000 / bpm)))
            sections += [(at + round(when * ticks), words) for when, words in bar.sections]
            bpm = 60_000_000 / next(reversed(tempos.values()), 500_000)
            for one in bar.notes:
                before = Fraction(one.graces * round(GRACE_SECONDS * bpm / 60 * ticks), ticks)
                tick = max(0, at + round((one.when - before) * ticks))
                events.append(Event(tick, one.note, one.velocity, DRUM_CHANNEL))
            is_cut = bar.is_short
            at += (bar.ticks or round(bar.length * ticks)) if is_cut else bar_ticks((0, *bar.meter), ticks)
            if len(events) > MOST_HITS:
                raise PartError(f"{self._name} has over {MOST_HITS:,} hits. Split it.")
        if not events:
            raise PartError(f"{self._name} has no note of a drum.")
        return self._made(events, tempos, meters, sections, at, ticks)

    def _made(self, events, tempos, meters, sections, end: int, ticks: int) -> Part:
        ordered = sorted(sections)
        ends = [stop for (stop,) in self._field(SECTION_ENDS, 1)]
        until = ends if len(ends) == len(ordered) else [end] * len(ordered)
        named = tuple(
            Section(start, min(stop, following), words)
            for ((start, words), (following, _)), stop in zip(pairwise([*ordered, (end, "")]), until, strict=True)
            if start < min(stop, following)
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

    def _field(self, name: str, width: int) -> list[tuple[int, ...]]:
        """Rows of so many numbers in a field of ours: ``1:240 5:96``; nothing where one is none."""
        text = next((one.text or "" for one in self._root.iter("miscellaneous-field") if one.get("name") == name), "")
        rows = [tuple(_whole(one, 0, MOST_TICKS) for one in row.split(":")) for row in text[:MOST_FIELD].split()]
        is_right = all(len(row) == width and None not in row for row in rows)
        return rows if is_right else []  # type: ignore[return-value]

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
                    self._settle_graces(element)
            longest = max(longest, at)
        bar.endings = bar.endings or self._ending
        beats, unit = self._meter
        bar.meter = self._meter
        whole = Fraction(4 * beats, unit)
        bar.length = min(longest, whole) or whole
        return bar

    def _attributes(self, element: ET.Element) -> None:
        if (divisions := _number(element.findtext("divisions"))) and divisions >= LEAST_DIVISIONS:
            self._divisions = Fraction(divisions).limit_denominator(1000)
        for repeat in element.findall("measure-style/measure-repeat"):
            self._repeated = (_whole(repeat.text, 1, 16) or 1) if repeat.get("type") == "start" else 0
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
        if bpm and bpm > 0:
            bar.tempos.append((at, min(FASTEST_BPM, max(SLOWEST_BPM, bpm))))
        bar.jumps |= _jumps(element, sound)
        for words in element.findall("direction-type/rehearsal"):
            if text := " ".join((words.text or "").split())[:80]:
                bar.sections.append((at, text))
        for dynamics in element.findall("direction-type/dynamics"):
            self._velocity = next((LOUDNESS[mark.tag] for mark in dynamics if mark.tag in LOUDNESS), self._velocity)

    def _barline(self, element: ET.Element, bar: _Bar) -> None:
        ending, repeat = element.find("ending"), element.find("repeat")
        if ending is not None and ending.get("type") == "start":
            rounds = (_whole(one, 1, 64) for one in (ending.get("number") or "").replace(",", " ").split())
            self._ending = frozenset(one for one in rounds if one)
        bar.endings = self._ending
        if ending is not None and ending.get("type") != "start":
            self._ending = frozenset()
        if repeat is None:
            return
        if repeat.get("direction") == "forward":
            bar.begins_repeat = True
        else:
            bar.times = _whole(repeat.get("times"), 1, 64) or 2

    def _note(self, element: ET.Element, bar: _Bar, at: Fraction) -> None:
        unpitched = element.find("unpitched")
        tremolo = element.find("notations/ornaments/tremolo")
        is_held = tremolo is None and any(tie.get("type") == "stop" for tie in element.findall("tie"))
        if unpitched is None or is_held or element.find("cue") is not None:
            return
        instrument = element.find("instrument")
        name = instrument.get("id") if instrument is not None else None
        note = self._notes.get(name) if name else None
        if note is None:
            note = self._by_place(unpitched, element, name)
        said = _number(element.get("dynamics"))
        velocity = round(said * FORTE / 100) if said is not None else self._heard(element)
        attack = _number(element.get("attack"))
        is_grace = element.find("grace") is not None and attack is None
        when = at + Fraction(attack or 0).limit_denominator(10**7) / self._divisions
        velocity = min(127, max(1, velocity))
        for place in self._strokes(element, tremolo) if tremolo is not None and not is_grace else (Fraction(0),):
            bar.notes.append(_Stroke(when + place, note, velocity, graces=int(is_grace)))
            self._strokes_left -= 1
        if self._strokes_left < 0:
            raise PartError(f"{self._name} has over {MOST_HITS:,} hits. Split it.")
        if is_grace and element.find("chord") is not None and self._graces:
            self._graces[-1].append(bar.notes[-1])
        elif is_grace:
            self._graces.append([bar.notes[-1]])

    def _strokes(self, element: ET.Element, tremolo: ET.Element) -> list[Fraction]:
        """Where the strokes of a tremolo fall: each of its marks halves a note, as each of its flags does."""
        marks = 3 if tremolo.get("type") == "unmeasured" else _whole(tremolo.text, 1, 8) or 3
        flags = FLAGS.get((element.findtext("type") or "").strip(), 0)
        length = Fraction(1, 2 ** min(MOST_FLAGS, marks + flags))
        return [n * length for n in range(max(1, min(MOST_STROKES, round(self._duration(element) / length))))]

    def _settle_graces(self, element: ET.Element) -> None:
        """Graces stand one behind the other before the note that follows them."""
        if element.find("grace") is None and element.find("chord") is None:
            for left, strokes in enumerate(reversed(self._graces), start=1):
                for one in strokes:
                    one.graces = left
            self._graces = []

    def _by_place(self, unpitched: ET.Element, element: ET.Element, name: str | None) -> int:
        """By place and head; what is unknown has a note for itself that no drum has."""
        octave = _whole(unpitched.findtext("display-octave"), 1, 9) or 5
        step, head = unpitched.findtext("display-step") or "C", element.findtext("notehead") or "normal"
        if head == "circle-x" or any(element.find(f"notations/technical/{mark}") is not None for mark in OPEN):
            return BY_SLUG["open_hat"].notes[0]
        key = (step.strip(), octave)
        found = (self._places.get((*key, one)) for one in (head, "normal", "x"))
        if note := next((one for one in found if one), None):
            return note
        taken = {*self._unknown.values(), *self._notes.values()}
        free = next((one for one in NOTES_OF_OTHERS if one not in taken), NOTES_OF_OTHERS[-1])
        return self._unknown.setdefault(name or (*key, head), free)

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


def _jumps(element: ET.Element, sound: ET.Element | None) -> set[str]:
    """Where the score goes on elsewhere: by what a player is told, else by what is written."""
    found = {jump for jump in JUMPS if sound is not None and sound.get(jump)}
    if element.find("direction-type/segno") is not None:
        found.add("segno")
    words = " ".join((one.text or "") for one in element.findall("direction-type/words"))[:80]
    return found or {jump for jump, pattern in WRITTEN.items() if pattern.match(words)}


def _played_out(bars: Sequence[_Bar]) -> list[_Bar]:
    """Bars in the order in which they are played; repeats within repeats are not told apart.

    Behind D.C. or D.S. nothing is repeated, and of several endings the last is played.
    """
    played: list[_Bar] = []
    at, begin, turn, has_jumped = 0, 0, 1, False
    last_rounds = _last_rounds(bars)
    coda = next((n for n in range(len(bars) - 1, -1, -1) if "coda" in bars[n].jumps), None)
    segno = next((n for n, bar in enumerate(bars) if "segno" in bar.jumps), 0)
    while at < len(bars):
        bar = bars[at]
        is_behind_endings = at > 0 and bool(bars[at - 1].endings) and not bar.endings
        if begin != at and (bar.begins_repeat or is_behind_endings):
            begin, turn = at, 1
        if bar.endings and (last_rounds[at] if has_jumped else turn) not in bar.endings:
            at += 1
            continue
        played.append(bar)
        if len(played) > MAX_BARS:
            raise PartError(f"The score is played out over more than {MAX_BARS:,} bars. Take repeats out.")
        if has_jumped and "fine" in bar.jumps:
            break
        if has_jumped and "tocoda" in bar.jumps and coda is not None and coda > at:
            at = coda
            continue
        if bar.times > 1 and not has_jumped:
            if turn < max(bar.times, last_rounds[at]):
                at, turn = begin, turn + 1
                continue
            begin, turn = at + 1, 1
        if not has_jumped and bar.jumps & {"dacapo", "dalsegno"}:
            has_jumped = True
            at = segno if "dalsegno" in bar.jumps else 0
            continue
        at += 1
    return played


def _last_rounds(bars: Sequence[_Bar]) -> list[int]:
    """For each bar the last round of the endings that it stands among; 0 where it is no ending's."""
    found, last = [0] * len(bars), 0
    for at in range(len(bars) - 1, -1, -1):
        last = max(last, *bars[at].endings) if bars[at].endings else 0
        found[at] = last
    return found


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
