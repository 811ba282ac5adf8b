"""Levels: layers that fall, jumps, takes that stick out, clipped and silent takes, noise, offsets, hum."""

from collections.abc import Callable, Iterable, Iterator
from itertools import chain
from statistics import fmean

from dactyl.core.check.finding import DOUBTFUL, WRONG, Change, Finding, Place
from dactyl.core.check.measured import Heard, MeasuredKit
from dactyl.core.check.sound import SILENT_DB, Sound
from dactyl.core.check.usual import median, others, others_medians, spread
from dactyl.core.fields import TAKE
from dactyl.core.kit import Layer, Pad
from dactyl.core.stack.hearing import family_of

LEVEL = TAKE["gain_db"]  # its bounds are a layer's and a pad's too
FALL_DB, SURE_FALL_DB = 1.0, 2.5  # of a layer under the one below it
NORMALISED_DB = 1.0  # a kit whose layers rise by less as a rule leaves loudness to velocity
JUMP_DB, SURE_JUMP_DB, SPREADS = 7.0, 12.0, 4.0  # between neighbours, above the kit's own
STRAY_DB, SURE_STRAY_DB = 4.0, 9.0  # of a take from its fellows
PAD_DB, PAIR_DB = 14.0, 16.0  # of a pad from its piece; of one of two
CLIPPED_RUNS, FULL_SCALE_DB = 3, -0.3
LONG_FLAT_SECONDS = 0.002  # at its peak, of a sound that is square by nature
NOISE_DB, NOISE_OVER_DB = -45.0, 12.0  # ahead of a stroke: against its peak, and over what is usual
RISE_SECONDS = 0.012
DC, SURE_DC = 0.003, 0.02
HUM_DB = -72.0


def place_of(heard: Heard, mic: str = "") -> Place:
    sample = dict(heard.take.samples)[mic or next(iter(heard.sounds))]
    return Place(
        pad=heard.pad.id, layer=heard.layer_number, take=heard.number, take_id=heard.take.id, mic=mic, sha256=sample.sha256
    )  # fmt: skip


def of_mic(heard: Heard, mic: str) -> str:
    """A take's name, with the mic where it has several."""
    return f"{heard.name}, {mic}," if len(heard.sounds) > 1 else heard.name


def fellow_of(group: list[Heard], at: int) -> int | None:
    """The take to hear beside one: the next."""
    others = [*group[at + 1 :], *group[:at]]
    return others[0].take.id if others else None


def possible_gain(gain_db: float, digits: int = 1) -> float:
    """The nearest level that a take, a layer and a pad can have."""
    return round(max(LEVEL.low, min(LEVEL.high, gain_db)), digits)


def sounds_of(takes: Iterable[Heard]) -> Iterator[tuple[Heard, str, Sound]]:
    """What takes play, mic by mic: (take, mic, what was measured)."""
    for heard in takes:
        for mic, sound in heard.sounds.items():
            yield heard, mic, sound


def each_file(kit: MeasuredKit, is_meant: Callable[[Sound], bool]) -> Iterator[tuple[Heard, str, Sound, Place]]:
    """The first place of each file that a measure is meant by: (take, mic, what was measured, where)."""
    seen = set()
    for heard, mic, sound in sounds_of(kit.takes):
        if not is_meant(sound):
            continue
        place = place_of(heard, mic)
        if place.sha256 not in seen:
            seen.add(place.sha256)
            yield heard, mic, sound, place


