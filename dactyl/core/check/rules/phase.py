"""Phase: takes and mics of turned polarity, and mics that cancel each other in the low end."""

from collections.abc import Iterator
from itertools import chain, combinations

import numpy as np

from dactyl.core.check.finding import DOUBTFUL, WRONG, Change, Finding, Place
from dactyl.core.check.measured import Heard, MeasuredKit
from dactyl.core.check.rules.levels import of_mic, place_of
from dactyl.core.check.sound import ATTACK_HZ
from dactyl.core.check.usual import median
from dactyl.core.units import db_to_gain

REACH = ATTACK_HZ * 3 // 2000  # values by which two attacks may lie apart, 1.5 ms: less than half a turn of a low tom
LAGS = ATTACK_HZ * 6 // 1000  # by which the begin of an attack may be mistaken: 6 ms
ALIKE = 0.55  # correlation from which two attacks are of one drum
CLEARER = 0.12  # by how much one sign is the stronger
CLEARER_AFAR = 0.6  # the same in a room, where all ways to the microphone have a sign of their own
WON_DB, SURELY_LOST_DB = 3.5, 6.0  # of low end: won by turning one, and lost against the louder mic
ALIKE_MICS = 0.4  # as ALIKE, between two mics
LOW_KINDS = {"kick", "snare", "low_tom", "mid_tom", "high_tom"}


def polarity(kit: MeasuredKit) -> Iterator[Finding]:
    """A take, or one mic of it, whose wave is the other way round than that of its fellows, which agree."""
    yield from chain.from_iterable(kit.of_each_pad(_turned_takes))


def _turned_takes(kit: MeasuredKit, group: list[Heard]) -> Iterator[Finding]:
    turned: dict[int, list[str]] = {}
    afar = {mic.name for mic in kit.kit.mics if mic.is_ambience}
    by_mic = {mic: [h for h in group if mic in h.sounds and not h.sounds[mic].is_silent] for mic in _mics(group)}
    for mic, heard in by_mic.items():
        for at in _turned(heard, mic, CLEARER_AFAR if mic in afar else CLEARER):
            turned.setdefault(group.index(heard[at]), []).append(mic)
    for at, mics in sorted(turned.items()):
        heard = group[at]
        compared = [mic for mic in heard.sounds if len(by_mic[mic]) >= 3]
        is_whole = len(heard.sounds) == 1 or len(mics) > len(compared) / 2
        name = heard.name if is_whole else of_mic(heard, mics[0]).rstrip(",")
        fellow = next((h for n, h in enumerate(group) if n != at and n not in turned), None)
        yield Finding(
            rule="polarity",
            severity=DOUBTFUL if afar.issuperset(mics) else WRONG,
            place=place_of(heard, "" if is_whole else mics[0]),
            message=f"{name}, is the other way round than its fellows: its polarity is turned.",
            measured=-1.0,
            usual=1.0,
            fellow=fellow.take.id if fellow else None,
            mend=(Change("take", heard.take.id, "is_flipped", not heard.take.is_flipped),) if is_whole else (),
            mend_words="Turn its polarity",
        )


def _mics(group: list[Heard]) -> list[str]:
    return list(dict.fromkeys(mic for heard in group for mic in heard.sounds))


def _turned(group: list[Heard], mic: str, clearer: float) -> list[int]:
    """Places of those that are against most of the others they are like; nothing where the others don't agree."""
    if len(group) < 3:
        return []
    attacks = np.stack([_picture(heard, mic) for heard in group])
    if _is_one_way(attacks):
        return []
    signs = _signs(attacks, clearer)
    against = (signs < 0).sum(axis=1)
    with_it = (signs > 0).sum(axis=1)
    found = []
    for at in range(len(group)):
        if against[at] < 2 or against[at] <= 2 * with_it[at]:
            continue
        others = [n for n in range(len(group)) if n != at and signs[at, n]]
        among = [signs[a, b] for a, b in combinations(others, 2) if signs[a, b]]
        if among and sum(sign > 0 for sign in among) >= 0.8 * len(among):
            found.append(at)
    return found if len(found) <= len(group) // 3 else []


def _picture(heard: Heard, mic: str) -> np.ndarray:
    attack = heard.sounds[mic].attack
    return -attack if heard.take.is_flipped else attack


def _is_one_way(attacks: np.ndarray) -> bool:
    """Whether all are clearly of the first one's polarity: then none is against the others. attacks : (n, values)"""
    near = _near(attacks[1:], attacks[0], REACH)
    return bool((_told(near.max(axis=1), -near.min(axis=1), ALIKE) > 0).all())


