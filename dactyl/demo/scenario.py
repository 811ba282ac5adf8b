"""The Salt Ferry: a small harbour town's theatre, its house kit, the ship's noises, and a ticket machine."""

from dataclasses import dataclass, replace

from dactyl.core.formats.midi import numbered
from dactyl.core.parts.curves import Curve
from dactyl.core.parts.part import Event, Part
from dactyl.demo.synth import Voice

DRUM = (1.0, 1.59, 2.14, 2.3, 2.65, 2.92, 3.16, 3.5)  # modes of a struck membrane
PLATE = (1.0, 1.41, 1.93, 2.37, 2.83, 3.61, 4.22, 5.13, 5.87, 6.7, 7.9, 9.3)
BAR = (1.0, 2.76, 5.4, 8.93)


@dataclass(frozen=True, slots=True)
class PadPlan:
    piece: str
    pad: str
    kind: str
    note: int
    voice: Voice
    layers: int
    takes: int
    choke: str = ""
    output: str = ""
    rotation: str = "in_turn"
    pan: float = 0.0
    open_to: int | None = None  # where a pedal opens and closes its piece
    played_by: str = ""  # besides strokes
    turned: tuple[int, int] | None = None  # (layer, take) that was recorded over a lead wired the other way round


@dataclass(frozen=True, slots=True)
class KitPlan:
    name: str
    seed: int
    pads: tuple[PadPlan, ...]
    has_room: bool = False  # three mics, or one
    has_desk: bool = False  # a group, a parallel bus, outputs that are placed


def _hat(seconds: float, ring: float, **more) -> Voice:
    return Voice(seconds, 410, PLATE, 0.10, ring, noise=1.0, noise_band_hz=(5200, 17000), noise_seconds=ring, click=0.5, place=-0.5, **more)  # fmt: skip


def _cymbal(seconds: float, pitch: float, ring: float, noise: float, body: float, place: float) -> Voice:
    return Voice(seconds, pitch, PLATE, body, ring, noise=noise, noise_band_hz=(2600, 16000), noise_seconds=ring * 0.8, click=0.4, place=place)  # fmt: skip


ROOM = "Room"  # the output of its own that the room's mic has in Ferry House
DESK_OUTPUTS = {  # of Ferry House: width in percent, and the amount to the parallel bus
    "Kick": {"width": 0.0, "parallel_db": -6.0},
    "Snare": {"width": 60.0, "parallel_db": -3.0},
    "Toms": {"width": 140.0, "parallel_db": -9.0},
}
FERRY_HOUSE = KitPlan("Ferry House", 1, (
    PadPlan("Kick", "", "kick", 36, Voice(0.7, 54, DRUM[:4], 1.0, 0.42, glide=1.1, glide_ms=16, noise=0.05, noise_band_hz=(300, 4000), noise_seconds=0.03, click=0.55), 4, 3, output="Kick"),
    PadPlan("Snare", "centre", "snare", 38, Voice(0.7, 186, DRUM, 0.7, 0.2, glide=0.12, noise=0.9, noise_band_hz=(1100, 11000), noise_seconds=0.23, click=0.7), 5, 4, output="Snare"),
    PadPlan("Snare", "rim shot", "snare", 40, Voice(0.7, 212, DRUM, 0.9, 0.26, glide=0.1, noise=0.8, noise_band_hz=(1300, 13000), noise_seconds=0.2, click=1.3), 3, 3, output="Snare", rotation="no_repeat"),
    PadPlan("Snare", "side stick", "side_stick", 37, Voice(0.35, 640, BAR[:3], 0.9, 0.07, noise=0.15, noise_band_hz=(1500, 6000), noise_seconds=0.03, click=1.1), 2, 3, output="Snare"),
    PadPlan("Hat", "closed", "closed_hat", 42, _hat(0.4, 0.09), 4, 4, choke="A", output="Hat", rotation="no_repeat", open_to=31),
    PadPlan("Hat", "pedal", "pedal_hat", 44, _hat(0.4, 0.06, bursts=(0.0, 9.0)), 2, 3, choke="A", output="Hat", played_by="chick"),
    PadPlan("Hat", "open", "open_hat", 46, _hat(1.6, 0.95), 3, 3, choke="A", output="Hat", open_to=127),
    PadPlan("Rack tom", "", "high_tom", 48, Voice(1.0, 132, DRUM[:6], 1.0, 0.5, glide=0.22, glide_ms=60, noise=0.08, noise_seconds=0.04, click=0.5, place=0.2), 3, 3, output="Toms", pan=18),
    PadPlan("Floor tom", "", "low_tom", 43, Voice(1.2, 84, DRUM[:6], 1.0, 0.7, glide=0.2, glide_ms=80, noise=0.06, noise_seconds=0.05, click=0.45, place=0.5), 3, 3, output="Toms", pan=42),
    PadPlan("Crash", "edge", "crash", 49, _cymbal(3.0, 330, 2.3, 1.0, 0.14, -0.4), 3, 2, choke="B"),
    PadPlan("Crash", "grabbed", "crash", 52, _cymbal(0.5, 330, 0.2, 1.0, 0.12, -0.4), 2, 2, choke="B", played_by="grab"),
    PadPlan("Ride", "bow", "ride", 51, _cymbal(2.2, 520, 1.7, 0.34, 0.2, 0.6), 4, 3, rotation="random"),
    PadPlan("Ride", "bell", "ride_bell", 53, Voice(2.0, 742, PLATE[:8], 0.9, 1.4, noise=0.12, noise_band_hz=(4000, 12000), noise_seconds=0.6, click=0.5, place=0.6), 2, 3),
), has_room=True, has_desk=True)  # fmt: skip

