"""What each verb of ``dactyl`` takes. Nothing heavy is imported here: help and refusals come at once."""

import argparse
from collections.abc import Sequence
from itertools import takewhile
from pathlib import Path

from dactyl.core.units import DEPTHS

PART_HELP = "a MIDI file of type 0 or 1, or a score in MusicXML"
KIT_HELP = "an .sfz file, a kit package, a zip of an SFZ and its samples, or a SoundFont (.sf2)"


def parse(arguments: Sequence[str] | None) -> argparse.Namespace:
    """Options may stand between the files of a bounce."""
    asked, more = parser().parse_known_args(arguments)
    if asked.verb == "bounce" and not any(word.startswith("-") for word in more):
        asked.files = [*asked.files, *getattr(asked, "behind", ()), *map(Path, more)]
    elif more:
        parser().error(f"unrecognized arguments: {' '.join(more)}")
    if asked.verb == "bounce" and len(asked.files) < 2:
        parser().error("bounce wants a kit, or several, and then a part")
    return asked


def parser() -> argparse.ArgumentParser:
    top = argparse.ArgumentParser(prog="dactyl", description="A workshop for sampled drum kits.")
    verbs = top.add_subparsers(dest="verb", required=True, metavar="COMMAND")
    for name, words, add in VERBS:
        add(verbs.add_parser(name, help=words))
    return top


def _listen(verb: argparse.ArgumentParser) -> None:
    verb.add_argument("files", nargs="+", type=Path, metavar="FILE", help="sound files, or folders of them")
    verb.add_argument("--json", action="store_true", help="one JSON object for each file and line")


def _stack(verb: argparse.ArgumentParser) -> None:
    verb.add_argument("files", nargs="+", type=Path, metavar="FILE", help="sound files, or folders of them")
    verb.add_argument("--json", action="store_true", help="the proposal as JSON")
    verb.add_argument("--borders", choices=["even", "levels"], default="even", help="how velocity borders are set")
    verb.add_argument(
        "--out", type=Path, metavar="KIT", help="write the proposal as a kit: a name that ends in .sfz or .zip"
    )


def _convert(verb: argparse.ArgumentParser) -> None:
    verb.add_argument("kit", type=Path, metavar="KIT", help=KIT_HELP)
    verb.add_argument("--out", type=Path, required=True, metavar="KIT", help="a name that ends in .sfz, .zip or .sf2")
    verb.add_argument("--preset", default="", metavar="NAME", help="of a SoundFont: its name or number among the drums")
    verb.add_argument("--skip-bad", action="store_true", help="leave out samples that can't be used")


class _Channels(argparse.Action):
    """Numbers; what follows them and is none is a file: ``A.zip B.zip --channels 10 11 Part.mid``."""

    def __call__(self, parser, namespace, values, option_string=None):
        numbers = list(takewhile(str.isdecimal, values))
        namespace.channels = [int(number[:4]) for number in numbers]
        namespace.behind = [*map(Path, values[len(numbers) :])]


def _bounce(verb: argparse.ArgumentParser) -> None:
    verb.add_argument(
        "files", nargs="*", type=Path, default=[], metavar="FILE",
        help=f"kits, each {KIT_HELP}, or one lineup; then the part, {PART_HELP}",
    )  # fmt: skip
    verb.add_argument(
        "--channels", action=_Channels, nargs="+", default=[], metavar="N",
        help="1 to 16: what each of several kits listens to (default: all of them to all)",
    )  # fmt: skip
    verb.add_argument("--out", type=Path, required=True, metavar="DIR", help="where stems and bounce.json go")
    verb.add_argument("--rate", type=int, default=48_000, metavar="HZ")
    verb.add_argument("--bits", choices=DEPTHS, default="24", help="16 is dithered, 32f is float")
    verb.add_argument("--format", choices=["wav", "flac"], default="wav")
    verb.add_argument("--seed", type=int, metavar="N", help="of every random choice (default: the kit's own, or 0)")
    verb.add_argument(
        "--by", choices=["output", "piece", "pad", "member", "merged"], default="output",
        help="what makes a stem: of several kits also each kit, or outputs of one name",
    )  # fmt: skip
    verb.add_argument(
        "--groups", dest="by", action="store_const", const="group", help="a stem for each group of outputs"
    )
    verb.add_argument(
        "--dry", dest="is_dry", action="store_true", help="before the desk, without mics that are ambience"
    )
    verb.add_argument("--curves", type=Path, help="a file of what moves along the part, as it is exported with")
    verb.add_argument(
        "--ambience-apart", action="store_true", help="what each mic of ambience hears is a stem of its own"
    )
    verb.add_argument("--side", choices=["stool", "hall"], help="from where it is heard (default: as the kit says)")
    verb.add_argument("--no-master", dest="has_master", action="store_false", help="leave the master's level out")
    verb.add_argument("--skip-bad", action="store_true", help="leave out samples that can't be used")


