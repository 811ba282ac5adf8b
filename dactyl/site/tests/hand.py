"""One hand that acts on two kits, two parts, a recording and a device from two tabs, and checks the laws after every act.

Hypothesis drives it (https://hypothesis.readthedocs.io, stateful testing): what breaks a law is shrunk to the fewest acts and
printed with them. The laws: a refusal changes nothing; an act changes only the document it is for, and in it what it names;
undo gives what was before and redo what was after; what a page is told is what it would read anew; what the page plays
is what a bounce holds; a copy is what it came from; everything opens.
"""

import json
import random
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from django.db import connection, transaction
from django.http import HttpResponse
from django.test import Client
from hypothesis import note
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, rule

from dactyl.checks import queries as check_queries
from dactyl.checks import tasks as check_tasks
from dactyl.checks.models import LeftFinding
from dactyl.core.bounce.source import open_kit as opened_package
from dactyl.core.bounce.source import open_played
from dactyl.core.formats.curves import read_curves, write_curves
from dactyl.core.formats.lineup import portable_lineup
from dactyl.core.formats.midi import read_midi, write_midi
from dactyl.core.formats.package import portable
from dactyl.core.parts.part import Event, Part
from dactyl.history.models import Document, Revision
from dactyl.kit_files.packing import pack_kit
from dactyl.kits import edits
from dactyl.kits.models import DeviceUse, Kit, Pad, Piece, TranslationNote
from dactyl.kits.tests.test_edits import recordings
from dactyl.kits.values import whole_kit_value
from dactyl.lineups import queries as lineup_queries
from dactyl.lineups.edits import lineup_of
from dactyl.lineups.models import Alongside, LineupGroup, LineupOutput, Link, SharedChoke
from dactyl.maps import edits as map_edits
from dactyl.maps.models import Device
from dactyl.parts import blocks
from dactyl.parts import edits as part_edits
from dactyl.parts import queries as part_queries
from dactyl.parts.models import Part as PartRow
from dactyl.parts.shown import COLUMNS
from dactyl.parts.views import _namer
from dactyl.playing import tables as playing
from dactyl.recordings.models import RecordedTrack, Recording
from dactyl.shelf.models import Sample
from dactyl.site.tests.test_any_edit import TYPED, Hands
from dactyl.versions import edits as version_edits

RATE = 48_000
ANSWERS = {200, 204, 302, 409, 422}
NOTHING_DONE = {409, 422}
DICE = st.integers(0, 1 << 30).map(random.Random)
BACK = ("/undo/", "/redo/", "/history/")


@dataclass
class Tab:
    """What one page shows: the version of each document, and the hits of each part as its answers have left them."""

    versions: dict[tuple[str, int], int] = field(default_factory=dict)
    hits: dict[int, dict[int, list]] = field(default_factory=dict)
    curves: dict[int, dict[tuple, list]] = field(default_factory=dict)
    controls: dict[int, list] = field(default_factory=dict)


@dataclass
class Act:
    """Something that a hand does: where it is sent, and which documents it may change."""

    document: Document
    path: str
    values: dict[str, Any]
    more: tuple[Document, ...] = ()


class Laws(AssertionError):
    pass


