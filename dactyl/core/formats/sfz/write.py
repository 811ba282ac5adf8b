"""Write a kit as SFZ, so that it reads back to the same sounds; and list what SFZ can't hold."""

import math
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from itertools import permutations

from dactyl.core.formats.notes import note_label, runs_of
from dactyl.core.kit import FADE_MS, MAX_VELOCITY, Kit, Layer, Pad, Piece, Sample, Take, pan_of
from dactyl.core.units import frames_to_ms, resampled_frames

NAMED = "//@ "  # begins a comment line of our own that names what stands above it: an output, piece, pad or mic
PLAIN_Q = 0.7071  # what resonance 0 stands for
FilePath = Callable[[Sample], str]
Gains = Callable[[Pad], Sequence[tuple[float | None, ...]]]


@dataclass(frozen=True, slots=True)
class SfzText:
    text: str
    not_held: tuple[str, ...]  # a sentence each


def write_sfz(kit: Kit, path_of: FilePath, layer_gains: Gains) -> SfzText:
    """
    path_of : where a sample lies, from the SFZ file's folder
    layer_gains : the compiled gains of a pad's layers at struck velocities 1..127
    """
    writer = _Writer(kit, path_of, layer_gains)
    lines = ["// Written by Dactyl. Levels in dB, times in seconds.", "<control>"]
    lines += [f"{NAMED}output {number} {label(output.name)}" for number, output in enumerate(kit.outputs)]
    for piece in kit.pieces:
        pads = [pad for pad in piece.pads if pad.layers]
        if pads:
            lines += ["", "<master>", f"{NAMED}piece {label(piece.name)}"]
        for pad in pads:
            lines += writer.pad(piece, pad)
    return SfzText("\n".join(lines) + "\n", tuple(dict.fromkeys(writer.not_held)))


