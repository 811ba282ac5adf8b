"""Scores: any part is written and reads back to its very hits; what another program wrote is read as it is played."""

import io
import random
import xml.etree.ElementTree as ET
import zipfile
from contextlib import suppress
from fractions import Fraction

from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from dactyl.core.errors import PartError
from dactyl.core.formats.musicxml.read import read_musicxml
from dactyl.core.formats.musicxml.write import STANDARD, write_musicxml
from dactyl.core.parts.part import Event, Part, Section
from dactyl.core.parts.structure import in_order

METERS = [(4, 4), (3, 4), (6, 8), (7, 8), (5, 4), (2, 2), (12, 8), (3, 16)]


def part_of(hits, meter=(4, 4), ticks=480, **settings) -> Part:
    """hits : (tick, note, velocity)"""
    events = in_order([Event(tick, note, velocity) for tick, note, velocity in hits])
    about = {"tempos": ((0, 500_000),), "end_tick": 4 * ticks, "meters": ((0, *meter),)} | settings
    return Part(name="Beat", ticks_per_beat=ticks, events=events, **about)


def struck(part: Part) -> list[tuple[int, int, int]]:
    return sorted((event.tick, event.note, event.velocity) for event in part.note_ons)


def foreign(measures: str) -> bytes:
    head = '<score-partwise><part-list><score-part id="P1"><part-name>Kit</part-name></score-part></part-list><part id="P1">'
    return f'<?xml version="1.0"?>{head}{measures}</part></score-partwise>'.encode()


def note(step: str, octave: int, duration: int, more: str = "", head: str = "") -> str:
    inner = f"<unpitched><display-step>{step}</display-step><display-octave>{octave}</display-octave></unpitched>"
    return f"<note>{inner}<duration>{duration}</duration><voice>1</voice>{head}{more}</note>"


