"""What you hear is what you bounce: the page's player through Web Audio against the core, for every rule of playing."""

import base64
import json
import random
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import orjson
from playwright.sync_api import Page

from dactyl.core.audio.interpolate import kernel
from dactyl.core.audio.prepare import Recipe
from dactyl.core.bounce.grouping import mix_of, motions_of
from dactyl.core.bounce.render import bounce_frames, render, voices_of
from dactyl.core.kit import (
    Envelope,
    Filter,
    Kit,
    Layer,
    Mic,
    MuteGroup,
    Output,
    OutputGroup,
    Pad,
    Parallel,
    Piece,
    Take,
    Variation,
)
from dactyl.core.lineup import Lineup, LineupGroup, LineupOutput, Member, kit_of
from dactyl.core.parts.controls import CHANNEL_PRESSURE, CONTROLLER, KEY_PRESSURE, Control
from dactyl.core.parts.curves import Curve, Moved
from dactyl.core.parts.part import Event, Gesture, Hit, Part
from dactyl.core.play.together import compile_lineup, desk_of
from dactyl.core.tests.kits import CHOKE_A, RATE, leaving, map_of_pads, noted, sample
from dactyl.core.tests.test_lineups import random_member, some_gestures, some_hits
from dactyl.playing.tables import Ensemble, PlayedMember, member_tables
from dactyl.site.tests.served import BrowserCase, open_page, open_window, server

OFFLINE = """async ({ book, sounds, hits, said, frames, rate, kernel, curves, moved }) => {
  const column = (rows, of) => Int32Array.from(rows, of);
  const floats = (text) => new Float32Array(Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer);
  const context = new OfflineAudioContext(2, frames, rate);
  await context.audioWorklet.addModule("/static/worklet.js");
  const messages = [
    { type: "kernel", kernel: Float64Array.from(floats(kernel)) },
    { type: "playbook", book },
    { type: "sounds", sounds: sounds.map(({ key, data }) => {
      const channels = data.map(floats);
      return { key, channels: channels.length, frames: channels[0].length, of: channels[0].length, scale: 1, data: channels };
    }) },
    { type: "loop", isLooping: false },
    { type: "part", part: {
      frames: column(hits, ([at]) => at), packed: column(hits, ([, note, velocity, channel]) => note | (velocity << 7) | (channel << 14)), loopFrames: frames, curves, moved,
      said: { frames: column(said, ([at]) => at), before: column(said, ([, before]) => before), packed: column(said, ([, , packed]) => packed) },
    } },
    { type: "play" },
  ];
  const node = new AudioWorkletNode(context, "dactyl", { numberOfInputs: 0, outputChannelCount: [2], processorOptions: { messages } });
  node.connect(context.destination);
  const rendered = await context.startRendering();
  const bytes = new Uint8Array(8 * frames);
  for (const side of [0, 1]) bytes.set(new Uint8Array(rendered.getChannelData(side).buffer), 4 * frames * side);
  let text = "";
  for (let at = 0; at < bytes.length; at += 32768) text += String.fromCharCode(...bytes.subarray(at, at + 32768));
  return btoa(text);
}"""


def packed(audio: np.ndarray) -> str:
    return base64.b64encode(np.ascontiguousarray(audio, "<f4").tobytes()).decode()


def sound_of(recipe: Recipe) -> np.ndarray:
    rng = np.random.default_rng(int(recipe.sha256[-8:], 16))
    decay = np.exp(-np.arange(recipe.frames) / 3000)
    return (rng.normal(0, 0.12, (recipe.channels, recipe.frames)) * decay).astype(np.float32)


_ids = iter(range(1, 100_000))


def pad(name: str, note: int | tuple[int, ...], *, highs=(127,), takes: int = 3, frames: int = 5000, **settings) -> Pad:
    lows = [1, *(high + 1 for high in highs)]
    layers = tuple(
        Layer(id=next(_ids), low=low, high=high, takes=tuple(
            Take(id=next(_ids), gain_db=-0.5 * n, pan=0.1 * n, samples=(("close", sample(frames)), ("room", sample(frames + 900, 2))))
            for n in range(takes)
        ))
        for low, high in zip(lows, highs, strict=False)
    )  # fmt: skip
    return noted(Pad(id=next(_ids), name=name, layers=layers, **settings), note)


