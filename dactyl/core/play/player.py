"""Turn hits into voices: match, cut, count (design rules 2 to 5 and 20). The page's player.js mirrors this file."""

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np

from dactyl.core.audio.interpolate import stretched_frames
from dactyl.core.desk.tables import level
from dactyl.core.parts.part import Gesture, Hit
from dactyl.core.play.hands import Deed, Hands, grab, ringing_velocity
from dactyl.core.play.playbook import MemberTable, MicSound, PadTable, Playbook, Region
from dactyl.core.units import pan_gains

NO_NOTE = -1  # of a pad that a pedal or a hand sounds
HARDEST = 127
Strike = tuple[int, int, int, float]
"""(index of a pad, velocity 1..127, the note it is struck by, a gain where neighbours blend)"""


@dataclass(slots=True, eq=False)
class Voice:
    """One sounding take with all its mics."""

    hit: int  # number of the hit that began it
    pad: PadTable
    note: int
    channel: int
    region: int  # index into the pad's regions
    start_frame: int
    end_frame: int  # where its longest sound, or its envelope, ends
    gain: float
    velocity: int  # after the pad's curve
    struck: int  # ... and before
    ratio: float  # of its speed
    sounds: tuple[MicSound, ...]
    fades: list[tuple[int, int]] = field(default_factory=list)  # (first frame, frames): linear, one after another
    released_frame: int | None = None  # from here on its envelope stands still

    @property
    def last_frame(self) -> int:
        """The first frame in which nothing of it sounds."""
        return min(self.end_frame, sum(self.fades[-1])) if self.fades else self.end_frame

    @property
    def counts(self) -> bool:
        """Whether it is neither fading nor dropped."""
        return not self.fades and self.end_frame > self.start_frame

    def cut(self, frame: int, fade_frames: int) -> bool:
        """Fade to silence from ``frame``; a later cut counts only if it ends sooner. One not yet begun is dropped.

        Cuts come in the order of hits, but where kits of a lineup are late the frame of one may lie before that of the one
        before it, which has then not begun to fade.
        """
        if frame < self.start_frame:
            self.end_frame = self.start_frame
        elif not self.fades or frame + fade_frames < sum(self.fades[-1]):
            while self.fades and self.fades[-1][0] > frame:
                self.fades.pop()
            self.fades.append((frame, fade_frames))
        else:
            return False
        return True

    def release(self, frame: int) -> None:
        if self.released_frame is None and self.cut(frame, self.pad.envelope.release):
            self.released_frame = frame


