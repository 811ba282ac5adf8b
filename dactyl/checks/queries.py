"""Reads of the check: a kit with all that was heard of it, findings as rows, and what the view shows."""

from ast import literal_eval
from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, fields
from typing import Any

from django.db.models import Q

from dactyl.checks.models import HeardStretch, KitCheck, LeftFinding
from dactyl.core.check.check import RULES
from dactyl.core.check.finding import SEVERITIES, Change, Finding, Place, mended
from dactyl.core.check.measured import NOTHING_KEPT, Kept, MeasuredKit, Stretch, first_stretches, stretches_of
from dactyl.core.check.sound import MEASURES, Sound
from dactyl.core.fields import LAYER, PAD, TAKE
from dactyl.core.kit import Kit as KitValue
from dactyl.core.kit import Layer, Pad, Take
from dactyl.core.parts.part import Part as PartValue
from dactyl.core.play.compile import curve_table
from dactyl.kits import queries
from dactyl.kits.alongside import others_of
from dactyl.kits.models import Kit
from dactyl.parts.models import Part
from dactyl.parts.queries import part_value
from dactyl.shelf.models import Sample

SETTINGS = {"take": TAKE, "layer": LAYER, "pad": PAD}
PLACE = tuple(field.name for field in fields(Place))
AT_HAND = 8  # parts, the latest changed
MAP_WIDTH, NAME_WIDTH, MOST_ROW, LEAST_ROW, MAP_HEIGHT = 300, 118, 18, 5, 560
LEAST_NAMED = 11


def known_sounds(kit: KitValue, kept: Kept = NOTHING_KEPT) -> dict[Stretch, Sound]:
    """Of what the kit plays, all that was heard by the measures of today. Two queries.

    kept : what need not be read again; it is among what is returned
    """
    firsts, every = first_stretches(kit, kept.groups), stretches_of(kit, kept.groups)
    found = dict(kept.sounds)
    for stretch in firsts:
        if stretch in found and not found[stretch].timbre.any():
            del found[stretch]  # it was heard as another mic's
    wanted = {stretch for stretch in every if stretch not in found}
    keys = dict(Sample.objects.filter(sha256__in={s.sha256 for s in wanted}).values_list("pk", "sha256"))
    rows = HeardStretch.objects.filter(sample__in=keys, measures=MEASURES).values_list(
        "sample", "start_frame", "end_frame", "is_reversed", "packed"
    )
    for sample, start, end, is_reversed, packed in rows.iterator(chunk_size=2000):
        stretch = Stretch(keys[sample], start, end, is_reversed)
        if stretch in wanted:
            found[stretch] = Sound.unpack(bytes(packed))
    return found


def measured(kit: Kit, value: KitValue, sounds: Mapping[Stretch, Sound], kept: Kept = NOTHING_KEPT) -> MeasuredKit:
    damaged = Sample.objects.exclude(damage="").values_list("sha256", "name", "damage")  # few, of any kit
    files = {sha256: name for sha256, name, _ in damaged}
    damage = {sha256: text for sha256, _, text in damaged}
    return MeasuredKit(value, sounds, parts=parts_for(kit), damage=damage, files=files, kept=kept)


def parts_for(kit: Kit) -> list[PartValue]:
    """The parts that are surely this kit's: written for it, or played by it in what an app above knows of."""
    keys = {key for played in PLAYED_PARTS for key in played(kit)}
    rows = Part.objects.filter(Q(written_for=f"kit:{kit.pk}") | Q(pk__in=keys)).order_by("-journal__changed_at")
    return [part_value(part) for part in rows[:AT_HAND]]


PLAYED_PARTS: list[Callable[[Kit], Iterable[int]]] = []
"""Functions that tell keys of parts that a kit has played."""


@dataclass(frozen=True, slots=True)
class Places:
    """What of a kit findings and mends name, each found at once."""

    pads: Mapping[int, Pad]
    rows: Mapping[tuple[str, int], Pad | Layer | Take]  # by ("pad", "layer" or "take", id)
    takes: Mapping[int, tuple[int, int]]  # (pad, its place among the pad's takes)
    pad_of: Mapping[tuple[str, int], int]

    @classmethod
    def of(cls, kit: KitValue) -> "Places":
        rows: dict[tuple[str, int], Pad | Layer | Take] = {}
        pad_of: dict[tuple[str, int], int] = {}
        takes: dict[int, tuple[int, int]] = {}
        pads = {pad.id: pad for _, pad in kit.pads()}
        for pad in pads.values():
            own = [take for layer in pad.layers for take in layer.takes]
            inside = {("pad", pad.id): pad}
            inside |= {("layer", layer.id): layer for layer in pad.layers} | {("take", take.id): take for take in own}
            rows |= inside
            pad_of |= dict.fromkeys(inside, pad.id)
            takes |= {take.id: (pad.id, number) for number, take in enumerate(own)}
        return cls(pads, rows, takes, pad_of)