class Hand(RuleBasedStateMachine):
    client = Client(raise_request_exception=True)
    samples: list[Sample] = []

    def __init__(self) -> None:
        super().__init__()
        self.held = transaction.atomic()
        self.held.__enter__()
        self.tabs = (Tab(), Tab())
        self.kits = [self.kit("Quay", 4), self.kit("Mole", 3)]
        self.lineup = lineup_of("Raft", self.kits)
        hits = [Event(n * 240, (36, 38, 42, 99)[n % 4], 40 + 5 * n, length_ticks=(n % 3) * 100) for n in range(12)]
        self.parts = [part_edits.add_part(Part(name=name, ticks_per_beat=480, tempos=((0, 500_000),), events=tuple(hits), end_tick=3840))
                      for name in ("Bell", "Watch")]  # fmt: skip
        self.recording = self.recorded()
        self.device = map_edits.devices.add_device("Box", 2, 4, tuple(range(36, 44)))
        for tab in self.tabs:
            for document in self.documents():
                self.look(tab, document)
        self.read: dict[tuple[str, int], tuple[int, Any]] = {}
        self.beginning = {key: self.value(key) for key in self.keys()}

    def kit(self, name: str, filled: int) -> Kit:
        kit = edits.kits.create_kit(name, pads=6)
        for number, pad in enumerate(kit.pads.select_related("piece", "kit")[:filled]):
            some = recordings(self.samples[number : number + 3])
            edits.samples.give_samples(
                pad, Kit.objects.get(pk=kit.pk).version, some, "layers", replace=True, layers=None
            )
        Revision.objects.filter(journal=kit.journal_id).delete()
        return kit

    def recorded(self) -> Recording:
        recording = Recording.objects.create(name="Rehearsal")
        for position, role in enumerate(("kick", "snare")):
            hits = [[0.1 + 0.5 * n + 0.01 * position, -20.0 - n, 80, 0.3 + 0.08 * n, "rises"] for n in range(8)]
            RecordedTrack.objects.create(recording=recording, name=f"{role}.wav", position=position, role=role, frames=240_000, rate_hz=48_000, hits=hits)  # fmt: skip
        return recording

    def teardown(self) -> None:
        try:
            self.all_the_way_back_and_forth()
        finally:
            transaction.set_rollback(True)
            self.held.__exit__(None, None, None)

    # What is there ----------------------------------------------------------------------------------------------------

    def documents(self) -> Iterable[Document]:
        return (*self.kits, self.lineup, *self.parts, self.recording, self.device)

    def keys(self) -> list[tuple[str, int]]:
        return [key_of(document) for document in self.documents()]

    def value(self, key: tuple[str, int]) -> Any:
        """Everything a document holds; read anew where anything was written since it was read."""
        written = connection.connection.total_changes
        if self.read.get(key, (None,))[0] != written:
            self.read[key] = written, self.read_value(*key)
        return self.read[key][1]

    def read_value(self, kind: str, pk: int) -> Any:
        if kind == "Kit":
            told = (
                TranslationNote.objects.filter(translation__kit=pk)
                .order_by("pk")
                .values_list("translation", "note", "pad", "is_sure")
            )
            return (
                whole_kit_value(pk),
                list(told),
                list(DeviceUse.objects.filter(kit=pk).values_list("device_id", "surface", "map")),
                *(
                    list(model.objects.filter(kit=pk).order_by("pk").values_list())
                    for model in (Alongside, Link, SharedChoke, LineupGroup, LineupOutput)
                ),
                sorted(LeftFinding.objects.filter(kit=pk).values_list("key", flat=True)),
            )
        if kind == "Part":
            part = PartRow.objects.get(pk=pk)
            about = [getattr(part, name) for name in ("name", "ticks_per_beat", "tempos", "meters", "sections", "curves", "end_tick", "written_for")]  # fmt: skip
            return (
                about,
                list(part_queries.events(part)),
                list(part.passes.values_list("pk", "is_muted", "recorded_as")),
            )
        if kind == "Recording":
            tracks = RecordedTrack.objects.filter(recording=pk).order_by("position")
            mends = [
                list(track.mends.values_list("pk", "place", "is_hit", "time", "level_db", "velocity"))
                for track in tracks
            ]
            names = ("softest_db", "least_sure", "soft_db", "hard_db", "velocity", "pads")
            return (
                list(tracks.values_list(*names)),
                mends,
                list(Recording.objects.filter(pk=pk).values_list("bars", "beats")),
            )
        return list(
            Device.objects.filter(pk=pk).values_list(
                "name", "port", "channel", "notes", "falls_through", "is_forgotten"
            )
        )

    # Acting -----------------------------------------------------------------------------------------------------------

    def look(self, tab: Tab, document: Document) -> None:
        """The tab reads the document anew, as a page does that was told it is stale."""
        key = key_of(document)
        tab.versions[key] = type(document).objects.get(pk=document.pk).version
        if key[0] == "Part":
            body = self.client.get(f"/parts/{document.pk}/data/", headers={"X-Rate": str(RATE)}).json()
            tab.hits[document.pk] = {row[0]: row for row in body["events"]}
            tab.curves[document.pk] = curves_in(body)
            tab.controls[document.pk] = body["controls"]

    def do(self, tab: Tab, act: Act, dice: random.Random) -> None:
        before = {key: self.value(key) for key in self.keys()}
        tables = self.tables(act.document) if isinstance(act.document, Kit) else {}
        answer = self.send(tab, act, dice)
        note(f"{act.path} {act.values} -> {answer.status_code}")
        connection.check_constraints()
        law(answer.status_code in ANSWERS, f"{answer.status_code}")
        after = {key: self.value(key) for key in self.keys()}
        changed = {key for key in before if before[key] != after[key]}
        may = {key_of(document) for document in (act.document, *act.more)}
        law(changed <= (set() if answer.status_code in NOTHING_DONE else may), f"changed beside it: {changed}")
        if isinstance(act.document, PartRow):
            self.told_of_part(tab, act.document, answer)
        elif isinstance(act.document, Kit) and answer.status_code == 200:
            self.told_of_kit(act.document, answer, tables)
        self.look(tab, act.document)
        if key_of(act.document) in changed and dice.random() < 0.4 and not any(back in act.path for back in BACK):
            self.undone_and_done_again(act.document, before, after)

    def send(self, tab: Tab, act: Act, dice: random.Random) -> HttpResponse:
        kind, version = key_of(act.document)[0], str(tab.versions[key_of(act.document)])
        headers = {f"X-{kind}-Version": version, "X-Rate": str(RATE)}
        if kind in ("Part", "Recording"):
            return self.client.post(act.path, json.dumps(act.values), content_type="application/json", headers=headers)
        headers |= {"HX-Request": "true", "X-View": dice.choice(["kit", "cuts", "plan", "map", "desk"])}
        return self.client.post(act.path, act.values, headers=headers)

    # The laws ---------------------------------------------------------------------------------------------------------

    def told_of_part(self, tab: Tab, part: PartRow, answer: HttpResponse) -> None:
        """A page that applies the answer holds what it would read anew; it is what a bounce plays."""
        whole = self.client.get(f"/parts/{part.pk}/data/", headers={"X-Rate": str(RATE)}).json()
        body, fresh = answer.json(), PartRow.objects.get(pk=part.pk)
        if "events" in body:
            if body.get("isWhole"):
                tab.hits[part.pk] = {}
            for row in body["events"]:
                tab.hits[part.pk][row[0]] = row
            for gone in body.get("removed", ()):
                tab.hits[part.pk].pop(gone, None)
            if body["curvesGone"] is None:
                tab.curves[part.pk] = {}
            for gone in body["curvesGone"] or ():
                tab.curves[part.pk].pop(tuple(gone), None)
            tab.curves[part.pk] |= curves_in(body)
            law(tab.curves[part.pk] == curves_in(whole), "the page holds other curves than the part")
            tab.controls[part.pk] = body.get("controls", tab.controls.get(part.pk, []))
            law(tab.controls[part.pk] == whole["controls"], "the page holds other controllers than the part")
            apart = ("events", "curves", "curvesGone", "controls")
            about = {name: body[name] for name in whole if name not in apart}
            law(about == {name: whole[name] for name in about}, f"told otherwise: {differing(about, whole)}")
            now = {row[0]: row for row in whole["events"]}
            law(tab.hits[part.pk] == now, "the page holds other hits than the part")
        value = part_queries.part_value(fresh)
        muted = {pk for pk, _, is_muted in whole["passes"] if is_muted}
        column = {name: COLUMNS.index(name) for name in COLUMNS}
        drawn = [row for row in whole["events"] if row[column["velocity"]] and row[column["pass"]] not in muted]
        played = [(hit.frame, hit.note, hit.velocity) for hit in value.hits(RATE) if hit.velocity]
        law(
            [tuple(row[column[name]] for name in ("frame", "note", "velocity")) for row in drawn] == played,
            "the page plays other hits than a bounce",
        )
        law(all(row[column["tick"]] < whole["loopTicks"] for row in drawn), "a hit stands behind the end")
        if played:
            read = read_curves(write_curves(value), "x.json", read_midi(write_midi(value), "x.mid"))
            law(list(read.hits(RATE)) == list(value.hits(RATE)), "a written file plays otherwise")
            law(
                read.loop_ticks * value.ticks_per_beat == value.loop_ticks * read.ticks_per_beat,
                "a written file is longer",
            )

    def tables(self, kit: Kit) -> dict[int, str]:
        """What the page plays of each pad."""
        return {row["id"]: json.dumps(row) for row in playing.playbook_for_page(kit, RATE)["members"][0]["pads"]}

    def told_of_kit(self, kit: Kit, answer: HttpResponse, before: dict[int, str]) -> None:
        """The page fetches the tables of all pads that sound otherwise now."""
        told = json.loads(answer.headers.get("HX-Trigger", "{}")).get("kit-changed")
        law(told is not None, "the page was told nothing")
        if told["pads"] is None:
            return
        now = self.tables(kit)
        own = set(Pad.objects.filter(kit=kit).values_list("pk", flat=True))
        other = {pk for pk in own if before.get(pk) != now.get(pk)}
        law(other <= set(told["pads"]), f"pads {other - set(told['pads'])} sound otherwise and are not fetched")

    def undone_and_done_again(self, document: Document, before: dict, after: dict) -> None:
        key = key_of(document)
        for what, wanted in (("undo", before), ("redo", after)):
            self.step(document, what)
            law(self.value(key) == wanted[key], f"{what} leads elsewhere: {differing(self.value(key), wanted[key])}")
        for tab in self.tabs:
            self.look(tab, document)

    def step(self, document: Document, what: str) -> HttpResponse:
        paths = {
            "Kit": f"/kits/{document.pk}/{what}/", "Part": f"/parts/{document.pk}/{what}/",
            "Recording": f"/recordings/of/{self.kits[0].pk}/{document.pk}/{what}/",
            "Device": f"/kits/devices/{document.pk}/{what}/for/{self.kits[0].pk}/",
        }  # fmt: skip
        fresh = Tab({key_of(document): type(document).objects.get(pk=document.pk).version}, {})
        answer = self.send(fresh, Act(document, paths[key_of(document)[0]], {}), random.Random(1))
        law(answer.status_code == 200, f"{what}: {answer.status_code} {answer.content[:200]}")
        return answer

    def all_the_way_back_and_forth(self) -> None:
        for document in self.documents():
            end, key = self.value(key_of(document)), key_of(document)
            done = Revision.objects.filter(journal=document.journal_id, is_undone=False).count()
            for _ in range(done):
                self.step(document, "undo")
            law(self.value(key) == self.beginning[key], f"undoing all of {key} leads elsewhere")
            for _ in range(done):
                self.step(document, "redo")
            law(self.value(key) == end, f"doing all of {key} again leads elsewhere")

    # What a hand does -------------------------------------------------------------------------------------------------

    @rule(tab=st.sampled_from([0, 1]), which=st.sampled_from([0, 1]), dice=DICE)
    def edit_kit(self, tab: int, which: int, dice: random.Random) -> None:
        kit = self.kits[which]
        hands = KitHands(self, kit, dice)
        path, values = dice.choice(
            [hands.pad, hands.layer, hands.take, hands.take, hands.desk, hands.whole, hands.ways, hands.pictures]
        )()
        self.do(self.tabs[tab], Act(kit, f"/kits/{kit.pk}/{path}", values), dice)

    @rule(tab=st.sampled_from([0, 1]), which=st.sampled_from([0, 1]), dice=DICE)
    def put_beside(self, tab: int, which: int, dice: random.Random) -> None:
        kit = self.kits[which]
        path, values = KitHands(self, kit, dice).alongside()
        self.do(self.tabs[tab], Act(kit, f"/kits/{kit.pk}/{path}", values), dice)

    @rule(tab=st.sampled_from([0, 1]), dice=DICE)
    def mix_lineup(self, tab: int, dice: random.Random) -> None:
        path, values = KitHands(self, self.lineup, dice).desk_over_kits()
        self.do(self.tabs[tab], Act(self.lineup, f"/kits/{self.lineup.pk}/{path}", values), dice)

    @rule(tab=st.sampled_from([0, 1]), which=st.sampled_from([0, 1]), dice=DICE)
    def look_and_mend(self, tab: int, which: int, dice: random.Random) -> None:
        """What the check finds is mended, left or taken up, also where it was found before an edit."""
        kit = self.kits[which]
        if dice.random() < 0.7:
            list(check_tasks.check_kit(kit.pk))
        rows = check_queries.found(Kit.objects.get(pk=kit.pk))[1]
        found = dice.choice([*rows, {"key": "gone", "rule": "onsets"}])
        act = dice.choice(["mend", "mend", "leave", "take-up"])
        said = {"rule": found["rule"]} if dice.random() < 0.3 else {"key": found["key"]}
        self.do(self.tabs[tab], Act(kit, f"/kits/{kit.pk}/check/{act}/", said), dice)

    @rule(tab=st.sampled_from([0, 1]), dice=DICE)
    def copy_piece(self, tab: int, dice: random.Random) -> None:
        one, other = self.kits
        pad = dice.choice(list(one.pads.values_list("pk", flat=True)) or [0])
        values = {"kit": str(other.pk), "move": dice.choice("01")}
        self.do(self.tabs[tab], Act(one, f"/kits/{one.pk}/pads/{pad}/copy-to/", values, (other,)), dice)
        self.look(self.tabs[tab], other)

    @rule(tab=st.sampled_from([0, 1]), which=st.sampled_from([0, 1]), dice=DICE)
    def edit_part(self, tab: int, which: int, dice: random.Random) -> None:
        part = self.parts[which]
        what, values = PartHands(self, part, dice).any()
        self.do(self.tabs[tab], Act(part, f"/parts/{part.pk}/{what}/", values), dice)

    @rule(tab=st.sampled_from([0, 1]), dice=DICE)
    def edit_recording(self, tab: int, dice: random.Random) -> None:
        track = dice.choice(list(self.recording.tracks.all()))
        mends = list(track.mends.values_list("pk", flat=True)) or [0]
        mend = dice.choice([
            {"place": dice.randrange(9), "isHit": dice.random() < 0.5}, {"isHit": True, "time": dice.random() * 4, "level": -20.0},
            {"mend": dice.choice(mends), "isHit": dice.random() < 0.8, "time": 1.5}, {"place": dice.randrange(8), "isHit": True, "velocity": 99},
        ])  # fmt: skip
        what, values = dice.choice([
            ("mend", {"mends": [{"track": track.pk, **mend}]}),
            (f"tracks/{track.pk}", dice.choice([{"sure": dice.random()}, {"softest": -30}, {"soft": -40, "hard": -10}, {"velocity": 70}, {"pad": dice.choice(list(Pad.objects.values_list("pk", flat=True)))}])),
            ("bars", {"bars": [{"bar": n, "seconds": n * dice.choice([0.001, 0.5, 2.0])} for n in range(dice.choice([0, 1, 3]))], "beats": 4}),
            (dice.choice(["undo", "redo"]), {}),
        ])  # fmt: skip
        self.do(
            self.tabs[tab],
            Act(self.recording, f"/recordings/of/{self.kits[0].pk}/{self.recording.pk}/{what}/", values),
            dice,
        )
        if dice.random() < 0.2:
            law(
                self.client.get(f"/recordings/of/{self.kits[0].pk}/{self.recording.pk}/data/").status_code == 200,
                "the recording does not open",
            )

    @rule(tab=st.sampled_from([0, 1]), dice=DICE)
    def edit_device(self, tab: int, dice: random.Random) -> None:
        what, value = dice.choice([("rename", "Pads"), ("channel", "4"), ("port", "USB"), ("through", "1"), ("order", "falling"), ("order", "x"),
                                   ("cell", "D1"), ("taught", "0:44,3:50"), ("forget", ""), ("remember", ""), ("undo", ""), ("redo", "")])  # fmt: skip
        path = f"/kits/devices/{self.device.pk}/{what}/for/{self.kits[0].pk}/"
        self.do(self.tabs[tab], Act(self.device, path, {"value": value, "place": "2"}), dice)

    @rule(which=st.sampled_from([0, 1]), dice=DICE)
    def copy_part(self, which: int, dice: random.Random) -> None:
        """A duplicate sounds as what it came from and lives on when that is changed; the pieces of a split together too."""
        part = PartRow.objects.get(pk=self.parts[which].pk)
        copy, value = part_edits.duplicate(part), part_queries.part_value(part)
        law(list(part_queries.part_value(copy).hits(RATE)) == list(value.hits(RATE)), "a duplicate plays otherwise")
        law(copy.written_for == part.written_for, "a duplicate is written for other notes")
        law(
            not {one.pass_id for one in part_queries.events(copy)} & set(part.passes.values_list("pk", flat=True)),
            "a duplicate names a pass of another part",
        )
        kit, by = self.kits[0], dice.choice(["pad", "piece", "channel"])
        read = read_midi(write_midi(value, tracks=_namer(kit, part, by)), "x.mid") if value.note_ons else value
        law(
            sorted(map(tuple_of, read.hits(RATE))) == sorted(map(tuple_of, value.hits(RATE))),
            "a file of tracks plays otherwise",
        )
        copy.delete()

    @rule(which=st.sampled_from([0, 1]), how=st.sampled_from(["duplicate", "package", "version"]))
    def copy_kit(self, which: int, how: str) -> None:
        kit = Kit.objects.get(pk=self.kits[which].pk)
        value = portable(whole_kit_value(kit.pk))
        if how == "duplicate":
            made = portable(whole_kit_value(edits.kits.duplicate_kit(kit).pk))
        elif how == "version":
            opened = version_edits.open_as_kit(version_edits.keep(kit, "Kept"))
            made = portable(whole_kit_value(opened.pk))
        else:
            with TemporaryDirectory() as folder:
                pack_kit(value, Path(folder, "kit.zip"))
                with opened_package(Path(folder, "kit.zip")) as source:
                    source.check(skip_bad=False)
                    made = portable(source.kit()[0])
        law(replace(made, name=value.name) == value, f"a {how} is another kit: {differing(made, value)}")

    @rule(which=st.sampled_from([0, 1, 2]))
    def copy_lineup(self, which: int) -> None:
        """What sounds together is the same in a package, and the page plays all of it."""
        kit = Kit.objects.get(pk=(*self.kits, self.lineup)[which].pk)
        value = lineup_queries.lineup_value(kit, whole_kit_value(kit.pk), whole=True)
        if value is None:
            return
        with TemporaryDirectory() as folder:
            lineup_queries.pack_lineup(kit, Path(folder, "lineup.zip"))
            with open_played(Path(folder, "lineup.zip")) as source:
                source.check(skip_bad=False)
                made = source.package.lineup
        law(made == portable_lineup(value), f"a package is another lineup: {differing(made, portable_lineup(value))}")
        told = playing.playbook_for_page(kit, RATE)["members"]
        law([one["name"] for one in told] == [one.kit.name for one in value.members], "the page plays other members")

    @rule(which=st.sampled_from([0, 1]), dice=DICE)
    def open_everything(self, which: int, dice: random.Random) -> None:
        kit, part = self.kits[which], self.parts[which]
        path = dice.choice([f"/kits/{kit.pk}/", f"/kits/{kit.pk}/cuts/", f"/kits/{kit.pk}/plan/", f"/kits/{kit.pk}/map/", f"/kits/{kit.pk}/desk/",
                            f"/kits/{kit.pk}/map/devices/", f"/kits/{kit.pk}/history/", f"/parts/of/{kit.pk}/?part={part.pk}",
                            f"/parts/of/{kit.pk}/lanes/?part={part.pk}", f"/bounces/of/{kit.pk}/", f"/kits/{kit.pk}/playbook/48000/"])  # fmt: skip
        answer = self.client.get(path, headers={"HX-Request": "true"} if dice.random() < 0.5 else {})
        law(answer.status_code == 200, f"{path}: {answer.status_code}")


