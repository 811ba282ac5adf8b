"""Several kits together: each plays as it would by itself, and only what is linked crosses (design rule 19)."""

import hashlib
import math
import random
import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np
import soundfile
from django.test import SimpleTestCase

from dactyl.core.bounce.order import BounceOrder
from dactyl.core.bounce.render import fade_curve, voices_of
from dactyl.core.bounce.source import LineupSource, open_kit, open_played
from dactyl.core.bounce.stems import bounce
from dactyl.core.errors import KitError, KitFileError
from dactyl.core.formats.lineup import all_samples_of, portable_lineup, write_lineup
from dactyl.core.formats.package import SampleFile, name_samples
from dactyl.core.kit import Kit, MuteGroup, Output, OutputGroup, Pad, Parallel, Piece, Sample, Variation
from dactyl.core.lineup import Lineup, LineupGroup, LineupOutput, Member
from dactyl.core.parts.controls import CONTROLLER, KEY_PRESSURE
from dactyl.core.parts.part import Event, Gesture, Hit, Part
from dactyl.core.play.compile import compile_kit
from dactyl.core.play.player import Voice
from dactyl.core.play.together import compile_lineup
from dactyl.core.tests.kits import CHOKE_A, RATE, kit, map_of_pads, pad, take
from dactyl.core.units import db_to_gain

NOTES = range(36, 44)


def random_kit(dice: random.Random) -> Kit:
    """Whatever makes members meet, were they not kept apart: groups, limits, counters, companions, chance, a desk."""
    pads = []
    for note in NOTES:
        made = pad(
            f"pad {note}",
            note=note,
            highs=(60, 127),
            takes=dice.randint(1, 3),
            frames=dice.randint(4000, 40_000),
            rotation=dice.choice(["in_turn", "random", "no_repeat"]),
            choke=CHOKE_A if dice.random() < 0.4 else None,
            silences=(MuteGroup(number=1),) if dice.random() < 0.2 else (),
            silenced_by=(MuteGroup(number=1),) if dice.random() < 0.2 else (),
            max_voices=dice.randint(1, 3),
            is_held=dice.random() < 0.3,
            cents_per_key=dice.choice([0.0, 0.0, 100.0]),
            root=38,
            muted=dice.random() < 0.1,
            variation=Variation(gain_db=3.0, delay_ms=5.0) if dice.random() < 0.3 else Variation(),
            companions=((dice.choice(pads).id, 0.7),) if pads and dice.random() < 0.3 else (),
            output=dice.choice([None, "Two"]),
        )
        pads.append(made)
    outputs = (Output(name="Main", parallel_db=-6.0), Output(name="Two", gain_db=-3.0, balance=0.4, width=0.5))
    return Kit(
        name=f"kit {dice.randint(1, 3)}",
        pieces=pieces_of(pads, dice),
        outputs=outputs,
        maps=(map_of_pads(pads),),
        seed=dice.randint(0, 9),
        groups=(OutputGroup(name="All", outputs=("Main", "Two"), gain_db=-1.0),),
        parallel=Parallel(is_on=dice.random() < 0.5),
    )


def pieces_of(pads: list[Pad], dice: random.Random) -> tuple[Piece, ...]:
    """A piece for each pad; or the last five as one, that a pedal or a place shares out and a hand grabs."""
    single = pads[:-5] if dice.random() < 0.5 else pads
    pieces = [Piece(id=number, name=each.name, pads=(each,)) for number, each in enumerate(single, start=1)]
    if len(single) < len(pads):
        said = [{"open_to": 40}, {"open_to": 90}, {"open_to": 127}, {"played_by": "chick"}, {"played_by": dice.choice(["splash", "grab"])}]  # fmt: skip
        pieces.append(Piece(
            id=20, name="Hats", pads=tuple(replace(each, **one) for each, one in zip(pads[-5:], said, strict=True)),
            shared_by=dice.choice(["pedal", "pedal", "place"]), is_turned=dice.random() < 0.3, blend=dice.choice([0, 30]),
            closing_ms=20.0, grab_from=dice.choice([None, 64]), grab_note=dice.choice([None, 39]), grab_ms=15.0,
        ))  # fmt: skip
    return tuple(pieces)


