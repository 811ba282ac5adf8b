"""Second-order filters for voices: RBJ's Audio EQ Cookbook (R. Bristow-Johnson), linear Q, in design rule 9.

The 1-pole kinds stand in open kit files; they are the bilinear transform of 1/(s+1) and s/(s+1).
"""

import math
from dataclasses import dataclass
from functools import lru_cache

MIN_HZ = 20.0
MAX_SHARE = 0.45  # of the rate
SILENT = 1e-6  # -120 dB: where a tail ends
Coefficients = tuple[float, float, float, float, float]
"""b0, b1, b2, a1, a2, where a0 is 1."""


@dataclass(frozen=True, slots=True)
class FilterTable:
    """One filter for each shaped velocity, fixed for a voice; [velocity - 1]."""

    coefficients: tuple[Coefficients, ...]
    tail_frames: tuple[int, ...]


@lru_cache(maxsize=512)
def filter_table(kind: str, cutoff_hz: float, q: float, octaves: float, rate_hz: int) -> FilterTable:
    """Filters for velocities 1..127: cutoff x 2^(octaves x (v/127 - 1))."""
    rows = tuple(
        coefficients(kind, cutoff_hz * 2 ** (octaves * (velocity / 127 - 1)), q, rate_hz) for velocity in range(1, 128)
    )
    return FilterTable(rows, tuple(tail_frames(row) for row in rows))


def coefficients(kind: str, cutoff_hz: float, q: float, rate_hz: int) -> Coefficients:
    """kind : low, high, band (0 dB at its peak), notch, low_1p, high_1p; cutoff clamped to 20 Hz..0.45 x rate."""
    w = 2 * math.pi * min(max(cutoff_hz, MIN_HZ), MAX_SHARE * rate_hz) / rate_hz
    if kind in ("low_1p", "high_1p"):
        k = math.tan(w / 2)
        b = (k, k) if kind == "low_1p" else (1.0, -1.0)
        return b[0] / (1 + k), b[1] / (1 + k), 0.0, (k - 1) / (1 + k), 0.0
    cosine, alpha = math.cos(w), math.sin(w) / (2 * q)
    b0, b1, b2 = {
        "low": ((1 - cosine) / 2, 1 - cosine, (1 - cosine) / 2),
        "high": ((1 + cosine) / 2, -(1 + cosine), (1 + cosine) / 2),
        "band": (alpha, 0.0, -alpha),
        "notch": (1.0, -2 * cosine, 1.0),
    }[kind]
    a0 = 1 + alpha
    return b0 / a0, b1 / a0, b2 / a0, -2 * cosine / a0, (1 - alpha) / a0


def low_shelf(cutoff_hz: float, gain_db: float, rate_hz: int) -> Coefficients:
    """RBJ's low shelf, slope 1."""
    a = 10 ** (gain_db / 40)
    w = 2 * math.pi * cutoff_hz / rate_hz
    cosine, root = math.cos(w), 2 * math.sqrt(a) * math.sin(w) / math.sqrt(2)
    a0 = (a + 1) + (a - 1) * cosine + root
    return (
        a * ((a + 1) - (a - 1) * cosine + root) / a0,
        2 * a * ((a - 1) - (a + 1) * cosine) / a0,
        a * ((a + 1) - (a - 1) * cosine - root) / a0,
        -2 * ((a - 1) + (a + 1) * cosine) / a0,
        ((a + 1) + (a - 1) * cosine - root) / a0,
    )


def tail_frames(row: Coefficients) -> int:
    """Frames until what rings after the sound is below -120 dB: ln(1e-6) / ln(radius of the outer pole)."""
    a1, a2 = row[3], row[4]
    root = a1 * a1 - 4 * a2
    radius = math.sqrt(a2) if root < 0 else max(abs(-a1 + math.sqrt(root)), abs(-a1 - math.sqrt(root))) / 2
    return math.ceil(math.log(SILENT) / math.log(radius)) if 0 < radius < 1 else 0
