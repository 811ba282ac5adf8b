"""A second drum under a piece: it sounds with it, as its companion, cut by what cuts it; and how both add in the low end."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import scipy

from dactyl.core.kit import Kit, Pad, Piece
from dactyl.core.swap import MOST_LAYERS, mics_with

NEW_IDS = 1 << 42  # of pads and layers that are heard and not kept yet
LOW_HZ, LOW_RATE_HZ = 180.0, 6000  # what is compared: the low end, in steps of a sixth of a millisecond
SECONDS = 0.2  # of it, from the beginning
MOST_DELAY_MS = 8.0  # with either polarity that is half a turn of 60 Hz: any phase is met
CLEARLY_DB = 0.5  # what is won by less is not worth an offer


@dataclass(frozen=True, slots=True)
class Layering:
    """How the second drum sounds under the first."""

    gain_db: float = 0.0
    tune_cents: float = 0.0
    delay_ms: float = 0.0
    is_flipped: bool = False


@dataclass(frozen=True, slots=True)
class Phase:
    """What of the low end is won, against the two as they are, by turning the second and letting it wait."""

    is_flipped: bool
    delay_ms: float
    won_db: float


def second_piece(kit: Kit, source: Kit, pairs: Mapping[int, int | None], how: Layering) -> Piece | None:
    """Return the piece that comes along: for each pad in ``pairs`` one that sounds like its other, with ids of its own.

    It leaves by the way of the first, stands where it stands, and what cuts the first cuts it. None where ``kit``, which may
    be some pads of a kit, holds no pad of ``pairs``.
    """
    theirs = {pad.id: pad for _, pad in source.pads()}
    own = {pad.id: (piece, pad) for piece, pad in kit.pads()}
    first = next((own[key][0] for key in pairs if key in own), None)
    if first is None:
        return None
    name = _free_name(kit, first.name or "Piece")
    pads = []
    for key, other in pairs.items():
        if key in own and other in theirs:
            pads.append(_along(own[key][1], theirs[other], name, first, how))
    return replace(
        first, id=NEW_IDS + first.id, name=name, pads=tuple(pads), mic_gains_db=(), mic_pans=(), mic_flips=()
    )


def _along(pad: Pad, other: Pad, name: str, first: Piece, how: Layering) -> Pad:
    articulation = pad.name.removeprefix(first.name).strip()
    layers = tuple(
        replace(
            layer,
            id=NEW_IDS + MOST_LAYERS * pad.id + n,  # another pad may have the same drum along
            random_stream=layer.stream,
            takes=tuple(replace(take, is_flipped=take.is_flipped is not how.is_flipped) for take in layer.takes),
        )
        for n, layer in enumerate(other.layers)
    )
    return replace(
        other,
        id=NEW_IDS + pad.id,
        name=" ".join(filter(None, [name, articulation])),
        layers=layers,
        random_stream=other.stream,
        gain_db=min(24.0, max(-96.0, other.gain_db + how.gain_db)),
        tune_cents=min(4800.0, max(-4800.0, other.tune_cents + how.tune_cents)),
        delay_ms=how.delay_ms,
        pan=pad.pan,
        choke=pad.choke,
        cuts_itself=pad.cuts_itself,
        silences=(),
        silenced_by=pad.silenced_by,
        companions=(),
        max_voices=pad.max_voices,
        muted=False,
        output=pad.output,
        root=None,
    )


def _free_name(kit: Kit, name: str) -> str:
    taken = {piece.name for piece in kit.pieces}
    return next(f"{name[:56]} {n}" for n in range(2, 1000) if f"{name[:56]} {n}" not in taken)


def thickened(kit: Kit, source: Kit, pairs: Mapping[int, int | None], how: Layering) -> Kit:
    """Return the kit, or some pads of it, with the second drum sounding along: to be heard before it is kept."""
    piece = second_piece(kit, source, pairs, how)
    if piece is None:
        return kit
    along = {pad.id - NEW_IDS: pad.id for pad in piece.pads}
    pieces = tuple(
        replace(one, pads=tuple(
            replace(pad, companions=(*pad.companions, (along[pad.id], 1.0))) if pad.id in along else pad for pad in one.pads
        ))
        for one in kit.pieces
    )  # fmt: skip
    return replace(kit, pieces=(*pieces, piece), mics=mics_with(kit, source, [piece]))


def phase(first: np.ndarray, second: np.ndarray, rate_hz: int) -> Phase:
    """Of all ways to turn the second and to let it wait, the one that adds most below 180 Hz.

    first, second : float32, (channels, frames), as they sound together, levels included
    """
    a, b = (_low(sound, rate_hz) for sound in (first, second))
    both = float(np.square(a).sum() + np.square(b).sum())
    lags = np.arange(round(MOST_DELAY_MS * LOW_RATE_HZ / 1000) + 1)
    shared = np.array([float((a[lag:] * b[: len(b) - lag]).sum()) for lag in lags])
    as_it_is = both + 2 * shared[0]
    best = int(np.abs(shared).argmax())
    most = both + 2 * abs(shared[best])
    if most <= 0:
        return Phase(False, 0.0, 0.0)
    won_db = 10 * math.log10(most / max(as_it_is, most / 1e4))  # where they cancel, 40 dB says it
    if won_db < CLEARLY_DB:
        return Phase(False, 0.0, 0.0)
    return Phase(bool(shared[best] < 0), round(float(lags[best]) * 1000 / LOW_RATE_HZ, 2), round(won_db, 1))


def _low(sound: np.ndarray, rate_hz: int) -> np.ndarray:
    """The low end of the first 200 ms at 6 kHz, (frames,); through the same filter, so that no delay differs."""
    mono = sound.mean(axis=0)[: round(SECONDS * rate_hz)]
    sections = scipy.signal.butter(4, LOW_HZ, fs=rate_hz, output="sos")
    frames = np.pad(mono, (0, max(0, round(SECONDS * rate_hz) - len(mono))))
    slow = scipy.signal.sosfilt(sections, frames)
    at = np.arange(round(SECONDS * LOW_RATE_HZ)) * (rate_hz / LOW_RATE_HZ)
    return np.interp(at, np.arange(len(slow)), slow)
