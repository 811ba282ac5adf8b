"""Read and write Standard MIDI Files (RP-001, types 0 and 1). mido reads the messages, and makes those of which there are few."""

import heapq
import io
import struct
from collections import defaultdict, deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import groupby
from operator import itemgetter
from pathlib import Path
from typing import Any

import mido

from dactyl.core.errors import PartError
from dactyl.core.parts import controls
from dactyl.core.parts.controls import CHANNEL_PRESSURE, CONTROLLER, KEY_PRESSURE, MOST_CONTROLS, Control
from dactyl.core.parts.curves import shifted
from dactyl.core.parts.part import Event, Part, Section
from dactyl.core.parts.structure import MOST_HITS, within_reach

DEFAULT_TEMPO = 500_000  # microseconds per beat, 120 bpm, where a file names none
MAX_BYTES = 16 * 1024 * 1024
MAX_NOTES = MOST_HITS
LARGEST_TEMPO = 0xFF_FFFF  # microseconds per beat, three bytes
FINEST_DIVISION = (1 << 15) - 1  # ticks per beat of a Standard MIDI File (RP-001, header chunk)
BEAT_UNITS = tuple(1 << power for power in range(8))  # the file keeps the power of two
CHUNK_HEAD = 8
MOST_DIGITS = 14
MOST_SHARED = 10 * MOST_CONTROLS  # values of controllers in all parts that the tracks of a file become


def read_midi(data: bytes, name: str) -> Part:
    """Return the part in ``data``, its tracks merged.

    raises : PartError if it is no MIDI file, of type 2, in SMPTE time, without a note, or beyond the limits above
    """
    file = _opened(data, name)
    return _part(file.tracks, file.ticks_per_beat, name)


def read_tracks(data: bytes, name: str) -> list[Part]:
    """Return one part for each track that holds notes, all under the tempo map of the whole. Raises as ``read_midi``."""
    file = _opened(data, name)
    whole, parts = _part(file.tracks, file.ticks_per_beat, name), []
    by_channel: dict[int, list[Control]] = defaultdict(
        list
    )  # a controller is its channel's, whichever track it stands in
    for one in whole.controls:
        by_channel[one.channel].append(one)
    shared_controls = 0
    for number, track in enumerate(file.tracks, start=1):
        if _has_notes(track):
            part = _part([track], file.ticks_per_beat, name)
            own_name = " ".join(track.name.split())[:80] or f"{whole.name[:76]} {number}"
            struck = {(event.note, event.channel) for event in part.events}
            near = heapq.merge(*(by_channel[channel] for channel in sorted({c for _, c in struck})), key=itemgetter(0))
            own = controls.of_hits(tuple(near), struck)
            shared_controls += len(own)
            if shared_controls > MOST_SHARED:
                raise PartError(f"{name} repeats its controllers for too many tracks. Read it as one part.")
            shared = {"tempos": whole.tempos, "meters": whole.meters, "sections": whole.sections, "controls": own}
            parts.append(replace(part, name=own_name, end_tick=whole.end_tick, **shared))
    return parts


def _has_notes(track: mido.MidiTrack) -> bool:
    return any(message.type == "note_on" and message.velocity for message in track)


def _opened(data: bytes, name: str) -> mido.MidiFile:
    if len(data) > MAX_BYTES:
        raise PartError(f"{name} is larger than {MAX_BYTES >> 20} MB; no drum part is. Export the drum track alone.")
    if not data.startswith(b"MThd"):
        raise PartError(f"{name} is not a MIDI file. Choose a .mid file of type 0 or 1.")
    if len(data) >= 14 and data[12] & 0x80:
        raise PartError(f"{name} counts in SMPTE frames, not in beats. Export it again with ticks per beat.")
    try:
        file = mido.MidiFile(file=io.BytesIO(_known_chunks(data)), clip=True)
    except Exception as problem:  # mido's reader raises whatever its parsing met: EOFError, IndexError, KeyError ...
        raise PartError(f"{name} is damaged or cut short and can't be read as MIDI. Export it again.") from problem
    if file.type == 2:
        raise PartError(f"{name} is of type 2 (separate patterns). Export it again as type 0 or 1.")
    if not file.ticks_per_beat:
        raise PartError(f"{name} says a beat has no ticks. Export it again.")
    return file


