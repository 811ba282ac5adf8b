"""Ways out: outputs nothing goes to, stems that are silent or over full scale, mics nobody hears, ambience that is missing."""

from collections import Counter, defaultdict
from collections.abc import Iterator
from functools import lru_cache
from itertools import chain

from dactyl.core.check.finding import DOUBTFUL, NOTE, WRONG, Finding, Place
from dactyl.core.check.measured import Heard, MeasuredKit
from dactyl.core.check.rules.levels import place_of
from dactyl.core.desk.tables import SILENT_DB, compile_desk
from dactyl.core.kit import MAIN, Kit
from dactyl.core.parts.part import Part
from dactyl.core.play.compile import curve_table, layer_gains
from dactyl.core.units import gain_to_db

OVER_DB = 0.1
FEW = 0.25  # of the pieces that lack a mic which the others have


def output_of(kit: Kit, heard: Heard, mic: str) -> str:
    own = next(m.output for m in kit.mics if m.name == mic)
    return own or heard.pad.output or heard.piece.output or MAIN


def outputs_used(kit: MeasuredKit) -> Iterator[Finding]:
    """An output that nothing goes to."""
    used = {output_of(kit.kit, heard, mic) for heard in kit.takes for mic in heard.sounds}
    for output in kit.kit.outputs:
        if output.name not in used and output.name != MAIN:
            yield Finding(
                rule="outputs_used",
                severity=NOTE,
                place=Place(output=output.name),
                message=f"Nothing goes to output {output.name}: it makes no stem.",
            )


def stems(kit: MeasuredKit) -> Iterator[Finding]:
    """A stem over full scale by a single stroke, as hard as the parts at hand strike; a stem that will be silent."""
    value, desk = kit.kit, compile_desk(kit.kit, 48_000)
    hardest = _hardest(kit)
    loudest: dict[str, tuple[float, Heard]] = {}
    silent_outputs: dict[str, bool] = {}
    gains = {mic.name: mic.gain_db for mic in value.mics}
    matrices = {one.name: channel.matrix for one, channel in zip(value.outputs, desk.channels, strict=True)}
    for mic, heard, is_silent in chain.from_iterable(kit.of_each_pad(_loudest)):
        velocity, piece = hardest.get(heard.pad.id, 0), heard.piece
        output = output_of(value, heard, mic)
        sides = [abs(share) for share in matrices[output]]
        is_heard = max(sides[0] + sides[1], sides[2] + sides[3]) > 0 and not heard.pad.muted and velocity > 0
        is_silent = is_silent or not is_heard
        silent_outputs[output] = silent_outputs.get(output, True) and is_silent
        struck_db = gain_to_db(_struck_gain(heard, velocity))
        if is_silent or struck_db <= SILENT_DB:
            continue
        own = gains[mic] + dict(piece.mic_gains_db).get(mic, 0.0)
        level = _peak_db(heard, mic) + heard.layer.gain_db + heard.pad.gain_db + piece.gain_db + own + struck_db
        peak = level + gain_to_db(max(sides))
        if output not in loudest or peak > loudest[output][0]:
            loudest[output] = (peak, heard)
    for output, (peak, heard) in loudest.items():
        if peak >= OVER_DB:
            yield Finding(
                rule="stems",
                severity=WRONG if kit.parts else DOUBTFUL,
                place=Place(output=output, pad=heard.pad.id, take_id=heard.take.id),
                message=f"Stem {output} goes {peak:.1f} dB over full scale by one stroke of {heard.pad.name} alone.",
                measured=round(peak, 1),
                usual=0.0,
                unit="dB",
            )
    for output, is_silent in silent_outputs.items():
        if is_silent and kit.parts:
            yield Finding(
                rule="stems",
                severity=NOTE,
                place=Place(output=output),
                message=f"Stem {output} is silent with the parts at hand.",
            )


def _loudest(kit: MeasuredKit, group: list[Heard]) -> Iterator[tuple[str, Heard, bool]]:
    """Of each layer and mic the take whose peak is the highest, and whether even that is silent."""
    for layer in (kit.of_layer(layer) for layer in group[0].pad.layers):
        for mic in dict.fromkeys(mic for heard in layer for mic in heard.sounds):
            own = [heard for heard in layer if mic in heard.sounds]
            sounding = [heard for heard in own if not heard.sounds[mic].is_silent]
            yield mic, max(sounding or own, key=lambda heard, mic=mic: _peak_db(heard, mic)), not sounding


