"""Compile the regions of an SFZ file to the playbook, with SFZ's own semantics: a pad of its own for each region.

Where SFZ leaves room, docs/formats.md says what is done here.
"""

import math
from collections.abc import Callable

from dactyl.core.audio.filter import FilterTable, filter_table
from dactyl.core.audio.prepare import Recipe
from dactyl.core.formats.notes import note_name
from dactyl.core.formats.sfz.levels import velocity_gains
from dactyl.core.formats.sfz.opcodes import FILTER_KINDS
from dactyl.core.formats.sfz.read import SFZ_MIDDLE_C, SfzFile, SfzRegion
from dactyl.core.kit import Sample
from dactyl.core.play.playbook import EnvelopeTable, MicSound, OutputTable, PadTable, Playbook, Region
from dactyl.core.units import db_to_gain, pan_gains

FAST_SECONDS = 0.006
BUTTERWORTH_Q = 0.7071
FindSample = Callable[[SfzRegion], Sample | None]


def compile_sfz(kit: SfzFile, rate_hz: int, find_sample: FindSample, *, seed: int = 0) -> Playbook:
    """find_sample : what is known of a region's sample; None where the region makes no sound"""
    numbers = sorted({region["output"] for region in kit.regions})
    pads, notes = [], {}
    for index, region in enumerate(kit.regions):
        pads.append(_pad(index, region, rate_hz, numbers.index(region["output"]), find_sample(region)))
        for note in range(max(0, region["lokey"]), region["hikey"] + 1):
            notes.setdefault(note, []).append(index)
    return Playbook(
        rate_hz=rate_hz,
        pads=tuple(pads),
        notes={note: tuple(indexes) for note, indexes in sorted(notes.items())},
        outputs=tuple(OutputTable(kit.output_names.get(number) or f"out-{number + 1}") for number in numbers),
        seed=seed,
    )


def _pad(index: int, region: SfzRegion, rate_hz: int, output: int, sample: Sample | None) -> PadTable:
    frames = _to_frames(rate_hz)
    envelope = EnvelopeTable(
        attack=frames(region["ampeg_attack"]),
        hold=frames(region["ampeg_hold"]),
        decay=frames(region["ampeg_decay"]),
        sustain=region["ampeg_sustain"] / 100,
        release=frames(region["ampeg_release"]),
    )
    off_frames = {"fast": frames(FAST_SECONDS), "time": frames(region["off_time"]), "normal": envelope.release}
    off_by, is_on_one_key = region["off_by"], region["lokey"] == region["hikey"]
    name = (
        region["region_label"]
        or region["group_label"]
        or note_name(max(0, region["lokey"]), middle_c_octave=SFZ_MIDDLE_C)
    )
    return PadTable(
        id=index,
        name=name,
        piece=region["master_label"] or name,
        regions=(_region(region, rate_hz, output, sample),),
        channels=(region["lochan"] - 1, region["hichan"] - 1),
        emits=(_signal(region["group"]),) if region["group"] else (),
        listens=((_signal(off_by), off_frames[region["off_mode"]]),) if off_by else (),
        emits_if_sounding=True,
        pool=f"group {region['group']}",
        max_voices=region["polyphony"],
        max_note_voices=region["note_polyphony"],
        limit_fade=frames(FAST_SECONDS),
        envelope=envelope,
        is_held=region["loop_mode"] != "one_shot",
        filter=_filter(region, rate_hz),
        delay=frames(region["delay"]),
        cents_per_key=0.0 if is_on_one_key else region["pitch_keytrack"],
        root=region["pitch_keycenter"],
    )


def _to_frames(rate_hz: int) -> Callable[[float], int]:
    return lambda seconds: math.floor(seconds * rate_hz + 0.5)


def _signal(group: int) -> str:
    return f"group {group}"


def _region(region: SfzRegion, rate_hz: int, output: int, sample: Sample | None) -> Region:
    return Region(
        sounds=_sounds(region, rate_hz, output, sample),
        gains=velocity_gains(region),
        counter=None,
        length=region["seq_length"],
        places=(region["seq_position"] - 1,),
        random=(region["lorand"], region["hirand"]),
    )


def _sounds(region: SfzRegion, rate_hz: int, output: int, sample: Sample | None) -> tuple[MicSound, ...]:
    if sample is None or region["end"] == -1:
        return ()
    end = sample.frames if region["end"] is None else min(sample.frames, region["end"] + 1)
    if region["offset"] >= end:
        return ()
    cents = 100.0 * region["transpose"] + region["tune"]
    if region["lokey"] == region["hikey"]:
        cents += region["pitch_keytrack"] * (region["lokey"] - region["pitch_keycenter"])
    recipe = Recipe(sample.sha256, sample.rate_hz, sample.channels, region["offset"], end, rate_hz, tune_cents=cents)
    gain, pan = db_to_gain(region["volume"]) * region["amplitude"] / 100, region["pan"] / 100
    left, right = pan_gains(pan)
    return (MicSound(recipe, gain, pan, gain * left, gain * right, output),)


def _filter(region: SfzRegion, rate_hz: int) -> FilterTable | None:
    """fil_veltrack is added in full at velocity 127; resonance is dB over a Butterworth filter."""
    if region["cutoff"] is None:
        return None
    octaves = region["fil_veltrack"] / 1200
    q = BUTTERWORTH_Q * 10 ** (region["resonance"] / 20)
    return filter_table(FILTER_KINDS[region["fil_type"]], region["cutoff"] * 2**octaves, q, octaves, rate_hz)
