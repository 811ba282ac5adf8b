"""Playing: hats that ring on, grabs that stop nothing, cuts that click, voices and companions."""

from collections.abc import Iterator
from statistics import median

from dactyl.core.check.finding import DOUBTFUL, WRONG, Change, Finding, Place
from dactyl.core.check.measured import MeasuredKit
from dactyl.core.cuts import GRABBED
from dactyl.core.kit import FADE_MS, Kit, Pad

CLOSING = ("closed_hat", "pedal_hat")
RINGING = {"crash", "ride", "ride_bell", "open_hat"}
LONG_SECONDS = 0.15  # of a sound that a cut finds sounding
STROKES_A_SECOND, ROLL_SECONDS = 14, 0.25  # of a fast roll, and the ring that it needs
ROLLED = {"crash", "ride", "snare", "low_tom", "mid_tom", "high_tom"}
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


def cuts(pad: Pad, other: Pad) -> bool:
    """Whether a stroke of one ends the other (design rule 3)."""
    chokes = pad.choke is not None and other.choke is not None and pad.choke.letter == other.choke.letter
    silenced = {group.number for group in other.silenced_by}
    return chokes or any(group.number in silenced for group in pad.silences)


def open_hats(kit: MeasuredKit) -> Iterator[Finding]:
    """An open hat that rings on under the closed one or the pedal of its hats."""
    for piece in kit.kit.pieces:
        for pad in piece.pads:
            if pad.kind != "open_hat" or not kit.of_pad(pad):
                continue
            own = [other for other in piece.pads if other.kind in CLOSING and kit.of_pad(other)]
            everywhere = [other for _, other in kit.kit.pads() if other.kind in CLOSING and kit.of_pad(other)]
            closing = own or everywhere
            missing = [other for other in closing if not cuts(other, pad)]
            if not missing or (not own and len(missing) < len(closing)):
                continue  # hats of several pieces: its own closes it
            apart = next((other for other in missing if other.choke and pad.choke), None)
            if apart is not None:
                what = f"{apart.name} stands in choke group {apart.choke.letter} and {pad.name} in {pad.choke.letter}: neither cuts the other."
            else:
                what = f"{pad.name} rings on under {_listed(missing)}: nothing cuts it."
                if len(missing) < len(closing):
                    what = f"{pad.name} rings on under {_listed(missing)}; only {_listed([o for o in closing if o not in missing])} cuts it."
            yield Finding(
                rule="open_hats",
                severity=WRONG if len(missing) == len(closing) or apart else DOUBTFUL,
                place=Place(pad=pad.id),
                message=what,
                mend=_choked(kit.kit, [pad, *closing]),
                mend_words="Let them choke each other",
            )


def _listed(pads: list[Pad]) -> str:
    names = [pad.name for pad in pads[:3]]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def _choked(kit: Kit, pads: list[Pad]) -> tuple[Change, ...]:
    """All of them in one choke group: that of the first that has one, else a new one."""
    used = {pad.choke.letter: pad.choke.fade_ms for _, pad in kit.pads() if pad.choke}
    own = next((pad.choke for pad in pads if pad.choke), None)
    free = next((letter for letter in LETTERS if letter not in used), None)
    letter, fade_ms = (own.letter, own.fade_ms) if own else (free, FADE_MS)
    if letter is None:
        return ()
    return tuple(
        Change("pad", pad.id, "choke", (letter, fade_ms))
        for pad in pads
        if pad.choke is None or pad.choke.letter != letter
    )


def grabs(kit: MeasuredKit) -> Iterator[Finding]:
    """A cymbal that is grabbed, by its name, and cuts nothing."""
    pads = [pad for _, pad in kit.kit.pads()]
    for piece, pad in kit.kit.pads():
        if pad.kind not in RINGING or not GRABBED.search(pad.name) or not kit.of_pad(pad):
            continue
        ringing = [
            o for o in pads if o is not pad and o.kind in RINGING and not GRABBED.search(o.name) and kit.of_pad(o)
        ]
        own = [other for other in piece.pads if other in ringing] or [o for o in ringing if o.kind == pad.kind]
        if not own or any(cuts(pad, other) for other in ringing):
            continue
        yield Finding(
            rule="grabs",
            severity=WRONG,
            place=Place(pad=pad.id),
            message=f"{pad.name} is a grabbed cymbal and cuts nothing: {_listed(own)} rings on under it.",
            mend=_choked(kit.kit, [pad, *own]) if len(own) == 1 else (),
            mend_words="Let them choke each other",
        )