class _Writer:
    def __init__(self, kit: Kit, path_of: FilePath, layer_gains: Gains) -> None:
        self._kit, self._path_of, self._layer_gains = kit, path_of, layer_gains
        self._outputs = {output.name: number for number, output in enumerate(kit.outputs)}
        self._mics = {mic.name: mic for mic in kit.mics}
        self._groups = _groups(kit)
        self._notes = kit.notes()
        self.not_held: list[str] = []
        for output in kit.outputs:
            if output.gain_db:
                self._miss(f"The level of output {output.name} is written into its pads.")
        if not kit.has_plain_desk:
            self._miss(
                "The desk (width, balance, mutes, groups, parallel bus, master, side) is left out: SFZ has none."
            )
        if any(pad.layers and pad.max_voices < 64 for _, pad in kit.pads()):
            self._miss("A pad's voices over its limit fade over 6 ms, not 8.")
        for note, pads in _shared_notes(kit).items():
            names = " and ".join(pad.name for pad in pads)
            if any(
                self._groups[a.id][1] and self._groups[a.id][1] == self._groups[b.id][0]
                for a, b in permutations(pads, 2)
            ):
                self._miss(
                    f"{note_label(note)} strikes {names}, which cut each other: only one of them may sound there."
                )
            else:
                self._miss(f"{note_label(note)} strikes {names}; there the limits of their voices count apart.")

    def _miss(self, sentence: str) -> None:
        self.not_held.append(sentence)

    def pad(self, piece: Piece, pad: Pad) -> list[str]:
        self._note_misses(pad)
        lines = []
        for low, high, root_shift in self._key_ranges(pad):
            shared = {"lokey": low, "hikey": high, **root_shift, **self._of_pad(pad)}
            lines += ["<group> " + _opcodes(shared), f"{NAMED}pad {label(pad.name)}"]
            for layer, gains in zip(pad.layers, self._layer_gains(pad), strict=True):
                lines += self._layer(piece, pad, layer, gains)
        return lines

    def _key_ranges(self, pad: Pad) -> Iterable[tuple[int, int, dict]]:
        """Runs of neighbouring notes, each a key range; a pad that does not follow the keys keeps its pitch on all."""
        notes = sorted(self._notes.get(pad.id, ()))
        root = pad.root if pad.root is not None else min(notes, default=60)
        pitch = {"pitch_keycenter": root, "pitch_keytrack": _number(pad.cents_per_key)}
        for start, end in runs_of(notes):
            yield start, end, pitch

    def _of_pad(self, pad: Pad) -> dict:
        group, off_by, fade_ms = self._groups[pad.id]
        envelope = pad.envelope
        fields: dict = {
            "loop_mode": "no_loop" if pad.is_held else "one_shot",
            "group": group,
            "off_by": off_by,
            "note_polyphony" if pad.choke else "polyphony": pad.max_voices,
        }
        if off_by:
            fields |= {"off_mode": "time", "off_time": _number(fade_ms / 1000)}
        if pad.tune_cents:
            fields["tune"] = _number(pad.tune_cents)
        if envelope.attack_ms or envelope.decay_ms is not None:
            fields |= {
                "ampeg_attack": _number(envelope.attack_ms / 1000),
                "ampeg_hold": _number(envelope.hold_ms / 1000),
                "ampeg_decay": _number((envelope.decay_ms or 0) / 1000),
                "ampeg_sustain": _number(100 * (envelope.sustain if pad.is_held else 0.0))
                if envelope.decay_ms is not None
                else 100,
            }
        if envelope.release_ms:
            fields["ampeg_release"] = _number(envelope.release_ms / 1000)
        if pad.filter.kind != "off":
            fields |= {
                "fil_type": {"low": "lpf_2p", "high": "hpf_2p", "band": "bpf_2p"}[pad.filter.kind],
                "cutoff": _number(pad.filter.cutoff_hz / 2**pad.filter.octaves),
                "fil_veltrack": _number(1200 * pad.filter.octaves),
                "resonance": _number(max(0.0, 20 * math.log10(pad.filter.q / PLAIN_Q))),
            }
        return fields

    def _layer(self, piece: Piece, pad: Pad, layer: Layer, gains: Sequence[float | None]) -> list[str]:
        struck = [velocity for velocity in range(1, MAX_VELOCITY + 1) if gains[velocity - 1] is not None]
        if not struck:
            return []
        fields: dict = {"lovel": struck[0], "hivel": struck[-1], **_velocity(pad, struck, gains)}
        takes = [take for take in layer.takes if take.enabled]
        lines = []
        for number, take in enumerate(takes):
            for mic, sample in take.samples:
                own = fields | _rotation(pad, number, len(takes)) | self._of_take(piece, pad, layer, take, mic, sample)
                lines += ["<region> " + _opcodes(own), f"{NAMED}mic {label(mic)}"]
        return lines

    def _of_take(self, piece: Piece, pad: Pad, layer: Layer, take: Take, mic_name: str, sample: Sample) -> dict:
        mic = self._mics[mic_name]
        output = mic.output or pad.output or piece.output or self._kit.outputs[0].name
        level_db = take.gain_db + layer.gain_db + pad.gain_db + piece.gain_db + mic.gain_db
        level_db += dict(piece.mic_gains_db).get(mic_name, 0.0) + self._kit.outputs[self._outputs[output]].gain_db
        _, pan = pan_of(piece, pad, take, mic)
        if mic_name in piece.mic_flips:
            self._miss(f"{piece.name}: polarity of mic {mic_name}.")
        first = take.samples[0][1]
        fields: dict = {"sample": self._path_of(sample), "volume": _number(level_db)}
        if pad.muted:
            fields["amplitude"] = 0
        if pan:
            fields["pan"] = _number(100 * pan)
        if take.tune_cents:
            fields["tune"] = _number(pad.tune_cents + take.tune_cents)
        if take.start_frame:
            fields["offset"] = min(resampled_frames(take.start_frame, first.rate_hz, sample.rate_hz), sample.frames - 1)
        if take.end_frame is not None:
            fields["end"] = resampled_frames(take.end_frame, first.rate_hz, sample.rate_hz) - 1
        if output != self._kit.outputs[0].name:
            fields["output"] = self._outputs[output]
        if take.is_reversed or take.is_flipped or take.fade_in_ms or take.fade_out_ms:
            start_ms = frames_to_ms(take.start_frame, first.rate_hz)
            self._miss(f"{pad.name}: reverse, polarity and fades of the take that starts at {start_ms:.0f} ms.")
        return fields

    def _note_misses(self, pad: Pad) -> None:
        name = pad.name
        several = any(len(layer.takes) > 1 for layer in pad.layers)
        if pad.rotation in ("random", "no_repeat") and several:
            self._miss(f"{name}: takes follow each other by chance; which one comes when will differ.")
        if pad.shared_counter and several:
            self._miss(f"{name}: its layers count takes apart.")
        if pad.crossfade and several:
            self._miss(f"{name}: where layers blend, takes are counted apart.")
        if len(list(self._key_ranges(pad))) > 1 and several:
            self._miss(f"{name}: each of its notes counts takes apart.")
        if not pad.variation.is_off:
            self._miss(f"{name}: variation from hit to hit.")
        if pad.weight_db or pad.snap_db:
            self._miss(f"{name}: weight and snap.")
        if pad.companions:
            self._miss(f"{name}: the pads that sound along with it.")
        if pad.filter.kind != "off" and pad.filter.q < PLAIN_Q - 1e-4:
            self._miss(f"{name}: a filter Q of {pad.filter.q:g}; it becomes {PLAIN_Q}.")
        cuts = pad.choke or pad.silences or pad.cuts_itself
        if cuts and any(not any(take.enabled for take in layer.takes) for layer in pad.layers):
            self._miss(f"{name}: a strike on its layer without takes cuts nothing.")
        if pad.filter.kind != "off" and pad.filter.octaves and pad.curve != "even":
            self._miss(f"{name}: its filter follows the velocity as struck, not the pad's curve.")
        if (bool(pad.choke) + len(pad.silenced_by)) > 1:
            self._miss(f"{name}: it is cut by one group only.")
        if len(pad.silences) + bool(pad.choke) > 1:
            self._miss(f"{name}: it silences one group only.")
        if pad.cuts_itself and not pad.choke and self._groups[pad.id][2] > FADE_MS:
            self._miss(f"{name}: its own strikes cut it over {FADE_MS:g} ms.")
        if pad.choke and not pad.cuts_itself and self._groups[pad.id][0] == self._groups[pad.id][1]:
            self._miss(f"{name}: it also cuts itself.")
        if len(pad.layers[0].takes[0].samples if pad.layers[0].takes else ()) > 1 and pad.max_voices < 64:
            self._miss(f"{name}: each mic counts as a voice.")


