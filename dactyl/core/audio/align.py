"""How far one recording of a hit lies behind another, and whether its polarity is the other way round."""

import numpy as np
import scipy

WINDOW_SECONDS = 0.03
REACH_SECONDS = 0.004


def lag_frames(audio: np.ndarray, reference: np.ndarray, rate_hz: int) -> tuple[int, int]:
    """Where the cross-correlation of the attacks is strongest.

    audio, reference : float32, (channels, frames), each from its start
    returns : (frames by which ``audio`` is late, at most REACH_SECONDS either way; 1 or -1 for its polarity)
    """
    window, reach = int(WINDOW_SECONDS * rate_hz), int(REACH_SECONDS * rate_hz)
    a, b = (_mono(sound, window) for sound in (audio, reference))
    products = scipy.signal.correlate(a, b, "full")
    middle = window - 1
    near = products[middle - reach : middle + reach + 1]
    if not np.abs(near).max() > 0:
        return 0, 1
    strongest = int(np.argmax(np.abs(near)))
    return strongest - reach, 1 if near[strongest] >= 0 else -1


def _mono(sound: np.ndarray, frames: int) -> np.ndarray:
    mono = sound[:, :frames].mean(axis=0)
    return np.pad(mono, (0, frames - len(mono)))
