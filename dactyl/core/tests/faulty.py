"""Kits with one fault put into each, and sound kits with oddities that tempt: what the check is tried on.

The drums come from elsewhere: synthesised in the tests, recorded ones in the benchmark.
"""

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from scipy.signal import butter, fftconvolve, sosfilt

from dactyl.core.check.measured import Stretch
from dactyl.core.kinds import BY_SLUG
from dactyl.core.kit import ChokeGroup, Kit, Layer, Mic, NoteMap, Output, Pad, Piece, Sample, Take

RATE_HZ = 44_100
DRUMS = ("kick", "snare", "closed_hat", "open_hat", "low_tom", "high_tom", "crash", "ride")
Audio = np.ndarray
"""float32, (channels, frames)"""


@dataclass
class Made:
    """A kit that can still be spoilt: audio by take id and mic."""

    kit: Kit
    audio: dict[tuple[int, str], Audio]
    rates: dict[tuple[int, str], int] = field(default_factory=dict)

    def pad(self, kind: str) -> Pad:
        return next(pad for _, pad in self.kit.pads() if pad.kind == kind)

    def take(self, kind: str, layer: int, take: int) -> Take:
        return self.pad(kind).layers[layer].takes[take]

    def set_pad(self, kind: str, **values: object) -> None:
        def changed(pad: Pad) -> Pad:
            return replace(pad, **values) if pad.kind == kind else pad

        self.kit = replace(
            self.kit, pieces=tuple(replace(p, pads=tuple(map(changed, p.pads))) for p in self.kit.pieces)
        )

    def spoil(
        self, kind: str, layer: int, take: int, how: Callable[[Audio], Audio], mics: tuple[str, ...] = ()
    ) -> None:
        key = self.take(kind, layer, take).id
        for mic in mics or [mic for one, mic in self.audio if one == key]:
            self.audio[key, mic] = how(self.audio[key, mic]).astype(np.float32)

    def finished(self) -> tuple[Kit, Callable[[Stretch, Sample], Audio]]:
        """The kit by what its audio is by now, and how to load it."""
        by_hash: dict[str, Audio] = {}

        def sampled(take: Take) -> Take:
            samples = []
            for mic, _ in take.samples:
                if (take.id, mic) not in self.audio:
                    continue
                sound = self.audio[take.id, mic]
                sha = _hash(sound)
                by_hash[sha] = sound
                samples.append((mic, Sample(sha, sound.shape[1], self.rates.get((take.id, mic), RATE_HZ), len(sound))))
            return replace(take, samples=tuple(samples))

        def of_pad(pad: Pad) -> Pad:
            return replace(pad, layers=tuple(replace(x, takes=tuple(map(sampled, x.takes))) for x in pad.layers))

        kit = replace(self.kit, pieces=tuple(replace(p, pads=tuple(map(of_pad, p.pads))) for p in self.kit.pieces))

        def load(stretch: Stretch, _sample: Sample) -> Audio:
            return by_hash[stretch.sha256][:, stretch.start_frame : stretch.end_frame]

        return kit, load


Stroke = Callable[[float, np.random.Generator], Audio]
"""A stroke of one drum at a strength from 0 to 1: float32, (1, frames)."""


def make(strokes: Mapping[str, Stroke], rng: np.random.Generator, *, layers: int = 3, takes: int = 4) -> Made:
    """A kit of drums by kind, each with layers, takes and two mics; levels rise with strength."""
    ids, audio, pieces, notes, over = iter(range(1, 1 << 20)), {}, [], [], Over(rng)
    for kind, stroke in strokes.items():
        way = over.way()
        rows, low = [], 1
        for number in range(layers):
            high = 127 * (number + 1) // layers
            own = []
            for _ in range(takes):
                take = next(ids)
                sound = led(stroke((number + 1) / layers, rng)[:, : 2 * RATE_HZ], rng)
                audio[take, "close"], audio[take, "over"] = sound, way(sound)
                own.append(Take(id=take, samples=(("close", _none()), ("over", _none()))))
            rows.append(Layer(id=next(ids), low=low, high=high, takes=tuple(own)))
            low = high + 1
        pad = Pad(id=next(ids), name=BY_SLUG[kind].label.capitalize(), kind=kind, layers=tuple(rows))
        if kind.endswith("hat"):
            pad = replace(pad, choke=ChokeGroup(letter="A"))
        pieces.append(Piece(name=pad.name, pads=(pad,)))
        notes.append((BY_SLUG[kind].notes[0], pad.id))
    kit = Kit(
        name="Kit", pieces=tuple(pieces), maps=(NoteMap(notes=tuple(notes)),),
        mics=(Mic(name="close"), Mic(name="over", follows_pan=False, gain_db=-6.0)), outputs=(Output(name="Main"),),
    )  # fmt: skip
    return Made(kit, audio)