def _part(verb: argparse.ArgumentParser) -> None:
    verb.add_argument("part", type=Path, metavar="PART", help=PART_HELP)
    verb.add_argument(
        "--out",
        type=Path,
        required=True,
        metavar="OUT",
        help="a name that ends in .mid, or for a score in .musicxml, .xml or .mxl",
    )
    verb.add_argument("--only", nargs="+", default=[], metavar="NOTE", help="shape only these notes, such as D1 or 38")
    verb.add_argument("--velocity", metavar="HOW:VALUE", help="set:96, add:-10, scale:0.8, spread:0.5 or random:8")
    verb.add_argument("--tighten", metavar="GRID", help="move hits towards a grid, such as 1/16, 1/8T or 1/4.")
    verb.add_argument("--strength", type=float, default=100.0, metavar="PERCENT", help="how far (default 100)")
    verb.add_argument("--swing", type=float, default=50.0, metavar="PERCENT", help="of the grid, 50 to 75 (default 50)")
    verb.add_argument("--closer", type=float, default=0.0, metavar="MS", help="leave alone what is closer than this")
    verb.add_argument("--loosen", type=float, metavar="MS", help="move each hit by chance, never over a neighbour")
    for figure in ("flam", "drag", "ruff"):
        verb.add_argument(f"--{figure}", nargs="+", default=[], metavar="NOTE", help=f"make a {figure} of these notes")
    verb.add_argument("--apart", type=float, default=25.0, metavar="MS", help="between grace notes (default 25)")
    verb.add_argument("--softer", type=float, default=0.5, metavar="SHARE", help="of grace notes (default 0.5)")
    verb.add_argument("--seed", type=int, default=0, metavar="N", help="of every random choice (default 0)")


def _notes(verb: argparse.ArgumentParser) -> None:
    verb.add_argument("kit", type=Path, metavar="KIT", help=KIT_HELP)
    how = verb.add_mutually_exclusive_group()
    how.add_argument("--csv", action="store_true", help="a line for each note and pad")
    how.add_argument("--names", action="store_true", help="a MIDI name document (XML)")
    how.add_argument("--json", action="store_true", help="a list of pads with their notes")


def _translate(verb: argparse.ArgumentParser) -> None:
    verb.add_argument("part", type=Path, metavar="PART", help="a MIDI file, type 0 or 1")
    verb.add_argument(
        "--from", dest="table", required=True, metavar="SOURCE",
        help="what it was written for: standard, a kit, a MIDI name document, or a table in JSON",
    )  # fmt: skip
    verb.add_argument("--to", type=Path, required=True, metavar="KIT", help=KIT_HELP)
    verb.add_argument("--out", type=Path, required=True, metavar="OUT", help="the MIDI file to write")
    verb.add_argument("--write-table", type=Path, metavar="JSON", help="keep the table, to be mended and used again")


def _hits(verb: argparse.ArgumentParser) -> None:
    verb.add_argument(
        "files", nargs="+", type=Path, metavar="FILE", help="the tracks of one recording, 1 to 16, all from one zero"
    )
    verb.add_argument("--json", action="store_true", help="every hit, as JSON")
    verb.add_argument(
        "--role",
        action="append",
        default=[],
        metavar="FILE=ROLE",
        help="kick, snare, tom 1, hat, ride, overhead, room or other, where the name does not say",
    )
    verb.add_argument(
        "--threshold",
        action="append",
        default=[],
        metavar="FILE=DB",
        help="what is softer than this in a track is no hit",
    )
    verb.add_argument("--midi", type=Path, metavar="OUT", help="write the hits as a part: a MIDI file")


def _check(verb: argparse.ArgumentParser) -> None:
    verb.add_argument("kits", nargs="+", type=Path, metavar="KIT", help=f"{KIT_HELP}, or a folder of SFZ files")
    verb.add_argument("--part", nargs="+", type=Path, default=[], metavar="MIDI", help="parts that are played on them")
    verb.add_argument("--json", action="store_true", help="the findings as one JSON object")
    verb.add_argument("--mend", nargs="+", default=[], metavar="RULE", help="mend what these rules find, or all")
    verb.add_argument("--out", type=Path, metavar="NEW", help="the mended kit: a name that ends in .sfz or .zip")


VERBS = (
    ("listen", "measure one-shots: onset, level, peak, kind", _listen),
    ("stack", "propose pads, layers, takes and mics for recordings", _stack),
    ("convert", "turn an SFZ kit into a package, or a package into SFZ", _convert),
    ("bounce", "bounce a MIDI part through a kit to stems", _bounce),
    ("check", "find what is wrong with a kit: levels, time, phase, likeness, reach", _check),
    ("hits", "find the hits of a recording of several microphones", _hits),
    ("notes", "list which notes strike which pads of a kit", _notes),
    ("translate", "write a part that was made for other notes for a kit's", _translate),
    ("part", "shape a MIDI part: tighten, loosen, velocities, figures", _part),
)
