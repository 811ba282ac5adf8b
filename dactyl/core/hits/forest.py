"""Trees of decisions that were taught one after another, each by what those before had left wrong (gradient boosting: Friedman,
Annals of Statistics 29, 2001). Only what a taught forest says is here; benchmarks/train_strokes.py teaches it."""

import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np

AT_ONCE = 512  # rows


@dataclass(frozen=True)
class Forest:
    """Nodes of all trees behind one another; a leaf leads to itself."""

    base: float
    depth: int
    roots: np.ndarray  # (trees,)
    feature: np.ndarray  # (nodes,)
    threshold: np.ndarray  # where the feature is no greater, it goes left
    left: np.ndarray
    right: np.ndarray
    value: np.ndarray  # of leaves

    @classmethod
    def of(cls, text: str) -> "Forest":
        told = json.loads(text)
        places = {name: np.array(told[name], np.int32) for name in ("roots", "feature", "left", "right")}
        values = {name: np.array(told[name], np.float32) for name in ("threshold", "value")}
        return cls(base=told["base"], depth=told["depth"], **places, **values)

    def confidences(self, shown: np.ndarray) -> np.ndarray:
        """shown : (n, features); returns (n,), 0 to 1"""
        total = np.empty(len(shown))
        for first in range(0, len(shown), AT_ONCE):
            rows = np.ascontiguousarray(shown[first : first + AT_ONCE], np.float32)
            begins = np.arange(len(rows), dtype=np.int32)[:, None] * rows.shape[1]
            at = np.broadcast_to(self.roots, (len(rows), len(self.roots)))
            for _ in range(self.depth):
                goes_left = rows.ravel()[begins + self.feature[at]] <= self.threshold[at]
                at = np.where(goes_left, self.left[at], self.right[at])
            total[first : first + AT_ONCE] = self.base + self.value[at].sum(axis=1)
        return 1 / (1 + np.exp(-np.clip(total, -30, 30)))


@cache
def forest(path: Path) -> Forest:
    return Forest.of(path.read_text("utf-8"))