def layers_rise(kit: MeasuredKit) -> Iterator[Finding]:
    """A layer that is softer than the one below it, in a kit whose layers rise."""
    by_pad = [(takes[0].pad, list(_steps(kit, takes[0].pad))) for takes in kit.pads]
    steps = [step for _, own in by_pad for *_, step in own]
    if not steps or (len(steps) >= 3 and median(steps) < NORMALISED_DB):
        return
    usual = median(step for step in steps if step > 0) if any(step > 0 for step in steps) else FALL_DB
    for pad, own in by_pad:
        for at, (below, above, step) in enumerate(own):
            if step > -FALL_DB:
                continue
            # The one to blame is that whose other neighbour is nearer to where it should be once it is moved.
            shift = usual - step
            higher = abs(own[at + 1][2] - shift - usual) if at + 1 < len(own) else abs(usual)
            lower = abs(own[at - 1][2] - shift - usual) if at else abs(usual)
            blamed, by_db = (below, -shift) if lower < higher else (above, shift)
            number = pad.layers.index(blamed) + 1
            how = "louder than the layer above it" if blamed is below else "softer than the layer below it"
            wanted = possible_gain(blamed.gain_db + by_db)
            yield Finding(
                rule="layers_rise",
                severity=WRONG if step <= -SURE_FALL_DB else DOUBTFUL,
                place=Place(pad=pad.id, layer=number),
                message=f"Layer {number} of {pad.name} (velocities {blamed.low} to {blamed.high}) is {-step:.1f} dB {how}.",
                measured=round(step, 2),
                usual=round(usual, 2),
                limit=round(FALL_DB + usual, 2),
                unit="dB",
                fellow=(above if blamed is below else below).takes[0].id,
                mend=(Change("layer", blamed.id, "gain_db", wanted),),
                mend_words=f"{'Raise' if by_db > 0 else 'Lower'} the layer by {abs(by_db):.1f} dB",
            )


def jumps(kit: MeasuredKit) -> Iterator[Finding]:
    """A border over which the level jumps far more than at the kit's other borders."""
    by_pad = [(takes[0].pad, list(_steps(kit, takes[0].pad))) for takes in kit.pads]
    steps = [step for _, own in by_pad for *_, step in own if step > 0]
    if len(steps) < 3:
        return
    usual, around = median(steps), spread(steps)
    for pad, own in by_pad:
        for below, above, step in own:
            if step < JUMP_DB:
                continue
            rest = [other for *_, other in own if other is not step]
            typical = max([usual, *([median(rest)] if len(rest) > 1 else [])])
            limit = max(5.0, SPREADS * around)
            if step < typical + limit:
                continue
            number = pad.layers.index(above) + 1
            yield Finding(
                rule="jumps",
                severity=WRONG if step >= typical + SURE_JUMP_DB else DOUBTFUL,
                place=Place(pad=pad.id, layer=number),
                message=f"{pad.name} jumps by {step:.1f} dB from velocity {below.high} to {above.low}; {typical:.1f} dB is usual in this kit.",
                measured=round(step, 2),
                usual=round(typical, 2),
                limit=round(limit, 2),
                unit="dB",
                fellow=below.takes[0].id if below.takes else None,
                mend=_evened(pad, below, above, step - typical),
                mend_words=f"Share {step - typical:.1f} dB between the two layers",
            )


def _evened(pad: Pad, below: Layer, above: Layer, by_db: float) -> tuple[Change, ...]:
    """The layers below come nearer to those above: the lower ones up by half, the upper ones down by half."""
    border = pad.layers.index(above)
    shift = round(by_db / 2, 1)
    return tuple(
        Change("layer", layer.id, "gain_db", possible_gain(layer.gain_db + (shift if n < border else -shift), 2))
        for n, layer in enumerate(pad.layers)
    )  # fmt: skip


def _steps(kit: MeasuredKit, pad: Pad) -> Iterator[tuple[Layer, Layer, float]]:
    """Neighbouring layers with takes, and by how many dB the upper is louder."""
    sounding = [(layer, [h.level_db for h in kit.of_layer(layer) if not h.first.is_silent]) for layer in pad.layers]
    known = [(layer, fmean(levels)) for layer, levels in sounding if levels]
    for (below, low_db), (above, high_db) in zip(known, known[1:], strict=False):
        yield below, above, high_db - low_db


