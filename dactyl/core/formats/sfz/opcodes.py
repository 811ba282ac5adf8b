"""Every opcode of the drum subset that is understood, in one table (SFZ v1, and v2 where said)."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Opcode:
    kind: str  # "float", "int", "key", "text" or "choice"
    default: float | int | str | None
    low: float = 0.0
    high: float = 0.0
    choices: tuple[str, ...] = ()


def _float(default: float | None, low: float, high: float) -> Opcode:
    return Opcode("float", default, low, high)


def _int(default: int | None, low: int, high: int) -> Opcode:
    return Opcode("int", default, low, high)


def _choice(default: str | None, *choices: str) -> Opcode:
    return Opcode("choice", default, choices=choices)


_LONGEST = 2**40
FILTER_KINDS = {
    "lpf_1p": "low_1p", "hpf_1p": "high_1p", "lpf_2p": "low", "hpf_2p": "high", "bpf_2p": "band", "brf_2p": "notch",
}  # fmt: skip
OPCODES: dict[str, Opcode] = {
    "sample": Opcode("text", ""),
    "lokey": Opcode("key", 0, -1, 127),
    "hikey": Opcode("key", 127, -1, 127),
    "lovel": _int(0, 0, 127),
    "hivel": _int(127, 0, 127),
    "lochan": _int(1, 1, 16),
    "hichan": _int(16, 1, 16),
    "seq_length": _int(1, 1, 100),
    "seq_position": _int(1, 1, 100),
    "lorand": _float(0.0, 0, 1),
    "hirand": _float(1.0, 0, 1),
    "group": _int(0, -(2**31), 2**31),
    "off_by": _int(0, -(2**31), 2**31),
    "off_mode": _choice("fast", "fast", "normal", "time"),
    "off_time": _float(0.006, 0, 100),
    "polyphony": _int(None, 0, 1_000_000),
    "note_polyphony": _int(None, 0, 1_000_000),
    "loop_mode": _choice("no_loop", "no_loop", "one_shot"),
    "volume": _float(0.0, -144, 48),
    "amplitude": _float(100.0, 0, 10_000),
    "pan": _float(0.0, -100, 100),
    "amp_veltrack": _float(100.0, -100, 100),
    "offset": _int(0, 0, _LONGEST),
    "end": _int(None, -1, _LONGEST),
    "delay": _float(0.0, 0, 100),
    "ampeg_attack": _float(0.0, 0, 100),
    "ampeg_hold": _float(0.0, 0, 100),
    "ampeg_decay": _float(0.0, 0, 100),
    "ampeg_sustain": _float(100.0, 0, 100),
    "ampeg_release": _float(0.0, 0, 100),
    "transpose": _int(0, -127, 127),
    "tune": _float(0.0, -9600, 9600),
    "pitch_keycenter": Opcode("key", 60, -1, 127),
    "pitch_keytrack": _float(100.0, -1200, 1200),
    "fil_type": _choice("lpf_2p", *FILTER_KINDS),
    "cutoff": _float(None, 0, 1e6),
    "resonance": _float(0.0, 0, 40),
    "fil_veltrack": _float(0.0, -9600, 9600),
    "xfin_lovel": _int(0, 0, 127),
    "xfin_hivel": _int(0, 0, 127),
    "xfout_lovel": _int(127, 0, 127),
    "xfout_hivel": _int(127, 0, 127),
    "output": _int(0, 0, 1023),
    # What a part of the kit is called, so that a written kit reads back with its names.
    "master_label": Opcode("text", ""),
    "group_label": Opcode("text", ""),
    "region_label": Opcode("text", ""),
}
ALIASES = {"offby": "off_by", "loopmode": "loop_mode", "filtype": "fil_type", "seqlength": "seq_length"}
CONTROL = ("default_path",)
KEY = "key"
SET_BY_KEY = ("lokey", "hikey")  # and pitch_keycenter, where the same header does not give it
VELOCITY_CURVE = "amp_velcurve_"
OUTPUT_LABEL = "label_output"
