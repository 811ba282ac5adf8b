"""Make a kit of an SFZ file's regions, and list what will sound different."""

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from itertools import count
from math import log10
from pathlib import PurePosixPath

from dactyl.core.errors import KitFileError
from dactyl.core.fields import MUTE_NUMBER, PAD, TAKE, fitted
from dactyl.core.formats.notes import note_name
from dactyl.core.formats.sfz.levels import Levels, is_plain, levels_of, velocity_law
from dactyl.core.formats.sfz.mics import Heard, Mics, mics_of
from dactyl.core.formats.sfz.read import SFZ_MIDDLE_C, SfzFile, SfzRegion
from dactyl.core.kinds import BY_SLUG
from dactyl.core.kit import (
    FADE_MS,
    MAIN,
    MAX_VELOCITY,
    ChokeGroup,
    Envelope,
    Filter,
    Kit,
    Layer,
    Mic,
    MuteGroup,
    NoteMap,
    Output,
    Pad,
    Piece,
    Sample,
    Take,
)

FindSample = Callable[[SfzRegion], Sample | None]
KindOf = Callable[[str], str | None]
MicOf = Callable[[str], tuple[str, bool] | None]
_LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
_FILTERS = {"lpf_2p": "low", "hpf_2p": "high", "bpf_2p": "band", "lpf_1p": "low", "hpf_1p": "high"}


def kit_from_sfz(
    file: SfzFile,
    find_sample: FindSample,
    kind_of: KindOf,
    mic_of: MicOf = lambda name: None,
    *,
    is_standard: bool = False,
) -> tuple[Kit, list[str]]:
    """
    find_sample : what is known of a region's sample; None leaves the region out
    kind_of : a kind for the words a piece is called by
    mic_of : the mic that a name says, and whether it is an overhead or a room
    is_standard : whether its notes are those of the standard, so that they say more than words do
    returns : the kit, and a sentence for everything that will sound different
    """
    return _Converter(file, find_sample, kind_of, mic_of, is_standard).kit()


