"""Time: onsets that come late or are cut off, mics that lag, ends that click, tails cut short, second strokes."""

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import chain

from dactyl.core.check.finding import DOUBTFUL, WRONG, Change, Finding, Place
from dactyl.core.check.measured import Heard, MeasuredKit
from dactyl.core.check.rules.levels import fellow_of, of_mic, place_of
from dactyl.core.check.rules.phase import lags_from
from dactyl.core.check.sound import Sound
from dactyl.core.check.usual import median, others, others_medians, spread, strays

LATE_MS, SURE_LATE_MS = 2.0, 6.0
PAD_LATE_MS, SURE_PAD_LATE_MS = 10.0, 25.0  # of a whole pad behind the kit's others
CUT_OFF_DB, OVER_FELLOWS_DB = -9.0, 8.0  # of the first quarter of a millisecond: against the peak; over the fellows'
OVER_ALIKE_DB = 6.0  # where all fellows begin with nothing, and much alike
CUT_DEEP_DB, FAR_OVER_DB, SUDDEN_DB = (
    -24.0,
    25.0,
    -6.0,
)  # a begin in a slow wave: so loud, over its fellows; or of all takes
SLOW_KINDS = {"kick", "low_tom", "mid_tom", "high_tom"}
MIC_LATE_MS, SURE_MIC_LATE_MS, AFAR = 2.0, 4.0, 8.0  # AFAR: times as much of a room's mic, which hears many ways
CLICK_DB, SURE_CLICK_DB, OVER_USUAL_DB = -46.0, -34.0, 12.0  # of the last tenth of a millisecond against the peak
LEAST_CLICK_DB, SURE_LEAST_DB = -60.0, -50.0  # and by itself, dBFS
QUIET_DB = 55.0  # ahead of a stroke, under its peak: nothing sounds there
FADE_MS = 1.0  # ends no click
SHORT_SHARE, VERY_SHORT = 0.6, 0.45  # of what its fellows ring; of two
FADED = 0.05  # a tail that rings less than this, in seconds, is none
OF_MANY_STROKES = {"other", "tambourine", "shaker", "clap"}  # kinds with several by nature


def onsets(kit: MeasuredKit) -> Iterator[Finding]:
    """A take that begins later than its fellows, by what is played of it."""
    groups = list(chain.from_iterable(kit.of_each_pad(_begins)))
    usual = median([abs(off) for begins in groups for off in begins.off] or [0.0])
    least = max(LATE_MS, 5 * usual)
    for begins in groups:
        for at, late in begins.late:
            heard, middle = begins.takes[at], begins.times[at] - begins.off[at]
            limit = max(least, 4 * spread(others(begins.times, at))) if late >= least else least
            if late < limit:
                continue
            frames = round(late * heard.first.rate_hz / 1000)
            yield Finding(
                rule="onsets",
                severity=WRONG if late >= max(SURE_LATE_MS, limit) else DOUBTFUL,
                place=place_of(heard),
                message=f"{heard.name}, begins {late:.1f} ms late.",
                measured=round(begins.times[at], 2),
                usual=round(middle, 2),
                limit=round(limit, 2),
                unit="ms",
                fellow=fellow_of(begins.takes, at),
                mend=(Change("take", heard.take.id, "start_frame", heard.take.start_frame + frames),),
                mend_words=f"Start it {late:.1f} ms further in",
            )


@dataclass(frozen=True, slots=True)
class _Begins:
    """Of a layer's takes and those they are compared with, three or more, ms."""

    takes: list[Heard]
    times: list[float]
    off: list[float]  # from the median of the others
    late: list[tuple[int, float]]  # of the layer's own, which begin late at all: by how much surely


