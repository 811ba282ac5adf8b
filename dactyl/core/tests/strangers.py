"""Files as strangers make them: whole ones of every kind that is read, and broken ones made of them by chance."""

import io
import json
import random
import re
import tempfile
import traceback
import xml.etree.ElementTree as ET
import zipfile
from collections.abc import Callable, Iterator
from copy import deepcopy
from dataclasses import dataclass, replace
from functools import cache, partial
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from dactyl.core.bounce.order import BounceOrder
from dactyl.core.bounce.source import LineupSource, open_played
from dactyl.core.errors import DactylError
from dactyl.core.formats.curves import read_curves, write_curves
from dactyl.core.formats.lineup import portable_lineup, write_lineup
from dactyl.core.formats.midi import read_midi, read_tracks, write_midi
from dactyl.core.formats.midi_names import read_names, write_names
from dactyl.core.formats.musicxml.read import read_musicxml
from dactyl.core.formats.musicxml.write import STANDARD, packed, write_musicxml
from dactyl.core.formats.package import name_samples, portable, samples_of, write_package
from dactyl.core.lineup import Lineup, Member
from dactyl.core.parts.curves import Curve
from dactyl.core.parts.part import Event, Part, Section
from dactyl.core.play.compile import compile_kit
from dactyl.core.tests.bounds import bounded
from dactyl.core.tests.test_soundfonts import font
from dactyl.core.wave.read import read_blocks, read_sound
from dactyl.core.wave.tags import read_tags

RATE, SHORT_BARS = 48_000, 500
KEPT = Path(__file__).with_name("broken")
"""Files that once broke a reader, each under the reader's name."""

PART = Part(
    name="Quay", ticks_per_beat=96,
    events=tuple(Event(24 * n, (36, 42, 38, 46)[n % 4], 20 + 5 * n, length_ticks=12) for n in range(20)),
    tempos=((0, 500_000), (192, 480_000)), meters=((0, 4, 4), (384, 7, 8)), end_tick=576,
    sections=(Section(0, 384, "Verse"), Section(384, 576, "Out")),
    curves=(Curve("output:Main", "gain_db", points=((0, -6.0), (96, 0.0), (480, -12.5))),),
)  # fmt: skip

SFZ = """<control> default_path=./ note_offset=0 #define $HAT 42
<global> ampeg_release=0.2 loop_mode=one_shot
<master> volume=-3
<group> group=1 off_by=1 off_mode=normal seq_length=2
<region> key=$HAT sample=a.wav lovel=1 hivel=80 seq_position=1 tune=12 pan=-20
<region> key=$HAT sample=a.wav lovel=81 hivel=127 seq_position=2 offset=10 end=300
<region> key=46 group=1 sample=a.wav amp_veltrack=80 fil_type=lpf_2p cutoff=4000 fil_veltrack=1200
<group> lokey=36 hikey=38 pitch_keycenter=36 pitch_keytrack=50
<region> sample=a.wav xfin_lovel=20 xfin_hivel=60 amp_velcurve_64=0.3 delay=0.01 lorand=0 hirand=0.5
"""


@dataclass(frozen=True)
class Reader:
    file: str  # its name, by which it is known what it is
    whole: Callable[[], bytes]
    read: Callable[[Path], None]
    within: Callable[[bytes], bytes] = bytes  # what is broken may be in a package
    form: str = ""  # "json" or "xml": broken as a tree too, so that it can still be parsed


def _wave() -> bytes:
    data = io.BytesIO()
    soundfile.write(data, np.linspace(-0.5, 0.5, 400), RATE, "PCM_16", format="WAV")
    return data.getvalue()


def _encoded(format: str, subtype: str) -> Callable[[], bytes]:
    def whole() -> bytes:
        data = io.BytesIO()
        sound = np.random.default_rng(3).uniform(-0.4, 0.4, (600, 2))
        soundfile.write(data, sound, RATE, subtype, format=format)
        return data.getvalue()

    return whole


def _opened(path: Path) -> None:
    """Whatever it holds is read, and made ready to be played."""
    with open_played(path) as source:
        source.check(skip_bad=True)
        source.compile(RATE, BounceOrder(bits="16"), seed=1)
        if not isinstance(source, LineupSource):
            compile_kit(source.kit()[0], RATE)


def _played(part: Part) -> None:
    """What is done with any part: its seconds are counted, and it is written."""
    seconds = part.seconds()
    assert all(np.isfinite(seconds(event.tick)) for event in part.events)
    write_midi(part)
    if part.bars < SHORT_BARS:  # a score of thousands of empty bars is long, and no fault of the reader's
        write_musicxml(part, STANDARD)


def _midi(path: Path) -> None:
    _played(read_midi(path.read_bytes(), path.name))
    read_tracks(path.read_bytes(), path.name)


def _score(path: Path) -> None:
    _played(read_musicxml(path.read_bytes(), path.name))