ENGINE_DECK = KitPlan("Engine Deck", 2, (
    PadPlan("Boiler plate", "", "other", 36, Voice(1.4, 71, PLATE, 1.0, 0.9, glide=0.05, noise=0.12, noise_seconds=0.05, click=0.6, drive=1.2), 3, 3, output="Iron"),
    PadPlan("Bilge drum", "", "low_tom", 41, Voice(1.2, 62, DRUM[:5], 1.0, 0.8, glide=0.4, glide_ms=90, noise=0.1, noise_band_hz=(200, 1500), noise_seconds=0.2), 3, 3, turned=(1, 1)),  # the kit check finds it
    PadPlan("Hatch", "", "snare", 38, Voice(0.8, 240, PLATE[:9], 0.6, 0.24, noise=0.7, noise_band_hz=(800, 7000), noise_seconds=0.14, click=0.9, drive=2.0), 3, 3, output="Iron"),
    PadPlan("Rope slap", "", "clap", 39, Voice(0.4, 300, (), noise=1.0, noise_band_hz=(500, 4200), noise_seconds=0.09, bursts=(0, 11, 19), click=0.2), 2, 4, rotation="no_repeat"),
    PadPlan("Chain", "", "closed_hat", 42, Voice(0.5, 2900, BAR, 0.25, 0.08, noise=0.8, noise_band_hz=(3500, 15000), noise_seconds=0.05, bursts=(0, 22, 41, 58), click=0.3), 3, 4, rotation="no_repeat", output="Chain"),
    PadPlan("Valve", "steam", "open_hat", 46, Voice(1.3, 500, (), noise=0.9, noise_band_hz=(2400, 16000), noise_seconds=1.0, click=0.1), 2, 2, choke="V"),
    PadPlan("Valve", "shut", "pedal_hat", 44, Voice(0.3, 380, BAR[:2], 0.8, 0.05, noise=0.5, noise_seconds=0.03, click=1.0), 2, 2, choke="V"),
    PadPlan("Ship's bell", "", "ride_bell", 53, Voice(2.6, 1180, (1.0, 2.0, 2.4, 3.0, 4.2, 5.4), 0.9, 2.2, click=0.3), 2, 2),
    PadPlan("Gangway", "", "side_stick", 37, Voice(0.4, 410, BAR[:3], 1.0, 0.1, noise=0.2, noise_seconds=0.05, click=0.8), 2, 3),
))  # fmt: skip

TICKET_MACHINE = KitPlan("Ticket Machine", 3, (
    PadPlan("Kick", "", "kick", 36, Voice(0.6, 47, (1.0,), 1.0, 0.5, glide=2.4, glide_ms=22, click=0.25, drive=0.8), 2, 2),
    PadPlan("Snare", "", "snare", 38, Voice(0.35, 190, (1.0, 1.82), 0.6, 0.11, noise=0.8, noise_band_hz=(1800, 12000), noise_seconds=0.13, click=0.2), 2, 3),
    PadPlan("Stamp", "", "clap", 39, Voice(0.4, 300, (), noise=1.0, noise_band_hz=(900, 5200), noise_seconds=0.12, bursts=(0, 10, 21), click=0.1), 1, 3),
    PadPlan("Punch", "", "side_stick", 37, Voice(0.15, 1650, (1.0, 1.5), 0.9, 0.035, click=0.5), 1, 2),
    PadPlan("Tick", "", "closed_hat", 42, Voice(0.2, 6000, (), noise=1.0, noise_band_hz=(7000, 18000), noise_seconds=0.05, click=0.1), 2, 4, choke="A"),
    PadPlan("Turnstile", "", "open_hat", 46, Voice(0.7, 6000, (), noise=1.0, noise_band_hz=(6000, 18000), noise_seconds=0.45, click=0.1), 1, 2, choke="A"),
    PadPlan("Low coin", "", "low_tom", 43, Voice(0.6, 92, (1.0,), 1.0, 0.4, glide=0.7, glide_ms=60, click=0.1), 1, 2, pan=30),
    PadPlan("High coin", "", "high_tom", 48, Voice(0.5, 150, (1.0,), 1.0, 0.3, glide=0.7, glide_ms=50, click=0.1), 1, 2, pan=-30),
    PadPlan("Ready", "", "cowbell", 56, Voice(0.5, 560, (1.0, 1.48, 2.1), 0.8, 0.22, click=0.2, drive=1.5), 1, 2),
    PadPlan("Paper", "", "crash", 49, Voice(1.6, 300, (), noise=1.0, noise_band_hz=(4000, 18000), noise_seconds=1.3, click=0.1), 1, 2),
))  # fmt: skip

