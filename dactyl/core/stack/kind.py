"""Guess the kind of a drum sound from its name, then from how it sounds."""

import re

from dactyl.core.audio.measure import Measure
from dactyl.core.kinds import KINDS

_CAMEL = re.compile(r"(?<=[a-zà-ÿ])(?=[A-ZÀ-Ý])|(?<=[A-Z])(?=[A-Z][a-z])")
_NOT_WORD = re.compile(r"[\W_]+|(?<=\D)(?=\d)|(?<=\d)(?=\D)")


def guess_kind(name: str, folder: str, measured: Measure) -> str:
    """Return the slug of a kind: the file's name decides, then the folder nearest to it, then the sound."""
    stem = name.rsplit(".", 1)[0]
    for text in (stem, *reversed(folder.replace("\\", "/").split("/"))):
        if slug := kind_from_name(text):
            return slug
    return kind_from_sound(measured)


def kind_from_name(text: str) -> str | None:
    """``"HH_Open_v3" -> "open_hat"``; None where no word of the table stands in it."""
    spoken = f" {' '.join(words(text))} "
    for kind in KINDS:
        if any(f" {word} " in spoken or f" {' '.join(words(word))} " in spoken for word in kind.words):
            return kind.slug
    return None


def words(text: str) -> list[str]:
    """Lower-case words; capitals inside a word, digits and punctuation part them."""
    return [word for word in _NOT_WORD.split(_CAMEL.sub(" ", text).lower()) if word]


def kind_from_sound(measured: Measure) -> str:
    """Coarse rules on brightness, low end, pitch and decay; wrong where a sound is unusual, so it can be changed."""
    bright, decay, pitch = measured.brightness_hz, measured.decay_seconds, measured.pitch_hz
    if bright <= 0:
        return "other"
    if bright < 1500:
        if pitch < 95 and measured.low_share > 0.4:
            return "kick"
        if pitch < 120:
            return "low_tom"
        if pitch < 165:
            return "mid_tom"
        if pitch < 420:
            return "high_tom" if decay > 0.12 or bright < 500 else "side_stick"
        return "side_stick" if decay < 0.15 else "cowbell"
    if bright < 5200:
        if measured.low_share > 0.5:
            return "kick"
        if decay < 0.06:
            return "side_stick"
        return "snare" if decay < 0.8 else "crash"
    if decay < 0.18:
        return "closed_hat"
    return "open_hat" if decay < 0.9 else "crash" if bright < 9000 else "ride"
