"""Sets of recordings that exist only as names and measures, with the truth about them."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from dactyl.core.audio.measure import Measure
from dactyl.core.stack.propose import File, Proposal


@dataclass(frozen=True)
class Truth:
    """One file's place, counted from 0; level 0 is the softest."""

    pad: str
    layer: int
    take: int
    mic: str


SOUNDS = {  # how each pad sounds when struck hard: level, brightness, pitch, decay
    "kick": Measure(0, -3, -12, 600, 55, 0.8, 0.4, 0.9),
    "snare": Measure(0, -3, -14, 3200, 190, 0.1, 0.25, 0.2),
    "snare rim": Measure(0, -2, -13, 4000, 215, 0.1, 0.2, 0.5),
    "hat closed": Measure(0, -6, -18, 9000, 8000, 0.0, 0.1, 0.03),
    "hat open": Measure(0, -6, -17, 8500, 7900, 0.0, 0.8, 0.03),
    "tom 1": Measure(0, -4, -15, 500, 150, 0.3, 0.5, 0.95),
    "tom 2": Measure(0, -4, -15, 400, 92, 0.4, 0.6, 0.95),
    "crash": Measure(0, -5, -16, 7000, 400, 0.0, 2.0, 0.03),
    "side stick": Measure(0, -2, -13, 2500, 215, 0.1, 0.08, 0.5),
    "hat pedal": Measure(0, -12, -24, 9000, 8000, 0.0, 0.15, 0.03),
    "ride bow": Measure(0, -5, -16, 6000, 400, 0.0, 3.0, 0.2),
    "crash left": Measure(0, -5, -16, 7000, 430, 0.0, 2.0, 0.03),
    "crash right": Measure(0, -5, -16, 6600, 340, 0.0, 2.4, 0.03),
    "crash left grab": Measure(0, -5, -16, 7000, 430, 0.0, 0.25, 0.03),
    "crash right grab": Measure(0, -5, -16, 6600, 340, 0.0, 0.22, 0.03),
    "ride bell": Measure(0, -5, -16, 5000, 900, 0.0, 2.5, 0.7),
}


def record(
    pads: list[str],
    layers: int,
    takes: int,
    mics: list[str],
    name: Callable[[Truth], str],
    *,
    seed: int = 0,
    step_db: float = 5.5,
) -> dict[str, tuple[Truth, File]]:
    """Every hit under the name that ``name`` gives it, in a shuffled order; takes vary by 0.6 dB."""
    rng = np.random.default_rng(seed)
    files = {}
    for pad in pads:
        for layer in range(layers):
            for take in range(takes):
                varied = 0.6 * rng.standard_normal()
                for number, mic in enumerate(mics):
                    truth = Truth(pad, layer, take, mic)
                    level = SOUNDS[pad].level_db - step_db * (layers - 1 - layer) + varied - 8 * number
                    files[name(truth)] = (truth, File(name(truth), _heard(SOUNDS[pad], level, rng)))
    order = rng.permutation(len(files))
    items = list(files.items())
    return dict(items[i] for i in order)


def _heard(loud: Measure, level_db: float, rng: np.random.Generator) -> Measure:
    softer = loud.level_db - level_db
    return replace(
        loud, level_db=level_db, peak_db=level_db + 9, brightness_hz=loud.brightness_hz * 0.98**softer * rng.normal(1, 0.02),
        pitch_hz=loud.pitch_hz * rng.normal(1, 0.004),
    )  # fmt: skip


def mistakes(proposal: Proposal, files: dict[str, tuple[Truth, File]]) -> list[str]:
    """What differs from the truth: pads split or mixed, layers out of place, mics not together."""
    wrong = [f"left over: {left.file}: {left.why}" for left in proposal.left_over]
    by_pad: dict[str, set[str]] = {}
    for pad in proposal.pads:
        names = {files[file][0].pad for file in pad.files}
        for truth in names:
            by_pad.setdefault(truth, set()).add(pad.name)
        if len(names) > 1:
            wrong.append(f"{pad.name} mixes {sorted(names)}")
            continue
        layers = [{files[file][0].layer for take in layer.takes for file in take.mics.values()} for layer in pad.layers]
        if layers != [{number} for number in range(len(layers))] or len(layers) != len(
            {files[f][0].layer for f in pad.files}
        ):
            wrong.append(f"{pad.name} has layers {layers}")
        for layer in pad.layers:
            for take in layer.takes:
                heard = {mic: files[file][0].mic for mic, file in take.mics.items()}
                hits = {(files[file][0].layer, files[file][0].take) for file in take.mics.values()}
                if len(hits) > 1 or len(set(heard.values())) != len(heard):
                    wrong.append(f"{pad.name}: one take holds {sorted(take.mics.items())}")
        together = [len(take.mics) for layer in pad.layers for take in layer.takes]
        if set(together) != {len({files[file][0].mic for file in pad.files})}:
            wrong.append(f"{pad.name}: mics of one hit lie apart")
    wrong += [f"{truth} is split over {sorted(names)}" for truth, names in by_pad.items() if len(names) > 1]
    return wrong