def some_gestures(dice: random.Random) -> list[Gesture]:
    """A pedal on two channels, quick and slow; keys that are pressed; a reset."""
    made, frame = [], 0
    while frame < 4 * RATE:
        frame += dice.choice([300, 1500, 6000, 20_000])
        kind, number = dice.choice([(CONTROLLER, 4), (CONTROLLER, 4), (CONTROLLER, 4), (KEY_PRESSURE, dice.choice(NOTES)), (CONTROLLER, 121)])  # fmt: skip
        made.append(Gesture(frame, kind, number, dice.choice([0, 20, 64, 90, 127]), dice.choice([9, 10])))
    return made


def random_member(dice: random.Random) -> Member:
    own = random_kit(dice)
    low = dice.choice([0, 38])
    return Member(
        kit=own,
        channels=dice.choice([None, (9,), (9, 10), (10,)]),
        low=low,
        high=dice.choice([127, 41]),
        gain_db=dice.choice([0.0, -6.0]),
        delay_ms=dice.choice([0.0, 3.0, 12.5]),
        curve=dice.choice(["even", "hard", ((1.0, 20.0), (127.0, 90.0))]),
        pieces=dice.choice([None, tuple(piece.id for piece in own.pieces[::2])]),
        notes=dice.choice([(), ((36, 40), (40, 36), (41, 99))]),
    )


def some_hits(dice: random.Random) -> list[Hit]:
    hits = [
        Hit(dice.randint(0, 4 * RATE), dice.choice(NOTES), dice.choice([0, 1, 30, 64, 100, 127]), dice.choice([9, 10]))
        for _ in range(150)
    ]
    return sorted(hits, key=lambda hit: hit.frame)


def as_heard(member: Member, hits: list[Hit]) -> list[Hit]:
    """What reaches a member, said plainly: design rule 19 by hand."""
    table, heard = dict(member.notes), []
    for hit in hits:
        if member.channels is not None and hit.channel not in member.channels:
            continue
        if not member.low <= hit.note <= member.high:
            continue
        shaped = hit.velocity
        if hit.velocity and member.curve == "hard":
            shaped = max(1, math.floor(127 * (hit.velocity / 127) ** 1.6 + 0.5))
        elif hit.velocity and member.curve != "even":
            shaped = math.floor(20 + 70 * (hit.velocity - 1) / 126 + 0.5)
        heard.append(
            Hit(hit.frame + math.floor(member.delay_ms * 48 + 0.5), table.get(hit.note, hit.note), shaped, hit.channel)
        )
    return heard


def without(member: Member) -> Kit:
    """The kit with only the pieces that take part."""
    pieces = tuple(piece for piece in member.kit.pieces if member.pieces is None or piece.id in member.pieces)
    pads = {each.id for piece in pieces for each in piece.pads}
    notes = tuple((note, one) for note, one in member.kit.maps[0].notes if one in pads)
    return replace(member.kit, pieces=pieces, maps=(replace(member.kit.maps[0], notes=notes),))


def told(voice: Voice) -> tuple:
    sounds = tuple((s.recipe, s.left, s.right) for s in voice.sounds)
    return voice.start_frame, voice.end_frame, voice.gain, voice.velocity, voice.ratio, tuple(voice.fades), sounds


