"""The kind of a drum by its sound alone: a small network over its timbre, taught by benchmarks/train_hearing.py."""

import base64
import json
from dataclasses import dataclass, fields
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

NUMBERS = Path(__file__).with_name("kinds_by_sound.json")
FAMILY_OF = {  # kinds that are easily taken for one another
    "closed_hat": "hat", "pedal_hat": "hat", "open_hat": "hat", "low_tom": "tom", "mid_tom": "tom", "high_tom": "tom",
    "crash": "cymbal", "ride": "cymbal", "ride_bell": "cymbal",
}  # fmt: skip


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
class Heard:
    """What a sound is taken for."""

    kind: str
    share: float  # how sure, 0 to 1
    second: str  # the next kind in question


@cache
def _taught() -> tuple[tuple[str, ...], Network, np.ndarray]:
    """The kinds, the network that tells them, and the directions in which drums differ."""
    read = json.loads(NUMBERS.read_text("utf-8"))
    kinds, likeness = tuple(read.pop("kinds")), _unpacked(read.pop("likeness"))
    return kinds, Network(**{name: _unpacked(values) for name, values in read.items()}), likeness


def alike(timbres: np.ndarray) -> np.ndarray:
    """Where sounds lie in the space of drums, (n, directions): hits of one drum about one apart in each direction."""
    return np.asarray(timbres, float) @ _taught()[2]


def hear_together(timbres: np.ndarray) -> Heard:
    """Sounds of one drum: the mean of what each says, as logarithms. timbres : (n >= 1, timbre.SIZE)"""
    shares = _taught()[1].shares(np.asarray(timbres, float))
    together = np.exp(np.log(shares + 1e-6).mean(axis=0))
    return _heard(together / together.sum())


def _heard(shares: np.ndarray) -> Heard:
    kinds = _taught()[0]
    first, second = np.argsort(-shares)[:2]
    return Heard(kinds[first], float(shares[first]), kinds[second])