KITS = (FERRY_HOUSE, ENGINE_DECK, TICKET_MACHINE)

KICK, SNARE, STICK, CLOSED, PEDAL, OPEN, RACK, FLOOR, CRASH, RIDE, BELL, RIM = (
    36,
    38,
    37,
    42,
    44,
    46,
    48,
    43,
    49,
    51,
    53,
    40,
)
PPQ = 480


def parts() -> tuple[Part, ...]:
    return (_harbour_bell(), _storm_watch(), _slow_tide())


def _harbour_bell() -> Part:
    """Four bars at an easy walk: bell and ride over a plain backbeat, a fill at the end."""
    hits = [(0.0, CRASH, 104)]
    for bar in range(4):
        at = 4.0 * bar
        hits += [
            (at + beat / 2, BELL if beat % 4 == 0 and bar % 2 else CLOSED, 92 if beat % 2 == 0 else 58)
            for beat in range(7)
        ]
        hits += [(at + 3.5, OPEN, 86), (at, KICK, 112), (at + 1.5, KICK, 84), (at + 2, KICK, 104)]
        hits += [(at + 1, SNARE, 106), (at + 3, SNARE, 110), (at + 2.75, SNARE, 28), (at + 0.75, SNARE, 22)]
    hits += [(14.75 + n / 4, RACK if n < 3 else FLOOR, 70 + 9 * n) for n in range(5)]
    return _part("Harbour Bell", hits, 16, ((0, 625_000),))


def _storm_watch() -> Part:
    """Eight bars that gather: toms, rim shots and rolling hats, faster in the second half, where the room opens."""
    hits = []
    for bar in range(8):
        at = 4.0 * bar
        hits += [(at + n / 4, CLOSED, (88, 34, 62, 40)[n % 4]) for n in range(16) if bar % 4 != 3 or n < 8]
        hits += [(at + beat, KICK, 110) for beat in (0, 0.75, 1.5, 2.5)] + [
            (at + 1, RIM if bar > 3 else SNARE, 112),
            (at + 3, SNARE, 104),
        ]
        if bar % 4 == 0:
            hits.append((at, CRASH, 118))
        if bar % 4 == 3:
            hits += [(at + 2 + n / 6, (RACK, RACK, FLOOR)[n % 3], 60 + 5 * n) for n in range(12)]
    opens = Curve(f"output:{ROOM}", "gain_db", ((0, -9.0), (16 * PPQ, -9.0), (31 * PPQ, 4.0)))
    wider = Curve(f"output:{ROOM}", "width", ((16 * PPQ, 0.6), (31 * PPQ, 1.6)))
    return replace(_part("Storm Watch", hits, 32, ((0, 500_000), (16 * PPQ, 454_545))), curves=(opens, wider))


def _slow_tide() -> Part:
    """Six bars in three: side stick, ride and a pedalled hat, quiet."""
    hits = []
    for bar in range(6):
        at = 3.0 * bar
        hits += [(at, KICK, 76), (at + 1.5, KICK, 48)] if bar % 2 else [(at, KICK, 82)]
        hits += [(at + 2, STICK, 72 + 4 * bar), (at + 1, PEDAL, 60), (at + 2, PEDAL, 54)]
        hits += [(at + n / 2, RIDE, (78, 40, 60, 44, 66, 38)[n]) for n in range(6)]
    hits.append((17.5, OPEN, 44))
    return _part("Slow Tide", hits, 18, ((0, 833_333),), beats_per_bar=3)


def _part(name: str, hits: list, beats: int, tempos: tuple, beats_per_bar: int = 4) -> Part:
    events = sorted(
        (Event(round(beat * PPQ), note, velocity, 9, PPQ // 8) for beat, note, velocity in hits), key=lambda n: n.tick
    )
    return Part(
        name=name,
        ticks_per_beat=PPQ,
        tempos=tempos,
        events=numbered(events),
        end_tick=beats * PPQ,
        meters=((0, beats_per_bar, 4),),
    )