def zero_fades(kit: MeasuredKit) -> Iterator[Finding]:
    """A cut without a fade in a pad that is still sounding."""
    told = set()
    rings = {group[0].pad.id: median(h.first.ring_frames / h.first.rate_hz for h in group) for group in kit.pads}
    for pad in sorted((pad for _, pad in kit.kit.pads()), key=lambda pad: -rings.get(pad.id, 0.0)):
        if rings.get(pad.id, 0.0) < LONG_SECONDS:
            continue
        groups = [("choke", pad.choke.letter, pad.choke.fade_ms)] if pad.choke else []
        groups += [("mute", group.number, group.fade_ms) for group in pad.silenced_by]
        for kind, name, fade_ms in groups:
            if fade_ms >= 1.0 or (kind, name) in told or not _is_cut(kit.kit, pad):
                continue
            told.add((kind, name))
            yield Finding(
                rule="zero_fades",
                severity=WRONG,
                place=Place(pad=pad.id),
                message=f"{pad.name} is cut by {kind} group {name} with a fade of {fade_ms:g} ms, in full sound: that clicks.",
                measured=fade_ms,
                usual=FADE_MS,
                unit="ms",
                mend=_faded(kit.kit, name) if kind == "choke" else (),
                mend_words=f"Fade over {FADE_MS:g} ms",
            )


def _is_cut(kit: Kit, pad: Pad) -> bool:
    return any(cuts(other, pad) for _, other in kit.pads() if other is not pad or pad.cuts_itself)


def _faded(kit: Kit, letter: str | int) -> tuple[Change, ...]:
    return tuple(
        Change("pad", pad.id, "choke", (letter, FADE_MS))
        for _, pad in kit.pads()
        if pad.choke and pad.choke.letter == letter
    )


def voices(kit: MeasuredKit) -> Iterator[Finding]:
    """A drum that is rolled, and has so few voices that a fast roll cuts what still rings."""
    for group in kit.pads:
        pad = group[0].pad
        ring = median(h.first.ring_frames / h.first.rate_hz for h in group)
        needed = int(STROKES_A_SECOND * min(ring, ROLL_SECONDS)) + 1
        if pad.kind not in ROLLED or pad.cuts_itself or ring < ROLL_SECONDS or pad.max_voices >= needed:
            continue
        yield Finding(
            rule="voices",
            severity=DOUBTFUL,
            place=Place(pad=pad.id),
            message=f"{pad.name} has {pad.max_voices} {'voice' if pad.max_voices == 1 else 'voices'} and rings {ring:.1f} s: a fast roll cuts its own tails.",
            measured=float(pad.max_voices),
            usual=float(needed),
            unit="voices",
            mend=(Change("pad", pad.id, "max_voices", 2 * needed),),
            mend_words=f"Give it {2 * needed} voices",
        )


def companions(kit: MeasuredKit) -> Iterator[Finding]:
    """A pad that sounds along with one whose note strikes it anyway: then its strength says nothing."""
    notes, pads = kit.kit.notes(), {pad.id: pad for _, pad in kit.kit.pads()}
    for pad in pads.values():
        for other, _ in pad.companions:
            shared = set(notes.get(pad.id, ())) & set(notes.get(other, ()))
            if other in pads and shared:
                yield Finding(
                    rule="companions",
                    severity=DOUBTFUL,
                    place=Place(pad=pad.id, note=min(shared)),
                    message=f"{pads[other].name} sounds along with {pad.name}, and their note {min(shared)} strikes it too: at full strength, not at its own.",
                )