class Lineups(SimpleTestCase):
    def test_each_member_plays_as_it_would_by_itself(self):
        for seed in range(25):
            dice = random.Random(seed)
            members = tuple(random_member(dice) for _ in range(dice.randint(1, 4)))
            hits = some_hits(dice)
            together = voices_of(compile_lineup(Lineup(name="all", members=members), RATE), hits)
            for number, member in enumerate(members):
                alone = voices_of(compile_kit(without(member), RATE), as_heard(member, hits))
                ours = [told(voice) for voice in together if voice.pad.member == number]
                self.assertEqual(sorted(ours, key=repr), sorted(map(told, alone), key=repr), f"seed {seed}, {number}")

    def test_a_lineup_of_one_kit_is_that_kit(self):
        own = random_kit(random.Random(3))
        alone, book = compile_kit(own, RATE), compile_lineup(Lineup(name="one", members=(Member(kit=own),)), RATE)
        hits = some_hits(random.Random(4))
        self.assertEqual([told(v) for v in voices_of(book, hits)], [told(v) for v in voices_of(alone, hits)])
        self.assertEqual(book.desk, alone.desk)
        self.assertEqual([o.name for o in book.outputs], [o.name for o in alone.outputs])
        self.assertEqual([p.piece for p in book.pads], [p.piece for p in alone.pads])

    def test_links_and_chokes_cross_members_and_nothing_else_does(self):
        first, second = pad("kick", note=36, choke=CHOKE_A), pad("boiler", note=50, choke=CHOKE_A)
        members = (Member(kit=kit(first)), Member(kit=kit(second), channels=(9,), delay_ms=10.0))
        hits = [Hit(0, 50, 100, 9), Hit(4800, 36, 100, 9)]
        apart = voices_of(compile_lineup(Lineup(name="l", members=members), RATE), hits)
        self.assertEqual([(v.pad.name, v.fades) for v in apart], [("boiler 2", []), ("kick 1", [])])
        choked = Lineup(name="l", members=members, chokes=((0, "A", 1, "A"),))
        boiler, _ = voices_of(compile_lineup(choked, RATE), hits)
        self.assertEqual(boiler.fades, [(4800, 384)])
        linked = Lineup(name="l", members=members, links=((0, first.id, 1, second.id, 0.5),))
        kick, along = voices_of(compile_lineup(linked, RATE), hits[1:])
        self.assertEqual((kick.pad.name, along.pad.name, along.velocity), ("kick 1", "boiler 2", 50))
        self.assertEqual((kick.start_frame, along.start_frame), (4800, 5280))  # at its own member's time
        muted = replace(linked, members=(replace(members[0], muted=True), members[1]))
        self.assertEqual(voices_of(compile_lineup(muted, RATE), hits[1:]), [])  # rule 12
        for wrong in [
            {"links": ((0, 999, 1, second.id, 0.5),)},
            {"links": ((0, first.id, 0, first.id, 0.5),)},
            {"chokes": ((0, "A", 7, "A"),)},
        ]:
            with self.assertRaises(KitError):
                replace(linked, **wrong)
        with self.assertRaises(KitError):
            replace(linked, members=(replace(members[0], channels=(16,)), members[1]))

    def test_a_member_without_delay_cuts_what_a_later_hit_of_a_delayed_one_has_not_outlived(self):
        """The second boiler would begin at 6800, behind the end of the first (4800 to 5800); the kick cuts both at 5000."""
        kick, boiler = pad("kick", note=36, choke=CHOKE_A), pad("boiler", note=50, choke=CHOKE_A, takes=1, frames=1000)
        members = (Member(kit=kit(kick)), Member(kit=kit(boiler), delay_ms=100.0))
        book = compile_lineup(Lineup(name="l", members=members, chokes=((0, "A", 1, "A"),)), RATE)
        first, _ = voices_of(book, [Hit(0, 50, 100, 9), Hit(2000, 50, 100, 9), Hit(5000, 36, 100, 9)])
        self.assertEqual((first.start_frame, first.fades), (4800, [(5000, 384)]))

    def test_a_cut_that_lies_before_an_earlier_one_takes_its_place(self):
        book = compile_kit(kit(pad("open", note=46, takes=1, frames=20_000)), RATE)
        (voice,) = voices_of(book, [Hit(100, 46, 100)])
        for frame, fade, expected in (
            (900, 100, [(900, 100)]), (800, 400, [(900, 100)]), (700, 50, [(700, 50)]), (710, 20, [(700, 50), (710, 20)]),
        ):  # fmt: skip
            voice.cut(frame, fade)
            self.assertEqual(voice.fades, expected)
        gains = fade_curve(voice.fades, 600, 1000)
        self.assertEqual((gains.max(), gains[-1]), (1.0, 0.0))
        self.assertLessEqual(np.diff(gains).max(), 0.0)

    def test_a_package_brings_it_back_and_its_stems_say_whose_they_are(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        rng, files, kits = np.random.default_rng(1), {}, []
        for number in range(2):
            made = pad("Kick", note=36, choke=CHOKE_A)
            source = folder / f"{number}.wav"
            soundfile.write(source, rng.uniform(-0.3, 0.3, 2000).astype(np.float32), RATE, "FLOAT")
            sample = Sample(_sha(source), 2000, RATE, 1)
            files[sample.sha256] = source
            (layer,) = made.layers
            made = replace(made, layers=(replace(layer, takes=(replace(take(), samples=(("close", sample),)),)),))
            kits.append(replace(kit(made), name=f"Kit {'AB'[number]}"))
        kick, other = (next(own.pads())[1].id for own in kits)
        members = (
            Member(kit=kits[0]),
            Member(kit=kits[1], gain_db=-6.0, channels=(9, 10)),
            Member(kit=kits[0], channels=(3,)),
        )
        both = [LineupOutput(member=number, name="Main", group="Kicks", parallel_db=0.0) for number in (0, 1)]
        lineup = portable_lineup(
            Lineup(
                name="Both", members=members, links=((0, kick, 1, other, 0.5),), outputs=tuple(both),
                groups=(LineupGroup(name="Kicks", gain_db=-2.0),), parallel=Parallel(is_on=True, gain_db=-20.0),
            )
        )  # fmt: skip
        packed = folder / "both.zip"
        samples = name_samples({sha256: (path.name, "") for sha256, path in files.items()})
        self.assertEqual(len(all_samples_of(lineup)), 2)  # each once
        write_lineup(packed, lineup, samples, files)
        with open_played(packed) as source:
            self.assertIsInstance(source, LineupSource)
            self.assertEqual(source.package.lineup, lineup)
            source.check(skip_bad=False)
            hits = Part(name="p", ticks_per_beat=480, tempos=((0, 500_000),), events=(Event(0, 36, 127),), end_tick=960)
            named = {}
            for by in ("piece", "member", "output", "merged", "group"):
                order = BounceOrder(bits="32f", by=by, name_template="{member} {name}")
                book = source.compile(RATE, order, seed=None)
                out = folder / by
                out.mkdir()
                *_, last = bounce(book, hits, out, order, load_sound=source.loader())
                named[by] = {s.name: soundfile.read(out / s.file, always_2d=True)[0][:, 0] for s in last.stems}
                self.assertEqual(
                    last.stems[0].file,
                    {
                        "piece": "Kit A Kick 1.wav",
                        "member": "Kit A Kit A 1.wav",
                        "output": "Kit A Main 1.wav",
                        "merged": "Main.wav",
                        "group": "Kicks.wav",
                    }[by],
                )
        self.assertEqual(list(named["piece"]), ["Kick 1", "Kick 2", "Parallel", "Mix"])
        self.assertEqual(list(named["member"]), ["Kit A 1", "Kit B", "Parallel", "Mix"])
        self.assertEqual(list(named["merged"]), ["Main", "Parallel", "Mix"])
        self.assertEqual(list(named["group"]), ["Kicks", "Parallel", "Mix"])
        sound = {n: soundfile.read(path)[0] for n, path in enumerate(files.values())}
        one, other = sound[0] * db_to_gain(-2.0), sound[1] * db_to_gain(-8.0)
        np.testing.assert_allclose(named["piece"]["Kick 1"][:2000], one, atol=1e-6)
        np.testing.assert_allclose(
            named["piece"]["Kick 2"][:2000], other, atol=1e-6
        )  # struck by the hit, not again by the link
        np.testing.assert_allclose(named["group"]["Kicks"][:2000], one + other, atol=1e-6)
        self.assertGreater(np.abs(named["group"]["Parallel"]).max(), 0.001)
        for by in ("merged", "group"):
            np.testing.assert_allclose(named[by]["Mix"], named["piece"]["Mix"], atol=1e-6)
        with self.assertRaisesMessage(KitFileError, "a lineup of several kits"), open_kit(packed):
            pass
        write_lineup(
            packed, lineup, [SampleFile(*_wrong(samples[0])), samples[1]], files | {"0" * 64: files[samples[0].sha256]}
        )
        with self.assertRaisesMessage(KitFileError, "used but not listed"), open_played(packed):
            pass


def _sha(path: Path) -> str:

    return hashlib.sha256(path.read_bytes()).hexdigest()


def _wrong(sample: SampleFile) -> tuple[str, str, str]:
    return "0" * 64, sample.file, sample.name
