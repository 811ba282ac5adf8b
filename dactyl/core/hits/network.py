"""A small network over pictures of a rise: how sure it is a stroke of its own drum, and where that begins.

Two layers of small filters over bands and time (LeCun et al., Proc. IEEE 86, 1998), beside what else is known of the rise.
Only what a taught network says is here; benchmarks/train_strokes.py teaches it.
"""

import base64
import json
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

from dactyl.core.hits.patches import Patches

AT_ONCE = 64  # rises
MS = 5.0  # of one step of what it says of time


@dataclass(frozen=True)
class Network:
    """Weights by the names of their layers, as float32: filters (out, in, 3, 3), others (out, in); and their biases."""

    weights: Mapping[str, np.ndarray]

    @classmethod
    def of(cls, text: str) -> "Network":
        return cls({name: _unpacked(row) for name, row in json.loads(text).items()})

    def judged(self, patches: Patches, shown: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """shown : (rises, evidence); returns how sure each is a stroke, 0 to 1, and by how many ms it begins after its place"""
        parts = [np.zeros((0, 2), np.float32)]
        for first in range(0, len(shown), AT_ONCE):
            rows = slice(first, first + AT_ONCE)
            parts.append(self._said(patches.short[rows], patches.low[rows], patches.quick[rows], shown[rows]))
        said = np.concatenate(parts)
        return 1 / (1 + np.exp(-np.clip(said[:, 0], -30, 30))), said[:, 1] * MS

    def _said(self, short: np.ndarray, low: np.ndarray, quick: np.ndarray, shown: np.ndarray) -> np.ndarray:
        bands = filtered(short.transpose(0, 2, 3, 1), *self._layer("c1"))
        bands = filtered(bands, *self._layer("c2"))
        seen = _highest(bands).transpose(0, 3, 1, 2).reshape(len(short), -1)
        rows = ((seen, "d1"), (low.reshape(len(low), -1), "low"), (quick.reshape(len(quick), -1), "q"), (shown, "e"))
        joined = np.concatenate([self._dense(values, layer) for values, layer in rows], axis=1)
        weights, bias = self._layer("o")
        return self._dense(joined, "m") @ weights.T + bias

    def _dense(self, values: np.ndarray, layer: str) -> np.ndarray:
        weights, bias = self._layer(layer)
        return np.maximum(values @ weights.T + bias, 0)

    def _layer(self, name: str) -> tuple[np.ndarray, np.ndarray]:
        return self.weights[f"{name}.weight"], self.weights[f"{name}.bias"]


def filtered(seen: np.ndarray, filters: np.ndarray, bias: np.ndarray) -> np.ndarray:
    """seen : (rises, times, bands, channels); each filter over three by three of them, nothing below nought"""
    count, times, bands, channels = seen.shape
    padded = np.zeros((count, times + 2, bands + 2, channels), np.float32)
    padded[:, 1:-1, 1:-1] = seen
    strides = padded.strides
    windows = np.lib.stride_tricks.as_strided(
        padded, (count, times, bands, 3, 3, channels), (*strides[:3], strides[1], strides[2], strides[3])
    )  # in the order in which numbers lie in memory: copied several times as fast
    rows = windows.reshape(count * times * bands, 9 * channels) @ filters.transpose(2, 3, 1, 0).reshape(
        -1, len(filters)
    )
    rows += bias
    return np.maximum(rows, 0, out=rows).reshape(count, times, bands, len(filters))


def _highest(seen: np.ndarray) -> np.ndarray:
    """The highest of each two by two times and bands; what is left over at the ends is left out."""
    count, times, bands, channels = seen.shape
    kept = seen[:, : times // 2 * 2, : bands // 2 * 2]
    return kept.reshape(count, times // 2, 2, bands // 2, 2, channels).max(axis=(2, 4))


def packed(values: np.ndarray) -> dict[str, Any]:
    return {"shape": values.shape, "float16": base64.b64encode(values.astype("<f2").tobytes()).decode()}


def _unpacked(row: Mapping[str, Any]) -> np.ndarray:
    return np.frombuffer(base64.b64decode(row["float16"]), "<f2").astype(np.float32).reshape(row["shape"])


@cache
def network(path: Path) -> Network:
    return Network.of(path.read_text("utf-8"))