class _Converter:
    def __init__(
        self, file: SfzFile, find_sample: FindSample, kind_of: KindOf, mic_of: MicOf, is_standard: bool
    ) -> None:
        self._file, self._find, self._is_standard = file, find_sample, is_standard
        self._kind_of, self._mic_of = kind_of, mic_of
        self._heard: dict[int, Heard] = {}  # by the ids of takes
        self._ids = count(1)
        self._notes: list[tuple[int, int]] = []  # and their pads
        self.differences: list[str] = []
        self._regions = [region for region in file.regions if region["lokey"] <= region["hikey"]]
        outputs = sorted({region["output"] for region in self._regions})
        self._outputs = {number: file.output_names.get(number) or f"out-{number + 1}" for number in outputs}
        if 0 in self._outputs and 0 not in file.output_names:
            self._outputs[0] = MAIN
        self._mics: dict[str, None] = {}
        self._members: dict[int, set[tuple]] = defaultdict(set)  # pads of each group
        listeners: dict[int, set[tuple]] = defaultdict(set)  # pads that each group silences
        self._first_listeners: dict[int, SfzRegion] = {}  # the first region that each group silences
        for region in self._regions:
            self._members[region["group"]].add(self._pad_key(region))
            listeners[region["off_by"]].add(self._pad_key(region))
            self._first_listeners.setdefault(region["off_by"], region)
        self._silencings = {(region["group"], region["off_by"]) for region in self._regions}
        self._one_sided = {group for group, pads in self._members.items() if group and pads - listeners[group]}
        self._choking = sorted({min(pair) for pair in self._silencings if all(pair) and pair[0] not in self._one_sided})
        self._chokes: dict[int, ChokeGroup] = {}
        self._mutes: dict[int, MuteGroup] = {}

    def kit(self) -> tuple[Kit, list[str]]:
        groups: dict[tuple, list[SfzRegion]] = defaultdict(list)
        for region in self._regions:
            groups[self._pad_key(region)].append(region)
        pieces: dict[str, list[Pad]] = defaultdict(list)
        for (piece, _, keys), regions in self._joined(groups):
            pad = self._pad(regions, keys)
            if pad:
                pad, said = fitted(PAD, pad, pad.name)
                self.differences += said
                pieces[piece or pad.name].append(pad)
        if not pieces:
            raise KitFileError(
                "No region of it has a sample that can be played.", "Check its samples.", file=self._file.path.name
            )
        names = list(dict.fromkeys([MAIN, *self._outputs.values()]))
        mics = mics_of(list(self._heard.values()))
        self.differences += mics.differences
        kit = Kit(
            name=self._file.path.stem[:80] or "Kit",
            outputs=tuple(Output(name=name) for name in names),
            mics=tuple(replace(mic, is_ambience=bool((self._mic_of(mic.name) or (0, False))[1])) for mic in mics.mics)
            or (Mic(name="close"),),
            pieces=tuple(
                Piece(
                    name=name,
                    pads=tuple(replace(self._with_mics(pad, mics), kind=self._kind(name, pad)) for pad in pads),
                    mic_gains_db=tuple(mics.gains_db[name].items()),
                    mic_pans=tuple(mics.pans[name].items()),
                )
                for name, pads in pieces.items()
            ),
            maps=(NoteMap(notes=tuple(self._notes)),),
        )
        return kit, list(dict.fromkeys(self.differences))

    def _differ(self, sentence: str) -> None:
        self.differences.append(sentence)

    def _with_mics(self, pad: Pad, mics: Mics) -> Pad:
        """Its takes without what is said of their mics."""

        def fitting(take: Take) -> Take:
            heard = self._heard[take.id]
            over_db = next(iter(heard.levels_db.values())) - mics.level_db(heard)
            take, said = fitted(TAKE, replace(take, gain_db=take.gain_db - over_db), f"A take of {pad.name}")
            self.differences += said
            return take

        layers = (replace(layer, takes=tuple(map(fitting, layer.takes))) for layer in pad.layers)
        return replace(pad, layers=tuple(layers))

    def _kind(self, piece: str, pad: Pad) -> str:
        by_name = self._kind_of(pad.name) or self._kind_of(piece)
        own = sorted(note for note, of in self._notes if of == pad.id)
        by_note = next((kind.slug for note in own for kind in BY_SLUG.values() if note in kind.notes), None)
        first, second = (by_note, by_name) if self._is_standard else (by_name, by_note)
        return first or second or "other"

    def _pad_key(self, region: SfzRegion) -> tuple:
        name = region["group_label"] or region["master_label"]
        return region["master_label"], name, (region["lokey"], region["hikey"])

    def _joined(self, groups: dict[tuple, list[SfzRegion]]) -> list[tuple[tuple, list[SfzRegion]]]:
        """A pad that was written once for each run of its notes is one pad again."""
        joined: dict[tuple, list] = {}
        for (piece, name, keys), regions in groups.items():
            sounds = tuple((one.sample, one["pitch_keycenter"], one["transpose"], one["tune"]) for one in regions)
            same = (piece, name, sounds) if name else (piece, name, keys)
            if same in joined:
                joined[same][0].append(keys)
            else:
                joined[same] = [[keys], regions]
        return [((piece, name, tuple(keys)), regions) for (piece, name, _), (keys, regions) in joined.items()]

    # One pad -------------------------------------------------------------------------------------------------------

    def _pad(self, regions: list[SfzRegion], keys: Sequence[tuple[int, int]]) -> Pad | None:
        regions = [region for region in regions if self._find(region) is not None and region["end"] != -1]
        if not regions:
            return None
        first = regions[0]
        name = first["group_label"] or first["master_label"] or note_name(keys[0][0], middle_c_octave=SFZ_MIDDLE_C)
        notes = tuple(note for low, high in keys for note in range(max(0, low), high + 1))
        self._compare(name, regions)
        rotation, layers, levels = self._layers(name, regions)
        on_keys = len(notes) > 1
        cents = 0.0 if on_keys else first["pitch_keytrack"] * (notes[0] - first["pitch_keycenter"])
        choke, cuts_itself, silences, silenced_by = self._groups(first)
        number = next(self._ids)
        self._notes += [(note, number) for note in notes]
        return Pad(
            id=number,
            name=name[:60],
            layers=layers,
            root=first["pitch_keycenter"] if on_keys else None,
            cents_per_key=first["pitch_keytrack"] if on_keys else 0.0,
            tune_cents=100.0 * first["transpose"] + first["tune"] + cents,
            choke=choke,
            cuts_itself=cuts_itself,
            silences=silences,
            silenced_by=silenced_by,
            max_voices=first["polyphony"] or first["note_polyphony"] or 64,
            rotation=rotation,
            dynamics=1.0 if levels else first["amp_veltrack"] / 100,
            curve=levels.points if levels else "even",
            is_held=first["loop_mode"] != "one_shot",
            envelope=_envelope(first),
            filter=self._filter(name, first),
            output=None if self._outputs[first["output"]] == MAIN else self._outputs[first["output"]],
            muted=all(region["amplitude"] == 0 for region in regions),
        )

    def _groups(
        self, region: SfzRegion
    ) -> tuple[ChokeGroup | None, bool, tuple[MuteGroup, ...], tuple[MuteGroup, ...]]:
        """A group that all its own pads are off by chokes; one that only some or only others are off by silences those, as a
        closed hat without ``off_by`` does an open one of its group."""
        group, off_by = region["group"], region["off_by"]
        fade_ms = _off_ms(region)
        if off_by and off_by == group and group in self._one_sided:
            if fade_ms > FADE_MS:
                self._differ(f"Group {group}: a pad's own strikes cut it over {FADE_MS:g} ms, not over {fade_ms:g}.")
            return None, True, self._mute(group), self._mute(group)
        if off_by and off_by == group:
            if len(self._members[group]) == 1:
                return None, True, (), ()
            return self._choke(group, fade_ms), True, (), ()
        if off_by and (off_by, group) in self._silencings and min(group, off_by) in self._choking:
            return self._choke(min(group, off_by), fade_ms), False, (), ()
        silences = self._mute(group) if group and group in self._first_listeners else ()
        silenced = self._mute(off_by) if off_by and off_by in self._members else ()
        return None, False, silences, silenced

    def _fade_of(self, group: int) -> float:
        region = self._first_listeners.get(group)
        return FADE_MS if region is None else _off_ms(region)

    def _choke(self, group: int, fade_ms: float) -> ChokeGroup | None:
        """Letters in the order of the groups' numbers; one fade for each, the first that comes."""
        place = self._choking.index(group)
        if place >= len(_LETTERS):
            self._differ(f"Its choke groups after the {len(_LETTERS)}th, such as {group}, are left out.")
            return None
        choke = self._chokes.setdefault(group, ChokeGroup(letter=_LETTERS[place], fade_ms=fade_ms))
        if choke.fade_ms != fade_ms:
            self._differ(f"Choke group {choke.letter}: its pads fade over {choke.fade_ms:g} ms, whoever cuts.")
        return choke

    def _mute(self, group: int) -> tuple[MuteGroup, ...]:
        """Numbered from 1 in the order in which they come."""
        if group not in self._mutes:
            number = len(self._mutes) + 1
            if number > MUTE_NUMBER.high:
                self._differ(f"Its mute groups after the {MUTE_NUMBER.high}th, such as {group}, are left out.")
                return ()
            self._mutes[group] = MuteGroup(number=number, fade_ms=self._fade_of(group))
        return (self._mutes[group],)

    def _filter(self, name: str, region: SfzRegion) -> Filter:
        if region["cutoff"] is None:
            return Filter()
        if region["fil_type"] not in _FILTERS or region["fil_type"].endswith("1p"):
            self._differ(f"{name}: its filter {region['fil_type']} becomes one of two poles, or none.")
        octaves = region["fil_veltrack"] / 1200
        return Filter(
            kind=_FILTERS.get(region["fil_type"], "off"),
            cutoff_hz=region["cutoff"] * 2**octaves,
            q=round(0.7071 * 10 ** (region["resonance"] / 20), 6),
            octaves=octaves,
        )

    def _compare(self, name: str, regions: Sequence[SfzRegion]) -> None:
        """Say what a pad holds once but its regions say differently."""
        for opcode, words in _PAD_WIDE.items():
            if len({region[opcode] for region in regions}) > 1:
                self._differ(f"{name}: its regions differ in {words}; the first region's is kept.")
        if any(region["xfin_hivel"] or region["xfout_lovel"] < MAX_VELOCITY for region in regions):
            self._differ(f"{name}: velocity crossfades become borders.")
        if any((region["lochan"], region["hichan"]) != (1, 16) for region in regions):
            self._differ(f"{name}: it answers on every channel.")
        if any(region["delay"] for region in regions):
            self._differ(f"{name}: its delay is left out.")

    # Layers and takes --------------------------------------------------------------------------------------------------

    def _layers(self, name: str, regions: Sequence[SfzRegion]) -> tuple[str, tuple[Layer, ...], Levels | None]:
        """How takes follow each other, the layers, and the curve that their levels need where the plain law is not theirs."""
        by_range: dict[tuple[int, int], list[SfzRegion]] = defaultdict(list)
        for region in regions:
            by_range[max(1, region["lovel"]), max(1, region["hivel"])].append(region)
        ranges = sorted(by_range)
        highs = [min(high, MAX_VELOCITY) for _, high in ranges]
        lows = [low for low, _ in ranges]
        if (
            lows[0] != 1
            or highs[-1] != MAX_VELOCITY
            or any(high + 1 != low for high, low in zip(highs, lows[1:], strict=False))
        ):
            self._differ(f"{name}: its layers leave a gap or overlap; borders are drawn between them.")
            highs = _closed_up(highs)
        rotation = self._rotation(name, regions)
        is_plain_law = all(map(is_plain, regions)) and len({one["amp_veltrack"] for one in regions}) == 1
        layers, laws, low = [], [], 1
        for velocity_range, high in zip(ranges, highs, strict=True):
            if high >= low:
                own = by_range[velocity_range]
                layers.append(Layer(id=next(self._ids), low=low, high=high, takes=self._takes(name, own)))
                laws.append((low, high, own))
                low = high + 1
        if is_plain_law:
            return rotation, tuple(layers), None
        if any(_follows(one) != _follows(own[0]) for _, _, own in laws for one in own):
            self._differ(f"{name}: takes of one layer follow velocity otherwise; the first one's law is kept.")
        levels = levels_of([(low, high, velocity_law(own[0])) for low, high, own in laws])
        return rotation, tuple(self._levelled(layers, levels)), levels

    def _levelled(self, layers: Sequence[Layer], levels: Levels) -> Iterator[Layer]:
        low = 1
        for layer, high, gain_db in zip(layers, levels.highs, levels.gains_db, strict=True):
            takes = tuple(replace(one, gain_db=one.gain_db + gain_db) for one in layer.takes)
            yield replace(layer, low=low, high=high, takes=takes)
            low = high + 1

    def _rotation(self, name: str, regions: Sequence[SfzRegion]) -> str:
        if any(region["seq_length"] > 1 for region in regions):
            if len({region["seq_position"] for region in regions}) < max(region["seq_length"] for region in regions):
                self._differ(f"{name}: turns that no region takes are left out; there its takes follow each other.")
            return "in_turn"
        if any((region["lorand"], region["hirand"]) != (0.0, 1.0) for region in regions):
            self._differ(f"{name}: which of its takes comes when will differ.")
            return "random"
        return "in_turn"

    def _takes(self, name: str, regions: Sequence[SfzRegion]) -> tuple[Take, ...]:
        """Regions of one place in the sequence sound together: the mics of one take."""
        places: dict[tuple, list[SfzRegion]] = defaultdict(list)
        for region in regions:
            places[region["seq_position"], region["lorand"]].append(region)
        return tuple(self._take(name, places[place]) for place in sorted(places))

    def _take(self, name: str, regions: Sequence[SfzRegion]) -> Take:
        by_mic: dict[str, SfzRegion] = {}
        for region, mic in zip(regions, self._mic_names(regions), strict=True):
            self._mics.setdefault(mic)
            by_mic.setdefault(mic, region)
        if len(by_mic) < len(regions):
            self._differ(f"{name}: of regions that sound together under one name the first is kept.")
        samples, first = [(mic, self._find(region)) for mic, region in by_mic.items()], regions[0]
        order, number = list(self._mics), next(self._ids)
        self._heard[number] = Heard(
            piece=first["master_label"] or name[:60],
            levels_db={mic: _level_db(region) for mic, region in by_mic.items()},
            pans={mic: region["pan"] / 100 for mic, region in by_mic.items()},
            outputs={mic: self._outputs[region["output"]] for mic, region in by_mic.items()},
        )
        sample = samples[0][1]
        end = first["end"] + 1 if first["end"] is not None and first["end"] + 1 < sample.frames else None
        return Take(
            id=number,
            samples=tuple(sorted(samples, key=lambda item: order.index(item[0]))),
            start_frame=min(first["offset"], sample.frames - 1),
            end_frame=end if end is None or end > first["offset"] else None,
            gain_db=_level_db(first),
            pan=first["pan"] / 100,
        )

    def _mic_names(self, regions: Sequence[SfzRegion]) -> Iterator[str]:
        """As the file calls them; else by a word in the name of the sample, else by their number."""
        used: set[str] = set()
        for number, region in enumerate(regions, start=1):
            if mic := region["region_label"]:
                yield mic
                continue
            said = self._mic_of(PurePosixPath(region.sample).stem) if len(regions) > 1 else None
            mic = said[0] if said and said[0] not in used else "close" if number == 1 else f"mic {number}"
            used.add(mic)
            yield mic


