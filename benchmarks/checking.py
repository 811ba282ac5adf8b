"""The kit check: faults put into kits of recorded drums, sound kits that tempt, and the speed of a kit of 24,000 files.

The maker of the faults (dactyl/core/tests/faulty.py) is the maker of the rules: what these figures say of a stranger's kits is not known.
"""

import tempfile
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np
import soundfile

from benchmarks.measured import Row, against, ratio_row, seconds
from benchmarks.soundfonts import RATE_HZ, OneShot, Player, fonts_here, hit, one_shots
from dactyl.core.check.check import check
from dactyl.core.check.finding import DOUBTFUL, WRONG, Finding
from dactyl.core.check.listening import measure_kit
from dactyl.core.check.measured import MeasuredKit, Stretch, stretches_of
from dactyl.core.kit import Kit, Layer, Mic, Pad, Piece, Sample, Take
from dactyl.core.tests.faulty import DRUMS, FAULTS, TEMPTING, Made, Stroke, make
from dactyl.core.wave.read import read_range

SEEDS = (11, 12)
MICS = ("close", "overhead", "room")
LARGE, PART = 128 * 8 * 8 * 3, 32  # files of a large kit, and the part of it that is measured


@cache
def _whole(font: str, seed: int) -> tuple[Made, MeasuredKit]:
    """A kit of one font, some drum of each kind, as one player would have recorded it; and what was heard of it."""
    rng = np.random.default_rng(seed)
    by_kind: dict[str, list[OneShot]] = {}
    for shot in one_shots(font):
        by_kind.setdefault(shot.kind, []).append(shot)
    strokes = {}
    for kind in DRUMS:
        if kind in by_kind:
            shot = by_kind[kind][int(rng.integers(len(by_kind[kind])))]
            player = replace(Player.drawn(rng), noise_db=float(rng.uniform(-90, -62)))
            strokes[kind] = _stroke(shot, player)
    made = make(strokes, rng)
    return made, measure_kit(*made.finished(), processes=2)


def kit_of(font: str, seed: int) -> Made:
    """One to be spoilt."""
    made, _ = _whole(font, seed)
    return Made(made.kit, dict(made.audio))


def _stroke(shot: OneShot, player: Player) -> Stroke:
    return lambda strength, rng: hit(shot, player, strength, rng)


def findings(made: Made, font: str, seed: int) -> list[Finding]:
    kit, load = made.finished()
    return check(measure_kit(kit, load, _whole(font, seed)[1].sounds, processes=2))


def is_found(made: Made, name: str, found: list[Finding]) -> bool:
    rule, _, kind, at = FAULTS[name]
    pad = made.pad(kind).id
    place = None if at is None else (at[0] + 1, at[1] + 1)
    return any(
        f.rule == rule and f.place.pad == pad and (place is None or (f.place.layer, f.place.take) == place)
        for f in found
    )


def _of_two_seconds(folder: Path, files: int) -> tuple[Kit, dict[str, Path]]:
    """A kit of this many files of 2 s, on pads of eight layers of eight takes of three mics."""
    rng, paths, pads = np.random.default_rng(1), {}, []
    time = np.arange(2 * RATE_HZ) / RATE_HZ
    ids = iter(range(1, 1 << 30))

    def sample() -> Sample:
        sound = 0.3 * (np.sin(2 * np.pi * 180 * time) + 0.5 * rng.standard_normal(len(time))) * np.exp(-5 * time)
        path = folder / f"{len(paths)}.wav"
        soundfile.write(path, sound, RATE_HZ, "PCM_16")
        paths[f"{len(paths):064x}"] = path
        return Sample(f"{len(paths) - 1:064x}", len(time), RATE_HZ, 1)

    while len(paths) < files:
        layers = []
        for n in range(8):
            takes = tuple(Take(id=next(ids), samples=tuple((mic, sample()) for mic in MICS)) for _ in range(8))
            layers.append(
                Layer(id=next(ids), low=1 + 16 * n if n else 1, high=16 * n + 16 if n < 7 else 127, takes=takes)
            )
        pads.append(Pad(id=next(ids), name=f"Pad {len(pads)}", layers=tuple(layers), kind="low_tom"))
    pieces = tuple(Piece(name=pad.name, pads=(pad,)) for pad in pads)
    return Kit(name="Large", pieces=pieces, mics=tuple(Mic(name=mic) for mic in MICS)), paths


def _speed() -> Iterator[Row]:
    with tempfile.TemporaryDirectory() as folder:
        kit, paths = _of_two_seconds(Path(folder), LARGE // PART)
        stretches = list(stretches_of(kit))

        def load(stretch: Stretch, _sample: object) -> np.ndarray:
            return read_range(paths[stretch.sha256], stretch.start_frame, stretch.end_frame)

        def decode() -> None:
            with ThreadPoolExecutor(2) as pool:
                list(pool.map(lambda stretch: soundfile.read(paths[stretch.sha256], dtype="float32"), stretches))

        hear, bare = against(lambda: measure_kit(kit, load, processes=2), decode, rounds=2)
        yield ratio_row(
            f"hear {len(stretches)} files of 2 s", hear, bare, 8, "bare decoding by libsndfile, on two cores"
        )
        measured = measure_kit(kit, load, processes=2)
        rules = seconds(lambda: check(measured))
        first, *others = kit.pieces
        edited = replace(kit, pieces=(replace(first, pads=(replace(first.pads[0], gain_db=-1.0),)), *others))
        again = seconds(lambda: check(MeasuredKit(edited, measured.sounds, kept=measured.kept_for(edited))))
        edit = again * PART - rules * (PART - 1) / len(
            kit.pieces
        )  # one pad of all is looked at anew, not one of each part
        figure = f"{hear * PART:.0f} s to hear, {rules * PART:.1f} s for the rules, {edit:.1f} s after an edit of one pad, of {LARGE:,} files at this pace"
        yield Row("128 pads, 8 layers, 8 takes, 3 mics", figure, None, "20 s, and 1 s", hear * PART <= 20)


def rows() -> Iterator[Row]:
    yield from _speed()
    fonts = fonts_here()
    if not fonts:
        return
    told, hits, missed = Counter(), 0, []
    for font in fonts:
        for seed in SEEDS:
            for name, (_, spoil, *_) in FAULTS.items():
                made = kit_of(font, seed)
                try:
                    spoil(made)
                except StopIteration:
                    continue  # the font has no such drum
                found = is_found(made, name, findings(made, font, seed))
                told["faults"] += 1
                hits += found
                missed += [] if found else [name]
            for tempt in TEMPTING.values():
                made = kit_of(font, seed + 100)
                tempt(made)
                for finding in findings(made, font, seed + 100):
                    told[finding.severity] += 1
                told["sound kits"] += 1
    share = hits / max(1, told["faults"])
    figure = f"{share:.2f} of {told['faults']}; missed: {', '.join(sorted(set(missed))) or 'none'}"
    yield Row("faults found, in the right place", figure, None, "at least 0.95", share >= 0.95)
    figure = f"{told[WRONG]} wrong and {told[DOUBTFUL]} doubtful in {told['sound kits']} kits"
    yield Row("told of sound kits", figure, None, "nothing wrong", not told[WRONG])