def _heard(path: Path) -> None:
    read_tags(path)
    sound = read_sound(path)
    for _ in read_blocks(path, 0, sound.audio.shape[1]):
        pass


@cache
def _package(of: str) -> bytes:
    """A package of a kit, or of a lineup of two."""
    with tempfile.TemporaryDirectory() as folder:
        wave, sfz, target = (Path(folder) / name for name in ("a.wav", "Quay.sfz", "Quay.zip"))
        wave.write_bytes(_wave())
        sfz.write_text(SFZ)
        with open_played(sfz) as source:
            source.check(skip_bad=False)
            kit, _ = source.kit()
            names = name_samples(source.names())
        files = dict.fromkeys(samples_of(kit), wave)
        if of == "kit":
            write_package(target, portable(kit), names, files, "")
        else:
            one, other = [pad for _, pad in kit.pads()][:2]
            members = (Member(kit=kit), Member(kit=replace(kit, name="Pier"), notes=((36, 38),)))
            write_lineup(
                target,
                portable_lineup(Lineup(name="Both", members=members, links=((0, one.id, 1, other.id, 0.5),))),
                names,
                files,
            )
        return target.read_bytes()


def _described(of: str) -> bytes:
    """The JSON of such a package."""
    with zipfile.ZipFile(io.BytesIO(_package(of))) as archive:
        return archive.read(f"{of}.json")


def _packed(of: str, described: bytes) -> bytes:
    """Such a package with another JSON in it."""
    data = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(_package(of))) as whole, zipfile.ZipFile(data, "w") as archive:
        for name in whole.namelist():
            archive.writestr(name, described if name == f"{of}.json" else whole.read(name))
    return data.getvalue()


def _beside_its_sample(path: Path) -> None:
    path.with_name("a.wav").write_bytes(_wave())
    _opened(path)


READERS = {
    "sfz": Reader("Quay.sfz", SFZ.encode, _beside_its_sample),
    "soundfont": Reader("Quay.sf2", font, _opened),
    "package": Reader("Quay.zip", partial(_package, "kit"), _opened),
    "kit": Reader("Quay.zip", partial(_described, "kit"), _opened, partial(_packed, "kit"), "json"),
    "lineup": Reader("Quay.zip", partial(_described, "lineup"), _opened, partial(_packed, "lineup"), "json"),
    "midi": Reader("Quay.mid", partial(write_midi, PART), _midi),
    "score": Reader("Quay.musicxml", partial(write_musicxml, PART, STANDARD), _score, form="xml"),
    "packed score": Reader("Quay.mxl", lambda: packed(write_musicxml(PART, STANDARD)), _score),
    "score in a packed one": Reader("Quay.mxl", partial(write_musicxml, PART, STANDARD), _score, packed, "xml"),
    "automation": Reader("Quay.json", partial(write_curves, PART), lambda path: _played(read_curves(path.read_bytes(), "x", PART)), form="json"),
    "note names": Reader("Quay.midnam", partial(write_names, "Quay", {36: "Kick", 38: "Snare & rim"}), lambda path: read_names(path.read_bytes(), "x") and None, form="xml"),
    "wave": Reader("a.wav", _wave, _heard),
    "flac": Reader("a.flac", _encoded("FLAC", "PCM_24"), _heard),
    "aiff": Reader("a.aif", _encoded("AIFF", "PCM_16"), _heard),
    "ogg": Reader("a.ogg", _encoded("OGG", "VORBIS"), _heard),
}  # fmt: skip

NUMBERS = ["0", "-1", "1", "127", "128", "65536", "2147483648", "99999999999999999999", "1e300", "-1e300", "0.5", "nan", "inf", "", "x", "1/3"]  # fmt: skip
WORDS = [0, 1, 0x7F, 0x80, 0xFF, 0x7FFF, 0x8000, 0xFFFF, 0x7FFFFFFF, 0x80000000, 0xFFFFFFFF]


def broken(whole: bytes, dice: random.Random, form: str = "") -> bytes:
    """The file after one to four of the things that happen to files, on the way or on purpose."""
    if form and dice.random() < 0.7:
        return BY_TREE[form](whole, dice)
    data = bytearray(whole)
    for _ in range(dice.randint(1, 4)):
        at = dice.randrange(len(data) + 1)
        span = min(len(data) - at, dice.choice([1, 2, 4, 16, 64, 500]))
        dice.choice(HAPPENINGS)(data, at, span, dice)
    return bytes(data)


