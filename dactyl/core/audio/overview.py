"""A sound small enough to draw: lowest and highest value in each of a few hundred columns."""

from collections.abc import Iterable
from functools import lru_cache

import numpy as np

COLUMNS = 240


def overview(audio: np.ndarray, columns: int = COLUMNS) -> bytes:
    """Reduce (channels, frames) to ``columns`` pairs of int8 (low, high), all channels together; 127 is its peak."""
    return pack_columns(audio.min(axis=0), audio.max(axis=0), columns)


def overview_of_blocks(blocks: Iterable[np.ndarray], frames: int, columns: int) -> bytes:
    """The same of a sound that comes in blocks, (channels, some of its ``frames``) each."""
    starts = _column_starts(frames, columns)
    pairs = np.tile(np.array([np.inf, -np.inf], np.float32), (len(starts), 1))
    at = 0
    for block in blocks:
        first = np.searchsorted(starts, at, side="right") - 1
        last = np.searchsorted(starts, at + block.shape[1], side="left")
        cuts = np.maximum(starts[first:last] - at, 0)
        pairs[first:last, 0] = np.minimum(pairs[first:last, 0], np.minimum.reduceat(block.min(axis=0), cuts))
        pairs[first:last, 1] = np.maximum(pairs[first:last, 1], np.maximum.reduceat(block.max(axis=0), cuts))
        at += block.shape[1]
    return _packed(pairs)


def pack_columns(lows: np.ndarray, highs: np.ndarray, columns: int = COLUMNS) -> bytes:
    """Reduce running extremes, each of shape (n,), to at most ``columns`` int8 pairs; 127 is the largest of them."""
    starts = _column_starts(len(lows), columns)
    return _packed(np.stack([np.minimum.reduceat(lows, starts), np.maximum.reduceat(highs, starts)], axis=1))


def _column_starts(frames: int, columns: int) -> np.ndarray:
    return np.unique(np.linspace(0, frames, min(columns, frames), endpoint=False).astype(np.intp))


def _packed(pairs: np.ndarray) -> bytes:
    peak = max(float(np.abs(pairs).max(initial=0.0)), 1e-9)
    return np.rint(pairs * (127 / peak)).astype(np.int8).tobytes()


@lru_cache(maxsize=2000)
def small_outline(packed: bytes, width: int, height: int, columns: int = 32) -> str:
    """The same of few columns in whole numbers, for lists of many: a tenth of the characters."""
    pairs = np.frombuffer(packed, np.int8).reshape(-1, 2) / 127
    if not len(pairs):
        return ""
    starts = np.unique(np.arange(columns) * len(pairs) // columns)
    lows, highs = np.minimum.reduceat(pairs[:, 0], starts), np.maximum.reduceat(pairs[:, 1], starts)
    middle, scale = height / 2, max(float(np.abs(pairs).max()), 1e-3)
    x = (np.arange(len(starts)) * width / len(starts)).astype(int)
    tops = np.floor(middle - highs / scale * middle).clip(0, middle - 1).astype(int)
    bottoms = np.ceil(middle - lows / scale * middle).clip(middle, height).astype(int)
    there = [f"{a} {b}" for a, b in zip(x, tops, strict=True)]
    back = [f"{a} {b}" for a, b in zip(x[::-1], bottoms[::-1], strict=True)]
    return f"M{' '.join(there + back)}Z"


@lru_cache(maxsize=2000)
def outline(packed: bytes, width: float, height: float) -> str:
    """The overview as an SVG path: one closed shape, there along the highs and back along the lows."""
    pairs = np.frombuffer(packed, np.int8).reshape(-1, 2) / 127
    if not len(pairs):
        return ""
    scale = max(float(np.abs(pairs).max()), 1e-3)
    x = np.linspace(0, width, len(pairs) + 1)[:-1] + width / len(pairs) / 2
    middle = height / 2
    tops = middle - np.maximum(pairs[:, 1] / scale * middle, 0.4)
    bottoms = middle - np.minimum(pairs[:, 0] / scale * middle, -0.4)
    there = [f"{a:.1f} {b:.1f}" for a, b in zip(x, tops, strict=True)]
    back = [f"{a:.1f} {b:.1f}" for a, b in zip(x[::-1], bottoms[::-1], strict=True)]
    return "M" + "L".join(there + back) + "Z"