def _shared_notes(kit: Kit) -> dict[int, list[Pad]]:
    """Notes that strike several filled pads."""
    notes: dict[int, list[Pad]] = {}
    notes_of = kit.notes()
    for _, pad in kit.pads():
        for note in notes_of.get(pad.id, ()) if pad.layers else ():
            notes.setdefault(note, []).append(pad)
    return {note: pads for note, pads in sorted(notes.items()) if len(pads) > 1}


def _groups(kit: Kit) -> dict[int, tuple[int, int, float]]:
    """(group, off_by, fade in ms) of each pad by id. Two pads that choke each other name one another; more share one."""
    chokes: dict[str, list[Pad]] = {}
    for _, pad in kit.pads():
        if pad.choke:
            chokes.setdefault(pad.choke.letter, []).append(pad)
    numbers, result = iter(range(100, 1_000_000)), {}
    mutes: dict[int, int] = {}
    for pads in chokes.values():
        if len(pads) == 2 and not any(pad.cuts_itself for pad in pads):
            first, second = next(numbers), next(numbers)
            result[pads[0].id] = first, second, pads[0].choke.fade_ms
            result[pads[1].id] = second, first, pads[1].choke.fade_ms
        else:
            shared = next(numbers)
            result |= {pad.id: (shared, shared, pad.choke.fade_ms) for pad in pads}
    for _, pad in kit.pads():
        if pad.id not in result:
            group = next(numbers)
            if pad.silences:
                group = mutes.setdefault(pad.silences[0].number, group)
            is_shared = (
                pad.silences[:1] == pad.silenced_by[:1] != ()
            )  # one group cuts it, its own strikes among the others
            result[pad.id] = group, group if pad.cuts_itself else 0, pad.silences[0].fade_ms if is_shared else 8.0
    for _, pad in kit.pads():
        group, off_by, fade_ms = result[pad.id]
        if not off_by and pad.silenced_by:
            mute = pad.silenced_by[0]
            result[pad.id] = group, mutes.setdefault(mute.number, next(numbers)), mute.fade_ms
    return result


def _velocity(pad: Pad, struck: Sequence[int], gains: Sequence[float | None]) -> dict:
    """The plain law where it is one; else a point for every velocity."""
    if pad.curve == "even" and not pad.crossfade:
        return {"amp_veltrack": _number(100 * pad.dynamics)}
    return {f"amp_velcurve_{velocity}": _number(gains[velocity - 1]) for velocity in struck}


def _rotation(pad: Pad, number: int, count: int) -> dict:
    if count < 2 or pad.rotation == "all":
        return {}
    if pad.rotation == "in_turn" or (pad.rotation == "no_repeat" and count == 2):
        return {"seq_length": count, "seq_position": number + 1}
    return {"lorand": _number(number / count), "hirand": _number((number + 1) / count)}


def _opcodes(fields: dict) -> str:
    """Numbers first; texts with spaces end at the next opcode."""
    return " ".join(f"{name}={value}" for name, value in fields.items())


def label(text: str) -> str:
    """A name as a value: without what would begin a comment, a header or another opcode."""
    return re.sub(r"[<>=$\s]+|/{2,}|/\*", " ", text).strip() or "-"


def _number(value: float) -> str:
    return f"{value:.9g}"