def _signs(attacks: np.ndarray, clearer: float) -> np.ndarray:
    """For each pair 1 or -1 where one polarity is clearly like, else 0: the strongest correlation within REACH either way."""
    own = attacks.astype(np.float32)
    late = np.pad(own, ((0, 0), (0, REACH)))
    shifted = np.concatenate([late[:, lag : lag + own.shape[1]] for lag in range(REACH + 1)])
    products = (shifted @ own.T).reshape(REACH + 1, len(own), len(own))
    most, least = products.max(axis=0), -products.min(axis=0)  # the other way they are those of the other of the pair
    return _told(np.maximum(most, most.T), np.maximum(least, least.T), ALIKE, clearer)


def _told(most: np.ndarray, least: np.ndarray, alike: float, clearer: float = CLEARER) -> np.ndarray:
    """most, least : the strongest correlation, and the strongest of the other polarity"""
    is_clear = (np.maximum(most, least) >= alike) & (np.abs(most - least) >= clearer)
    return np.where(is_clear, np.sign(most - least), 0).astype(int)


def _near(attacks: np.ndarray, others: np.ndarray, reach: int) -> np.ndarray:
    """Correlations of each with its other, or with one for all, at every lag within ``reach``: (n, 2 reach + 1)."""
    padded = np.pad(attacks.astype(np.float32), ((0, 0), (reach, reach)))
    windows = np.lib.stride_tricks.sliding_window_view(padded, attacks.shape[1], axis=1)
    return np.matmul(windows, np.atleast_2d(others.astype(np.float32))[:, :, None])[..., 0]


def lags_from(attacks: list[np.ndarray], reference: int) -> list[float]:
    """By how many ms each picture of an attack lies behind the reference, of either polarity; 0 where it is not like it."""
    near = np.abs(_near(np.stack(attacks), attacks[reference], LAGS))
    best = near.argmax(axis=1)
    is_like = near[np.arange(len(near)), best] >= ALIKE
    return np.where(is_like, (best - LAGS) * 1000 / ATTACK_HZ, 0.0).tolist()


def low_end(kit: MeasuredKit) -> Iterator[Finding]:
    """Two mics of a drum whose low ends take from each other, in most of its takes."""
    yield from chain.from_iterable(kit.of_each_pad(_cancelling))


def _cancelling(kit: MeasuredKit, group: list[Heard]) -> Iterator[Finding]:
    pad, gains = group[0].pad, {mic.name: mic.gain_db for mic in kit.kit.mics}
    if pad.kind not in LOW_KINDS:
        return
    afar = {mic.name for mic in kit.kit.mics if mic.is_ambience}  # a room's has no sign to turn
    own, flips = dict(group[0].piece.mic_gains_db), group[0].piece.mic_flips
    for one, other in combinations([mic for mic in _mics(group) if mic not in afar], 2):
        both = [heard for heard in group if one in heard.sounds and other in heard.sounds]
        first, second = (
            np.stack([heard.sounds[mic].low for heard in both]).astype(np.float32)
            * np.float32(db_to_gain(gains[mic] + own.get(mic, 0.0)) * (-1 if mic in flips else 1))
            if both
            else np.zeros((0, 1), np.float32)
            for mic in (one, other)
        )
        powers = np.stack([_power(first), _power(second)])
        matters = powers.min(axis=0) > 0.02 * powers.max(axis=0)  # else one is too soft to
        if matters.sum() < 2:
            continue
        together, turned = _power(first + second)[matters], _power(first - second)[matters]
        lost = 10 * np.log10(powers.max(axis=0)[matters] / np.maximum(together, 1e-12))
        won = 10 * np.log10(np.maximum(turned, 1e-12) / np.maximum(together, 1e-12))
        if median(won) < WON_DB:
            continue
        attacks = [np.stack([heard.sounds[mic].attack for heard in both])[matters] for mic in (one, other)]
        near = _near(*attacks, REACH)
        against = _told(near.max(axis=1), -near.min(axis=1), ALIKE_MICS) < 0
        if median(lost) < SURELY_LOST_DB and against.mean() <= 0.5:
            continue  # one comes later and combs, as everywhere: turning it is no cure
        yield Finding(
            rule="low_end",
            severity=DOUBTFUL,
            place=Place(pad=pad.id, mic=other),
            message=f"{one} and {other} of {pad.name} take from each other in the low end: turning one adds {median(won):.1f} dB.",
            measured=round(-float(median(won)), 1),
            usual=0.0,
            limit=WON_DB,
            unit="dB",
        )


def _power(sounds: np.ndarray) -> np.ndarray:
    """Of each, (n, values)."""
    return np.square(sounds, dtype=np.float64).sum(axis=1)