_PAD_WIDE = {
    "loop_mode": "one-shot or held",
    "group": "their group",
    "off_by": "what cuts them",
    "ampeg_attack": "attack",
    "ampeg_decay": "decay",
    "ampeg_sustain": "sustain",
    "ampeg_release": "release",
    "cutoff": "their filter",
    "transpose": "transposition",
    "tune": "tuning",
    "pitch_keycenter": "their root",
}


def _follows(region: SfzRegion) -> tuple[float, dict[int, float]]:
    """All that says how its level follows velocity."""
    return region["amp_veltrack"], region.velocity_curve


def _level_db(region: SfzRegion) -> float:
    return region["volume"] + (20 * log10(region["amplitude"] / 100) if region["amplitude"] else 0.0)


def _off_ms(region: SfzRegion) -> float:
    """Over how long a region fades where its ``off_by`` silences it."""
    return {"fast": 6.0, "time": 1000 * region["off_time"], "normal": 1000 * region["ampeg_release"]}[
        region["off_mode"]
    ]


def _envelope(region: SfzRegion) -> Envelope:
    sustain = region["ampeg_sustain"] / 100
    return Envelope(
        attack_ms=1000 * region["ampeg_attack"],
        hold_ms=1000 * region["ampeg_hold"],
        decay_ms=1000 * region["ampeg_decay"] if sustain < 1 else None,
        sustain=sustain if sustain < 1 else 0.0,
        release_ms=1000 * region["ampeg_release"],
    )


def _closed_up(highs: list[int]) -> list[int]:
    """Rising borders that end at 127."""
    rising = []
    for high in highs:
        rising.append(max(high, rising[-1] + 1) if rising else high)
    rising[-1] = MAX_VELOCITY
    return [min(high, MAX_VELOCITY) for high in rising]