def _known_chunks(data: bytes) -> bytes:
    """The file without chunks that are neither its head nor tracks: RP-001 tells readers to pass over those."""
    kept, at = [], 0
    while at + CHUNK_HEAD <= len(data):
        kind, length = data[at : at + 4], int.from_bytes(data[at + 4 : at + CHUNK_HEAD], "big")
        if kind in (b"MThd", b"MTrk"):
            kept.append(data[at : at + CHUNK_HEAD + length])
        at += CHUNK_HEAD + length
    return b"".join(kept)


def _part(tracks: Sequence[mido.MidiTrack], ticks_per_beat: int, name: str) -> Part:
    read = _Read()
    for tick, number, message in _in_time(tracks):
        read.take(tick, number, message)
    if not read.notes:
        raise PartError(f"{name} holds no notes. Choose a file with a drum track.")
    part = Part(
        name=Path(name).stem[:80] or "Part",
        ticks_per_beat=ticks_per_beat,
        tempos=tuple(sorted(read.tempos.items())),
        events=read.events(),
        end_tick=max(read.tick if read.end is None else read.end, read.notes[-1][0] + 1),
        meters=tuple((tick, *meter) for tick, meter in sorted(read.meters.items())),
        sections=read.sections(),
        controls=tuple(read.controls),
    )
    return within_reach(part, name)


CONTROL_MESSAGES = {"control_change": CONTROLLER, "aftertouch": CHANNEL_PRESSURE, "polytouch": KEY_PRESSURE}


def _control(tick: int, message: mido.Message) -> Control:
    kind = CONTROL_MESSAGES[message.type]
    if kind == CONTROLLER:
        return Control(tick, kind, message.control, message.value, message.channel)
    return Control(tick, kind, message.note if kind == KEY_PRESSURE else 0, message.value, message.channel)


def control_message(one: Control) -> mido.Message:
    if one.kind == CONTROLLER:
        return mido.Message("control_change", control=one.number, value=one.value, channel=one.channel)
    if one.kind == KEY_PRESSURE:
        return mido.Message("polytouch", note=one.number, value=one.value, channel=one.channel)
    return mido.Message("aftertouch", value=one.value, channel=one.channel)


Placed = tuple[int, int, mido.Message | mido.MetaMessage]
"""The tick of a message, the number of its track, and itself."""


def _in_time(tracks: Sequence[mido.MidiTrack]) -> Iterator[Placed]:
    """The messages of all tracks by their time; of one tick those of the first track first, each in its own order."""
    return heapq.merge(*(_timed(track, number) for number, track in enumerate(tracks)), key=itemgetter(0, 1))


def _timed(track: mido.MidiTrack, number: int) -> Iterator[Placed]:
    tick = 0
    for message in track:
        tick += message.time
        yield tick, number, message


@dataclass(slots=True)
class _Off:
    place: int  # how many notes stand before it
    is_behind: bool  # a note of its own tick and track, which comes first (design rule 1)
    tick: int
    note: int
    channel: int
    ends: int | None  # the note that it ends


