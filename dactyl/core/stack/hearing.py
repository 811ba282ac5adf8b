"""The kind of a drum by its sound alone: a small network over its timbre, taught by benchmarks/train_hearing.py."""

import base64
import json
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, fields
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import scipy

NUMBERS = Path(__file__).with_name("kinds_by_sound.json")
FAMILY_OF = {  # kinds that are easily taken for one another
    "closed_hat": "hat", "pedal_hat": "hat", "open_hat": "hat", "low_tom": "tom", "mid_tom": "tom", "high_tom": "tom",
    "crash": "cymbal", "ride": "cymbal", "ride_bell": "cymbal",
}  # fmt: skip
AGAIN = (0.0, 2.0, 3.0, 4.0)
"""How much less likely, as a logarithm, a kit has a second, third or further drum of a kind. Of a few values tried, the one
that heard kits of fonts best that were left out (benchmarks/train_hearing.py)."""
MOST_OF_A_KIT = 24  # drums; a folder with more is a collection


def family_of(kind: str) -> str:
    """The family that a kind belongs to, or the kind itself."""
    return FAMILY_OF.get(kind, kind)


@dataclass(frozen=True)
class Network:
    """timbre -> tanh of a hidden layer -> share of each kind"""

    mean: np.ndarray  # of each number of a timbre where it was taught
    spread: np.ndarray
    inward: np.ndarray  # (SIZE, hidden)
    inward_bias: np.ndarray
    outward: np.ndarray  # (hidden, kinds)
    outward_bias: np.ndarray

    def shares(self, timbres: np.ndarray) -> np.ndarray:
        """timbres : (n, SIZE); returns (n, kinds), each row adds up to 1"""
        hidden = np.tanh((timbres - self.mean) / self.spread @ self.inward + self.inward_bias)
        scores = hidden @ self.outward + self.outward_bias
        shares = np.exp(scores - scores.max(axis=1, keepdims=True))
        return shares / shares.sum(axis=1, keepdims=True)

    def as_json(self) -> dict[str, Any]:
        """Each array as int8 in base64, its largest value being 127 steps."""
        return {field.name: packed(getattr(self, field.name)) for field in fields(self)}


def packed(values: np.ndarray) -> dict[str, Any]:
    step = float(np.abs(values).max()) / 127 or 1.0
    text = base64.b64encode(np.round(values / step).astype(np.int8).tobytes()).decode()
    return {"shape": values.shape, "step": float(f"{step:.6g}"), "int8": text}


def _unpacked(packed: dict[str, Any]) -> np.ndarray:
    values = np.frombuffer(base64.b64decode(packed["int8"]), np.int8).astype(float)
    return values.reshape(packed["shape"]) * packed["step"]


@dataclass(frozen=True, slots=True)
class KindGuess:
    """What a sound is taken for."""

    kind: str
    share: float  # how sure, 0 to 1
    second: str  # the next kind in question, or what it is most like where that is another drum's kind
    is_second_best: bool = False  # it is most like ``second``, and so is another drum, more so
    family_share: float = 1.0  # how sure that it is of the family of ``kind``


@cache
def _taught() -> tuple[tuple[str, ...], Network, np.ndarray]:
    """The kinds, the network that tells them, and the directions in which drums differ."""
    read = json.loads(NUMBERS.read_text("utf-8"))
    kinds, likeness = tuple(read.pop("kinds")), _unpacked(read.pop("likeness"))
    return kinds, Network(**{name: _unpacked(values) for name, values in read.items()}), likeness


def alike(timbres: np.ndarray) -> np.ndarray:
    """Where sounds lie in the space of drums, (n, directions): hits of one drum about one apart in each direction."""
    return np.asarray(timbres, float) @ _taught()[2]


def shares_together(timbres: np.ndarray, network: Network | None = None) -> np.ndarray:
    """Sounds of one drum: the mean of what each says, as logarithms. timbres : (n >= 1, timbre.SIZE); returns (kinds,)"""
    shares = (network or _taught()[1]).shares(np.asarray(timbres, float))
    together = np.exp(np.log(shares + 1e-6).mean(axis=0))
    return together / together.sum()


def heard(shares: np.ndarray) -> KindGuess:
    """One drum by itself. shares : (kinds,)"""
    kinds = _taught()[0]
    first, second = np.argsort(-shares)[:2]
    return KindGuess(kinds[first], float(shares[first]), kinds[second], family_share=_of_family(kinds[first], shares))


def _of_family(kind: str, shares: np.ndarray) -> float:
    family = family_of(kind)
    return float(sum(share for one, share in zip(_taught()[0], shares, strict=True) if family_of(one) == family))


def heard_in_a_kit(shares: np.ndarray, named: Sequence[str] = ()) -> list[KindGuess]:
    """Drums of one kit: it seldom has two of a kind, so each kind goes to those most like it (assignment problem, Kuhn 1955).

    A folder of many drums, or of one kind by half, is no kit, and each is heard by itself.

    shares : (drums, kinds)
    named : the kinds of the kit's other drums, which are known
    """
    alone = [heard(row) for row in shares]
    counts = Counter(one.kind for one in alone)
    if not 1 < len(alone) <= MOST_OF_A_KIT or max(counts.values()) > max(2, len(alone) // 2):
        return alone
    kinds = _taught()[0]
    taken = Counter(named)
    again = len(AGAIN) - 1
    costs = [[AGAIN[min(taken[kind] + place, again)] for place in range(len(alone))] for kind in kinds]
    costs = np.repeat(-np.log(shares + 1e-6), len(alone), axis=1) + np.ravel(costs)
    _, places = scipy.optimize.linear_sum_assignment(costs)
    return [
        one
        if kinds[kind] == one.kind
        else KindGuess(kinds[kind], float(row[kind]), one.kind, True, _of_family(kinds[kind], row))
        for one, row, kind in zip(alone, shares, places // len(alone), strict=True)
    ]
