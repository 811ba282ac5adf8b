"""The playbook as the page reads it, and the recipes behind the keys it names."""

from collections import OrderedDict
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import asdict, dataclass, replace
from threading import Lock
from typing import Any

from dactyl.core import kit as core
from dactyl.core.audio.prepare import Recipe
from dactyl.core.desk.tables import Channel, product
from dactyl.core.lineup import MOST_MEMBERS, Choke, Link, Member
from dactyl.core.maps.notes import pads_of
from dactyl.core.maps.translate import meeting
from dactyl.core.play.compile import compile_kit, curve_table, gestures
from dactyl.core.play.hands import table_of
from dactyl.core.play.playbook import ALL_CHANNELS, Grip, OutputTable, PadTable, Playbook, Region, Shares
from dactyl.core.play.together import NO_DESK, EnsembleDesk, MemberPart
from dactyl.core.units import ms_to_frames
from dactyl.kits.models import Kit
from dactyl.kits.queries import default_notes, pad_notes
from dactyl.kits.values import gestured_pieces, kit_value, some_pads
from dactyl.shelf.models import Sample

LOW_HZ, HIGH_HZ = 8000, 192_000  # rates that a page may play at
_MOST_RECIPES = 200_000
_recipes: OrderedDict[str, Recipe] = OrderedDict()
_lock = Lock()
Chosen = dict[int, Sample]
Audition = Callable[[core.Kit], core.Kit]


@dataclass(frozen=True, slots=True)
class PlayedMember:
    """A kit that sounds, as the page knows it."""

    key: str  # empty for the kit of the page
    kit_id: int
    version: int  # of its document: the page asks whether it is still that
    member: Member
    device: int | None = None  # what this device plays reaches it alone


@dataclass(frozen=True, slots=True)
class Ensemble:
    """All that sounds in a kit's page: the kit itself first where it has pads."""

    members: tuple[PlayedMember, ...]
    links: tuple[Link, ...] = ()
    chokes: tuple[Choke, ...] = ()
    desk: EnsembleDesk = NO_DESK

    def id_of(self, number: int, pad: int) -> int | str:
        """What the page calls a pad: those of the first member by their keys, others with the member's before it."""
        return pad if number == 0 else f"{self.members[number].key}:{pad}"


OTHERS: list[Callable[[Kit, core.Kit], Ensemble | None]] = []
"""What sounds beside a kit, told by an app above; None where nothing does. The second is the kit as it is to be heard."""


def playbook_for_page(
    kit: Kit, rate_hz: int, *, instead: Chosen | None = None, auditioned: Audition | None = None
) -> dict[str, Any]:
    """All that sounds in a kit's page. ``docs/formats.md`` describes it.

    instead : by the id of a take the sample that is heard in its place; auditioned : what is heard in the kit's place
    """
    value = kit_value(kit, instead=instead)
    ensemble = _ensemble(kit, auditioned(value) if auditioned else value)
    members = [member_tables(ensemble, number, rate_hz) for number in range(len(ensemble.members))]
    shared = ensemble.desk.bus(min(HIGH_HZ, max(LOW_HZ, rate_hz)))
    return _told(kit, {"rate": rate_hz, "whole": True, "members": members, "shared": shared and asdict(shared)})


def pads_for_page(
    kit: Kit,
    rate_hz: int,
    pad_ids: Collection[int],
    *,
    with_notes: bool = False,
    instead: Chosen | None = None,
    auditioned: Audition | None = None,
) -> dict[str, Any]:
    """The same of some pads of the kit itself: what they strike along and are cut by in others is in the rows of what crosses.

    with_notes : and what all notes mean, for every member, since they are met by those of the first
    """
    crossing, value = _crossing(kit), some_pads(kit, pad_ids, instead=instead).alone
    own = alone_in_page(kit, auditioned(value) if auditioned else value).members
    tables = member_tables(replace(crossing, members=(*own, *crossing.members[1:])), 0, rate_hz)
    shared, rate = gestured_pieces(kit), min(HIGH_HZ, max(LOW_HZ, rate_hz))
    ids = [pad.id for piece in shared for pad in piece.pads]
    member = {name: tables[name] for name in OF_SOME_PADS} | _by_hands(*gestures(shared, rate), ids, rate)
    told: dict[str, Any] = {"rate": rate_hz, "whole": False, "members": [member]}
    if with_notes:
        member |= {"notes": default_notes(kit), "allNotes": True}
        if len(crossing.members) > 1:  # else the whole kit need not be read
            told["heard"] = [heard_by(one, rate_hz) for one in _ensemble(kit, kit_value(kit)).members]
    return _told(kit, told)