def kit(*pads: Pad) -> Kit:
    return Kit(
        name="k", seed=5, pieces=tuple(Piece(name=p.name, pads=(p,), pan=-0.2) for p in pads),
        outputs=(Output(name="Main", gain_db=-2.0), Output(name="Two"), Output(name="Air", gain_db=1.0)),
        mics=(Mic(name="close"), Mic(name="room", follows_pan=False, gain_db=-5, output="Air")),
        maps=(map_of_pads(pads),),
    )  # fmt: skip


GRAB = MuteGroup(number=1, fade_ms=15)
HELD = Envelope(attack_ms=2, hold_ms=3, decay_ms=20, sustain=0.4, release_ms=12)
PLAIN = kit(
    pad("layers", 36, highs=(40, 90, 127), crossfade=24, dynamics=0.6, curve="hard"),
    pad("random", 38, rotation="random", shared_counter=True, highs=(64, 127), output="Two"),
    pad("no repeat", 40, rotation="no_repeat", takes=4, pan=0.7, curve=((1.0, 20.0), (80.0, 60.0), (127.0, 110.0))),
    pad("all", 41, rotation="all", takes=2, max_voices=3),
    pad("closed", 42, choke=CHOKE_A),
    pad("open", 46, choke=CHOKE_A, frames=20_000, cuts_itself=True),
    pad("crash", 49, silenced_by=(GRAB,), frames=20_000),
    pad("grabbed", 52, silences=(GRAB,), muted=True),
    pad("held", 60, is_held=True, envelope=HELD, frames=20_000),
    pad("shot", 61, envelope=Envelope(attack_ms=1, hold_ms=2, decay_ms=30)),
)
FILTERED = kit(
    *(
        pad(kind, note, filter=Filter(kind=kind, cutoff_hz=hz, q=q, octaves=octaves))
        for note, kind, hz, q, octaves in [
            (36, "low", 3000, 0.7071, 3.0),
            (38, "high", 900, 2.0, 0.0),
            (42, "band", 1500, 6.0, 1.5),
        ]
    ),
    replace(pad("enveloped", 46, filter=Filter(kind="low", cutoff_hz=800)), is_held=True, envelope=HELD),
)
DESK = replace(
    kit(pad("kick", 36), pad("snare", 38, output="Two", frames=9000), pad("hat", 42, output="Two")),
    outputs=(
        Output(name="Main", gain_db=-2.0, width=0.0, balance=-0.3, parallel_db=-3.0),
        Output(name="Two", width=1.7, parallel_db=0.0), Output(name="Air", gain_db=1.0, balance=0.5),
    ),
    groups=(OutputGroup(name="Drums", gain_db=2.0, outputs=("Main", "Two")),),
    parallel=Parallel(is_on=True, threshold_db=-30.0, ratio=8.0, gain_db=3.0), master_db=-1.5, side="hall",
)  # fmt: skip
STRAYING = kit(
    pad("varied", 36, variation=Variation(tune_cents=40, gain_db=2, pan=0.4, delay_ms=7), choke=CHOKE_A),
    pad("range", (38, 40, 50), root=40, cents_per_key=100.0),
    pad("late", 42, variation=Variation(delay_ms=30), choke=CHOKE_A),
)


MOVING = (
    Curve("output:Main", "gain_db", ((0, -12.0), (20_000, 3.0), (20_001, -96.0), (26_000, 0.0))), Curve("group:Drums", "gain_db", ((5000, 0.0), (60_000, -9.0))),
    Curve("output:Two", "balance", ((0, -1.0), (70_000, 1.0))), Curve("output:Two", "width", ((9000, 0.0), (50_000, 2.0))), Curve("output:Air", "width", ((100, 0.2),)),
    Curve("lane:38", "pan", ((0, -1.0), (60_000, 1.0))), Curve("lane:36", "tune_cents", ((0, 700.0), (40_000, -300.0))), Curve("lane:42", "gain_db", ((0, -20.0), (90_000, 2.0))),
)  # fmt: skip


