"""Files: damaged, missing, of another rate or another number of channels than their fellows."""

from collections import Counter
from collections.abc import Iterator

from dactyl.core.check.finding import DOUBTFUL, NOTE, WRONG, Finding, Place
from dactyl.core.check.measured import MeasuredKit
from dactyl.core.check.rules.levels import each_file, of_mic, place_of, sounds_of

FEW = 0.1  # of a kit's takes that are of another rate than the others


def damage(kit: MeasuredKit) -> Iterator[Finding]:
    """A sample that can't be used."""
    told = set()
    for _, pad in kit.kit.pads():
        for layer_number, layer in enumerate(pad.layers, start=1):
            for number, take in enumerate(layer.takes, start=1):
                for mic, sample in take.samples:
                    if sample.sha256 not in kit.damage or sample.sha256 in told:
                        continue
                    told.add(sample.sha256)
                    name = kit.files.get(sample.sha256, sample.sha256[:12])
                    yield Finding(
                        rule="damage",
                        severity=WRONG,
                        place=Place(pad=pad.id, layer=layer_number, take=number, take_id=take.id, mic=mic, sha256=sample.sha256),
                        message=f"Take {number} of {pad.name}, layer {layer_number}, can't be used: {name}: {kit.damage[sample.sha256]}",
                    )  # fmt: skip


def rates(kit: MeasuredKit) -> Iterator[Finding]:
    """A sound of another rate than nearly all others: it is converted, they are not."""
    counts = Counter(sound.rate_hz for *_, sound in sounds_of(kit.takes))
    usual, count = counts.most_common(1)[0] if counts else (0, 0)
    strange = counts.total() - count
    if not strange or strange > max(2, FEW * counts.total()):
        return
    for heard, mic, sound, place in each_file(kit, lambda sound: sound.rate_hz != usual):
        yield Finding(
            rule="rates",
            severity=NOTE,
            place=place,
            message=f"{of_mic(heard, mic)} is at {sound.rate_hz:,} Hz; the others are at {usual:,} Hz.",
            measured=float(sound.rate_hz),
            usual=float(usual),
            unit="Hz",
        )


def channels(kit: MeasuredKit) -> Iterator[Finding]:
    """A mono file among the stereo ones of its pad and mic, or the other way round: the image jumps."""
    for group in kit.pads:
        for mic in dict.fromkeys(mic for heard in group for mic in heard.sounds):
            own = [heard for heard in group if mic in heard.sounds]
            counts = Counter(heard.sounds[mic].channels for heard in own)
            if len(own) < 3 or len(counts) < 2:
                continue
            usual, count = counts.most_common(1)[0]
            if len(own) - count > len(own) // 3:
                continue
            for heard in own:
                have = heard.sounds[mic].channels
                if have != usual:
                    words = {1: "mono", 2: "stereo"}
                    yield Finding(
                        rule="channels",
                        severity=DOUBTFUL,
                        place=place_of(heard, mic),
                        message=f"{of_mic(heard, mic)} is {words[have]}; its fellows are {words[usual]}.",
                        measured=float(have),
                        usual=float(usual),
                        unit="channels",
                    )