def _json_by_tree(whole: bytes, dice: random.Random) -> bytes:
    """Values changed, gone, twice, or put where others stood."""
    root = json.loads(whole)
    for _ in range(dice.randint(1, 3)):
        if not (holders := list(_holders(root))):
            break
        holder, key = dice.choice(holders)
        other, place = dice.choice(holders)
        kind = dice.randrange(6)
        if kind == 0:
            del holder[key]
        elif kind == 1 and isinstance(holder, list):
            holder.insert(key, holder[key])
        elif kind == 2:
            holder[key] = deepcopy(other[place])
        elif kind == 3 and isinstance(holder, dict):
            holder[dice.choice(["id", "name", "x", "__class__"])] = holder.pop(key)
        else:
            holder[key] = deepcopy(dice.choice(VALUES))
    return json.dumps(root).encode()


def _holders(value: Any) -> Iterator[tuple[Any, Any]]:
    """Each place in a tree, as what holds it and its key there."""
    for key, inner in list(value.items() if isinstance(value, dict) else enumerate(value)):
        yield value, key
        if isinstance(inner, dict | list):
            yield from _holders(inner)


def _xml_by_tree(whole: bytes, dice: random.Random) -> bytes:
    """Elements gone, twice, moved, of another name, with other text or another attribute."""
    root = ET.fromstring(whole)
    for _ in range(dice.randint(1, 4)):
        parent = dice.choice([one for one in root.iter() if len(one)] or [root])
        one = dice.choice(list(parent) or [root])
        kind = dice.randrange(6)
        if kind == 0 and one is not root:
            parent.remove(one)
        elif kind == 1:
            parent.insert(dice.randrange(len(parent) + 1), deepcopy(one))
        elif kind == 2:
            dice.choice(list(root.iter())).append(deepcopy(one))
        elif kind == 3:
            one.tag = dice.choice(list(root.iter())).tag
        elif kind == 4 and one.attrib:
            one.set(dice.choice(sorted(one.attrib)), dice.choice(NUMBERS))
        else:
            one.text = dice.choice(NUMBERS)
    return ET.tostring(root)


VALUES = [None, True, 0, -1, 1, 127, 128, 2**31, 2**63, 10**30, 1e300, -1e300, 0.5, 1e-300, "", "x", "é" * 300, [], {}, [[]], [0] * 300]  # fmt: skip
BY_TREE = {"json": _json_by_tree, "xml": _xml_by_tree}


def _flip(data: bytearray, at: int, span: int, dice: random.Random) -> None:
    for place in range(at, min(at + 4, at + span)):
        data[place] ^= 1 << dice.randrange(8)


def _extreme(data: bytearray, at: int, span: int, dice: random.Random) -> None:
    width, order = dice.choice([1, 2, 4]), dice.choice(["little", "big"])
    data[at : at + width] = (dice.choice(WORDS) & (1 << 8 * width) - 1).to_bytes(width, order)


def _cut(data: bytearray, at: int, span: int, dice: random.Random) -> None:
    del data[at : at + span]


def _end(data: bytearray, at: int, span: int, dice: random.Random) -> None:
    del data[at:]


def _repeat(data: bytearray, at: int, span: int, dice: random.Random) -> None:
    data[at:at] = bytes(data[at : at + span]) * dice.choice([1, 2, 50])


def _noise(data: bytearray, at: int, span: int, dice: random.Random) -> None:
    data[at:at] = dice.randbytes(span)


def _move(data: bytearray, at: int, span: int, dice: random.Random) -> None:
    piece = bytes(data[at : at + span])
    del data[at : at + span]
    to = dice.randrange(len(data) + 1)
    data[to:to] = piece


def _number(data: bytearray, at: int, span: int, dice: random.Random) -> None:
    """Another number in the place of one of a text."""
    if found := re.compile(rb"-?\d[\d.]*").search(data, at):
        data[found.start() : found.end()] = dice.choice(NUMBERS).encode()


def _line(data: bytearray, at: int, span: int, dice: random.Random) -> None:
    """A line of a text, or an element, is there twice, or in another place."""
    lines = re.split(rb"(?<=[\n>])", bytes(data))
    one = dice.randrange(len(lines))
    line = lines[one] if dice.random() < 0.5 else lines.pop(one)
    lines.insert(dice.randrange(len(lines) + 1), line)
    data[:] = b"".join(lines)


HAPPENINGS = [_flip, _extreme, _cut, _end, _repeat, _noise, _move, _number, _number, _line]


def fault_of(name: str, data: bytes, folder: Path) -> str:
    """What is wrong with how a reader takes a file; empty where it is read, or refused in our own words."""
    reader = READERS[name]
    path = folder / reader.file
    path.write_bytes(reader.within(data))
    try:
        with bounded():
            reader.read(path)
    except DactylError as error:
        return "" if str(error).strip() else "an error without a word"
    except Exception as problem:
        where = traceback.extract_tb(problem.__traceback__)[-1]
        return f"{type(problem).__name__}: {str(problem)[:100]} at {Path(where.filename).name}:{where.lineno}"
    return ""


def mutated(name: str, seed: int) -> bytes:
    reader = READERS[name]
    return broken(reader.whole(), random.Random(f"{name} {seed}"), reader.form)
