"""Writes of parts."""

from dataclasses import asdict

from dactyl.core.formats.midi import read_midi
from dactyl.core.parts.part import Part as PartValue
from dactyl.parts.models import Part


def add_midi(data: bytes, filename: str) -> Part:
    """Read a MIDI file as a new part. Raises PartError."""
    return add_part(read_midi(data, filename))


def add_part(value: PartValue) -> Part:
    fields = asdict(value)
    fields["notes"] = [[n.tick, n.note, n.velocity, n.channel, n.length_ticks] for n in value.notes]
    fields["offs"] = [[off.place, off.tick, off.note, off.channel] for off in value.offs]
    return Part.objects.create(**fields)
