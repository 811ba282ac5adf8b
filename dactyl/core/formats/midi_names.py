"""MIDI name documents: names of notes in XML (MIDI Association, "MIDI Names, Device Types and Master Device Extension").

Written is one device with one list of note names on channel 10; read are all note names of the first list, or of all
lists where no note is named twice.
"""

import xml.etree.ElementTree as ET
from collections.abc import Mapping

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

from dactyl.core.errors import KitFileError
from dactyl.core.formats.notes import note_in

MAX_BYTES = 1 << 20
CHANNEL = 10
DOCTYPE = (
    '<!DOCTYPE MIDINameDocument PUBLIC "-//MIDI Manufacturers Association//DTD MIDINameDocument 1.0//EN" '
    '"http://www.midi.org/dtds/MIDINameDocument10.dtd">'
)


def write_names(title: str, names: Mapping[int, str]) -> bytes:
    document = ET.Element("MIDINameDocument")
    ET.SubElement(document, "Author").text = "Dactyl"
    device = ET.SubElement(document, "MasterDeviceNames")
    ET.SubElement(device, "Manufacturer").text = "Dactyl"
    ET.SubElement(device, "Model").text = title
    mode = ET.SubElement(device, "CustomDeviceMode", Name=title)
    given = ET.SubElement(mode, "ChannelNameSetAssignments")
    ET.SubElement(given, "ChannelNameSetAssign", Channel=str(CHANNEL), NameSet=title)
    name_set = ET.SubElement(device, "ChannelNameSet", Name=title)
    channels = ET.SubElement(name_set, "AvailableForChannels")
    ET.SubElement(channels, "AvailableChannel", Channel=str(CHANNEL), Available="true")
    ET.SubElement(name_set, "UsesNoteNameList", Name=title)
    listed = ET.SubElement(device, "NoteNameList", Name=title)
    for note, name in sorted(names.items()):
        ET.SubElement(listed, "Note", Number=str(note), Name=name)
    ET.indent(document)
    return (
        f'<?xml version="1.0" encoding="UTF-8"?>\n{DOCTYPE}\n'.encode()
        + ET.tostring(document, encoding="utf-8")
        + b"\n"
    )


def read_names(data: bytes, file: str) -> dict[int, str]:
    """Names by note, 0 to 127. raises : KitFileError"""
    if len(data) > MAX_BYTES:
        raise KitFileError("It is no list of note names.", "Choose a MIDI name document.", file=file)
    try:
        document = fromstring(data)
    except DefusedXmlException:  # words of its own, or of other files
        raise KitFileError("It is no list of note names.", "Choose a MIDI name document.", file=file) from None
    except (ET.ParseError, ValueError, LookupError) as problem:
        line = getattr(problem, "position", (0, 0))[0]
        raise KitFileError("It is not whole XML.", "Export it again.", file=file, line=line) from None
    if document.tag != "MIDINameDocument":
        raise KitFileError("It is no MIDI name document.", "Choose another file.", file=file)
    names: dict[int, str] = {}
    for note in document.iter("Note"):
        number, name = note.get("Number", ""), (note.get("Name") or "").strip()
        if (known := note_in(number)) is not None and name:
            names.setdefault(known, name[:120])
    if not names:
        raise KitFileError("It names no notes.", "Choose another file.", file=file)
    return names