def takes_alike(kit: MeasuredKit) -> Iterator[Finding]:
    """A take louder or softer than its fellows by far more than takes of this kit differ."""
    groups = list(chain.from_iterable(kit.of_each_pad(_levels)))
    usual = median([abs(stray) for group, _, off in groups if len(group) >= 3 for stray in off] or [0.0])
    least = max(STRAY_DB, 5 * usual)
    for group, levels, off in groups:
        for at, (heard, stray) in enumerate(zip(group, off, strict=True)):
            if abs(stray) < least or (len(group) == 2 and at == 0):
                continue
            limit = max(least, 4 * spread(others(levels, at)))
            if abs(stray) < limit:
                continue
            middle = levels[at] - stray
            wanted = possible_gain(heard.take.gain_db - stray)
            yield Finding(
                rule="takes_alike",
                severity=WRONG if abs(stray) >= SURE_STRAY_DB and len(group) > 2 else DOUBTFUL,
                place=place_of(heard),
                message=f"{heard.name}, is {abs(stray):.1f} dB {'louder' if stray > 0 else 'softer'} than its fellows.",
                measured=round(levels[at], 2),
                usual=round(middle, 2),
                limit=round(limit, 2),
                unit="dB",
                fellow=fellow_of(group, at),
                mend=(Change("take", heard.take.id, "gain_db", wanted),),
                mend_words=f"{'Lower' if stray > 0 else 'Raise'} it by {abs(stray):.1f} dB",
            )


def _levels(kit: MeasuredKit, pad: list[Heard]) -> Iterator[tuple[list[Heard], list[float], list[float]]]:
    """Of each layer of two or more its takes, their levels, and how far each is from the median of the others, dB."""
    for layer in pad[0].pad.layers:
        group = [heard for heard in kit.of_layer(layer) if not heard.first.is_silent]
        if len(group) >= 2:
            levels = [heard.level_db for heard in group]
            yield group, levels, [one - other for one, other in zip(levels, others_medians(levels), strict=True)]


def pads_near_their_piece(kit: MeasuredKit) -> Iterator[Finding]:
    """A pad whose loudest layer is far from those of the piece's other pads of its kind."""
    for piece in kit.kit.pieces:
        tops = []
        for pad in piece.pads:
            loud = [h.level_db + pad.gain_db for h in kit.of_pad(pad) if h.layer is pad.layers[-1]]
            if loud:
                tops.append((pad, max(loud)))
        if len(tops) == 2 and family_of(tops[0][0].kind) == family_of(tops[1][0].kind):
            (pad, level), (other, middle) = sorted(tops, key=lambda top: top[1])
            if middle - level >= PAIR_DB:
                yield _far(pad, level, middle, PAIR_DB, f"{other.name}, with which it makes one piece")
        if len(tops) < 3:
            continue
        middles = others_medians([level for _, level in tops])
        for (pad, level), middle in zip(tops, middles, strict=True):
            limit = max(PAD_DB, 4 * spread(one for _, one in tops if one is not level))
            if abs(level - middle) < limit:
                continue
            yield _far(pad, level, middle, limit, f"the other pads of {piece.name}")


def _far(pad: Pad, level: float, middle: float, limit: float, others: str) -> Finding:
    return Finding(
        rule="pads_near_their_piece",
        severity=DOUBTFUL,
        place=Place(pad=pad.id),
        message=f"{pad.name} is {abs(level - middle):.1f} dB {'louder' if level > middle else 'softer'} than {others}.",
        measured=round(level, 2),
        usual=round(middle, 2),
        limit=round(limit, 2),
        unit="dB",
        mend=(Change("pad", pad.id, "gain_db", possible_gain(pad.gain_db + middle - level)),),
        mend_words=f"{'Lower' if level > middle else 'Raise'} the pad by {abs(level - middle):.1f} dB",
    )


def silence(kit: MeasuredKit) -> Iterator[Finding]:
    """A take in which nothing sounds, by its first mic."""
    for heard in kit.takes:
        if heard.first.is_silent:
            yield Finding(
                rule="silence",
                severity=WRONG,
                place=place_of(heard),
                message=f"{heard.name}, has no sound: nothing in it is louder than {SILENT_DB:.0f} dBFS.",
                measured=round(heard.first.peak_db, 1),
                unit="dB",
                mend=(Change("take", heard.take.id, "enabled", False),),
                mend_words="Leave it out of the rotation",
            )