class KitHands(Hands):
    def __init__(self, hand: Hand, kit: Kit, dice: random.Random) -> None:
        self.case, self.kit, self.dice = hand, kit, dice
        self.samples = [sample.pk for sample in hand.samples]

    def pictures(self) -> tuple[str, dict]:
        pad, other = self.one(Pad, kit=self.kit), self.one(Pad, kit=self.kit)
        piece = self.dice.choice(list(self.kit.pieces.values_list("pk", flat=True)))
        return self.dice.choice([
            (f"pads/{pad}/cuts/{other}/", {"both": self.dice.choice("01")}), ("cuts/usual/", {}), ("cuts/links/", {"value": "50"}),
            (f"pieces/{piece}/place/", {"x": "0.2", "y": "0.4", "pan": self.dice.choice(["", "player"])}), ("plan/usual/", {}),
            (f"pads/{pad}/free-note/", {}), ("pads/by-kind/", {}), (f"pads/{pad}/swap/keep/", {"value": f"{piece}.1.{pad}-{other}"}),
        ])  # fmt: skip

    def alongside(self) -> tuple[str, dict]:
        other, pad, sounds = self.one(Kit), self.one(Pad, kit=self.kit), self.one(Pad)
        row, piece = self.one(Alongside, kit=self.kit), self.one(Piece, pads=sounds)
        name = self.dice.choice(
            [
                "gain_db",
                "delay_ms",
                "channels",
                "low",
                "high",
                "muted",
                "curve",
                "pieces",
                "is_met",
                "version_id",
                "device_id",
                "remove",
            ]
        )
        ends = [f"{self.dice.choice(['', row])}:{self.dice.choice([pad, sounds, 'A'])}" for _ in range(2)]
        gone = f"{self.dice.choice(['link', 'choke'])}-{self.one(Link, kit=self.kit)}"
        under = f"{self.dice.choice(['-6', '3', 'nan'])}_{self.dice.choice([0, -200])}_{self.dice.choice([0, 2.5, 9000])}_{self.dice.choice('01')}"
        return self.dice.choice([
            ("alongside/add/", {"other": str(other)}), ("alongside/add/", {"other": str(other)}), ("alongside/own/channels/", {"value": self.dice.choice(["10", "", "1, 2", "17"])}),
            ("alongside/by-channel/", {}), (f"alongside/unlink/{gone}/", {}),
            ("alongside/link/", {"one": ends[0], "other": ends[1], "what": self.dice.choice(["", "choke"]), "strength": self.dice.choice(["1", "0.5", "x"])}),
            (f"alongside/{row}/{name}/", {"value": self.dice.choice(TYPED)}),
            (f"alongside/{row}/{name}/", {"value": self.dice.choice(["10", "1", "0"])}),
            (f"pads/{pad}/swap/thicken/", {"value": f"{under}~{piece}.1.{pad}-{sounds}"}),
        ])  # fmt: skip

    def desk_over_kits(self) -> tuple[str, dict]:
        rows = Alongside.objects.filter(kit=self.kit).values_list("pk", "other__outputs")
        places = [f"{row}:{output}" for row, output in rows] or ["1:1"]
        some, group = self.dice.sample(places, min(len(places), 2)), self.one(LineupGroup, kit=self.kit)
        row, wanted = self.one(Alongside, kit=self.kit), self.dice.choice(TYPED)
        name = self.dice.choice(["gain_db", "width", "balance", "muted", "parallel_db", "group", "name"])
        what = self.dice.choice(["name", "gain_db", "muted", "colour", "delete"])
        return self.dice.choice([
            (f"alongside/desk/outputs/{some[0]}/{name}/", {"value": wanted, "outputs": ",".join(some)}),
            (f"alongside/desk/outputs/{some[0]}/group/", {"value": str(group)}),
            ("alongside/desk/group/", {"outputs": ",".join(some), "name": self.dice.choice(["", "Kicks"])}),
            (f"alongside/desk/group/{group}/{what}/", {"value": wanted}),
            (f"desk/set/{self.dice.choice(['master_db', 'parallel_is_on', 'parallel_gain_db', 'side'])}/", {"value": wanted}),
            (f"alongside/{row}/{self.dice.choice(['gain_db', 'muted', 'version_id'])}/", {"value": wanted}),
            *[(f"alongside/{row}/remove/", {})] * (self.dice.random() < 0.3 and len(places) > 2),
            ("alongside/add/", {"other": str(self.one(Kit))}),
        ])  # fmt: skip