def _peak_db(heard: Heard, mic: str) -> float:
    return heard.sounds[mic].peak_db + heard.take.gain_db


def _hardest(kit: MeasuredKit) -> dict[int, int]:
    """The hardest stroke of each pad: of the parts at hand, or 127 where there are none."""
    if not kit.parts:
        return {pad.id: 127 for _, pad in kit.kit.pads()}
    velocities: dict[int, int] = {}
    for part in kit.parts:
        for event in _strokes(part):
            velocities[event[0]] = max(event[1], velocities.get(event[0], 0))
    found: dict[int, int] = {}
    for note, pad in kit.kit.maps[0].notes:
        found[pad] = max(found.get(pad, 0), velocities.get(note, 0))
    for _, pad in kit.kit.pads():
        for other, strength in pad.companions:
            found[other] = max(found.get(other, 0), min(127, int(found.get(pad.id, 0) * strength + 0.5)))
    return found


@lru_cache(maxsize=64)
def _strokes(part: Part) -> tuple[tuple[int, int], ...]:
    return tuple({(event.note, event.velocity) for event in part.note_ons})


def _struck_gain(heard: Heard, velocity: int) -> float:
    """The most that strokes up to this velocity play a take's layer at."""
    table = layer_gains(heard.pad, curve_table(heard.pad.curve))[heard.layer_number - 1]
    return max((gain for gain in table[:velocity] if gain is not None), default=0.0)


def mics_heard(kit: MeasuredKit) -> Iterator[Finding]:
    """A mic that no take has, or that is turned down to nothing."""
    used = Counter(mic for heard in kit.takes for mic in heard.sounds)
    if len(used) < 2:
        return  # of a kit of one mic the others are only ready to be used
    outputs = {output.name: output for output in kit.kit.outputs}
    for mic in kit.kit.mics:
        way = outputs.get(mic.output or "")
        if not used[mic.name]:
            what = "no take has it"
        elif mic.gain_db <= SILENT_DB:
            what = "its level is turned down to nothing"
        elif way is not None and (way.muted or way.gain_db <= SILENT_DB):
            what = f"its output {way.name} is muted"
        else:
            continue
        yield Finding(
            rule="mics_heard", severity=NOTE, place=Place(mic=mic.name), message=f"Nobody hears mic {mic.name}: {what}."
        )


def ambience(kit: MeasuredKit) -> Iterator[Finding]:
    """A mic that all drums have but one or two; or all takes of a pad but a few."""
    has: dict[str, set[str]] = defaultdict(set)
    for heard in kit.takes:
        for mic in heard.sounds:
            has[mic].add(heard.piece.name)
    pieces = list(dict.fromkeys(heard.piece.name for heard in kit.takes))
    for mic, own in has.items():
        missing = [name for name in pieces if name not in own]
        if len(pieces) >= 4 and missing and len(missing) <= FEW * len(pieces):
            for name in missing:
                pad = next(h.pad for h in kit.takes if h.piece.name == name)
                yield Finding(
                    rule="ambience",
                    severity=DOUBTFUL,
                    place=Place(pad=pad.id, mic=mic),
                    message=f"{name} has no {mic}: {len(own)} other drums of the kit have it.",
                    measured=0.0,
                    usual=float(len(own)),
                    unit="drums",
                )
    for group in kit.pads:
        counts = Counter(mic for heard in group for mic in heard.sounds)
        for heard in group:
            for mic, count in counts.items():
                if mic not in heard.sounds and len(group) >= 3 and count >= 0.7 * len(group):
                    yield Finding(
                        rule="ambience",
                        severity=WRONG if count == len(group) - 1 else DOUBTFUL,
                        place=place_of(heard),
                        message=f"{heard.name}, has no {mic}; {count} other takes of the pad have it.",
                        measured=0.0,
                        usual=float(count),
                        unit="takes",
                    )
