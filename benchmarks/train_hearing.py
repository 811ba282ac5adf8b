"""Teach the listener kinds by sound: makes dactyl/core/stack/kinds_by_sound.json anew, from a seed.

    python -m benchmarks.train_hearing            train on all fonts and write the numbers
    python -m benchmarks.train_hearing --check    train on all but one font, and say how each unseen one is heard: its sounds
                                                  varied, as they are, in kits of some of its drums, and how nameless
                                                  sets of its recordings are stacked

A network of one hidden layer (tanh, softmax), trained with Adam (Kingma and Ba 2015) and dropout on varied one-shots.
"""

import argparse
import json
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from unittest.mock import patch

import numpy as np
from scipy.signal import resample_poly

from benchmarks.hearing import stacked
from benchmarks.soundfonts import OneShot, Player, drums_of_a_kit, fonts_here, hit, one_shots
from dactyl.core.audio.measure import measure
from dactyl.core.audio.timbre import BANDS, EDGES_MS, FLOOR_DB
from dactyl.core.kinds import KINDS
from dactyl.core.stack import hearing
from dactyl.core.stack.hearing import NUMBERS, Network, family_of, heard_in_a_kit, packed, shares_together
from dactyl.demo.scenario import KITS
from dactyl.demo.synth import RATE_HZ, strike

KINDS_HEARD = [kind.slug for kind in KINDS]
HIDDEN, STEPS, BATCH, RATE, DECAY = 64, 5000, 256, 2e-3, 2e-3
RARE = {"other": 0.5}  # less often in a kit than the other kinds
NOISE, DROP, COLOUR, FALL = 0.3, 0.2, 0.5, 0.3  # what is changed from row to row while it is taught
RISE = 1.0  # of the floor of noise, at most, in 20 dB
EACH = 6  # variations of a one-shot for each of WIDTHS
LIKENESS = 10  # directions
WIDTHS = (1.0, 1.8)  # how far they are varied


def varied(
    shots: Sequence[OneShot], seed: int, each: int = EACH, widths: Sequence[float] = WIDTHS
) -> tuple[np.ndarray, np.ndarray]:
    """Timbres, (sounds, SIZE), and kinds, (sounds,)."""
    rng = np.random.default_rng(seed)
    rows, kinds = [], []
    for shot in shots:
        for width in (width for width in widths for _ in range(each)):
            audio = hit(shot, Player.drawn(rng, width), float(rng.uniform(0.1, 1.0)), rng)
            rows.append(measure(audio, 44_100).timbre)
            kinds.append(KINDS_HEARD.index(shot.kind))
    return np.array(rows), np.array(kinds)


