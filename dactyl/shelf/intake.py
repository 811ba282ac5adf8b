"""One incoming file at a time: what it is, and what it sounds like. No database here."""

import hashlib
import zlib
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path, PurePosixPath

from dactyl.core.audio.measure import Measure, measure
from dactyl.core.audio.overview import overview
from dactyl.core.errors import AudioError, DactylError, KitFileError
from dactyl.core.formats.unzip import copy_member, opened_zip
from dactyl.core.stack.kind import guess_kind
from dactyl.core.wave.read import MAX_MICS, SUFFIXES, Sound, read_sound
from dactyl.core.wave.tags import Tags, read_tags
from dactyl.core.wave.write import split_channels
from dactyl.shelf import store


class SeveralMics(DactylError):
    """A file of more than two channels: each is a mic, and comes in as a sample of its own."""


@dataclass(frozen=True, slots=True)
class MeasuredFile:
    """All that is known of a good file."""

    sha256: str
    sound_hash: str
    size_bytes: int
    sound_frames: int
    rate_hz: int
    channels: int
    format: str
    measured: Measure
    tags: Tags
    kind: str
    is_guessed: bool  # only its sound says so
    overview: bytes


@dataclass(frozen=True, slots=True)
class Unpacked:
    name: str
    folder: str
    stored_as: str = ""
    reason: str = ""


def split_path(path: str) -> tuple[str, str]:
    """``"Snare/close/v1.wav" -> ("v1.wav", "Snare/close")``: evidence only, shortened to what the rows hold."""
    parts = [
        part for part in PurePosixPath(path.replace("\\", "/").replace("\0", "")).parts if part not in ("/", "..", ".")
    ]
    return (parts[-1] if parts else "unnamed")[-255:], "/".join(parts[:-1])[-500:]


def why_not_sound(name: str) -> str:
    """A reason to leave a file out for its name alone, or nothing."""
    suffix = PurePosixPath(name).suffix.lower()
    if suffix in SUFFIXES:
        return ""
    if suffix in (".mid", ".midi"):
        return "It is a MIDI file: read it on the Part page."
    if suffix == ".zip":
        return "A zip inside a zip is not opened: unpack it first."
    return (
        f"{suffix or 'A file without an ending'} is not a sound file's ending; WAV, AIFF, FLAC, OGG and MP3 are read."
    )


def hear(stored_as: str, name: str, folder: str) -> MeasuredFile:
    """Hash, decode and measure an incoming file and give it its final name. Raises AudioError."""
    path = store.incoming_folder() / stored_as
    sha256 = _hash(path)
    try:
        sound = read_sound(path, max_channels=MAX_MICS)
    except MemoryError as problem:
        raise AudioError("It is too large to decode here.") from problem
    if sound.channels > 2:
        raise SeveralMics(f"It has {sound.channels} channels.")
    measured, drawn, tags = measure(sound.audio, sound.rate_hz), overview(sound.audio), read_tags(path)
    kind, is_guessed = guess_kind(name, folder, measured)
    store.adopt(stored_as, sha256)
    return MeasuredFile(
        sha256=sha256,
        sound_hash=_sound_hash(sound, measured, drawn),
        size_bytes=path.stat().st_size,
        sound_frames=sound.frames,
        rate_hz=sound.rate_hz,
        channels=sound.channels,
        format=sound.format,
        measured=measured,
        tags=tags,
        kind=kind,
        is_guessed=is_guessed,
        overview=drawn,
    )


def channels_of(stored_as: str, name: str, folder: str) -> Iterator[Unpacked]:
    """The channels of a file as files of their own: "tom (mic 1).wav", "tom (mic 2).wav", ..."""
    stem = PurePosixPath(name).stem
    for number, data in enumerate(split_channels(store.incoming_folder() / stored_as), start=1):
        stored = store.receive(lambda out, data=data: out.write(data))
        yield Unpacked(f"{stem} (mic {number}).wav", folder, stored_as=stored)


def _hash(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _sound_hash(sound: Sound, measured: Measure, drawn: bytes) -> str:
    """Equal for equal decoded sound: a checksum of all its values, with what was measured and drawn of it."""
    measured = replace(measured, polarity=0)  # as it stood in the hashes of the first samples
    known = f"{sound.rate_hz} {sound.audio.shape} {zlib.crc32(sound.audio)} {measured}".encode()
    return hashlib.blake2b(known + drawn, digest_size=16).hexdigest()


def unpack(stored_as: str, *, max_files: int, max_bytes: int, max_file_bytes: int) -> Iterator[Unpacked]:
    """Yield the files of an incoming zip, each received as an incoming file or refused with its reason.

    Names inside are never used as paths. raises : KitFileError before anything is unpacked if the zip is
    damaged or declares more than the limits; while unpacking, when a member turns out to lie about its size
    """
    path = store.incoming_folder() / stored_as
    with opened_zip(path, "The zip", max_files=max_files, max_bytes=max_bytes) as (archive, members):
        store.refuse_without_room(sum(member.file_size for member in members), "The zip")
        for member in members:
            name, folder = split_path(member.filename)
            if name.startswith(".") or folder.startswith("__MACOSX"):
                continue
            reason = why_not_sound(name)
            if not reason and member.flag_bits & 1:
                reason = "It is locked with a password: unpack the zip first."
            if not reason and member.file_size > max_file_bytes:
                reason = f"It is larger than {max_file_bytes >> 20} MB."
            if reason:
                yield Unpacked(name, folder, reason=reason)
                continue
            try:
                yield Unpacked(
                    name, folder, stored_as=store.receive(partial(copy_member, archive, member, name="The zip"))
                )
            except KitFileError:
                yield Unpacked(name, folder, reason="It is damaged inside the zip and could not be unpacked.")
