"""A second renderer for SFZ, slow and plain, written from the rules and sharing no code with the core.

Regions are dictionaries of opcodes, times are whole frames at one rate, and everything is float64.
"""

import math
from dataclasses import dataclass, field

import numpy as np

RATE = 48_000
FAST = 288  # 6 ms


@dataclass
class Voice:
    region: dict
    note: int
    channel: int
    start: int
    gain: float
    fades: list = field(default_factory=list)
    released: int | None = None
    is_dropped: bool = False

    @property
    def length(self) -> int:
        region = self.region
        sound = region["audio"]
        frames = min(len(sound), region.get("end", len(sound) - 1) + 1) - region.get("offset", 0)
        if region.get("ampeg_sustain", 100) == 0:
            shape = ("ampeg_attack", "ampeg_hold", "ampeg_decay")
            frames = min(frames, sum(seconds(region.get(name, 0)) for name in shape))
        return max(0, frames)

    @property
    def stop(self) -> int:
        return min([self.start + self.length, *(at + length for at, length in self.fades)])

    def fade(self, at: int, length: int) -> bool:
        if at < self.start:
            self.is_dropped = True
        elif not self.fades or at + length < sum(self.fades[-1]):
            self.fades.append((at, length))
        else:
            return False
        return True


def seconds(value: float) -> int:
    return math.floor(value * RATE + 0.5)


def render(
    regions: list[dict], hits: list[tuple[int, int, int, int]], part_end: int, seed: int = 0
) -> dict[int, np.ndarray]:
    """hits : (frame, channel 1..16, note, velocity; 0 ends); returns a stem (frames, 2) for each output with a voice"""
    rng = np.random.default_rng(seed)
    counts: dict[tuple, int] = {}
    voices: list[Voice] = []
    draws = any("lorand" in region or "hirand" in region for region in regions)
    for frame, channel, note, velocity in hits:
        alive = [voice for voice in voices if voice.stop > frame and not voice.is_dropped]
        if velocity == 0:
            for voice in alive:
                is_shot = voice.region.get("loop_mode", "no_loop") == "one_shot"
                if is_shot or (voice.note, voice.channel) != (note, channel) or voice.released is not None:
                    continue
                if voice.fade(frame, seconds(voice.region.get("ampeg_release", 0))):
                    voice.released = frame
            continue
        draw = rng.random() if draws else 0.0
        matching = [
            number for number, region in enumerate(regions)
            if region.get("lokey", 0) <= note <= region.get("hikey", 127)
            and region.get("lovel", 0) <= velocity <= region.get("hivel", 127)
            and region.get("lochan", 1) <= channel <= region.get("hichan", 16)
        ]  # fmt: skip
        count = counts.get(tuple(matching), 0)
        counts[tuple(matching)] = count + 1
        playing = [
            regions[number] for number in matching
            if count % regions[number].get("seq_length", 1) == regions[number].get("seq_position", 1) - 1
            and regions[number].get("lorand", 0) <= draw < regions[number].get("hirand", 1)
        ]  # fmt: skip
        groups = {region.get("group", 0) for region in playing} - {0}
        for voice in alive:
            if voice.region.get("off_by") in groups:
                mode = voice.region.get("off_mode", "fast")
                lengths = {
                    "fast": FAST,
                    "time": seconds(voice.region.get("off_time", 0.006)),
                    "normal": seconds(voice.region.get("ampeg_release", 0)),
                }
                voice.fade(frame, lengths[mode])
        for region in playing:
            group = region.get("group", 0)
            arriving = sum(other.get("group", 0) == group for other in playing)
            for limit, same_note in (("polyphony", False), ("note_polyphony", True)):
                if limit in region:
                    counting = [
                        v
                        for v in alive
                        if v.region.get("group", 0) == group
                        and not v.fades
                        and not v.is_dropped
                        and (v.note == note or not same_note)
                    ]
                    for voice in counting[: max(0, len(counting) + arriving - region[limit])]:
                        voice.fade(frame, FAST)
        for region in playing:
            voices.append(
                Voice(region, note, channel, frame + seconds(region.get("delay", 0)), velocity_gain(region, velocity))
            )
    voices = [voice for voice in voices if not voice.is_dropped and voice.stop > voice.start]
    frames = max([part_end, *(voice.stop for voice in voices)])
    stems: dict[int, np.ndarray] = {}
    for voice in voices:
        stem = stems.setdefault(voice.region.get("output", 0), np.zeros((frames, 2)))
        add(stem, voice)
    return stems


def velocity_gain(region: dict, velocity: int) -> float:
    points = region.get("velcurve")
    if points:
        known = sorted(({0: 0.0, 127: 1.0} | points).items())
        curve = float(np.interp(velocity, [v for v, _ in known], [g for _, g in known]))
    else:
        curve = (velocity / 127) ** 2
    gain = 1 + region.get("amp_veltrack", 100) / 100 * (curve - 1)
    if "xfin_hivel" in region:
        x = (velocity - region["xfin_lovel"]) / (region["xfin_hivel"] - region["xfin_lovel"])
        gain *= math.sin(min(1, max(0, x)) * math.pi / 2)
    if "xfout_hivel" in region:
        x = (velocity - region["xfout_lovel"]) / (region["xfout_hivel"] - region["xfout_lovel"])
        gain *= math.cos(min(1, max(0, x)) * math.pi / 2)
    return gain * 10 ** (region.get("volume", 0) / 20) * region.get("amplitude", 100) / 100


def add(stem: np.ndarray, voice: Voice) -> None:
    region, sound = voice.region, voice.region["audio"]
    theta = (region.get("pan", 0) / 100 + 1) * math.pi / 4
    sides = (math.sqrt(2) * math.cos(theta), math.sqrt(2) * math.sin(theta))
    for at in range(voice.start, voice.stop):
        level = voice.gain * envelope(region, (at if voice.released is None else min(at, voice.released)) - voice.start)
        from_level = 1.0
        fading = 1.0
        for number, (begin, length) in enumerate(voice.fades):
            if at < begin:
                break
            if number:
                before, before_length = voice.fades[number - 1]
                from_level *= 1 - (begin - before) / before_length
            fading = from_level * (1 - (at - begin) / length)
        frame = sound[region.get("offset", 0) + at - voice.start]
        for side in (0, 1):
            stem[at, side] += level * fading * sides[side] * (frame if np.ndim(frame) == 0 else frame[side])


def envelope(region: dict, n: int) -> float:
    attack, hold, decay = (seconds(region.get(f"ampeg_{stage}", 0)) for stage in ("attack", "hold", "decay"))
    sustain = region.get("ampeg_sustain", 100) / 100
    if n < attack:
        return n / attack
    if n < attack + hold:
        return 1.0
    return sustain if n >= attack + hold + decay else 1 - (1 - sustain) * (n - attack - hold) / decay