def as_row(finding: Finding, kit: Places) -> dict[str, Any]:
    """A finding as JSON keeps it, with what is heard for it."""
    return {
        "key": finding.key,
        "rule": finding.rule,
        "severity": finding.severity,
        "message": finding.message,
        "sureness": finding.sureness,
        "place": {name: told for name in PLACE if (told := getattr(finding.place, name)) not in (None, "")},
        "fellow": finding.fellow,
        "mend": [[c.of, c.id, c.setting, c.value] for c in finding.mend],
        "mend_words": finding.mend_words,
        "was": settings_of(finding.mend, kit),
        "hear": heard_for(finding, kit),
        "share": _share(finding, kit),
        "mend_pads": sorted({kit.pad_of[key] for c in finding.mend if (key := (c.of, c.id)) in kit.pad_of}),
    }


def settings_of(changes: Iterable[Change], kit: Places) -> list[str]:
    """How what they change is set in a kit, as text: a mend that was found holds only while it is so."""
    return [repr(getattr(kit.rows.get((change.of, change.id)), change.setting, None)) for change in changes]


def _share(finding: Finding, kit: Places) -> float:
    """How far in its layer, from soft to loud, a take is drawn."""
    place = finding.place
    if place.pad not in kit.pads or not place.take or not place.layer:
        return 0.5
    return round((place.take - 0.5) / len(kit.pads[place.pad].layers[place.layer - 1].takes), 3)


MOST_TOLD = 4
WORDS = {"enabled": "Plays", "end_frame": "End", "note": "Note", "choke": "Choke group", "curve": "Velocity curve"}


def mend_told(row: Mapping[str, Any]) -> list[str]:
    """What a mend would set otherwise: each setting from what it is to what it becomes."""
    lines: dict[str, None] = {}
    for (of, _, setting, value), was in zip(row["mend"], row.get("was", ()), strict=False):
        field = SETTINGS.get(of, {}).get(setting)
        words = WORDS.get(setting) or (field.words if field else setting)
        whose = "" if of == "take" else f" of the {of}"
        before = "" if setting in ("note", "choke") else f"{_said(was)} → "
        lines[f"{words}{whose}: {before}{_said(repr(value))} {field.unit if field else ''}".rstrip()] = None
    told = list(lines)
    return told if len(told) <= MOST_TOLD else [*told[: MOST_TOLD - 1], f"and {len(told) - MOST_TOLD + 1} more"]


def _said(text: str) -> str:
    try:
        value = literal_eval(text)
    except (ValueError, SyntaxError):
        return text
    match value:
        case None:
            return "none"
        case bool():
            return "yes" if value else "no"
        case float():
            return f"{value:.1f}".replace("-", "−")
        case [letter, fade]:
            return f"{letter}, fade {fade:g} ms"
    return str(value)


def counts_of(rows: Iterable[Mapping[str, Any]]) -> list[tuple[str, str, int]]:
    """(severity, its word, how many) of those that there are, the most severe first."""
    counts = Counter(row["severity"] for row in rows)
    return [(severity, words, counts[severity]) for severity, words in SEVERITIES.items() if counts[severity]]


def changes_of(rows: Iterable[Mapping[str, Any]]) -> tuple[Change, ...]:
    return tuple(Change(of, key, setting, value) for row in rows for of, key, setting, value in row["mend"])


def auditioned_mend(kit: Kit, key: str) -> Callable[[KitValue], KitValue] | None:
    """The kit with one finding mended, to be heard before it is."""
    row = next((row for row in found(kit)[1] if row["key"] == key), None)
    return None if row is None else lambda value: mended(value, changes_of([row]))


def heard_for(finding: Finding, kit: Places) -> list[list[Any]]:
    """What lets a finding be heard: ["take", pad, place among its takes] or ["pad", pad, velocity], one after another."""
    place, pads = finding.place, kit.pads
    if place.pad not in pads:
        return []
    if place.take_id in kit.takes:
        return [["take", *kit.takes[key]] for key in (place.take_id, finding.fellow) if key in kit.takes]
    pad = pads[place.pad]
    if finding.rule in ("open_hats", "grabs"):
        others = [change.id for change in finding.mend if change.id != pad.id] or [
            other.id for other in pads.values() if other.kind in ("closed_hat", "pedal_hat")
        ]
        first, second = (pad.id, others[:1]) if finding.rule == "open_hats" else (others[:1], pad.id)
        return [["pad", key, 110] for key in (first, second) for key in (key if isinstance(key, list) else [key])]
    if place.layer and pad.layers:
        at = place.layer - 1
        shown = pad.layers[max(0, at - 1) : at + 1] if at else pad.layers[:2]
        curve = curve_table(pad.curve)
        return [["pad", pad.id, _struck(curve, layer.low, layer.high)] for layer in shown]
    return [["pad", pad.id, 100]]


