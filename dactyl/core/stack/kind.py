"""Guess the kind of a drum sound from its name, then from how it sounds."""

import re
from collections import Counter
from collections.abc import Sequence
from functools import cache

import numpy as np

from dactyl.core.audio.measure import Measure
from dactyl.core.kinds import CYMBALS, KINDS
from dactyl.core.stack.hearing import KindGuess, heard, heard_in_a_kit, shares_together
from dactyl.core.stack.names import parts_of
from dactyl.core.stack.words import ARTICULATION_OF

_CAMEL = re.compile(r"(?<=[a-zà-ÿ])(?=[A-ZÀ-Ý])|(?<=[A-Z])(?=[A-Z][a-z])")
_HATS = {"open": "open_hat", "half open": "open_hat", "pedal": "pedal_hat", "closed": "closed_hat"}
_NOT_WORD = re.compile(r"[\W_]+|(?<=\D)(?=\d)|(?<=\d)(?=\D)")


def guess_kind(name: str, folder: str, measured: Measure) -> tuple[str, bool]:
    """The slug of a kind, and whether only the sound says so: the name decides, then the folder nearest to it."""
    said = kind_by_words(name, folder)
    return (said, False) if said else (kind_from_sound(measured), True)


def kind_by_words(name: str, folder: str) -> str | None:
    stem = name.rsplit(".", 1)[0]
    for text in (stem, *reversed(folder.replace("\\", "/").split("/"))):
        if slug := kind_from_name(text):
            return slug
    return None


def kind_from_name(text: str) -> str | None:
    """``"HH_Open_v3" -> "open_hat"``; None where no word of the table stands in it."""
    parts = [part for word in words(text) for part in parts_of(word)]
    found = [
        (rank, slug)
        for at, part in enumerate(parts)
        for phrase, rank, slug in _phrases().get(part, ())
        if tuple(parts[at : at + len(phrase)]) == phrase
    ]
    slug = min(found)[1] if found else None
    if slug == "closed_hat":  # a hat, whose way may stand anywhere in the name
        return next((_HATS[way] for part in parts if (way := ARTICULATION_OF.get(part)) in _HATS), slug)
    return slug or ("crash" if any(part in CYMBALS for part in parts) else None)


@cache
def _phrases() -> dict[str, tuple[tuple[tuple[str, ...], int, str], ...]]:
    """By their first word: the words of a kind as they stand in what was spoken, its place in the table, its slug."""
    by_first: dict[str, dict[tuple, None]] = {}
    for rank, kind in enumerate(KINDS):
        for word in kind.words:
            for form in (tuple(word.split()), tuple(words(word))):
                by_first.setdefault(form[0], {})[form, rank, kind.slug] = None
    return {first: tuple(rows) for first, rows in by_first.items()}


def words(text: str) -> list[str]:
    """Lower-case words; capitals inside a word, digits and punctuation part them."""
    return [word for word in _NOT_WORD.split(_CAMEL.sub(" ", text).lower()) if word]


def kind_from_sound(measured: Measure) -> str:
    """As it was taught on recordings; a guess, so it can be changed."""
    return heard_together([measured]).kind


def kind_by_rule(measured: Measure) -> str:
    """For sounds whose timbre is not known: rules on pitch, tonality, brightness, low end and decay."""
    bright, pitch, decay = measured.brightness_hz, measured.pitch_hz, measured.decay_seconds
    is_tonal = measured.tonality > 0.4
    if bright <= 0:
        return "other"
    is_low = measured.low_share > 0.3
    if (bright < 1500 and pitch < 420 and (is_tonal or is_low)) or (pitch < 100 and is_low):  # a click before it or not
        return _drum(pitch, decay)
    if is_tonal and pitch >= 420 and bright < 6000:
        long = "ride_bell" if measured.tonality > 0.6 else "ride"
        return "side_stick" if decay < 0.08 else "cowbell" if decay < 0.35 else long
    has_body = pitch < 420 and (measured.tonality > 0.04 or bright < 7500)
    if has_body:
        return "side_stick" if decay < 0.045 else "snare" if decay < 0.6 else "crash"
    return _metal(measured) if bright >= 4500 else _noise(measured)


def _drum(pitch_hz: float, decay_seconds: float) -> str:
    if decay_seconds < 0.06 and pitch_hz > 150:
        return "side_stick"
    return "kick" if pitch_hz < 75 else "low_tom" if pitch_hz < 115 else "mid_tom" if pitch_hz < 150 else "high_tom"


def _metal(measured: Measure) -> str:
    decay = measured.decay_seconds
    if measured.bursts >= 3 and decay < 0.4:
        return "tambourine"
    if measured.attack_ms >= 25 and decay < 0.3:
        return "shaker"
    if decay > 0.4 and measured.tonality >= 0.06 and measured.pitch_hz < 2500:
        return "ride"
    return "closed_hat" if decay < 0.2 else "open_hat" if decay < 0.8 else "crash"


def _noise(measured: Measure) -> str:
    if measured.attack_ms >= 25 and measured.bursts == 1:
        return "shaker"
    return "clap" if measured.decay_seconds < 0.35 else "crash"


def heard_together(measures: Sequence[Measure]) -> KindGuess:
    """What the sounds of one drum are taken for together, and how surely."""
    shares = _shares(measures)
    return _by_rules(measures) if shares is None else heard(shares)


def heard_as_kit(drums: Sequence[Sequence[Measure]], named: Sequence[str]) -> list[KindGuess]:
    """What the drums of one kit are taken for, each by its sounds and by what the others are.

    named : the kinds of the kit's other drums, which are known
    """
    shares = [_shares(measures) for measures in drums]
    known = [row for row in shares if row is not None]
    found = iter(heard_in_a_kit(np.array(known), named) if known else ())
    return [_by_rules(measures) if row is None else next(found) for measures, row in zip(drums, shares, strict=True)]


def _shares(measures: Sequence[Measure]) -> np.ndarray | None:
    """How much each kind is in what is heard; None where no timbre is known."""
    timbres = [m.timbre for m in measures if m.timbre]
    return shares_together(np.array(timbres)) if timbres else None


def _by_rules(measures: Sequence[Measure]) -> KindGuess:
    found = Counter(kind_by_rule(m) for m in sorted(measures, key=lambda m: -m.level_db)).most_common(2)
    return KindGuess(found[0][0], found[0][1] / len(measures), found[-1][0])