_hashes: dict[int, tuple[Audio, str]] = {}  # by identity, with the sound, so that no other takes its place


def _hash(sound: Audio) -> str:
    if id(sound) not in _hashes:
        _hashes[id(sound)] = sound, hashlib.sha256(sound.tobytes()).hexdigest()
    return _hashes[id(sound)][1]


def _none() -> Sample:
    return Sample("0" * 64, 1, RATE_HZ, 1)


def led(sound: Audio, rng: np.random.Generator) -> Audio:
    """From a little ahead of the stroke on, as an editor cuts, and faded at its end."""
    magnitude = np.abs(sound[0])
    onset = int(np.argmax(magnitude > 0.05 * magnitude.max()))
    lead = int(rng.uniform(0.001, 0.003) * RATE_HZ)
    cut = sound[:, max(0, onset - lead) :].copy()
    cut *= np.exp(
        -rng.uniform(0, 0.6) * np.arange(cut.shape[1], dtype=np.float32) / RATE_HZ
    )  # no two strokes fall alike
    fade = min(cut.shape[1], RATE_HZ // 20)
    cut[:, -fade:] *= np.linspace(1, 0, fade, dtype=np.float32)
    return cut


class Over:
    """Overheads of one kit: each drum arrives by a way of its own, in stereo."""

    def __init__(self, rng: np.random.Generator) -> None:
        self._rng = rng

    def way(self) -> Callable[[Audio], Audio]:
        delay, side = int(self._rng.uniform(0.001, 0.006) * RATE_HZ), float(self._rng.uniform(0.3, 0.7))
        sos = butter(1, (150, float(self._rng.uniform(5000, 12000))), "bandpass", fs=RATE_HZ, output="sos")
        gain = float(self._rng.uniform(0.3, 0.7))

        def heard(sound: Audio) -> Audio:
            far = gain * sosfilt(sos, np.pad(sound[0], (delay, 0)))
            room = self._rng.standard_normal((2, len(far))) * 10 ** (-75 / 20)
            heard = (np.stack([far * side, far * (1 - side)]) + room).astype(np.float32)
            fade = min(len(far), RATE_HZ // 20)
            heard[:, -fade:] *= np.linspace(1, 0, fade, dtype=np.float32)
            return heard

        return heard


# Faults: what is put in, the rule that should find it, and where --------------------------------------------------------


def _gained(db: float) -> Callable[[Audio], Audio]:
    return lambda sound: sound * 10 ** (db / 20)


def _late(ms: float) -> Callable[[Audio], Audio]:
    return lambda sound: np.pad(sound, ((0, 0), (int(ms * RATE_HZ / 1000), 0)))


def _clip(sound: Audio) -> Audio:
    return np.clip(sound / np.abs(sound).max() * 2.5, -1, 1)


def _hummed(sound: Audio) -> Audio:
    time = np.arange(sound.shape[1]) / RATE_HZ
    return sound + 10 ** (-50 / 20) * (np.sin(2 * np.pi * 50 * time) + 0.5 * np.sin(2 * np.pi * 150 * time))


def _cut_tail(sound: Audio) -> Audio:
    magnitude = np.abs(sound[0])
    rings = np.flatnonzero(magnitude > magnitude.max() / 100)[-1]
    cut = sound[:, : max(RATE_HZ // 50, int(0.3 * rings))].copy()
    fade = min(200, cut.shape[1])
    cut[:, -fade:] *= np.linspace(1, 0, fade)
    return cut


def _clicked(sound: Audio) -> Audio:
    magnitude = np.abs(sound).max(axis=0)
    loud = np.flatnonzero(magnitude > 0.25 * magnitude.max())
    return sound[:, : int(loud[-1]) + 1]


def _noisy(sound: Audio) -> Audio:
    rng = np.random.default_rng(1)
    noise = rng.standard_normal((len(sound), int(0.15 * RATE_HZ))) * np.abs(sound).max() * 10 ** (-36 / 20)
    return np.concatenate([noise, sound], axis=1)


def _twice(sound: Audio) -> Audio:
    at = int(0.35 * RATE_HZ)
    out = np.pad(sound, ((0, 0), (0, max(0, at + sound.shape[1] - sound.shape[1]))))
    out[:, at : at + sound.shape[1]] += 0.7 * sound
    return out


def _beheaded(sound: Audio) -> Audio:
    magnitude = np.abs(sound).max(axis=0)
    return sound[:, int(np.argmax(magnitude >= 0.7 * magnitude.max())) :]


def _layer(made: Made, kind: str, layer: int, how: Callable[[Audio], Audio]) -> None:
    for take in range(len(made.pad(kind).layers[layer].takes)):
        made.spoil(kind, layer, take, how)


def _another(made: Made) -> None:
    source, target = made.take("high_tom", 1, 0), made.take("snare", 1, 2)
    for mic in ("close", "over"):
        made.audio[target.id, mic] = made.audio[source.id, mic].copy()


def _copied(made: Made, gain: float) -> None:
    source, target = made.take("snare", 1, 0), made.take("snare", 1, 2)
    for mic in ("close", "over"):
        made.audio[target.id, mic] = (np.round(made.audio[source.id, mic] * gain * 32767) / 32767).astype(np.float32)
        made.audio[source.id, mic] = (np.round(made.audio[source.id, mic] * 32767) / 32767).astype(np.float32)


def _without(made: Made, keys: list[tuple[int, str]]) -> None:
    for key in keys:
        made.audio.pop(key)

    def cut(take: Take) -> Take:  # fmt: skip
        return replace(take, samples=tuple((m, s) for m, s in take.samples if (take.id, m) in made.audio))

    def of_pad(pad: Pad) -> Pad:
        return replace(pad, layers=tuple(replace(x, takes=tuple(map(cut, x.takes))) for x in pad.layers))

    made.kit = replace(made.kit, pieces=tuple(replace(p, pads=tuple(map(of_pad, p.pads))) for p in made.kit.pieces))


def _noted(made: Made, kind: str, note: int | None, *, keep: bool = False) -> None:
    pad = made.pad(kind).id
    notes = tuple((n, p) for n, p in made.kit.maps[0].notes if p != pad or keep)
    made.kit = replace(made.kit, maps=(NoteMap(notes=(*notes, *(((note, pad),) if note is not None else ()))),))


def _unfaded(made: Made) -> None:
    group = ChokeGroup(letter="A", fade_ms=0.0)

    def of_pad(pad: Pad) -> Pad:
        return replace(pad, choke=group) if pad.choke else pad

    made.kit = replace(made.kit, pieces=tuple(replace(p, pads=tuple(map(of_pad, p.pads))) for p in made.kit.pieces))


OF_TOMS = {"low_tom": 43}  # a standard note beside the one it has

FAULTS: dict[str, tuple[str, Callable[[Made], None], str, tuple[int, int] | None]] = {
    "soft layer louder": ("layers_rise", lambda m: _layer(m, "snare", 1, _gained(-16)), "snare", None),
    "border jumps": ("jumps", lambda m: (_layer(m, "snare", 0, _gained(-12)),), "snare", None),
    "take louder": ("takes_alike", lambda m: m.spoil("low_tom", 1, 2, _gained(8)), "low_tom", (1, 2)),
    "take softer": ("takes_alike", lambda m: m.spoil("ride", 2, 0, _gained(-8)), "ride", (2, 0)),
    "clipped": ("clipped", lambda m: m.spoil("kick", 2, 1, _clip), "kick", (2, 1)),
    "silent": ("silence", lambda m: m.spoil("crash", 1, 1, lambda s: s * 0), "crash", (1, 1)),
    "noise ahead": ("noise_before", lambda m: m.spoil("snare", 2, 3, _noisy), "snare", (2, 3)),
    "offset": ("offset", lambda m: m.spoil("high_tom", 0, 1, lambda s: s + 0.02), "high_tom", (0, 1)),
    "hum": ("hum", lambda m: m.spoil("crash", 2, 1, _hummed), "crash", (2, 1)),
    "late": ("onsets", lambda m: m.spoil("snare", 1, 1, _late(12)), "snare", (1, 1)),
    "all late": ("pads_late", lambda m: [_layer(m, "ride", layer, _late(40)) for layer in range(3)], "ride", None),
    "tom on another's note": ("toms_in_order", lambda m: _noted(m, "high_tom", OF_TOMS["low_tom"]), "high_tom", None),
    "far from its pitch": ("far_tuned", lambda m: m.set_pad("snare", tune_cents=1900.0), "snare", None),
    "late by 8": ("onsets", lambda m: m.spoil("closed_hat", 2, 0, _late(8)), "closed_hat", (2, 0)),
    "beheaded": ("beginnings", lambda m: m.spoil("low_tom", 2, 2, _beheaded), "low_tom", (2, 2)),
    "mic late": ("mics", lambda m: m.spoil("high_tom", 2, 1, _late(9), ("over",)), "high_tom", (2, 1)),
    "click": ("ends", lambda m: m.spoil("ride", 1, 2, _clicked), "ride", (1, 2)),
    "short tail": ("tails", lambda m: m.spoil("crash", 2, 0, _cut_tail), "crash", (2, 0)),
    "second stroke": ("second_strokes", lambda m: m.spoil("kick", 1, 3, _twice), "kick", (1, 3)),
    "turned": ("polarity", lambda m: m.spoil("kick", 1, 2, lambda s: -s), "kick", (1, 2)),
    "turned snare": ("polarity", lambda m: m.spoil("snare", 2, 0, lambda s: -s), "snare", (2, 0)),
    "mic turned": ("polarity", lambda m: m.spoil("low_tom", 1, 1, lambda s: -s, ("over",)), "low_tom", (1, 1)),
    "another drum": ("another_drum", _another, "snare", (1, 2)),
    "copy": ("twice", lambda m: _copied(m, 1.0), "snare", (1, 2)),
    "copy at another level": ("twice", lambda m: _copied(m, 0.7), "snare", (1, 2)),
    "open hat rings on": ("open_hats", lambda m: m.set_pad("open_hat", choke=None), "open_hat", None),
    "hats in two groups": ("open_hats", lambda m: m.set_pad("open_hat", choke=ChokeGroup(letter="B")), "open_hat", None),
    "no fade": ("zero_fades", _unfaded, "open_hat", None),
    "one voice": ("voices", lambda m: m.set_pad("crash", max_voices=1), "crash", None),
    "no note": ("pads_reached", lambda m: _noted(m, "ride", None), "ride", None),
    "layers out of reach": ("layers_reached", lambda m: m.set_pad("snare", curve=((1.0, 1.0), (127.0, 70.0))), "snare", None),
    "crash on 42": ("standard_notes", lambda m: _noted(m, "crash", 42), "crash", None),
    "room missing": ("ambience", lambda m: _without(m, [(t.id, "over") for x in m.pad("ride").layers for t in x.takes]), "ride", None),
    "take without room": ("ambience", lambda m: _without(m, [(m.take("snare", 1, 1).id, "over")]), "snare", (1, 1)),
    "mono": ("channels", lambda m: m.spoil("ride", 1, 1, lambda s: s.mean(axis=0, keepdims=True), ("over",)), "ride", (1, 1)),
}  # fmt: skip
"""Name -> the rule that should find it, how it is put in, the kind of the pad, and (layer, take) counted from 0."""


def _crossfades(made: Made) -> None:
    for _, pad in list(made.kit.pads()):
        made.set_pad(pad.kind, crossfade=12)


def _brushes(made: Made) -> None:
    """A snare whose layers hardly rise, as brushes are."""
    for layer, db in enumerate((8.0, 4.0, 0.0)):
        _layer(made, "snare", layer, _gained(db))


def _lonely(made: Made) -> None:
    pad = made.pad("snare")
    soft, *others = pad.layers
    made.set_pad("snare", layers=(replace(soft, takes=soft.takes[:1]), *others))


def _roomy(made: Made) -> None:
    rng = np.random.default_rng(5)
    tail = (rng.standard_normal(RATE_HZ) * np.exp(-np.arange(RATE_HZ) / (0.1 * RATE_HZ))).astype(np.float32)
    fade = np.minimum(1, np.linspace(10, 0, RATE_HZ, dtype=np.float32))
    for key, sound in made.audio.items():
        if key[1] == "over":
            dry = np.pad(sound, ((0, 0), (0, max(0, RATE_HZ - sound.shape[1]))))[:, :RATE_HZ]
            wet = np.stack([fftconvolve(side, tail)[:RATE_HZ] for side in dry])
            made.audio[key] = ((dry + 0.02 * wet) * fade).astype(np.float32)


def _normalised(made: Made) -> None:
    for key, sound in made.audio.items():
        made.audio[key] = sound / np.abs(sound).max() * 0.9


def _tight(made: Made) -> None:
    for key, sound in made.audio.items():
        if key[1] == "close":
            magnitude = np.abs(sound[0])
            made.audio[key] = sound[:, int(np.argmax(magnitude > 0.1 * magnitude.max())) :]


TEMPTING: dict[str, Callable[[Made], None]] = {
    "as it is": lambda made: None,
    "crossfades": _crossfades,
    "brushes": _brushes,
    "one lonely soft take": _lonely,
    "a large room": _roomy,
    "normalised": _normalised,
    "cut tight": _tight,
}