class Scores(SimpleTestCase):
    @settings(max_examples=50, deadline=None)
    @given(
        st.lists(st.tuples(st.integers(0, 5000), st.sampled_from([35, 38, 42, 44, 46, 49, 60, 90]), st.integers(1, 127)), min_size=1, max_size=40),
        st.sampled_from(METERS), st.sampled_from([24, 96, 480, 960, 1001]), st.booleans(),
    )  # fmt: skip
    def test_any_part_reads_back_to_its_hits_and_every_bar_is_full(self, hits, meter, ticks, changes):
        bar = 4 * ticks * meter[0] // meter[1]
        meters = ((0, *meter), (2 * bar, 2, 4)) if changes else ((0, *meter),)
        part = part_of(
            hits,
            ticks=ticks,
            end_tick=max(5001, 2 * bar + 1),
            meters=meters,
            tempos=((0, 500_000), (300, 471_000)),
            sections=(Section(0, 5001, "Verse"),),
        )
        data = write_musicxml(part, STANDARD)
        again = read_musicxml(data, "Beat.musicxml")
        self.assertEqual(struck(again), struck(part))
        self.assertEqual((again.meters, again.tempos), (part.meters, part.tempos))
        self.assertEqual([one.name for one in again.sections], ["Verse"])
        self.full_bars(ET.fromstring(data))

    def full_bars(self, root: ET.Element) -> None:
        """Each voice fills its bar, and every sign says its length."""
        signs = {"whole": 4, "half": 2, "quarter": 1} | {
            f"{2**n}{'nd' if n == 5 else 'th'}": Fraction(4, 2**n) for n in range(4, 9)
        }
        signs["eighth"] = Fraction(1, 2)
        divisions, length = int(root.findtext(".//divisions")), Fraction(4)
        for measure in root.iter("measure"):
            if (time := measure.find("attributes/time")) is not None:
                length = Fraction(4 * int(time.findtext("beats")), int(time.findtext("beat-type")))
            voices: dict[str, Fraction] = {}
            for one in measure.iter("note"):
                if one.find("grace") is not None or one.find("chord") is not None:
                    continue
                own = Fraction(int(one.findtext("duration")), divisions)
                voices[one.findtext("voice")] = voices.get(one.findtext("voice"), 0) + own
                if kind := one.findtext("type"):
                    said = signs[kind] * (Fraction(3, 2) if one.find("dot") is not None else 1)
                    self.assertEqual(said * (Fraction(2, 3) if one.find("time-modification") is not None else 1), own)
            self.assertEqual(set(voices.values()), {length} if length * divisions % 1 == 0 else set(voices.values()))

    def test_a_buzz_that_rises_and_a_bar_cut_short_anywhere_lose_no_hit(self):
        rising = [(40 * n, 38, min(127, round(12 * 1.25**n))) for n in range(11)]
        late = [(n, 36, 90) for n in (1901, 1919, 1931, 1938)]
        part = part_of([*rising, *late, (0, 42, 50), (0, 42, 99)], end_tick=3900, meters=((0, 4, 4), (1939, 3, 4)))
        data = write_musicxml(part, STANDARD)
        self.assertEqual(len(struck(read_musicxml(data, "Buzz.musicxml"))), len(part.note_ons))
        whole = part_of([*rising, (0, 42, 50), (0, 42, 99)], end_tick=1920)
        self.assertEqual(struck(read_musicxml(write_musicxml(whole, STANDARD), "Buzz.musicxml")), struck(whole))

    def test_what_no_score_can_say_is_passed_over_or_refused(self):
        tempo = '<direction><sound tempo="90"/></direction>'
        meter = "<divisions>2</divisions><time><beats>2</beats><beat-type>4</beat-type></time>"
        score = f'<measure number="1"><attributes>{meter}</attributes>{tempo}{note("F", 4, 2)}</measure>'
        odd = [
            ("<divisions>2", "<divisions>0.0000001"), ("<beats>2", f"<beats>{'9' * 5000}"), ('tempo="90"', 'tempo="nan"'),
            ("<duration>2", "<duration>999999999"), ("<display-octave>4", "<display-octave>²"), ("<beat-type>4", "<beat-type>³"),
        ]  # fmt: skip
        for old, new in odd:
            self.assertIn(old, score)
            with self.subTest(old):
                self.assertEqual(len(read_musicxml(foreign(score.replace(old, new)), "Odd.musicxml").note_ons), 1)
        slow = score.replace('tempo="90"', 'tempo="5"') + '<measure number="2"/>' * 6000
        with self.assertRaisesRegex(PartError, "over 4 hours"):
            read_musicxml(foreign(slow.replace("<beats>2", "<beats>32")), "Long.musicxml")

    def test_it_is_written_as_drummers_read_it(self):
        beat = [(n * 240, 42, 70) for n in range(8)] + [
            (0, 36, 100),
            (960, 36, 100),
            (480, 38, 120),
            (1440, 38, 30),
            (1420, 38, 20),
        ]
        swung = [(1920, 51, 80), (2240, 51, 60), (2400, 46, 80)]
        root = ET.fromstring(write_musicxml(part_of([*beat, *swung], end_tick=3840), STANDARD))
        first, second = root.findall("part/measure")
        kinds = [
            one.findtext("type")
            for one in first.iter("note")
            if one.findtext("voice") == "1" and one.find("chord") is None
        ]
        self.assertEqual(kinds.count("eighth"), 9, "eight hats, and the grace note before the ghost")
        self.assertEqual(
            [one.findtext("unpitched/display-step") for one in first.iter("note") if one.find("grace") is not None],
            ["C"],
        )
        feet = [
            one.findtext("stem")
            for one in first.iter("note")
            if one.findtext("voice") == "2" and one.find("rest") is None
        ]
        self.assertEqual(feet, ["down", "down"])
        ghost = first.find(".//notehead[@parentheses='yes']/..")
        self.assertEqual((ghost.findtext("unpitched/display-step"), ghost.findtext("notehead")), ("C", "normal"))
        self.assertEqual(len(first.findall(".//accent")), 1)
        self.assertEqual([one.get("type") for one in second.iter("tuplet")], ["start", "stop"])
        self.assertEqual(len(second.findall(".//open-string")), 1)

    def test_another_programs_score_is_played_with_its_marks_and_repeats(self):
        loud = '<direction><direction-type><dynamics><ff/></dynamics></direction-type><sound tempo="90"/></direction>'
        first = f"<attributes><divisions>2</divisions><time><beats>2</beats><beat-type>4</beat-type></time></attributes>{loud}"
        first += '<barline location="left"><repeat direction="forward"/></barline>'
        first += (
            note("F", 4, 2) + "<note><chord/>" + note("G", 5, 2, head="<notehead>x</notehead>").removeprefix("<note>")
        )
        first += "<note><grace/><unpitched><display-step>C</display-step><display-octave>5</display-octave></unpitched></note>"
        first += note("C", 5, 2, head='<notehead parentheses="yes">normal</notehead>')
        first += '<barline location="right"><repeat direction="backward"/></barline>'
        second = note("A", 5, 4, head="<notehead>x</notehead>", more="<tie type='start'/>")
        data = foreign(f'<measure number="1">{first}</measure><measure number="2">{second}</measure>')
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as file:
            file.writestr(
                "META-INF/container.xml", '<container><rootfiles><rootfile full-path="s.xml"/></rootfiles></container>'
            )
            file.writestr("s.xml", data)
        for one in (data, packed.getvalue()):
            part = read_musicxml(one, "Song.musicxml")
            grace = 960 - round(0.025 * 1.5 * 960)
            self.assertEqual(struck(part), sorted([
                (0, 36, 112), (0, 42, 112), (grace, 38, 67), (960, 38, 40),
                (1920, 36, 112), (1920, 42, 112), (1920 + grace, 38, 67), (2880, 38, 40), (3840, 49, 112),
            ]))  # fmt: skip
            self.assertEqual((part.name, part.bars, round(part.bpm)), ("Song", 3, 90))

    def ticks_of(self, measures: str, head: str = "") -> list[tuple[int, int]]:
        """In quarters and notes, of a score in 2/4 of two divisions a quarter."""
        meter = "<attributes><divisions>2</divisions><time><beats>2</beats><beat-type>4</beat-type></time></attributes>"
        part = read_musicxml(foreign(measures.replace("<measure>", f"<measure>{meter}", 1)), "Song.musicxml")
        return [(event.tick / 960, event.note) for event in part.note_ons]

    def test_repeats_endings_and_jumps_are_played_out(self):
        kick, snare, crash = note("F", 4, 4), note("C", 5, 4), note("A", 5, 4, head="<notehead>x</notehead>")
        left = '<barline location="left">{}</barline>'
        right = '<barline location="right">{}<repeat direction="backward"/></barline>'
        first = (
            left.format('<ending number="1, 2" type="start"/>')
            + snare
            + right.format('<ending number="1, 2" type="stop"/>')
        )
        second = (
            left.format('<ending number="3" type="start"/>')
            + crash
            + '<barline location="right"><ending number="3" type="stop"/></barline>'
        )
        sound = "<direction><sound {}/></direction>"
        again = '<attributes><measure-style><measure-repeat type="{}">1</measure-repeat></measure-style></attributes>'
        for bars, notes in (
            ([kick, first, second], [36, 38, 36, 38, 36, 49]),
            ([kick, snare + sound.format('fine="yes"'), crash + sound.format('dacapo="yes"')], [36, 38, 49, 36, 38]),
            ([kick, sound.format('segno="A"') + snare + sound.format('tocoda="B"'), crash + "<direction><direction-type><words>D.S. al Coda</words></direction-type></direction>", sound.format('coda="B"') + kick], [36, 38, 49, 38, 36]),
            ([kick, first.replace("1, 2", "1"), second.replace('"3"', '"2"'), snare, first.replace("1, 2", "1"), second.replace('"3"', '"2"')], [36, 38, 36, 49, 38, 38, 38, 49]),
            ([kick, again.format("start"), "", again.format("stop") + snare], [36, 36, 36, 38]),
        ):  # fmt: skip
            with self.subTest(notes=notes):
                found = self.ticks_of("".join(f"<measure>{bar}</measure>" for bar in bars))
                self.assertEqual(found, [(2 * n, one) for n, one in enumerate(notes)])

    def test_fields_of_ours_that_say_nonsense_are_passed_over(self):
        part = part_of(
            [(0, 36, 90), (1939, 38, 90)],
            end_tick=3900,
            meters=((0, 4, 4), (1939, 3, 4)),
            sections=(Section(0, 1000, "A"),),
        )
        data = write_musicxml(part, STANDARD)
        for old, new in ((b"1:19<", b"1<"), (b"1:19<", b"1:19:2<"), (b"1:19<", b"x:<"), (b">1000<", b">1000:5<")):
            with self.subTest(new):
                self.assertIn(old, data)
                self.assertEqual(len(read_musicxml(data.replace(old, new), "Beat.musicxml").note_ons), 2)

    def test_rolls_drags_upbeats_and_second_drummers_are_played_as_they_are_meant(self):
        kick, snare = note("F", 4, 4), note("C", 5, 4)
        roll = snare.replace(
            "</note>", "<type>half</type><notations><ornaments><tremolo>2</tremolo></ornaments></notations></note>"
        )
        self.assertEqual(self.ticks_of(f"<measure>{roll}</measure>"), [(n / 4, 38) for n in range(8)])
        grace = note("C", 5, 0).replace("<note>", "<note><grace/>")
        dragged = self.ticks_of(f"<measure>{kick}</measure><measure>{grace}{grace}{snare}</measure>")
        self.assertEqual([round(tick, 2) for tick, _ in dragged], [0, 1.9, 1.95, 2])
        upbeat = read_musicxml(foreign(
            f'<measure number="0"><attributes><divisions>2</divisions></attributes>{note("C", 5, 2)}</measure>'
            f'<measure>{note("F", 4, 8)}</measure><measure>{note("F", 4, 8)}</measure>'
        ), "Song.musicxml")  # fmt: skip
        self.assertEqual((upbeat.bars, upbeat.meters), (3, ((0, 4, 4), (960, 4, 4))))
        self.assertEqual([event.tick for event in upbeat.note_ons], [0, 960, 960 + 3840])
        other = f'</part><part id="P2"><measure><attributes><divisions>4</divisions></attributes>{note("A", 5, 16)}</measure>'
        self.assertEqual(self.ticks_of(f"<measure>{kick}</measure>{other}"), [(0, 36), (0, 49)])
        strange = note("B", 5, 2, head="<notehead>cross</notehead>") + note("E", 6, 2)
        self.assertEqual(len({one for _, one in self.ticks_of(f"<measure>{strange}</measure>")} - {38}), 2, "no snare")
        fast = read_musicxml(foreign(f'<measure><sound tempo="4000"/>{kick}</measure>'), "Song.musicxml")
        self.assertEqual(round(fast.bpm), 1000)

    def test_a_hand_that_is_a_hair_off_is_written_plainly(self):
        """12 ms of spread, by a hand of its own for each drum: what a copyist would write, and read back to the very tick."""
        dice = random.Random(4)
        grid = (
            [(240 * n, 42) for n in range(64)]
            + [(1920 * n // 2, 36) for n in range(16)]
            + [(960 * n + 480, 38) for n in range(16)]
        )
        played = [(max(0, tick + round(dice.gauss(0, 0.012) * 960)), drum, 90) for tick, drum in grid]
        data = write_musicxml(part_of(played, end_tick=15_360), STANDARD)
        self.assertEqual(struck(read_musicxml(data, "Beat.musicxml")), sorted(played))
        root = ET.fromstring(data)
        self.assertEqual(len(root.findall(".//tuplet")), 0)
        self.assertEqual(
            {one.findtext("type") for one in root.iter("note") if one.find("unpitched") is not None}
            - {"quarter", "eighth", "half"},
            set(),
        )
        fast = [(60 * n, 38, (60, 100)[n % 2]) for n in range(32)]
        kinds = [one.findtext("type") for one in ET.fromstring(write_musicxml(part_of(fast, end_tick=1920, tempos=((0, 428_571),)), STANDARD)).iter("note") if one.find("grace") is not None]  # fmt: skip
        self.assertEqual(kinds, [], "thirty-seconds at 140 are strokes")

    def test_beams_brackets_and_tempos_are_those_of_the_meter(self):
        seven = [(240 * n, 42, 80) for n in range(7)]
        score = ET.fromstring(write_musicxml(part_of(seven, meter=(7, 8), end_tick=1680), STANDARD))
        self.assertEqual(
            [one.text for one in score.iter("beam")], ["begin", "end", "begin", "end", "begin", "continue", "end"]
        )
        six = [(80 * n, 42, 80) for n in range(6)]
        score = ET.fromstring(write_musicxml(part_of(six, end_tick=1920), STANDARD))
        self.assertEqual(
            {(one.findtext("actual-notes"), one.findtext("normal-notes")) for one in score.iter("time-modification")},
            {("6", "4")},
        )
        drag = [(0, 42, 80), (440, 38, 40), (460, 38, 45), (480, 38, 100)]
        score = ET.fromstring(write_musicxml(part_of(drag, end_tick=1920), STANDARD))
        self.assertEqual([one.text for one in score.findall(".//grace/../beam")], ["begin", "begin", "end", "end"])
        compound = part_of([(0, 36, 90)], meter=(6, 8), end_tick=1440, tempos=((0, 400_000),))
        metronome = ET.fromstring(write_musicxml(compound, STANDARD)).find(".//metronome")
        self.assertEqual((metronome.find("beat-unit-dot") is not None, metronome.findtext("per-minute")), (True, "100"))

    def test_sections_inside_bars_and_bars_cut_short_stay_where_they_are(self):
        sections = (Section(0, 1000, "A"), Section(1000, 1939, "B"), Section(2500, 3000, "C"))
        part = part_of(
            [(0, 36, 90), (1939, 38, 90)], end_tick=3900, meters=((0, 4, 4), (1939, 3, 4)), sections=sections
        )
        again = read_musicxml(write_musicxml(part, STANDARD), "Beat.musicxml")
        self.assertEqual((again.sections, again.meters, struck(again)), (sections, part.meters, struck(part)))

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.tuples(st.floats(0, 1), st.integers(0, 255)), min_size=1, max_size=5), st.booleans())
    def test_a_damaged_one_ends_in_a_sentence(self, changes, cut):
        data = bytearray(write_musicxml(part_of([(0, 36, 100), (240, 38, 20), (500, 42, 120)]), STANDARD))
        for where, value in changes:
            data[int(where * (len(data) - 1))] = value
        with suppress(PartError):
            read_musicxml(bytes(data[: int(changes[0][0] * len(data))] if cut else data), "Bad.musicxml")
        for bad in (
            b"<score-timewise/>",
            b"<score-partwise/>",
            b"PK\3\4nothing",
            b'<!DOCTYPE a [<!ENTITY b "c">]><score-partwise/>',
            '<?xml version="1.0" encoding="UTF-16"?><!DOCTYPE a [<!ENTITY b "c"><!ENTITY d "&b;&b;">]><score-partwise>&d;</score-partwise>'.encode(
                "utf-16"
            ),
            b'<!DOCTYPE a [<!ENTITY % b "c">]><score-partwise/>',
        ):
            with self.assertRaises(PartError):
                read_musicxml(bad, "Bad.musicxml")