class _Read:
    """Collects the messages of one track, or of all of them in time."""

    def __init__(self) -> None:
        self.tick = 0
        self.end: int | None = None  # as our own files say it, where a note-off stands behind it
        self.tempos: dict[int, int] = {0: DEFAULT_TEMPO}
        self.meters: dict[int, tuple[int, int]] = {0: (4, 4)}
        self.markers: dict[int, str] = {}
        self.notes: list[list[int]] = []
        self.offs: list[_Off] = []
        self.controls: list[Control] = []
        self._open: dict[tuple[int, int], deque[int]] = defaultdict(deque)
        self._struck: dict[int, int] = {}  # track -> the tick of its last note

    def take(self, tick: int, track: int, message: mido.Message | mido.MetaMessage) -> None:
        self.tick = tick
        if message.type == "set_tempo":
            self.tempos[self.tick] = max(1, message.tempo)
        elif message.type == "time_signature":
            if message.denominator in BEAT_UNITS and message.numerator:
                self.meters[self.tick] = message.numerator, message.denominator
        elif message.type == "sequencer_specific":
            self.end = _end_in(message.data, self.end)
        elif message.type == "marker":
            self.markers[self.tick] = message.text
        elif message.type in CONTROL_MESSAGES:
            if len(self.controls) >= MOST_CONTROLS:
                raise PartError(
                    f"The file holds over {MOST_CONTROLS:,} values of controllers. Thin them out, or split it."
                )
            self.controls.append(_control(tick, message))
        elif message.type == "note_on" and message.velocity:
            if len(self.notes) >= MAX_NOTES:
                raise PartError(f"The file holds over {MAX_NOTES:,} notes, which is the most. Split it.")
            self._struck[track] = tick
            self._open[message.channel, message.note].append(len(self.notes))
            self.notes.append([self.tick, message.note, message.velocity, message.channel, 0])
        elif message.type in ("note_on", "note_off"):
            waiting = self._open[message.channel, message.note]
            ends = waiting.popleft() if waiting else None
            is_behind = self._struck.get(track) == tick
            if ends is not None and not is_behind:
                self.notes[ends][4] = tick - self.notes[ends][0]
            self.offs.append(_Off(len(self.notes), is_behind, tick, message.note, message.channel, ends))

    def events(self) -> tuple[Event, ...]:
        """Notes with their lengths, and the note-offs that no length says: of no note, or behind others of their tick."""
        kept = [off for off in self.offs if off.is_behind or off.ends is None or not self.notes[off.ends][4]]
        placed = [(place, 1, Event(*note)) for place, note in enumerate(self.notes)]
        placed += [(off.place, 0, Event(off.tick, off.note, 0, off.channel)) for off in kept]
        return numbered([event for *_, event in sorted(placed, key=lambda each: each[:2])])

    def sections(self) -> tuple[Section, ...]:
        """A marker names what follows it, up to the next."""
        ticks = sorted(self.markers)
        ends = [*ticks[1:], max(self.tick, ticks[-1] + 1)] if ticks else []
        named = ((start, end, self.markers[start].strip()[:60]) for start, end in zip(ticks, ends, strict=True))
        return tuple(Section(start, end, name) for start, end, name in named if name)


def numbered(events: Sequence[Event]) -> tuple[Event, ...]:
    """Events in their order, each with its number among those of its tick."""
    return tuple(
        event if event.order == order else event._replace(order=order)
        for _, group in groupby(events, lambda event: event.tick)
        for order, event in enumerate(group)
    )


# Writing --------------------------------------------------------------------------------------------------------------


Timed = tuple[int, bytes]
"""The tick of a message, and its bytes."""

NOTE_ON, SYSTEM = 0x90, 0xF0  # first bytes of messages (MIDI 1.0): of notes, and from which on they are no channel's

OUR_OWN = 0x7D  # a manufacturer's number for what is not for sale (RP-001; MIDI 1.0, table of identifiers)
END_OF_PART = b"end "


def _end_mark(part: Part) -> list[Timed]:
    """The part's end, where a hit's length or a controller reaches over it and the file ends later."""
    last = max((event.tick + event.length_ticks for event in part.events), default=0)
    last = max(last, part.controls[-1].tick if part.controls else 0)
    data = (OUR_OWN, *END_OF_PART, *str(part.end_tick).encode())
    return [(0, _meta("sequencer_specific", data=data))] if last > part.end_tick else []


def _end_in(data: Sequence[int], otherwise: int | None) -> int | None:
    own = bytes(byte & 0xFF for byte in data)
    ours = bytes([OUR_OWN]) + END_OF_PART
    text = own.removeprefix(ours)
    return int(text) if own.startswith(ours) and text.isdigit() and len(text) < MOST_DIGITS else otherwise


def write_midi(part: Part, *, tracks: Callable[[Event], str] | None = None) -> bytes:
    """The part as a Standard MIDI File; it reads back to the same hits.

    tracks : the name of the track that an event belongs to; the file is then of type 1, its first track holding
        tempo, meter and markers. By default it is of type 0.
    """
    part = as_fine_as_files(part)
    if tracks is None:
        written = [_track(_merged(_about(part), _merged(_said(part), _played(part))), part.name, part.end_tick)]
    else:
        by_name: dict[str, list[Event]] = {}
        for event in part.events:
            by_name.setdefault(tracks(event), []).append(event)
        written = [_track(_merged(_about(part), iter(_said(part))), part.name, part.end_tick)]
        for name, events in by_name.items():
            own = replace(part, events=tuple(events))
            written.append(_track(_played(own), name, part.end_tick))
    head = struct.pack(">HHH", int(tracks is not None), len(written), part.ticks_per_beat)
    return b"".join(_chunk(*each) for each in [(b"MThd", head), *((b"MTrk", track) for track in written)])