def _begins(kit: MeasuredKit, pad: list[Heard]) -> Iterator[_Begins]:
    for layer in (kit.of_layer(layer) for layer in pad[0].pad.layers):
        own, group = _with_others(kit, layer)
        if len(group) < 3:
            continue
        times, arrivals = _onsets_ms(group), [_arrival_ms(h.first) for h in group]
        off, arrive_off = (
            [value - middle for value, middle in zip(values, others_medians(values), strict=True)]
            for values in (times, arrivals)
        )
        late = [(at, min(off[at], arrive_off[at])) for at in range(len(own))]
        yield _Begins(group, times, off, [(at, by_ms) for at, by_ms in late if by_ms >= LATE_MS])


def _with_others(kit: MeasuredKit, layer: list[Heard]) -> tuple[list[Heard], list[Heard]]:
    """A layer's takes; and behind them, where they are few, those of the pad's other layers."""
    own = [h for h in layer if not h.first.is_silent]
    if len(own) >= 3 or not own:
        return own, own
    others = [h for h in kit.of_pad(own[0].pad) if h.layer is not own[0].layer and not h.first.is_silent]
    return own, [*own, *others]


def _onsets_ms(group: list[Heard]) -> list[float]:
    return [1000 * h.first.onset_frame / h.first.rate_hz for h in group]


def pads_late(kit: MeasuredKit) -> Iterator[Finding]:
    """A pad all of whose takes begin with nothing, longer than the kit's others do."""
    begins = {
        group[0].pad.id: median(_onsets_ms(group)) for group in kit.pads if not all(h.first.is_silent for h in group)
    }
    if len(begins) < 3:
        return
    for group in kit.pads:
        pad = group[0].pad
        if pad.id not in begins or pad.kind in OF_MANY_STROKES:  # a bell tree swells
            continue
        rest = [ms for other, ms in begins.items() if other != pad.id]
        usual, own = median(rest), [h for h in group if not h.first.is_silent]
        late, limit = min(_onsets_ms(own)) - usual, max(PAD_LATE_MS, 5 * spread(rest))
        if late < limit or any(h.first.before_db > h.first.peak_db - QUIET_DB for h in own):
            continue
        yield Finding(
            rule="pads_late",
            severity=WRONG if late >= SURE_PAD_LATE_MS else DOUBTFUL,
            place=Place(pad=pad.id),
            message=f"{pad.name} comes {late:.1f} ms later than the kit's other pads: all of its takes begin with nothing.",
            measured=round(begins[pad.id], 2),
            usual=round(usual, 2),
            limit=round(limit, 2),
            unit="ms",
            mend=tuple(Change("take", h.take.id, "start_frame", h.take.start_frame + round(late * h.first.rate_hz / 1000)) for h in own),
            mend_words=f"Start them {late:.1f} ms further in",
        )  # fmt: skip


def _all_cut_off(kit: MeasuredKit) -> Iterator[Finding]:
    """A slow drum all of whose takes begin near their peak, in a kit whose others don't."""
    usual = {group[0].pad.id: median([h.first.head_db for h in group]) for group in kit.pads}
    for group in kit.pads:
        pad = group[0].pad
        rest = [db for other, db in usual.items() if other != pad.id]
        is_sudden = all(h.first.head_db >= SUDDEN_DB and h.take.fade_in_ms < FADE_MS for h in group)
        if pad.kind in SLOW_KINDS and is_sudden and len(rest) >= 3 and median(rest) <= SUDDEN_DB - FAR_OVER_DB:
            yield Finding(
                rule="beginnings",
                severity=DOUBTFUL,
                place=Place(pad=pad.id),
                message=f"{pad.name} begins within its stroke, in all of its takes: the attack is cut off.",
                measured=round(usual[pad.id], 1),
                usual=round(median(rest), 1),
                limit=FAR_OVER_DB,
                unit="dB",
            )


