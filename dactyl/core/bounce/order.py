"""How a bounce is asked for, and what its files are called."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from dactyl.core.desk.tables import Desk, dry_desk
from dactyl.core.errors import BounceError
from dactyl.core.kit import STOOL, Kit
from dactyl.core.lineup import Lineup
from dactyl.core.play.compile import compile_kit
from dactyl.core.play.playbook import Playbook
from dactyl.core.play.together import compile_lineup
from dactyl.core.units import told_apart

RATES_HZ = (44_100, 48_000, 88_200, 96_000)
GROUPINGS = {
    "output": "output",
    "group": "group of outputs",
    "piece": "piece",
    "pad": "pad",
    "mic": "mic",
    "own": "groups of your own",
}
LINEUP_GROUPINGS = GROUPINGS | {"member": "kit", "merged": "outputs of one name"}
LONGEST_TEMPLATE = 120
LONGEST_FILE = 180  # bytes of a stem's file name without its ending: file systems take 255
TEMPLATE_FIELDS = ("number", "name", "kit", "member", "part", "rate")
MIX = "Mix"


@dataclass(frozen=True, slots=True)
class BounceOrder:
    """How a bounce is written."""

    bits: str  # a key of wave.write.SUBTYPES
    by: str = "output"  # a key of LINEUP_GROUPINGS
    groups: tuple[tuple[int, int, str], ...] = ()  # (member, id of its piece, stem): groups of one's own
    format: str = "wav"
    has_mix: bool = True
    mono_where_mono: bool = False
    in_desk_order: bool = False  # kick, snare, hats, toms, cymbals ..., not the order of the kit
    name_template: str = "{number} {name}"
    names: tuple[tuple[str, str], ...] = ()  # what else the template may name: kit, part
    seed: int = 0
    is_dry: bool = False  # each output as it leaves the kit, without ambience (design rule 18)
    side: str = ""  # a key of SIDES; empty: as the kit says
    has_master: bool = True
    ambience_apart: bool = False  # what each mic of ambience hears is a stem of its own

    def __post_init__(self) -> None:
        rest = self.name_template
        for field in TEMPLATE_FIELDS:
            rest = rest.replace(f"{{{field}}}", "")
        if "{" in rest or "}" in rest or len(self.name_template) > LONGEST_TEMPLATE:
            known = ", ".join(f"{{{field}}}" for field in TEMPLATE_FIELDS)
            raise BounceError(f"“{self.name_template[:60]}” is not a name for stems: it may hold {known}.")
        if self.format == "flac" and self.bits == "32f":
            raise BounceError("FLAC holds no float. Choose 16 or 24 bit, or WAV.")

    def file_name(self, number: int | None, name: str, rate_hz: int, member: str = "") -> str:
        """A stem's file name without its ending. number : None for the mix, which has none"""
        values = {"kit": "", "part": ""} | dict(self.names) | {"member": member}
        values |= {"number": f"{number:02}" if number else "", "name": safe_name(name), "rate": str(rate_hz)}
        template = self.name_template if number is not None else re.sub(r"\{number\}[\s_.-]*", "", self.name_template)
        return safe_name(re.sub(r"\{(\w+)\}", lambda field: values[field[1]], template))


def as_ordered(kit: Kit, order: BounceOrder) -> Kit:
    """The kit with the side and the master that the bounce asks for."""
    return replace(kit, side=order.side or kit.side, master_db=kit.master_db if order.has_master else 0.0)


def played_by(kit: Kit, lineup: Lineup | None, order: BounceOrder, rate_hz: int) -> Playbook:
    """Return what a bounce plays: the kit, or the lineup that it is in, as the order asks for it.

    Without the master is without the one behind all: the lineup's, or that of the kit whose desk is open. Members keep theirs.
    """
    if lineup is None:
        return compile_kit(as_ordered(kit, order), rate_hz)
    members = tuple(
        replace(
            member,
            kit=as_ordered(member.kit, order if number == 0 and member.kit == kit else replace(order, has_master=True)),
        )
        for number, member in enumerate(lineup.members)
    )
    master_db = lineup.master_db if order.has_master else 0.0
    side = STOOL if order.side else lineup.side
    return compile_lineup(replace(lineup, members=members, master_db=master_db, side=side), rate_hz)


def desk_of(playbook: Playbook, order: BounceOrder) -> Desk:
    """What is done to the outputs of this bounce."""
    return dry_desk(playbook.desk) if order.is_dry else playbook.desk


def safe_name(text: str, longest: int = LONGEST_FILE) -> str:
    """Return a file name that every system takes, without its ending, of so many bytes of UTF-8 at most."""
    safe = re.sub(r"[^\w \-.()+&]+", "-", text).strip(" .-")[:120]
    return safe.encode()[:longest].decode(errors="ignore").strip(" .-") or "Output"


def stem_files(names: Sequence[str], order: BounceOrder, rate_hz: int, members: Iterable[str] = ()) -> list[str]:
    """Return file names in the order of the stems: "01 Main.wav", ..., and the mix last without a number.

    members : the kit that is in each of the first stems
    """
    kits = [*members]
    wanted = []
    for number, name in enumerate(names, start=1):
        is_mix = order.has_mix and number == len(names)
        member = kits[number - 1] if number <= len(kits) else ""
        wanted.append(order.file_name(None if is_mix else number, name, rate_hz, member))
    return [f"{name}.{order.format}" for name in told_apart(wanted)]