def _told(kit: Kit, told: dict[str, Any]) -> dict[str, Any]:
    first = told["members"][0]
    if not first["key"]:
        for row, key in zip(first["outputs"], kit.outputs.values_list("pk", flat=True), strict=False):
            row["key"] = key  # what the page points at it by, whatever it is called
    return {"version": kit.version, **told}


def _ensemble(kit: Kit, value: core.Kit) -> Ensemble:
    found = next((found for others in OTHERS if (found := others(kit, value)) is not None), None)
    return found or alone_in_page(kit, value)


def _crossing(kit: Kit) -> Ensemble:
    found = next((found for cross in CROSSING if (found := cross(kit)) is not None), None)
    return found or alone_in_page(kit, EMPTY)


def alone_in_page(kit: Kit, value: core.Kit) -> Ensemble:
    """A value that sounds in the page of a kit, in its place, and nothing beside it."""
    return Ensemble((PlayedMember("", kit.pk, kit.version, Member(kit=value)),))


OF_SOME_PADS = ("key", "kit", "version", "outputs", "parallel", "notes", "pads")
EMPTY = core.Kit(name="", pieces=())
CROSSING: list[Callable[[Kit], Ensemble | None]] = []
"""Of what sounds beside a kit only the keys of its members, links and chokes: what an edit of its own pads needs."""


def member_versions(kit: Kit) -> dict[str, list[Any]]:
    """Of each member its kit's name, and the version of its document."""
    members = _crossing(kit).members
    kits = Kit.objects.in_bulk([one.kit_id for one in members])
    return {one.key: [kits[one.kit_id].name, kits[one.kit_id].version] for one in members if one.kit_id in kits}


def member_tables(ensemble: Ensemble, number: int, rate_hz: int) -> dict[str, Any]:
    """The tables of one member as the page's player reads them; outputs and notes are its own."""
    played = ensemble.members[number]
    alone = compiled(played.member.kit, rate_hz, is_kept=bool(played.key))
    part = MemberPart(
        number, alone, played.member, desk=ensemble.desk, tag_of=lambda other: ensemble.members[other].key or "own"
    )
    taking_part = {pad.id for pad in part.pads}
    told = part.table("", 0)
    ids = [ensemble.id_of(number, pad.id) for pad in part.pads]
    return {
        **_by_hands(told.shares, told.grips, ids, alone.rate_hz),
        **heard_by(played, rate_hz),
        "outputs": [
            _output(output, channel, part.handle_of(output.name))
            for output, channel in zip(alone.outputs, part.channels, strict=True)
        ],
        "parallel": next((asdict(one) for one in part.compressors), None),
        "notes": {
            note: [ensemble.id_of(number, alone.pads[i].id) for i in indexes if alone.pads[i].id in taking_part]
            for note, indexes in alone.notes.items()
        },
        "pads": [_pad(pad) for pad in part.joined(ensemble.links, ensemble.chokes, ensemble.id_of)],
    }


def _by_hands(
    shares: Sequence[Shares], grips: Sequence[Grip], ids: Sequence[int | str], rate_hz: int
) -> dict[str, Any]:
    """What pedals choose among and what hands grab. ids : what the page calls the pads that they name by their places"""

    def called(index: int | None) -> int | str | None:
        return None if index is None else ids[index]

    return {
        "shares": [
            {
                **(table := table_of(one, rate_hz)),
                "pads": [ids[index] for index in one.pads],
                "cuts": [[ids[index] for index in cut] for cut in table["cuts"]],
                "chick": called(one.chick),
                "splash": called(one.splash),
            }
            for one in shares
        ],
        "grips": [
            asdict(one) | {"pads": [ids[index] for index in one.pads], "sounds": called(one.sounds)} for one in grips
        ],
    }


def heard_by(played: PlayedMember, rate_hz: int) -> dict[str, Any]:
    """Which hits reach a member, and as what."""
    member = played.member
    return {
        "key": played.key,
        "kit": played.kit_id,
        "version": played.version,
        "name": member.kit.name,
        "channels": None if member.channels is None else list(member.channels),
        "low": member.low,
        "high": member.high,
        "playedAs": dict(member.notes),
        "curve": curve_table(member.curve),
        "delay": ms_to_frames(member.delay_ms, min(HIGH_HZ, max(LOW_HZ, rate_hz))),
        "device": played.device,
    }


def flipped_playbook(own: Kit, other: Kit, rate_hz: int) -> dict[str, Any]:
    """The tables of another kit in the place of this one in its page."""
    return {**heard_as(own, kit_value(other), rate_hz), "kit": other.pk}