def coloured(rows: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Other microphones, rooms and skins: each row's bands raised and lowered, the same in all windows, its fall bent, and
    its floor of noise raised."""
    rows, count = rows.copy(), len(rows)
    windows = len(EDGES_MS) - 1
    shown = rows[:, : windows * BANDS].reshape(count, windows, BANDS)
    bends = rng.normal(0, COLOUR, (count, 1, 5)) @ _BLENDS
    falls = rng.normal(0, FALL, (count, 1, 1)) * np.arange(windows)[None, :, None]
    shown += np.where(shown > FLOOR_DB / 20 + 0.05, bends + falls, 0.0)
    loudest = 10 * np.log10((10 ** (2 * shown)).sum(axis=2)).max(axis=1) / 20
    floors = FLOOR_DB / 20 + rng.uniform(0, RISE, (count, 1, 1))
    np.maximum(shown - loudest[:, None, None], floors, out=shown)
    return rows


_BLENDS = np.maximum(0, 1 - np.abs(np.linspace(0, 4, BANDS)[None, :] - np.arange(5)[:, None]))


def train(x: np.ndarray, y: np.ndarray, seed: int = 1) -> Network:
    """x : timbres, y : kinds; those with few sounds weigh as much as others"""
    rng, counts = np.random.default_rng(seed), np.bincount(y, minlength=len(KINDS_HEARD))
    weights = np.array([RARE.get(KINDS_HEARD[kind], 1.0) / counts[kind] for kind in y])
    weights /= weights.sum()
    mean, spread = x.mean(axis=0), x.std(axis=0) + 0.05
    raw = x
    shapes = ((x.shape[1], HIDDEN), (HIDDEN,), (HIDDEN, len(KINDS_HEARD)), (len(KINDS_HEARD),))
    values = [rng.normal(0, 1 / np.sqrt(shape[0]), shape) if len(shape) == 2 else np.zeros(shape) for shape in shapes]
    first, second = ([np.zeros(shape) for shape in shapes] for _ in range(2))
    for step in range(1, STEPS + 1):
        chosen = rng.choice(len(x), BATCH, p=weights)
        rows = (coloured(raw[chosen], rng) - mean) / spread + rng.normal(0, NOISE, (BATCH, x.shape[1]))
        active = np.tanh(rows @ values[0] + values[1])
        kept = (rng.random(active.shape) > DROP) / (1 - DROP)
        scores = (active * kept) @ values[2] + values[3]
        shares = np.exp(scores - scores.max(axis=1, keepdims=True))
        shares /= shares.sum(axis=1, keepdims=True)
        wrong = shares.copy()
        wrong[np.arange(BATCH), y[chosen]] -= 1
        wrong = (wrong + 0.05 * (shares - 1 / len(KINDS_HEARD))) / BATCH  # not too sure of anything
        back = (wrong @ values[2].T) * kept * (1 - active**2)
        slopes = [rows.T @ back, back.sum(axis=0), (active * kept).T @ wrong, wrong.sum(axis=0)]
        rate = RATE * min(1.0, step / 200) * 0.5 * (1 + np.cos(np.pi * step / STEPS))
        for n, slope in enumerate(slopes):
            first[n] = 0.9 * first[n] + 0.1 * slope
            second[n] = 0.999 * second[n] + 0.001 * slope**2
            moved = first[n] / (1 - 0.9**step) / (np.sqrt(second[n] / (1 - 0.999**step)) + 1e-8)
            values[n] -= rate * (moved + DECAY * values[n])
    return Network(mean, spread, *values)


def of_the_demo() -> list[OneShot]:
    """The demo's synthesised drums, so that they are heard too; they are in no measurement of how recordings are heard."""
    found = []
    for number, kit in enumerate(KITS):
        for pad in kit.pads:
            dry = strike(pad.voice, 0.9, np.random.default_rng(number))
            sound = resample_poly(dry, 44_100, RATE_HZ).astype(np.float32)
            found.append(OneShot("demo", number, 0, pad.kind, sound / max(1e-6, float(np.abs(sound).max()))))
    return found


def learn_likeness(shots: Sequence[OneShot], seed: int, drums_each: int = 2, hits_each: int = 7) -> np.ndarray:
    """The directions in which drums differ and hits of one drum do not: linear discriminant analysis (Fisher 1936).

    returns : (SIZE, LIKENESS); seen along them, hits of one drum lie about one apart in each
    """
    rng = np.random.default_rng(seed)
    drums = []
    for shot in shots:
        for _ in range(drums_each):
            player = Player.drawn(rng)
            hits = [hit(shot, player, float(strength), rng) for strength in rng.uniform(0.05, 1, hits_each)]
            drums.append(np.array([measure(audio, 44_100).timbre for audio in hits]))
    within = sum((own - own.mean(axis=0)).T @ (own - own.mean(axis=0)) for own in drums) / (
        len(drums) * (hits_each - 1)
    )
    within += (0.02 * np.trace(within) / len(within) + 1e-4) * np.eye(len(within))
    between = np.cov(np.array([own.mean(axis=0) for own in drums]).T)
    whitening = np.linalg.cholesky(np.linalg.inv(within))
    _, directions = np.linalg.eigh(whitening.T @ between @ whitening)
    return whitening @ directions[:, : -LIKENESS - 1 : -1]


def how_heard(network: Network, x: np.ndarray, y: np.ndarray) -> str:
    """The shares of sounds whose kind is heard, and whose family is; each kind weighs the same."""
    found = network.shares(x).argmax(axis=1)
    pairs = [_right(KINDS_HEARD[kind], [KINDS_HEARD[one] for one in found[y == kind]]) for kind in sorted(set(y))]
    return "{:.2f} {:.2f}".format(*np.mean(pairs, axis=0))


def how_heard_in_kits(network: Network, shots: Sequence[OneShot], seed: int = 7, kits: int = 40) -> str:
    """The same of drums, in kits of six to eleven kinds, two to eight hits each; each drum weighs the same."""
    rng, pairs = np.random.default_rng(seed), []
    for _ in range(kits):
        drums, rows = drums_of_a_kit(shots, rng), []
        for drum in drums:
            player = Player.drawn(rng)
            hits = [hit(drum, player, float(s), rng) for s in rng.uniform(0.1, 1, int(rng.integers(2, 9)))]
            rows.append(shares_together(np.array([measure(audio, 44_100).timbre for audio in hits]), network))
        pairs += [
            _right(drum.kind, [one.kind]) for drum, one in zip(drums, heard_in_a_kit(np.array(rows)), strict=True)
        ]
    return "{:.2f} {:.2f}".format(*np.mean(pairs, axis=0))


def _right(kind: str, found: Sequence[str]) -> tuple[float, float]:
    family = family_of(kind)
    return float(np.mean([one == kind for one in found])), float(np.mean([family_of(one) == family for one in found]))


def as_taught(network: Network, likeness: np.ndarray) -> str:
    """The file of numbers that the listener reads."""
    taught = {"kinds": KINDS_HEARD, "likeness": packed(likeness), **network.as_json()}
    return json.dumps(taught, separators=(",", ":")) + "\n"


@contextmanager
def instead(taught: str) -> Iterator[None]:
    """The listener as it would be with other numbers than those that ship."""
    with tempfile.TemporaryDirectory() as folder:
        numbers = Path(folder) / NUMBERS.name
        numbers.write_text(taught)
        with patch.object(hearing, "NUMBERS", numbers):
            hearing._taught.cache_clear()
            yield
    hearing._taught.cache_clear()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--check", action="store_true")
    asked = parser.parse_args()
    fonts = fonts_here()
    if asked.check:
        rows = {font: varied(one_shots(font), 1) for font in fonts}
        for unseen in fonts:
            seen = [font for font in fonts if font != unseen]
            network = train(*(np.concatenate(parts) for parts in zip(*(rows[font] for font in seen), strict=True)))
            shots = one_shots(unseen)
            plain = np.array([measure(shot.audio[None], 44_100).timbre for shot in shots])
            figures = (
                how_heard(network, *varied(shots, 99, 8, (1.0,))),
                how_heard(network, plain, np.array([KINDS_HEARD.index(shot.kind) for shot in shots])),
                how_heard_in_kits(network, shots),
            )
            print("{:8} left out, kind and family: varied {}, as they are {}, in kits {}".format(unseen, *figures))
            likeness = learn_likeness([shot for font in seen for shot in one_shots(font)], 5)
            with instead(as_taught(network, likeness)):
                print(f"{'':8} {stacked([unseen])}")
        return
    shots = [*(shot for font in fonts for shot in one_shots(font)), *of_the_demo()]
    network, likeness = train(*varied(shots, 1)), learn_likeness(shots, 5)
    NUMBERS.write_text(as_taught(network, likeness))
    print(f"{NUMBERS} written, {NUMBERS.stat().st_size:,} bytes")


if __name__ == "__main__":
    main()