def by_frames(struck: Sequence[Hit | Gesture], curves: Sequence[Curve]) -> Part:
    """A part whose ticks are frames."""
    return Part(
        name="p", ticks_per_beat=RATE, tempos=((0, 1_000_000),), end_tick=1, curves=tuple(curves),
        events=tuple(Event(hit.frame, hit.note, hit.velocity, hit.channel) for hit in struck if isinstance(hit, Hit)),
        controls=tuple(Control(one.frame, one.kind, one.number, one.value, one.channel) for one in struck if isinstance(one, Gesture)),
    )  # fmt: skip


def with_companion(a_kit: Kit) -> Kit:
    first, second = (piece.pads[0] for piece in a_kit.pieces[:2])
    joined = replace(first, companions=((second.id, 0.5),))
    return replace(a_kit, pieces=(replace(a_kit.pieces[0], pads=(joined,)), *a_kit.pieces[1:]))


def hits(a_kit: Kit, seed: int) -> list[Hit]:
    dice = random.Random(seed)
    notes = [note for note, _ in a_kit.maps[0].notes]
    frame, played = 0, []
    for _ in range(160):
        frame += dice.choice((0, 37, 128, 700, 1500))
        played.append(Hit(frame, dice.choice(notes), dice.choice((0, *range(1, 128, 9), 127)), dice.choice((0, 9))))
    return played


class Same(BrowserCase):
    about_seconds = 10.0

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.page, cls.problems = open_page(cls.enterClassContext(open_window(cls.enterClassContext(server()))))
        cls.page.goto("/")

    def is_same(
        self, played: Kit | Lineup, struck: list[Hit | Gesture], curves: Sequence[Curve] = (), *, least_peak: float
    ) -> None:
        expected, heard = self.both(self.page, played, struck, curves)
        peak = np.abs(expected).max(initial=0)
        self.assertGreaterEqual(peak, least_peak)
        differs = np.abs(expected - heard).max(initial=0) / max(peak, 1e-3)
        self.assertLess(20 * np.log10(max(differs, 1e-12)), -100)
        self.assertEqual(self.problems, [])

    def test_the_page_plays_what_the_core_bounces(self):
        for name, a_kit, curves in [
            ("plain", with_companion(PLAIN), ()),
            ("filtered", FILTERED, ()),
            ("straying", STRAYING, ()),
            ("desk", DESK, ()),
            ("moving", DESK, MOVING),
        ]:
            with self.subTest(name):
                self.is_same(a_kit, hits(a_kit, len(name)), curves, least_peak=0.1)

    def test_the_page_plays_members_and_what_crosses_between_them_as_the_core_bounces(self):
        """Lineups made by chance (core/tests/test_lineups.py): delays, curves, links, chokes, mutes, desks, what moves."""
        for seed in range(CASES):
            with self.subTest(seed=seed):
                self.is_same(*random_case(seed), least_peak=0.0)

    def both(
        self, page: Page, played: Kit | Lineup, struck: list[Hit | Gesture], curves: Sequence[Curve]
    ) -> tuple[np.ndarray, np.ndarray]:
        """Both mixes: of the core, and of the worklet as it is shipped; float32, (2, frames)."""
        lineup = played if isinstance(played, Lineup) else Lineup(name="l", members=(Member(kit=played),))
        book, part = compile_lineup(lineup, RATE), by_frames(struck, curves)
        acts = list(part.acts(RATE))
        played = [act for act in acts if isinstance(act, Hit)]
        voices = voices_of(book, acts)
        frames = max(128, bounce_frames(voices, 0))
        mix = mix_of(leaving(book, render(voices, len(book.outputs), frames, sound_of), motions_of(book, part)))
        moves = [hit.moved or Moved() for hit in played]
        recipes = {s.recipe.key: s.recipe for p in book.pads for region in p.regions for s in region.sounds}
        sounds = [
            {"key": key, "data": [packed(channel) for channel in sound_of(recipe)]} for key, recipe in recipes.items()
        ]
        asked = {
            "book": tables_of(lineup), "sounds": sounds, "frames": frames, "rate": RATE, "kernel": packed(kernel()),
            "said": said_in(acts),
            "hits": [[hit.frame, hit.note, hit.velocity, hit.channel] for hit in played],
            "curves": [{"of": c.of, "what": c.what, "frames": [tick for tick, _ in c.points], "values": [at for _, at in c.points]}
                       for c in curves if c.kind != "lane"],
            "moved": {"gains": [10 ** (m.gain_db / 20) for m in moves], "ratios": [2 ** (m.tune_cents / 1200) for m in moves],
                      "pans": [m.pan for m in moves]} if curves else None,
        }  # fmt: skip
        heard = np.frombuffer(base64.b64decode(page.evaluate(OFFLINE, asked)), "<f4").reshape(2, frames)
        return mix, heard