def heard_as(own: Kit, value: core.Kit, rate_hz: int) -> dict[str, Any]:
    """The tables of any kit, or of a version of this one, in the place of this one: this one's notes are met, and its own desk
    comes with it. ``lights`` says which pad of this kit is lit where one of the other sounds."""
    ours = pad_notes(own)
    notes = meeting(ours, pads_of(value))
    lights = {pad: one.id for one in ours for note in one.notes for pad in notes.get(note, ())}
    return {**member_tables(alone_in_page(own, value), 0, rate_hz), "notes": notes, "lights": lights}


_MOST_COMPILED = 2 * MOST_MEMBERS  # those of a lineup, at two rates
_compiled: OrderedDict[tuple[int, int], tuple[core.Kit, Playbook]] = OrderedDict()
"""By the identity of the value, which is kept with it, and the rate: kits of a lineup are the same values as long as they
are not edited."""


def compiled(value: core.Kit, rate_hz: int, *, is_kept: bool) -> Playbook:
    """For the rate of a page, as far as rates go; the recipes behind its keys are known from now on.

    is_kept : whether the same value is asked for again, as those of kits alongside are; one that was just read is not
    """
    key = id(value), rate_hz
    with _lock:
        if key in _compiled:
            _compiled.move_to_end(key)
        playbook = _compiled[key][1] if key in _compiled else None
    if playbook is None:
        playbook = compile_kit(value, min(HIGH_HZ, max(LOW_HZ, rate_hz)))
    if is_kept:
        with _lock:
            _compiled[key] = value, playbook
            while len(_compiled) > _MOST_COMPILED:
                _compiled.popitem(last=False)
    _remember(sound.recipe for pad in playbook.pads for region in pad.regions for sound in region.sounds)
    return playbook


def _output(output: OutputTable, channel: Channel, handle: str) -> dict[str, Any]:
    row = {"name": output.name, "matrix": channel.matrix, "toBus": channel.to_bus, "strip": channel.strip}
    if output.group:
        row["group"] = output.group
    if handle:
        row["handle"] = handle
    if channel.is_hall:
        row["isHall"] = True
    if behind := channel.behind:
        row["behind"] = {"matrix": behind.matrix, "toShared": behind.to_bus}
        row["toShared"] = behind.to_bus and product(behind.to_bus, channel.own_matrix)
    return row


def _pad(pad: PadTable) -> dict[str, Any]:
    """What differs from the plainest pad; the page fills in the rest."""
    curves = list(dict.fromkeys(region.gains for region in pad.regions))
    row: dict[str, Any] = {
        "id": pad.id,
        "gains": curves,
        "regions": [
            {
                "gains": curves.index(region.gains),
                "counter": region.counter,
                "length": region.length,
                "places": region.places,
                "sounds": [
                    [s.recipe.key, s.recipe.frames, s.left, s.right, s.output, s.gain, s.pan] for s in region.sounds
                ],
                **_tuning(region),
            }
            for region in pad.regions
        ],
        "maxVoices": pad.max_voices,
        "limitFade": pad.limit_fade,
        "cutsItself": pad.cuts_itself,
    }
    if pad.channels != ALL_CHANNELS:
        row["channels"] = pad.channels
    if pad.muted:
        row["muted"] = True
    if pad.emits:
        row["emits"] = pad.emits
    if pad.listens:
        row["listens"] = pad.listens
    if pad.companions:
        row["companions"] = pad.companions
    if pad.is_held:
        row["held"] = True
    if pad.delay:
        row["delay"] = pad.delay
    if pad.is_held or not pad.envelope.is_flat:
        row["envelope"] = asdict(pad.envelope) | {"end": pad.envelope.end}
    if pad.filter:
        row["filter"] = {"rows": pad.filter.coefficients, "tails": pad.filter.tail_frames, "curve": pad.curve}
    if pad.cents_per_key:
        row["centsPerKey"], row["root"] = pad.cents_per_key, pad.root
    if pad.variation:
        row["variation"] = asdict(pad.variation)
    return row


def _tuning(region: Region) -> dict[str, float]:
    """In cents, where there is one: what stands in for a retuned sound is played at another rate."""
    tune_cents = region.sounds[0].recipe.tune_cents if region.sounds else 0.0
    return {"tune": tune_cents} if tune_cents else {}


def _remember(recipes: Iterable[Recipe]) -> None:
    with _lock:
        for recipe in recipes:
            _recipes[recipe.key] = recipe
            _recipes.move_to_end(recipe.key)  # tables that are kept name them again, and others may have come meanwhile
        while len(_recipes) > _MOST_RECIPES:
            _recipes.popitem(last=False)


def recipes_of(keys: Iterable[str]) -> list[Recipe]:
    """The recipes of keys that a playbook has named; keys from before a restart are unknown and left out."""
    with _lock:
        return [_recipes[key] for key in keys if key in _recipes]
