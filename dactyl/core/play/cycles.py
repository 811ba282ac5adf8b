"""Rotations: how the takes of a layer follow each other, as a finite cycle (design rule 5)."""

from collections.abc import Sequence

import numpy as np

RANDOM_LENGTH = 64


def take_cycle(takes: Sequence[int], rotation: str, *, seed: int, layer: int) -> tuple[tuple[int, ...], ...]:
    """What sounds at the first, second, ... strike; then from the front again.

    takes : the enabled takes, by any number; none gives an empty cycle
    rotation : a key of ``kit.ROTATIONS``
    """
    if not takes:
        return ()
    if rotation == "all":
        return (tuple(takes),)
    if rotation == "in_turn" or len(takes) == 1:
        return tuple((take,) for take in takes)
    rng = np.random.default_rng([seed, layer])
    if rotation == "random":
        return tuple((int(take),) for take in rng.permutation(_deck(takes)))
    return tuple((take,) for take in _no_neighbours(takes, rng))


def _deck(takes: Sequence[int]) -> np.ndarray:
    """Each take equally often, 64 cards or the next multiple of the number of takes."""
    return np.repeat(takes, -(-RANDOM_LENGTH // len(takes)))


def _no_neighbours(takes: Sequence[int], rng: np.random.Generator) -> list[int]:
    """The deck without equal neighbours, across the wrap too: rounds of all takes, each begun unlike the last's end."""
    if len(takes) == 2:
        return list(takes) * (RANDOM_LENGTH // 2)
    rounds = len(_deck(takes)) // len(takes)
    cards: list[int] = []
    for number in range(rounds):
        is_last = number == rounds - 1
        while True:
            shuffled = [int(take) for take in rng.permutation(takes)]
            joins = not cards or shuffled[0] != cards[-1]
            closes = not is_last or shuffled[-1] != (cards or shuffled)[0]
            if joins and closes:
                break
        cards += shuffled
    return cards
