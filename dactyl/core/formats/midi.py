"""Read a Standard MIDI File (RP-001, types 0 and 1) as a part. mido reads the bytes."""

import io
from collections import defaultdict, deque
from collections.abc import Iterator
from pathlib import Path

import mido

from dactyl.core.errors import PartError
from dactyl.core.parts.part import Note, Off, Part

DEFAULT_TEMPO = 500_000  # microseconds per beat, 120 bpm, where a file names none
MAX_BYTES = 16 * 1024 * 1024
MAX_NOTES = 200_000
MAX_SECONDS = 4 * 3600


def read_midi(data: bytes, name: str) -> Part:
    """Return the part in ``data``.

    raises : PartError if it is no MIDI file, of type 2, in SMPTE time, without a note, or beyond the limits above
    """
    if len(data) > MAX_BYTES:
        raise PartError(f"{name} is larger than {MAX_BYTES >> 20} MB; no drum part is. Export the drum track alone.")
    if not data.startswith(b"MThd"):
        raise PartError(f"{name} is not a MIDI file. Choose a .mid file of type 0 or 1.")
    if len(data) >= 14 and data[12] & 0x80:
        raise PartError(f"{name} counts in SMPTE frames, not in beats. Export it again with ticks per beat.")
    try:
        file = mido.MidiFile(file=io.BytesIO(data), clip=True)
        messages = list(mido.merge_tracks(file.tracks))
    except Exception as problem:  # mido's reader raises whatever its parsing met: EOFError, IndexError, KeyError ...
        raise PartError(f"{name} is damaged or cut short and can't be read as MIDI. Export it again.") from problem
    if file.type == 2:
        raise PartError(f"{name} is of type 2 (separate patterns). Export it again as type 0 or 1.")
    if not file.ticks_per_beat:
        raise PartError(f"{name} says a beat has no ticks. Export it again.")
    return _part(messages, file.ticks_per_beat, name)


def _part(messages: list, ticks_per_beat: int, name: str) -> Part:
    tick, meter = 0, (4, 4)
    tempos: dict[int, int] = {0: DEFAULT_TEMPO}
    notes: list[list[int]] = []
    offs: list[Off] = []
    open_notes: dict[tuple[int, int], deque[int]] = defaultdict(deque)
    is_first_meter = True
    for message in messages:
        tick += message.time
        if message.type == "set_tempo":
            tempos[tick] = max(1, message.tempo)
        elif message.type == "time_signature" and is_first_meter:
            meter, is_first_meter = (max(1, message.numerator), max(1, message.denominator)), False
        elif message.type == "note_on" and message.velocity:
            open_notes[message.channel, message.note].append(len(notes))
            notes.append([tick, message.note, message.velocity, message.channel, 0])
        elif message.type in ("note_on", "note_off"):
            offs.append(Off(len(notes), tick, message.note, message.channel))
            if open_notes[message.channel, message.note]:
                begun = notes[open_notes[message.channel, message.note].popleft()]
                begun[4] = tick - begun[0]
    if not notes:
        raise PartError(f"{name} holds no notes. Choose a file with a drum track.")
    if len(notes) > MAX_NOTES:
        raise PartError(f"{name} holds {len(notes):,} notes; {MAX_NOTES:,} is the most. Split it.")
    part = Part(
        name=Path(name).stem[:80] or "Part",
        ticks_per_beat=ticks_per_beat,
        tempos=tuple(sorted(tempos.items())),
        notes=tuple(Note(*note) for note in notes),
        end_tick=tick,
        offs=tuple(offs),
        beats_per_bar=meter[0],
        beat_unit=meter[1],
    )
    if part.seconds_at(part.end_tick) > MAX_SECONDS:
        raise PartError(f"{name} lasts over {MAX_SECONDS // 3600} hours. Split it.")
    return part


def write_midi(part: Part) -> bytes:
    """The part as a Standard MIDI File of type 0; it reads back to the same hits."""
    events: list[tuple[int, int, mido.Message | mido.MetaMessage]] = []
    for tick, tempo in part.tempos:
        events.append((tick, 0, mido.MetaMessage("set_tempo", tempo=min(tempo, 0xFF_FFFF))))
    meter = mido.MetaMessage("time_signature", numerator=min(part.beats_per_bar, 255), denominator=part.beat_unit)
    events.append((0, 0, meter))
    ordered = sorted(events, key=lambda event: event[0])
    track, now = mido.MidiTrack([mido.MetaMessage("track_name", name=part.name.encode("ascii", "replace").decode())]), 0
    pending = iter([*ordered, (1 << 60, 0, None)])
    coming = next(pending)
    for tick, message in _played(part):
        while coming[0] <= tick:
            track.append(coming[2].copy(time=coming[0] - now))
            now, coming = coming[0], next(pending)
        track.append(message.copy(time=tick - now))
        now = tick
    while coming[2] is not None:
        track.append(coming[2].copy(time=coming[0] - now))
        now, coming = coming[0], next(pending)
    track.append(mido.MetaMessage("end_of_track", time=max(0, part.end_tick - now)))
    data = io.BytesIO()
    mido.MidiFile(type=0, ticks_per_beat=part.ticks_per_beat, tracks=[track]).save(file=data)
    return data.getvalue()


def _played(part: Part) -> Iterator[tuple[int, mido.Message]]:
    """Note-ons and note-offs in their order."""
    for tick, note, velocity, channel in part.events():
        yield tick, mido.Message("note_on", note=note, velocity=velocity, channel=channel)
