"""Hits of several microphones: a stroke is told from spill, at its own frame; what is silent stays silent."""

import numpy as np
from django.test import SimpleTestCase

from dactyl.core.formats.midi import read_midi, write_midi
from dactyl.core.hits.envelopes import Track
from dactyl.core.hits.find import find_hits, roles_of
from dactyl.core.hits.part import notes_of, part_of

RATE = 44_100
SECONDS = 12
DRUMS = {"kick": (55, 0.12, 0.02), "snare": (190, 0.09, 0.6), "tom 1": (110, 0.2, 0.05), "hat": (7000, 0.03, 1.0)}


def struck(role: str, strength: float, rng: np.random.Generator) -> np.ndarray:
    hz, decay, noise = DRUMS[role]
    time = np.arange(int(0.4 * RATE)) / RATE
    body = np.sin(2 * np.pi * hz * time) + noise * rng.standard_normal(len(time))
    return strength**2 * 0.5 * body * np.exp(-time / decay) + 0.2 * strength**2 * rng.standard_normal(len(time)) * np.exp(-time / 0.002)  # fmt: skip


def session(strokes: list[tuple[str, float, float]], *, extra: tuple[str, ...] = ()) -> list[Track]:
    """Each drum in its own microphone, and 3 ms later, 22 dB softer and darker in the others."""
    rng, frames = np.random.default_rng(3), SECONDS * RATE
    dry = {role: np.zeros(frames) for role in (*DRUMS, *extra)}
    for role, time, strength in strokes:
        sound, at = struck(role, strength, rng), round(time * RATE)
        dry[role][at : at + len(sound)] += sound[: frames - at]
    tracks = []
    for number, role in enumerate(dry):
        others = sum(dry[other] for other in dry if other != role)
        dark = np.convolve(others, np.ones(6) / 6)[:frames]
        sound = dry[role] + np.roll(dark, int(0.003 * RATE)) * 10 ** (-22 / 20)
        sound = sound * (-1) ** number + 0.01 * (role == "kick") + 2e-4 * rng.standard_normal(frames)
        audio = sound.astype(np.float32)
        tracks.append(Track(f"{role}.wav", role, lambda a, b, audio=audio: audio[None, a:b], frames, RATE))
    return tracks


def played() -> list[tuple[str, float, float]]:
    rows = []
    for beat in range(20):
        at = 0.4 + 0.5 * beat
        rows += [("hat", at + 0.0007, 0.8), ("hat", at + 0.2507, 0.6)]
        rows += [("kick", at, 0.9)] if beat % 2 == 0 else [("snare", at, 0.9)]
        if beat % 4 == 1:
            rows += [("snare", at + 0.375, 0.3)]  # a ghost
        if beat % 4 == 3:
            rows += [("snare", at - 0.028, 0.45)]  # a flam
    return rows


def found_in(tracks: list[Track], **how):
    *steps, found = find_hits(tracks, **how)
    return steps, {one.track.role: one for one in found}


class Hits(SimpleTestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.steps, cls.found = found_in(session(played(), extra=("tom 2",)))

    def test_every_stroke_is_found_in_its_own_microphone_to_the_millisecond(self):
        for role in ("kick", "snare", "hat"):
            wanted = sorted(time for own, time, _ in played() if own == role)
            times = [hit.time for hit in self.found[role].hits]
            with self.subTest(role):
                near = [min(abs(time - other) for other in times) for time in wanted]
                self.assertGreaterEqual(np.mean(np.array(near) < 0.002), 0.9)
                self.assertLessEqual(abs(len(times) - len(wanted)), 2)

    def test_what_was_never_struck_is_silent_and_softer_strokes_have_lower_velocities(self):
        self.assertLess(len(self.found["tom 1"].hits) + len(self.found["tom 2"].hits), 3)
        ghosts = [time for role, time, strength in played() if role == "snare" and strength < 0.4]
        velocities = {round(hit.time, 2): hit.velocity for hit in self.found["snare"].hits}
        soft = [velocities[round(time, 2)] for time in ghosts if round(time, 2) in velocities]
        self.assertTrue(soft and max(soft) < np.median(list(velocities.values())), velocities)

    def test_progress_is_told_and_a_threshold_leaves_out_what_is_softer(self):
        self.assertEqual(sorted(self.steps), self.steps)
        loud = max(hit.level_db for hit in self.found["snare"].hits)
        _, found = found_in(session(played()), thresholds_db={"snare.wav": loud - 6})
        self.assertLess(len(found["snare"].hits), len(self.found["snare"].hits))
        self.assertTrue(all(hit.level_db >= loud - 6 for hit in found["snare"].hits))

    def test_silence_and_nothing_are_no_hits(self):
        silent = [Track("a.wav", "snare", lambda a, b: np.zeros((1, b - a), np.float32), RATE, RATE)]
        self.assertEqual([len(one.hits) for one in found_in(silent)[1].values()], [0])
        empty = [Track("b.wav", "kick", lambda a, b: np.zeros((1, 0), np.float32), 0, RATE)]
        self.assertEqual([len(one.hits) for one in found_in(empty)[1].values()], [0])

    def test_hits_become_a_part_whose_times_are_exact_to_the_frame(self):
        part = part_of(list(self.found.values()), "Session")
        again = read_midi(write_midi(part), "session.mid")
        hits = sorted(round(hit.time * 48_000) for role, one in self.found.items() if role in notes_of(list(self.found)) for hit in one.hits)  # fmt: skip
        self.assertEqual([hit.frame for hit in again.hits(48_000)], hits)

    def test_roles_are_told_by_names_and_toms_numbered(self):
        names = ["01_Kick In.wav", "02-SNR top.wav", "Tom Rack.wav", "Floor tom.aif", "HH.wav", "OH_L.wav", "room far.wav", "bus.wav", "Ride.flac"]  # fmt: skip
        self.assertEqual(
            roles_of(names), ["kick", "snare", "tom 1", "tom 2", "hat", "overhead", "room", "other", "ride"]
        )
        self.assertEqual([notes_of(["tom 1", "tom 2", "room"])[role] for role in ("tom 1", "tom 2")], [50, 41])