def clipped(kit: MeasuredKit) -> Iterator[Finding]:
    """Flat tops: the wave lies at its peak for several frames, again and again."""
    for heard, mic, sound, place in each_file(kit, _is_clipped):
        yield Finding(
            rule="clipped",
            severity=WRONG if sound.peak_db >= FULL_SCALE_DB else DOUBTFUL,
            place=place,
            message=f"{of_mic(heard, mic)} is clipped: its wave lies flat at its peak {sound.flat_runs} times, up to {sound.flat_frames} frames long.",
            measured=float(sound.flat_runs),
            usual=0.0,
            limit=float(CLIPPED_RUNS),
            unit="runs",
        )


def _is_clipped(sound: Sound) -> bool:
    """Not a wave that is square by nature: that lies long at its peak, and under full scale."""
    is_square = sound.peak_db < FULL_SCALE_DB and sound.flat_frames > LONG_FLAT_SECONDS * sound.rate_hz
    return sound.flat_runs >= CLIPPED_RUNS and not is_square


def noise_before(kit: MeasuredKit) -> Iterator[Finding]:
    """Something sounds ahead of the stroke that its fellows don't have."""
    for group in kit.pads:
        quiet = [h for h in group if not h.first.is_silent]
        if len(quiet) < 2:
            continue
        noise = [h.first.before_db - h.first.peak_db for h in quiet]
        rises = [(h.first.arrival_frame - h.first.onset_frame) / h.first.rate_hz for h in quiet]
        middles = zip(others_medians(noise), others_medians(rises), strict=True)
        for at, (heard, (usual, usual_rise)) in enumerate(zip(quiet, middles, strict=True)):
            is_noisy = noise[at] > max(NOISE_DB, usual + NOISE_OVER_DB) and heard.first.before_db > -75
            is_slow = rises[at] > max(RISE_SECONDS, 4 * usual_rise + 0.008)
            if not (is_noisy or is_slow):
                continue
            sound = heard.first
            begin = sound.arrival_frame if is_slow else sound.onset_frame
            ahead_ms = 1000 * (begin - (round(usual_rise * sound.rate_hz) if is_slow else 0)) / sound.rate_hz
            yield Finding(
                rule="noise_before",
                severity=DOUBTFUL,
                place=place_of(heard),
                message=f"{heard.name}, has something ahead of its stroke, which comes after {ahead_ms:.0f} ms.",
                measured=round(noise[at], 1),
                usual=round(usual, 1),
                limit=NOISE_OVER_DB if is_noisy else None,
                unit="dB",
                fellow=fellow_of(quiet, at),
                mend=(Change("take", heard.take.id, "start_frame", heard.take.start_frame + max(0, begin - sound.rate_hz // 500)),)
                if is_noisy and not is_slow
                else (),
                mend_words="Start it at the stroke",
            )  # fmt: skip


def offset(kit: MeasuredKit) -> Iterator[Finding]:
    """A constant offset (DC), which clicks where the sound begins, ends and is cut."""
    for heard, mic, sound, place in each_file(kit, lambda sound: abs(sound.dc) >= DC):
        yield Finding(
            rule="offset",
            severity=WRONG if abs(sound.dc) >= SURE_DC else DOUBTFUL,
            place=place,
            message=f"{of_mic(heard, mic)} stands off the middle by {abs(sound.dc):.1%} of full scale (DC).",
            measured=round(sound.dc, 5),
            usual=0.0,
            limit=DC,
            unit="full scale",
        )


def hum(kit: MeasuredKit) -> Iterator[Finding]:
    """A steady line of the mains, 50 or 60 Hz and twice and thrice it, that does not fall as the drum does."""
    for heard, mic, sound, place in each_file(kit, lambda sound: sound.hum_db >= HUM_DB):
        envelope = heard.pad.envelope
        if envelope.decay_ms is not None and envelope.sustain == 0:
            continue  # a loop is steady in its file; the pad lets it fall
        yield Finding(
            rule="hum",
            severity=DOUBTFUL,
            place=place,
            message=f"{of_mic(heard, mic)} hums at {sound.hum_db:.0f} dBFS, steady to its end.",
            measured=round(sound.hum_db, 1),
            unit="dB",
        )