class Player:
    """Plays hits in order. Its state is the counters and the voices that sound."""

    def __init__(self, playbook: Playbook) -> None:
        self.playbook = playbook
        self._counters: dict[object, int] = defaultdict(int)
        self._strike_counters: dict[int, int] = defaultdict(int)
        self._hits = 0
        self._rngs = [np.random.default_rng(member.seed) if member.draws else None for member in playbook.members]
        self._sounding: list[list[Voice]] = [[] for _ in playbook.pads]
        self._pools: dict[str, list[Voice]] = defaultdict(list)
        self._limited = {
            pad.pool for pad in playbook.pads if pad.max_voices is not None or pad.max_note_voices is not None
        }
        self._held: dict[tuple[int, int, int], list[Voice]] = defaultdict(list)  # by member, note and channel
        self._listeners: dict[str, list[tuple[int, int]]] = defaultdict(list)  # signal -> (pad, fade frames)
        for index, pad in enumerate(playbook.pads):
            for signal, fade_frames in pad.listens:
                self._listeners[signal].append((index, fade_frames))
        self._hands = Hands(playbook)
        self._strikes: dict[tuple[int, int, int, tuple[int | None, ...]], list[Strike]] = {}
        self._answers: dict[tuple[int, int], list[int]] = {}

    def play(self, hit: Hit | Gesture) -> list[Voice]:
        """Return the voices that ``hit`` begins; cut those of earlier hits. Hits come in time order.

        A hit of velocity 0 is a note-off: it releases the held voices of its note and channel.
        """
        if isinstance(hit, Gesture):
            return [voice for deed in self._hands.take(hit) for voice in self._do(deed, hit.frame, hit.channel)]
        if not hit.velocity:
            for number, member, note in self._reached(hit):
                for voice in self._held.pop((number, note, hit.channel), ()):
                    voice.release(hit.frame + member.delay)
            return []
        grabbed = self._hands.grabbed_by(hit.note, hit.channel)
        begun = [voice for one in grabbed for voice in self._do(grab(*one), hit.frame, hit.channel)]
        self._hits += 1
        draws = {n: float(self._rngs[n].random()) for n, _, _ in self._reached(hit) if self._rngs[n]}
        return begun + self._strike(self._struck(hit, {pad for _, grip in grabbed for pad in grip.pads}), hit, draws)

    def strikes_of(self, act: Hit | Gesture) -> list[list[Strike]]:
        """What a hit or a gesture strikes as the pedals stand, without playing it; what rings says nothing about it here."""
        if isinstance(act, Gesture):
            deeds = [deed for deed in self._hands.take(act) if deed.strikes is not None]
            return [self._struck_by(deed, self._heard(deed) or HARDEST) for deed in deeds]
        grabbed = self._hands.grabbed_by(act.note, act.channel)
        deeds = [deed for deed in (grab(*one) for one in grabbed) if deed.strikes is not None]
        own = self._struck(act, {pad for _, grip in grabbed for pad in grip.pads})
        return [*(self._struck_by(deed, HARDEST) for deed in deeds), own]

    def sounding(self, strike: Strike) -> list[Region]:
        """The takes of the struck pad of which one, or some, can sound."""
        pad = self.playbook.pads[strike[0]]
        matching = [] if pad.muted else [pad.regions[number] for number in self._matches(*strike[:2])]
        return [region for region in matching if region.places]

    def _strike(self, strikes: list[Strike], hit: Hit, draws: dict[int, float]) -> list[Voice]:
        """draws : of each member that draws"""
        chosen = self._choose(strikes, draws)
        self._send_signals(strikes, chosen, hit.frame)
        self._make_room(chosen, hit)
        return self._begin(chosen, self._variation_places(strikes), hit)

    def _do(self, deed: Deed, struck_frame: int, channel: int) -> list[Voice]:
        """What a pedal or a hand does: cut what rings of its channel, and strike a pad by itself (design rule 20)."""
        member = self.playbook.members[deed.member]
        frame = struck_frame + member.delay
        ringing = [
            voice
            for index in deed.cut
            for voice in self._sounding[index]
            if voice.channel == channel and voice.counts and voice.last_frame > frame
        ]
        velocity = self._heard(deed)
        if velocity is None:
            velocity = ringing_velocity(((v.struck, v.start_frame, v.end_frame) for v in ringing), frame)
        for voice in ringing:
            voice.cut(frame, deed.fade)
        if deed.strikes is None or velocity is None:
            return []
        self._hits += 1
        hit = Hit(struck_frame, NO_NOTE, velocity, channel)
        return self._strike(self._struck_by(deed, velocity), hit, {})

    def _heard(self, deed: Deed) -> int | None:
        """The velocity that reaches the pad; None where what rings says it."""
        return deed.velocity and self.playbook.members[deed.member].curve[deed.velocity - 1]

    def _struck_by(self, deed: Deed, velocity: int) -> list[Strike]:
        """The pad that a deed strikes, with its companions."""
        return self._answering(self._along({deed.strikes: (velocity, NO_NOTE, 1.0)}))

    def _reached(self, hit: Hit) -> Iterator[tuple[int, MemberTable, int]]:
        """The members that hear the hit, and the note it is for them (design rule 19)."""
        for number, member in enumerate(self.playbook.members):
            if member.hears(hit.note, hit.channel):
                yield number, member, member.played_as.get(hit.note, hit.note)

    def _frame(self, pad: PadTable, hit: Hit) -> int:
        return hit.frame + self.playbook.members[pad.member].delay

    # Match ---------------------------------------------------------------------------------------------------------

    def _struck(self, hit: Hit, spared: set[int]) -> list[Strike]:
        """The pads of the note as the controllers stand, then their companions; none twice (design rules 2 and 20).

        spared : pads that the note does not strike, since it grabs them
        """
        key = (hit.channel, hit.note, hit.velocity, self._hands.state_of(hit.channel))
        if key not in self._strikes:
            pads, members = self.playbook.pads, self.playbook.members
            struck: dict[int, tuple[int, int, float]] = {}
            for asked in self.playbook.struck(hit.note, hit.channel):
                member = members[pads[asked].member]
                velocity, note = member.curve[hit.velocity - 1], member.played_as.get(hit.note, hit.note)
                if asked in spared:
                    continue
                for index, gain in self._hands.chosen(asked, hit.channel):
                    struck.setdefault(index, (velocity, note, gain))
            self._strikes[key] = self._answering(self._along(struck))
        return self._strikes[key]

    def _along(self, struck: dict[int, tuple[int, int, float]]) -> dict[int, tuple[int, int, float]]:
        """With the companions of the struck pads."""
        for index, (velocity, note, _) in tuple(struck.items()):
            pad = self.playbook.pads[index]
            for pad_id, strength in () if pad.muted else pad.companions:
                companion = self.playbook.by_id.get(pad_id)
                if companion is not None:
                    struck.setdefault(companion, (min(127, max(1, int(velocity * strength + 0.5))), note, 1.0))
        return struck

    def _answering(self, struck: dict[int, tuple[int, int, float]]) -> list[Strike]:
        """Those that sound or act."""
        return [
            (index, *how)
            for index, how in struck.items()
            if self._matches(index, how[0]) or _acts(self.playbook.pads[index])
        ]

    def _matches(self, index: int, velocity: int) -> list[int]:
        """The regions of the struck pad that answer its velocity."""
        if (index, velocity) not in self._answers:
            regions = self.playbook.pads[index].regions
            self._answers[index, velocity] = [
                number for number, region in enumerate(regions) if region.gains[velocity - 1] is not None
            ]
        return self._answers[index, velocity]

    # Count -----------------------------------------------------------------------------------------------------------

    def _choose(self, strikes: list[Strike], draws: dict[int, float]) -> list[tuple[Strike, int]]:
        """Which regions sound now; every counter that the hit touches moves on by one (design rule 5).

        draws : of each member that draws
        """
        pads = self.playbook.pads
        together: dict[int, tuple[int, ...]] = {}
        for index, *_ in strikes:
            together[pads[index].member] = (*together.get(pads[index].member, ()), index)
        places: dict[object, int] = {}
        chosen = []
        for strike in strikes:
            pad = pads[strike[0]]
            draw = draws.get(pad.member, 0.0)
            for number in self._matches(*strike[:2]):
                region = pad.regions[number]
                counter = together[pad.member] if region.counter is None else (pad.member, region.counter)
                if counter not in places:
                    places[counter] = self._counters[counter]
                    self._counters[counter] += 1
                if places[counter] % region.length in region.places and region.random[0] <= draw < region.random[1]:
                    chosen.append((strike, number))
        return chosen

    # Cut (design rule 3) -----------------------------------------------------------------------------------------------

    def _send_signals(self, strikes: list[Strike], chosen: list[tuple[Strike, int]], struck_frame: int) -> None:
        sounding = {strike[0] for strike, _ in chosen}
        for index, *_ in strikes:
            pad = self.playbook.pads[index]
            frame = struck_frame + self.playbook.members[pad.member].delay
            if pad.emits_if_sounding and index not in sounding:
                continue
            for signal in pad.emits:
                for other, fade_frames in self._listeners.get(signal, ()):
                    if other == index and not pad.cuts_itself:
                        continue
                    for voice in self._sounding[other]:
                        if voice.last_frame > frame:
                            voice.cut(frame, fade_frames)

    def _make_room(self, chosen: list[tuple[Strike, int]], hit: Hit) -> None:
        """Cut the oldest voices over a pad's limit, so that the arriving ones find room."""
        notes = {index: note for (index, _, note, _), _ in chosen if not self.playbook.pads[index].muted}
        pads = [self.playbook.pads[index] for (index, *_), _ in chosen if index in notes]
        for index, note in notes.items():
            pad = self.playbook.pads[index]
            if pad.pool not in self._limited:
                continue
            frame = self._frame(pad, hit)
            counting = [v for v in self._pools[pad.pool] if v.last_frame > frame and v.counts]
            self._pools[pad.pool] = counting
            arriving = sum(other.pool == pad.pool for other in pads)
            if pad.max_voices is not None:
                self._cut_oldest(counting, len(counting) + arriving - pad.max_voices, frame, pad.limit_fade)
            if pad.max_note_voices is not None:
                same = [voice for voice in counting if voice.note == note and voice.counts]
                self._cut_oldest(same, len(same) + arriving - pad.max_note_voices, frame, pad.limit_fade)

    def _cut_oldest(self, voices: list[Voice], excess: int, frame: int, fade_frames: int) -> None:
        for voice in voices[: max(0, excess)]:
            voice.cut(frame, fade_frames)

    # Begin -------------------------------------------------------------------------------------------------------------

    def _variation_places(self, strikes: list[Strike]) -> dict[int, int]:
        """The place of each struck pad in its cycles of variation."""
        variation_places = {}
        for index, *_ in strikes:
            if self.playbook.pads[index].variation:
                variation_places[index] = self._strike_counters[index]
                self._strike_counters[index] += 1
        return variation_places

    def _begin(self, chosen: list[tuple[Strike, int]], variation_places: dict[int, int], hit: Hit) -> list[Voice]:
        begun = []
        for (index, velocity, note, blended), number in chosen:
            pad = self.playbook.pads[index]
            if pad.muted:
                continue
            heard = Hit(self._frame(pad, hit), note, velocity, hit.channel, hit.moved)
            voice = self._voice(pad, number, pad.regions[number], heard, variation_places.get(index))
            voice.gain *= blended
            begun.append(voice)
            # by the hit's own frame: a member with less delay may still cut what ends before this member is heard
            self._sounding[index] = [v for v in self._sounding[index] if v.last_frame > hit.frame] + [voice]
            if pad.pool in self._limited:
                self._pools[pad.pool].append(voice)
            if pad.is_held:
                held = self._held[pad.member, note, hit.channel]
                held[:] = [v for v in held if v.last_frame > heard.frame] + [voice]
        return begun

    def _voice(self, pad: PadTable, number: int, region: Region, hit: Hit, variation_place: int | None) -> Voice:
        """hit : as the pad's kit hears it"""
        gain, start, sounds = region.gains[hit.velocity - 1], hit.frame + pad.delay, region.sounds
        is_shifted = pad.cents_per_key and hit.note != NO_NOTE
        ratio = 2 ** (pad.cents_per_key * (hit.note - pad.root) / 1200) if is_shifted else 1.0
        pan = 0.0
        if variation_place is not None:
            varied = pad.variation
            place = variation_place % len(varied.gains)
            gain, ratio, start = gain * varied.gains[place], ratio * varied.ratios[place], start + varied.delays[place]
            pan = varied.pans[place]
        if hit.moved:
            gain, ratio = gain * level(hit.moved.gain_db), ratio * 2 ** (hit.moved.tune_cents / 1200)
            pan += hit.moved.pan
        if pan:
            sounds = tuple(_moved(sound, pan) for sound in sounds)
        frames = max((sound.recipe.frames for sound in sounds), default=0)
        if ratio != 1.0:
            frames = stretched_frames(frames, ratio)
        shaped = pad.curve[hit.velocity - 1]
        if pad.filter:
            frames += pad.filter.tail_frames[shaped - 1]
        if pad.envelope.end is not None:
            frames = min(frames, pad.envelope.end)
        return Voice(
            self._hits, pad, hit.note, hit.channel, number, start, start + frames, gain, shaped, hit.velocity, ratio, sounds
        )  # fmt: skip


def _acts(pad: PadTable) -> bool:
    """Whether a strike of it does something even where no region answers."""
    return bool(pad.emits) and not pad.emits_if_sounding


def _moved(sound: MicSound, by: float) -> MicSound:
    if sound.pan is None:
        return sound
    left, right = pan_gains(sound.pan + by)
    return replace(sound, left=sound.gain * left, right=sound.gain * right)