def _chunk(kind: bytes, data: bytes) -> bytes:
    return kind + struct.pack(">I", len(data)) + data


def as_fine_as_files(part: Part) -> Part:
    """The part at ticks that a file can name: its division has 15 bits, a part from a recording may be finer."""
    by = -(-part.ticks_per_beat // FINEST_DIVISION)
    if by == 1:
        return part
    while part.ticks_per_beat % by:
        by += 1

    def to(tick: int) -> int:
        return (2 * tick + by) // (2 * by)

    last = max(0, to(part.loop_ticks) - 1)
    return replace(
        part,
        ticks_per_beat=part.ticks_per_beat // by,
        tempos=tuple((to(tick), tempo) for tick, tempo in part.tempos),
        meters=tuple((to(tick), *meter) for tick, *meter in part.meters),
        sections=tuple(replace(one, start_tick=to(one.start_tick), end_tick=to(one.end_tick)) for one in part.sections),
        events=tuple(
            event._replace(
                tick=min(to(event.tick), last) if event.velocity else to(event.tick),
                length_ticks=to(event.length_ticks),
                played_tick=to(event.played),
            )
            for event in part.events
        ),
        curves=shifted(part.curves, to),
        controls=controls.shifted(part.controls, to),
        end_tick=max(1, to(part.end_tick)),
    )


def _about(part: Part) -> list[Timed]:
    """Tempo, meter and markers, in time order."""
    timed: list[Timed] = [
        (tick, _meta("time_signature", numerator=min(beats, 255), denominator=unit))
        for tick, beats, unit in part.meters
    ]
    timed += [(tick, _meta("set_tempo", tempo=min(tempo, LARGEST_TEMPO))) for tick, tempo in part.tempos]
    timed += _end_mark(part)
    timed += [(section.start_tick, _meta("marker", text=_latin(section.name))) for section in part.sections]
    return sorted(((tick, message) for tick, message in timed if tick <= part.end_tick), key=lambda pair: pair[0])


def _played(part: Part) -> Iterator[Timed]:
    """Note-ons and note-offs in their order."""
    for tick, note, velocity, channel in part.messages():
        yield tick, bytes((NOTE_ON | channel, note, velocity))


def _said(part: Part) -> list[Timed]:
    """Controllers and aftertouch as they came."""
    return [(one.tick, bytes(control_message(one).bytes())) for one in part.controls]


def _merged(about: list[Timed], played: Iterator[Timed]) -> Iterator[Timed]:
    """What tells about the part stands before the notes of its tick."""
    waiting = deque(about)
    for tick, message in played:
        while waiting and waiting[0][0] <= tick:
            yield waiting.popleft()
        yield tick, message
    yield from waiting


def _track(messages: Iterable[Timed], name: str, end_tick: int) -> bytes:
    """The bytes of a track, with running status: a message like the one before leaves its first byte out."""
    data, now, running = bytearray(b"\0" + _meta("track_name", name=_latin(name))), 0, 0
    for tick, message in messages:
        data += _delta(tick - now)
        status = message[0]
        data += message[1:] if status == running else message
        running = status if status < SYSTEM else 0
        now = tick
    return bytes(data + _delta(max(0, end_tick - now)) + _meta("end_of_track"))


def _meta(kind: str, **said: Any) -> bytes:
    return bytes(mido.MetaMessage(kind, **said).bytes())


@lru_cache(maxsize=4096)
def _delta(ticks: int) -> bytes:
    """A variable-length quantity: seven bits a byte, the first bit of all but the last is set. raises : ValueError below 0"""
    if ticks < 0:
        raise ValueError("a message stands before the one that it follows")
    found = [ticks & 0x7F]
    while ticks := ticks >> 7:
        found.append(ticks & 0x7F | 0x80)
    return bytes(reversed(found))


def _latin(text: str) -> str:
    """Text as the file can hold it (mido writes latin-1)."""
    return text.encode("latin-1", "replace").decode("latin-1")