class PartHands:
    """Everything the part's editor can send, with any hits chosen."""

    def __init__(self, hand: Hand, part: PartRow, dice: random.Random) -> None:
        self.part, self.dice, self.other = part, dice, next(one for one in hand.parts if one.pk != part.pk)
        every = [event.id for event in part_queries.events(part)]
        self.ids = dice.sample(every, min(len(every), dice.randint(1, 5))) if every else [1]
        self.end = part_queries.about(PartRow.objects.get(pk=part.pk)).loop_ticks

    def any(self) -> tuple[str, dict]:
        what, values = self.dice.choice([self.shaped, self.shaped, self.structured, self.recorded, self.back])()
        return what, values

    def shaped(self) -> tuple[str, dict]:
        dice, ids, end = self.dice, self.ids, self.end
        tick = dice.choice([0, 1, end - 1, end, dice.randrange(end + 500)])
        what, values = dice.choice([
            ("draw", {"events": [[tick, 38, 90, 9, dice.choice([0, 60, end])]]}), ("remove", {}),
            ("move", {"ticks": dice.choice([-end, -1, 0, 1, 700]), "notes": [[38, 40]], "copy": dice.random() < 0.5}),
            ("strike", {"velocities": [[one, dice.randint(1, 127)] for one in ids]}),
            ("numbers", {"field": "ms", "value": dice.choice([0, 250.5, 1e5])}), ("numbers", {"field": "tick", "value": tick}),
            ("numbers", {"field": "length", "value": dice.choice([0, 5, end])}),
            ("paste", {"events": [[tick, 38, 90, 9, 0, tick]], "start": 0, "at": dice.choice([0, 480, end])}),
            ("duplicate", {}), ("repeat", {}), ("velocity", {"how": "scale", "value": 50}),
            ("tighten", {"strength": dice.choice([0, 50, 100]), "grid": dice.choice(["1/4", "1/16", "1/1"])}),
            ("as-played", {}), ("nudge", {"ms": dice.choice([-500, 5, 900])}), ("loosen", {"ms": dice.choice([5, 100]), "seed": 3}),
            ("feel", {"from": self.other.pk, "grid": "1/8"}), ("grace", {"figure": dice.choice(["flam", "drag", "ruff"])}),
            ("roll", {"grid": "1/32", "beats": dice.choice([0, 1]), "doubles": dice.random() < 0.5}), ("ghost", {"places": dice.choice([-1, 2])}),
            ("hats", {"how": dice.choice(["close", "foot"]), "open": [42], "closed": [38]}), ("alternate", {"one": 36, "other": 38}),
        ])  # fmt: skip
        loop = dice.choice([{}, {"loop": [0, end]}, {"loop": [480, 960]}])
        return f"edit/{what}", {"ids": ids, **values, **loop}

    def structured(self) -> tuple[str, dict]:
        dice, bar = self.dice, {"bar": self.dice.choice([1, 2, 9]), "count": self.dice.choice([1, 2])}
        what, values = dice.choice([
            ("rename", {"name": dice.choice(["Tide", ""])}), ("tempo", {"bpm": dice.choice([60, 123.4, 9e9]), "tick": dice.choice([0, 960])}),
            ("tempo", {"tick": 960}), ("meter", {**bar, "beats": dice.choice([3, 7]), "unit": 8}), ("meter", bar),
            ("section", {"start": 0, "end": dice.choice([0, 960]), "name": "A"}), ("insert-bars", bar), ("delete-bars", bar),
            ("duplicate-bars", bar), ("clear-bars", bar), ("curves", {"curves": [{"of": dice.choice(["output:Main", "group:A", "lane:38", "lane:x"]), "what": dice.choice(["gain_db", "pan", "width"]),
             "points": [[tick, dice.choice([0, -1.5, 0.25, 99])] for tick in sorted(dice.sample(range(4000), dice.choice([0, 1, 4])))]}]}), ("put-behind", {"from": self.other.pk}), ("lay-over", {"from": self.other.pk}),
        ])  # fmt: skip
        if blocks.count(self.part) > 400 and what in ("put-behind", "duplicate-bars"):
            what, values = "delete-bars", bar
        return f"edit/{what}", values

    def recorded(self) -> tuple[str, dict]:
        dice, frames = self.dice, self.end * 50
        hits = [
            [dice.randrange(frames), dice.choice([36, 38, 60]), 90, 9, dice.choice([0, 4000])]
            for _ in range(dice.choice([0, 1, 3]))
        ]
        more = dice.choice([{}, {"strength": 100, "grid": "1/4", "loop": [0, self.end]}, {"replace": True}, {"replace": True, "span": [0, frames // 2]}])  # fmt: skip
        passes = list(self.part.passes.values_list("pk", flat=True)) or [0]
        return dice.choice([
            ("record", {"name": f"pass {dice.randrange(4)}", "rate": RATE, "hits": hits, **more}),
            (f"passes/{dice.choice(passes)}/{dice.choice(['mute', 'hear', 'only'])}", {}),
            ("written-for", {"source": dice.choice(["", "standard"])}), (f"translate/for/{Kit.objects.first().pk}", {}),
        ])  # fmt: skip

    def back(self) -> tuple[str, dict]:
        revisions = list(Revision.objects.filter(journal=self.part.journal_id).values_list("pk", flat=True)) or [0]
        return self.dice.choice([("undo", {}), ("redo", {}), (f"history/{self.dice.choice(revisions)}", {})])


def key_of(document: Document) -> tuple[str, int]:
    return type(document).__name__, document.pk


def tuple_of(hit: Any) -> tuple[int, ...]:
    return hit.frame, hit.note, hit.velocity, hit.channel


def curves_in(body: dict) -> dict[tuple, list]:
    return {(of, what): points for of, what, points in body["curves"]}


def law(holds: bool, words: str) -> None:
    if not holds:
        raise Laws(words)


def differing(one: Any, other: Any) -> str:
    """Where two values differ first, in few words."""
    a, b = repr(one), repr(other)
    at = next((n for n, (x, y) in enumerate(zip(a, b, strict=False)) if x != y), min(len(a), len(b)))
    return f"{a[max(0, at - 80) : at + 60]} and {b[max(0, at - 80) : at + 60]}"