def _struck(curve: tuple[int, ...], low: int, high: int) -> int:
    """A velocity that the curve makes one of this layer."""
    middle = (low + high) / 2
    return min(range(1, 128), key=lambda velocity: abs(curve[velocity - 1] - middle))


@dataclass(frozen=True, slots=True)
class Group:
    """Findings of one rule and severity."""

    rule: str
    words: str
    severity: str
    rows: list[dict[str, Any]]

    @property
    def mendable(self) -> int:
        return sum(bool(row["mend"]) for row in self.rows)


def found(kit: Kit) -> tuple[KitCheck | None, list[dict[str, Any]], list[dict[str, Any]]]:
    """The last check of a kit, what it found, and what of it is left as it is. Two queries."""
    last = KitCheck.objects.filter(kit=kit).first()
    if last is None:
        return None, [], []
    left = set(LeftFinding.objects.filter(kit=kit).values_list("key", flat=True))
    return (
        last,
        [row for row in last.findings if row["key"] not in left],
        [row for row in last.findings if row["key"] in left],
    )


@dataclass(frozen=True, slots=True)
class MemberCheck:
    """What was found in a kit of a lineup."""

    kit: Kit
    last: KitCheck | None
    counts: list[tuple[str, str, int]]
    rows: list[dict[str, Any]]  # the most severe first, as many as are shown

    @property
    def is_current(self) -> bool:
        return self.last is not None and self.last.version == self.kit.version


MOST_OF_MEMBER = 8


def checks_of_members(kit: Kit) -> list[MemberCheck]:
    """Of each kit of a lineup, once. Two queries for each."""
    kits = Kit.objects.select_related("journal").in_bulk(others_of(kit))
    told = []
    for one in kits.values():
        last, rows, _ = found(one)
        told.append(MemberCheck(one, last, counts_of(rows), rows[:MOST_OF_MEMBER]))
    return told


def check_context(kit: Kit) -> dict[str, Any]:
    last, rows, left = found(kit)
    groups: dict[tuple[str, str], Group] = {}
    for row in rows:
        rule = RULES.get(row["rule"])
        if rule is not None:  # a later program may know others
            key = row["severity"], row["rule"]
            groups.setdefault(key, Group(row["rule"], rule.words, row["severity"], [])).rows.append(row)
    sheet = queries.sheet_rows(kit, levels=False)
    return {
        "last_check": last,
        "is_current": last is not None and last.version == kit.version,
        "groups": list(groups.values()),
        "left": left,
        "rule_count": len(RULES),
        "families": _FAMILIES,
        "check_counts": counts_of(rows),
        "check_map": _map(sheet, rows),
        "has_takes": any(not row.is_empty for row in sheet),
        "severities": SEVERITIES,
    }


_FAMILIES: dict[str, list[str]] = {}
"""What each family of rules finds, in words."""
for _rule in RULES.values():
    _FAMILIES.setdefault(_rule.family, []).append(_rule.words)


def _map(sheet: list[queries.PadRow], rows: list[dict[str, Any]]) -> dict[str, Any]:
    """The kit's sheet in small: a line for each pad, its layers from soft to loud, and each finding as a mark in its place."""
    height = max(LEAST_ROW, min(MOST_ROW, MAP_HEIGHT // max(1, len(sheet))))
    at = {row.pad.pk: number for number, row in enumerate(sheet)}
    scale = (MAP_WIDTH - NAME_WIDTH - 8) / 127
    marks, beside = [], 0
    for row in rows:
        place = row["place"]
        if place.get("pad") not in at:  # of an output, a mic or a note
            x, y = NAME_WIDTH + 10 + 16 * beside, height * len(sheet) + 14
            marks.append((row["key"], row["severity"], min(x, MAP_WIDTH - 8), y, row["message"]))
            beside += 1
            continue
        pad = sheet[at[place["pad"]]]
        x = NAME_WIDTH - 7.0
        if place.get("layer") and place["layer"] <= len(pad.layers):
            layer = pad.layers[place["layer"] - 1]
            x = NAME_WIDTH + scale * (layer.low - 1 + (layer.high - layer.low + 1) * row["share"])
        marks.append(
            (row["key"], row["severity"], round(x, 1), round(height * (at[place["pad"]] + 0.5), 1), row["message"])
        )
    return {
        "rows": [
            (row, number * height, [(round(NAME_WIDTH + scale * (x.low - 1), 1), round(scale * (x.high - x.low + 1), 1)) for x in row.layers])
            for number, row in enumerate(sheet)
        ],
        "marks": marks,
        "height": height,
        "beside": beside,
        "beside_y": height * len(sheet) + 18,
        "whole": height * len(sheet) + 26,
        "width": MAP_WIDTH,
        "has_names": height >= LEAST_NAMED,
        "name_width": NAME_WIDTH,
        "mark": max(2, min(6, height * 36 // 100)),
    }  # fmt: skip