def beginnings(kit: MeasuredKit) -> Iterator[Finding]:
    """A take that begins within its stroke, where its fellows begin before it."""
    yield from _all_cut_off(kit)
    for group in kit.pads:
        sounding = [h for h in group if not h.first.is_silent]
        if len(sounding) < 3:
            continue
        heads = others_medians([h.first.head_db for h in sounding])
        attacks = [h.first.attack_db for h in sounding]  # where a fellow's is as sudden, nothing is missing
        for at, (heard, usual) in enumerate(zip(sounding, others_medians(attacks), strict=True)):
            head_db = heard.first.head_db
            is_sure = head_db >= max(CUT_OFF_DB, usual + OVER_FELLOWS_DB)
            is_deep = head_db >= max(CUT_DEEP_DB, heads[at] + FAR_OVER_DB) and heard.first.onset_frame == 0
            over_db = max(OVER_ALIKE_DB, 5 * spread(h.first.head_db for h in sounding if h is not heard))
            is_alone = heard.first.onset_frame == 0 and all(h.first.onset_frame for h in sounding if h is not heard)
            is_stray = is_alone and head_db >= max(CUT_OFF_DB, heads[at] + over_db)
            if heard.take.fade_in_ms >= FADE_MS or not (is_sure or is_deep or is_stray):
                continue
            start = heard.take.start_frame
            earlier = min(start, max(1, heard.first.rate_hz // 500))
            yield Finding(
                rule="beginnings",
                severity=WRONG if is_sure else DOUBTFUL,
                place=place_of(heard),
                message=f"{heard.name}, begins within its stroke: its attack is cut off.",
                measured=round(head_db, 1),
                usual=round(usual if is_sure else heads[at], 1),
                limit=OVER_FELLOWS_DB if is_sure else FAR_OVER_DB if is_deep else over_db,
                unit="dB",
                fellow=fellow_of(sounding, at),
                mend=(Change("take", heard.take.id, "start_frame", start - earlier),) if start else (),
                mend_words=f"Start it {1000 * earlier / heard.first.rate_hz:.1f} ms earlier",
            )


def mics(kit: MeasuredKit) -> Iterator[Finding]:
    """A mic of one take that comes at another time after the first than in its neighbours, by its level and by its wave."""
    groups = list(chain.from_iterable(kit.of_each_pad(_delays)))
    usual = {
        mic: median(strays(delays.by_level for delays in groups if delays.mic == mic))
        for mic in dict.fromkeys(delays.mic for delays in groups)
    }
    afar = {mic.name for mic in kit.kit.mics if mic.is_ambience}
    for delays in groups:
        is_afar = delays.mic in afar
        least = max(MIC_LATE_MS * (AFAR if is_afar else 1), 6 * usual[delays.mic])
        for at, (heard, middle) in enumerate(zip(delays.takes, others_medians(delays.by_level), strict=True)):
            if abs(delays.by_level[at] - middle) < least:
                continue
            off, around = _off(delays.by_level, at)
            if abs(off) < 5 * around:
                continue
            off, around = min((off, around), _off(delays.by_wave(), at), key=lambda look: abs(look[0]))
            if abs(off) < max(least, 5 * around):
                continue
            yield Finding(
                rule="mics",
                severity=WRONG if abs(off) >= max(SURE_MIC_LATE_MS, 8 * around) and not is_afar else DOUBTFUL,
                place=place_of(heard, delays.mic),
                message=f"{of_mic(heard, delays.mic)} comes {abs(off):.1f} ms {'later' if off > 0 else 'earlier'} after the first mic than in its neighbours.",
                measured=round(delays.by_level[at], 2),
                usual=round(middle, 2),
                limit=round(max(least, 5 * around), 2),
                unit="ms",
                fellow=delays.takes[at - 1].take.id,
            )


@dataclass(frozen=True, slots=True)
class _Delays:
    """Of one mic after the first, ms, of three takes or more."""

    mic: str
    takes: list[Heard]
    by_level: list[float]

    def by_wave(self) -> list[float]:
        """Told by where the waves lie, where they are like each other's."""
        late, first = _lags([h.sounds[self.mic] for h in self.takes]), _lags([h.first for h in self.takes])
        return [delay + a - b for delay, a, b in zip(self.by_level, late, first, strict=True)]


def _off(delays: list[float], at: int) -> tuple[float, float]:
    """How far one is from the others, and how far those are from each other."""
    rest = others(delays, at)
    return delays[at] - median(rest), spread(rest)


def _delays(kit: MeasuredKit, pad: list[Heard]) -> Iterator[_Delays]:
    """Of neighbours: a layer's takes where it has three, else the pad's."""
    layers = [kit.of_layer(layer) for layer in pad[0].pad.layers]
    few = [heard for layer in layers if len(layer) < 3 for heard in layer]
    for group in [*(layer for layer in layers if len(layer) >= 3), few]:
        for mic in dict.fromkeys(mic for heard in group for mic in list(heard.sounds)[1:]):
            own = [h for h in group if mic in h.sounds and not (h.first.is_silent or h.sounds[mic].is_silent)]
            if len(own) >= 3:
                yield _Delays(mic, own, [_arrival_ms(h.sounds[mic]) - _arrival_ms(h.first) for h in own])


def _arrival_ms(sound: Sound) -> float:
    return 1000 * sound.arrival_frame / sound.rate_hz


def _lags(sounds: list[Sound]) -> list[float]:
    """By how many ms each lies behind the one that arrives in the middle of all, as its wave says."""
    middle = sorted(range(len(sounds)), key=lambda at: _arrival_ms(sounds[at]))[len(sounds) // 2]
    return lags_from([sound.attack for sound in sounds], middle)


def ends(kit: MeasuredKit) -> Iterator[Finding]:
    """A take that ends in full sound, with a click."""
    by_mic: dict[str, list[float]] = defaultdict(list)
    for mic, levels in chain.from_iterable(kit.of_each_pad(_ends_db)):
        by_mic[mic] += levels
    usual_of = {mic: median(levels or [CLICK_DB]) for mic, levels in by_mic.items()}
    for heard in chain.from_iterable(kit.of_each_pad(_ending_in_sound)):
        for mic, sound in heard.sounds.items():
            usual = usual_of[mic]
            limit = max(CLICK_DB, min(usual, SURE_CLICK_DB) + OVER_USUAL_DB)
            if sound.end_db < limit or not _may_click(heard, sound):
                continue
            yield Finding(
                rule="ends",
                severity=WRONG
                if sound.end_db >= max(SURE_CLICK_DB, limit) and sound.peak_db + sound.end_db >= SURE_LEAST_DB
                else DOUBTFUL,
                place=place_of(heard, mic),
                message=f"{of_mic(heard, mic)} ends in sound, {-sound.end_db:.0f} dB under its peak: that clicks.",
                measured=round(sound.end_db, 1),
                usual=round(usual, 1),
                limit=round(max(1.0, limit - usual), 1),
                unit="dB",
                mend=(Change("take", heard.take.id, "fade_out_ms", 10.0),),
                mend_words="Fade its last 10 ms",
            )  # fmt: skip
            break


def _ends_db(_kit: MeasuredKit, pad: list[Heard]) -> Iterator[tuple[str, list[float]]]:
    for mic in dict.fromkeys(mic for heard in pad for mic in heard.sounds):
        sounds = [heard.sounds[mic] for heard in pad if mic in heard.sounds]
        yield mic, [sound.end_db for sound in sounds if not sound.is_silent]


def _ending_in_sound(_kit: MeasuredKit, pad: list[Heard]) -> Iterator[Heard]:
    for heard in pad:
        if heard.take.fade_out_ms < FADE_MS and any(_may_click(heard, sound) for sound in heard.sounds.values()):
            yield heard


def _may_click(heard: Heard, sound: Sound) -> bool:
    is_loud = not sound.is_silent and sound.end_db >= CLICK_DB and sound.peak_db + sound.end_db >= LEAST_CLICK_DB
    return is_loud and not _fades(heard, sound.frames / sound.rate_hz)


def _fades(heard: Heard, seconds: float) -> bool:
    """Whether the pad's envelope has ended it before."""
    envelope = heard.pad.envelope
    if envelope.decay_ms is None or (heard.pad.is_held and envelope.sustain > 0):
        return False
    return envelope.attack_ms + envelope.hold_ms + envelope.decay_ms <= 1000 * seconds


def tails(kit: MeasuredKit) -> Iterator[Finding]:
    """A take that rings much shorter than its fellows, and alike ones they are."""
    for layer in kit.layers:
        group = [h for h in layer if not h.first.is_silent]
        rings = [h.first.ring_frames / h.first.rate_hz for h in group]
        if len(group) == 2:
            yield from _shorter_of_two(kit, group, rings)
        if len(group) < 3:
            continue
        middles = others_medians(rings)
        for at, heard in enumerate(group):
            middle, fellows = middles[at], others(rings, at)
            if middle < FADED or rings[at] > SHORT_SHARE * middle or min(fellows) < 1.25 * rings[at]:
                continue
            ended = heard.first.onset_frame + heard.first.ring_frames >= heard.first.frames - heard.first.rate_hz // 50
            if spread(fellows) > 0.25 * middle or not (ended or rings[at] < 0.4 * middle):
                continue
            yield _short(group, at, rings[at], middle, WRONG if rings[at] < 0.4 * middle else DOUBTFUL)


def _shorter_of_two(kit: MeasuredKit, group: list[Heard], rings: list[float]) -> Iterator[Finding]:
    """One of two that rings far shorter than the other and than all other takes of the pad."""
    at = rings.index(min(rings))
    rest = [h for h in kit.of_pad(group[0].pad) if h is not group[at] and not h.first.is_silent]
    fellows = [h.first.ring_frames / h.first.rate_hz for h in rest]
    middle, sound = median(fellows), group[at].first
    ended = sound.onset_frame + sound.ring_frames >= sound.frames - sound.rate_hz // 50
    if len(rest) >= 3 and middle >= FADED and ended and rings[at] <= min(VERY_SHORT * middle, min(fellows) / 1.5):
        yield _short(group, at, rings[at], middle, DOUBTFUL)


def _short(group: list[Heard], at: int, ring: float, usual: float, severity: str) -> Finding:
    heard = group[at]
    return Finding(
        rule="tails",
        severity=severity,
        place=place_of(heard),
        message=f"{heard.name}, rings {1000 * ring:.0f} ms; its fellows ring {1000 * usual:.0f} ms.",
        measured=round(1000 * ring, 1),
        usual=round(1000 * usual, 1),
        limit=round(1000 * usual * (1 - SHORT_SHARE), 1),
        unit="ms",
        fellow=fellow_of(group, at),
        mend=(Change("take", heard.take.id, "end_frame", None),) if heard.take.end_frame is not None else (),
        mend_words="Play it to its end",
    )


def second_strokes(kit: MeasuredKit) -> Iterator[Finding]:
    """A one-shot with another stroke in it, where the pad's other takes have none."""
    for group in kit.pads:
        struck_twice = [h for h in group if h.first.second_frame]
        alone = len(group) == 1
        if not struck_twice or (len(struck_twice) > max(1, len(group) // 4)):
            continue
        if alone and group[0].pad.kind in OF_MANY_STROKES:
            continue
        for heard in struck_twice:
            after_ms = 1000 * (heard.first.second_frame - heard.first.onset_frame) / heard.first.rate_hz
            end = heard.take.start_frame + heard.first.second_frame - heard.first.rate_hz // 200
            yield Finding(
                rule="second_strokes",
                severity=DOUBTFUL,
                place=place_of(heard),
                message=f"{heard.name}, holds a second stroke, {after_ms:.0f} ms after the first.",
                measured=round(after_ms, 1),
                unit="ms",
                mend=(
                    Change("take", heard.take.id, "end_frame", end),
                    Change("take", heard.take.id, "fade_out_ms", 10.0),
                ),
                mend_words="End it before the second stroke",
            )