CASES = 10


def said_in(acts: Sequence[Hit | Gesture]) -> list[list[int]]:
    """What controllers say, as a page hears it: the frame, the number of the hit it stands before, and the rest in one number."""
    rows, before = [], 0
    for act in acts:
        if isinstance(act, Hit):
            before += 1
        else:
            kind = [CONTROLLER, CHANNEL_PRESSURE, KEY_PRESSURE].index(act.kind)
            rows.append([act.frame, before, act.value | act.number << 7 | act.channel << 14 | kind << 18])
    return rows


def tables_of(lineup: Lineup) -> dict:
    """The lineup as the page gets it: its first member is the kit of the page."""
    keys = ["", *(f"m{number}" for number in range(1, len(lineup.members)))]
    members = tuple(PlayedMember(key, 1, 1, member) for key, member in zip(keys, lineup.members, strict=True))
    ensemble = Ensemble(members, lineup.links, lineup.chokes, desk_of(lineup))
    tables = [member_tables(ensemble, number, RATE) for number in range(len(members))]
    told = {"whole": True, "members": tables, "shared": ensemble.desk.bus(RATE)}
    return json.loads(orjson.dumps(told, option=orjson.OPT_NON_STR_KEYS))


def random_case(seed: int) -> tuple[Lineup, list[Hit | Gesture], list[Curve]]:
    dice = random.Random(seed)
    members = tuple(replace(random_member(dice), muted=dice.random() < 0.15) for _ in range(dice.randint(1, 4)))
    ends = [(number, pad.id) for number, member in enumerate(members) for _, pad in kit_of(member).pads()]
    links = [(*one, *other, dice.choice([0.3, 1.0, 1.7])) for one, other in zip(ends, dice.sample(ends, len(ends)), strict=True)
             if one[0] != other[0] and dice.random() < 0.3]  # fmt: skip
    pairs = [(a, "A", b, "A") for a in range(len(members)) for b in range(a) if dice.random() < 0.4]
    lineup = Lineup(
        name="l", members=members, links=tuple(links), chokes=tuple(pairs), master_db=dice.choice([0.0, -4.0]),
        side=dice.choice(["stool", "hall"]), parallel=Parallel(is_on=dice.random() < 0.6, threshold_db=-30.0, gain_db=-3.0),
        groups=(LineupGroup(name="Shells", gain_db=-2.0), LineupGroup(name="All", gain_db=1.0, muted=dice.random() < 0.1)),
        outputs=tuple(
            LineupOutput(member=number, name=name, gain_db=dice.choice([0.0, -5.0]), width=dice.choice([1.0, 1.0, 0.3]),
                         balance=dice.choice([0.0, 0.0, -0.6]), muted=dice.random() < 0.1, group=dice.choice(["", "Shells", "All"]),
                         parallel_db=dice.choice([None, -3.0]))
            for number in range(len(members)) for name in ("Main", "Two") if dice.random() < 0.6
        ),
    )  # fmt: skip
    curves = [
        Curve(of, what, ((0, low), (dice.randint(1, 90_000), high), (100_000, low)))
        for of, what, low, high in [
            ("output:Main", "gain_db", -20.0, 2.0), ("output:Two", "balance", -1.0, 1.0), ("group:All", "gain_db", 0.0, -9.0),
            ("group:Shells", "gain_db", -12.0, 3.0),
            ("lane:38", "pan", -0.7, 0.9), ("lane:36", "gain_db", -30.0, 0.0),
        ]
        if dice.random() < 0.3
    ]  # fmt: skip
    acts = [*some_gestures(dice), *some_hits(dice)]  # at one frame what controllers say comes first
    return lineup, sorted(acts, key=lambda act: act.frame), curves
