"""Hits of several microphones: a stroke is told from spill, at its own frame; what is silent stays silent."""

import io
import json
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import soundfile
from django.test import SimpleTestCase
from scipy.signal import correlate2d

from dactyl.core.formats.midi import read_midi, write_midi
from dactyl.core.hits.echoes import echoes_of
from dactyl.core.hits.envelopes import Track, levels, levels_and_spectra
from dactyl.core.hits.find import find_hits
from dactyl.core.hits.forest import Forest
from dactyl.core.hits.match import BEFORE_SECONDS, alone, match, side_of
from dactyl.core.hits.mend import Mend, TrackHit, bar_lines, mended, usual_curve, velocity_of
from dactyl.core.hits.network import filtered
from dactyl.core.hits.part import Stroke, notes_of, part_from, part_of
from dactyl.core.hits.patches import SCALE_DB, patches, pictures
from dactyl.core.hits.playback import PEAK_FRAMES, write_playback
from dactyl.core.hits.rises import Rises, weights_of
from dactyl.core.hits.roles import OTHER, heard_roles, roles_of
from dactyl.core.hits.spectra import SHORT
from dactyl.core.hits.strokes import once
from dactyl.core.hits.tempo import Struck, propose_bars
from dactyl.core.hits.timing import Attacks
from dactyl.core.hits.tracks import opened
from dactyl.core.hits.ways import learned, shared
from dactyl.core.tests.cases import cases

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

    def test_what_is_taken_is_that_of_the_cases_which_the_page_reads_too(self):
        told = cases("hits")
        mends = [Mend(is_hit, place, *about) for is_hit, place, *about in told["mends"]]
        found = [TrackHit(*hit) for hit in told["found"]]
        taken = mended(found, mends, softest_db=told["softest"], least_sure=told["sure"])
        loud = [hit.velocity or velocity_of(hit.level_db, told["soft"], told["hard"]) for hit in taken]
        self.assertEqual([[hit.time, hit.level_db, own] for hit, own in zip(taken, loud, strict=True)], told["taken"])

    def test_roles_are_told_by_names_and_toms_numbered(self):
        names = ["01_Kick In.wav", "02-SNR top.wav", "Tom Rack.wav", "Floor tom.aif", "HH.wav", "OH_L.wav", "room far.wav", "bus.wav", "Ride.flac"]  # fmt: skip
        self.assertEqual(
            roles_of(names), ["kick", "snare", "tom 1", "tom 2", "hat", "overhead", "room", "other", "ride"]
        )
        unnamed = [replace(track, role=OTHER) for track in session(played()) if track.role != "tom 1"]
        self.assertEqual(
            heard_roles(unnamed), ["kick", "snare", "hat"], "where names say nothing, by what they sound like"
        )
        self.assertEqual(heard_roles(unnamed, said={"snare.wav"}), ["kick", OTHER, "hat"])
        self.assertEqual([notes_of(["tom 1", "tom 2", "room"])[role] for role in ("tom 1", "tom 2")], [50, 41])


class Ways(SimpleTestCase):
    def test_the_way_of_a_drum_is_learned_and_what_it_makes_elsewhere_is_no_stroke_there(self):
        tracks = session([("kick", 0.5 * beat, 0.9) for beat in range(1, 12)] + [("snare", 0.5 * beat + 0.25, 0.8) for beat in range(1, 12)])  # fmt: skip
        heard = [Rises.of(track, *levels_and_spectra(track)) for track in tracks]
        loud = np.array([np.percentile(rise.jumps[:, rise.places], 95, axis=1) for rise in heard])
        sure = {
            n: heard[n].loud & (heard[n].rise_db > 20) if n < 2 else np.zeros(len(heard[n].places), bool)
            for n in range(4)
        }
        sure[0] &= _near(heard[0].places, [500 * beat for beat in range(1, 12)])
        sure[1] &= _near(heard[1].places, [500 * beat + 250 for beat in range(1, 12)])
        ways = learned(heard, sure, loud)
        lost_db = 10 * np.log10(weights_of("tom 1") @ ways.gains[2][:, 1] / (weights_of("snare") @ ways.gains[1][:, 1]))
        self.assertAlmostEqual(lost_db, -24, delta=4, msg="22 dB softer, and duller")
        self.assertAlmostEqual(ways.lags[2, 1], 3, delta=1)
        share = shared(2, heard, ways, loud)
        own = share.own / (share.seen @ weights_of("tom 1"))
        spill = _near(heard[2].places, [500 * beat + 253 for beat in range(1, 12)])
        self.assertGreaterEqual(spill.sum(), 10)
        self.assertLess(np.median(own[spill]), 0.5)
        share = shared(1, heard, ways, loud)
        self.assertGreater(np.median((share.own / (share.seen @ weights_of("snare")))[sure[1]]), 0.8)

    def test_what_another_drum_makes_of_a_rise_is_pictured_as_it_is_heard(self):
        tracks = session([("kick", 0.5 * beat, 0.9) for beat in range(1, 20)] + [("snare", 0.5 * beat + 0.25, 0.8) for beat in range(1, 20)])  # fmt: skip
        heard = [Rises.of(track, *levels_and_spectra(track)) for track in tracks]
        loud = np.array([np.percentile(rise.jumps[:, rise.places], 95, axis=1) for rise in heard])
        own = [[500 * beat for beat in range(1, 20)], [500 * beat + 250 for beat in range(1, 20)]]
        sure = {n: np.zeros(len(heard[n].places), bool) for n in range(4)}
        sure |= {n: _near(heard[n].places, own[n]) & (heard[n].rise_db > 20) for n in range(2)}
        ways = learned(heard, sure, loud)
        spill = np.flatnonzero(_near(heard[2].places, [500 * beat + 253 for beat in range(1, 20)]))
        seen = patches(
            heard,
            2,
            spill,
            ways,
            shared(2, heard, ways, loud).without,
            pictures(heard, sure),
            float(np.max(heard[2].heights)),
        )
        is_loud = seen.short[:, 0] > np.median(seen.short[:, 0]) + 0.3
        off_db = SCALE_DB * np.abs(seen.short[:, 0] - seen.short[:, 1])[is_loud]
        self.assertLess(float(np.median(off_db)), 5, "band by band, over the time of an attack")
        self.assertLess(
            float(seen.short[:, 2].max()), float(seen.short[:, 0].max()), "and its own drum was never struck"
        )

    def test_a_network_filters_as_a_correlation_does_and_the_surest_of_near_rises_stands(self):
        rng = np.random.default_rng(4)
        seen, filters, bias = rng.normal(size=(2, 5, 6, 3)), rng.normal(size=(4, 3, 3, 3)), rng.normal(size=4)
        found = filtered(seen.astype(np.float32), filters, bias)
        for row, filter_ in np.ndindex(2, 4):
            whole = sum(correlate2d(seen[row, :, :, n], filters[filter_, n], "same") for n in range(3)) + bias[filter_]
            np.testing.assert_allclose(found[row, :, :, filter_], np.maximum(whole, 0), atol=1e-5)
        stands = once(np.array([100.0, 108.0, 130.0, 400.0]), np.array([0.6, 0.9, 0.8, 0.2]))
        self.assertEqual(stands.tolist(), [False, True, True, True])

    def test_a_stroke_under_spill_begins_where_it_sounds_like_the_drum(self):
        rng, frames = np.random.default_rng(5), SECONDS * RATE
        sound, places = 1e-4 * rng.standard_normal(frames), [RATE * n for n in range(1, 9)]
        shape = struck("snare", 0.8, rng)
        for place in places:
            sound[place : place + len(shape)] += shape
        for place in places[5:]:  # a louder drum begins a millisecond before
            spill = 0.7 * struck("tom 1", 0.8, rng)
            sound[place - 44 : place - 44 + len(spill)] += spill
        audio = sound.astype(np.float32)
        track = Track("snare.wav", "snare", lambda a, b: audio[None, a:b], frames, RATE)
        attacks = Attacks.of(track, places[:5])
        for place in places[5:]:
            self.assertAlmostEqual(attacks.near(track, (place + 50) / RATE), place, delta=4)
        self.assertIsNone(attacks.near(track, (places[0] + RATE // 2) / RATE), "where nothing sounds like it")
        self.assertIsNone(Attacks.of(track, places[:2]).near(track, 1.0), "too few to tell")

    def test_levels_in_fine_bands_are_those_of_a_sine_and_the_same_however_they_are_read(self):
        time = np.arange(25 * RATE) / RATE
        for hz, band in ((1000, 6), (3000, 9), (95, SHORT + 3)):
            sound = (0.5 * np.sin(2 * np.pi * hz * time)).astype(np.float32)
            track = Track("a.wav", "snare", lambda a, b, sound=sound: sound[None, a:b], len(sound), RATE)
            by_ms, fine = levels_and_spectra(track)
            with self.subTest(hz):
                self.assertTrue(np.array_equal(by_ms, levels(track)))
                self.assertAlmostEqual(float(fine[2000, band]), 20 * np.log10(0.5) + 1.76, delta=0.3)
                self.assertEqual(
                    int(fine[2000, :SHORT].argmax() if band < SHORT else SHORT + fine[2000, SHORT:].argmax()), band
                )
                self.assertLess(np.ptp(fine[100:-100, band].astype(float)), 1.0, "no seam where blocks meet")

    def test_further_breaths_of_a_drum_are_no_strokes_and_a_roll_is_none_of_them(self):
        beats = np.arange(12) * 500
        breaths = np.sort(np.concatenate([beats, beats + 43, beats + 96]))
        softer = np.array([0.0 if place % 500 == 0 else -4.0 if place % 500 == 43 else -3.0 for place in breaths])
        self.assertEqual(sorted(breaths[echoes_of(breaths, softer)] % 500), [43] * 12 + [96] * 12)
        roll = np.arange(24) * 62
        even = np.random.default_rng(1).normal(0, 1.5, 24)
        self.assertLess(len(echoes_of(roll, even)), 6)

    def test_a_track_alone_a_short_one_and_equal_ones_are_listened_to(self):
        (kick, *_), (track, *_) = session(played()), session([("kick", 1.0, 0.9)])
        for name, tracks in {
            "alone": [kick],
            "three hops": [replace(kick, frames=130), track],
            "the same twice": [kick, replace(kick, name="again")],
            "one that ended before": [kick, replace(track, frames=RATE), replace(track, role="overhead", frames=20)],
        }.items():
            with self.subTest(name):
                *_, found = find_hits(tracks)
                self.assertEqual(len(found), len(tracks))
        *_, (alone,) = find_hits([kick])
        kicks = [time for role, time, _ in played() if role == "kick"]
        self.assertTrue(all(any(abs(hit.time - time) < 0.002 for hit in alone.hits) for time in kicks))

    def test_a_forest_says_what_its_leaves_sum_up_to(self):
        told = {
            "base": 0.5, "depth": 1, "roots": [0, 3], "feature": [1, 0, 0, 0], "threshold": [2.0, 0, 0, 0],
            "left": [1, 1, 2, 3], "right": [2, 1, 2, 3], "value": [0, -1.5, 1.0, 0.25],
        }  # fmt: skip
        said = Forest.of(json.dumps(told)).confidences(np.array([[9.0, 2.0], [9.0, 2.1]]))
        np.testing.assert_allclose(said, 1 / (1 + np.exp(-np.array([0.5 - 1.5 + 0.25, 0.5 + 1.0 + 0.25]))), rtol=1e-6)


def _near(places: np.ndarray, wanted: list[int]) -> np.ndarray:
    return np.array([min(abs(place - other) for other in wanted) <= 8 for place in places])


class Mending(SimpleTestCase):
    found = [
        TrackHit(0.5, -20.0, 0.9),
        TrackHit(1.0, -44.0, 0.9),
        TrackHit(1.5, -18.0, 0.3),
        TrackHit(2.0, -12.0, 0.95),
    ]

    def test_thresholds_decide_until_a_person_does(self):
        self.assertEqual([hit.time for hit in mended(self.found, (), softest_db=-40)], [0.5, 2.0])
        mends = [
            Mend(True, 2, velocity=90), Mend(False, 3), Mend(True, 0, time=0.501, level_db=-19.0),
            Mend(True, time=1.97, level_db=-25.0), Mend(False, time=3.0, level_db=-9.0),
        ]  # fmt: skip
        hits = mended(self.found, mends, softest_db=-40)
        self.assertEqual([(hit.time, hit.level_db, hit.velocity) for hit in hits], [(0.501, -19.0, None), (1.5, -18.0, 90), (1.97, -25.0, None)])  # fmt: skip

    def test_velocity_follows_the_curve_and_one_outlier_does_not_bend_it(self):
        soft, hard = usual_curve([*self.found[:1] * 40, TrackHit(9.0, 0.0, 1.0)])
        self.assertEqual((hard, soft), (-20.0, -44.0))
        self.assertEqual([velocity_of(level, soft, hard) for level in (-44, -20, -32, 0, -100)], [28, 112, 56, 127, 1])

    def test_bar_lines_run_straight_between_those_that_are_set_and_no_hit_moves(self):
        lines = bar_lines({1: 2.5, 3: 6.7, 4: 8.6}, 11.5)
        self.assertEqual([round(line, 6) for line in lines], [-1.7, 0.4, 2.5, 4.6, 6.7, 8.6, 10.5, 12.4])
        rng = np.random.default_rng(1)
        frames = np.unique(rng.integers(48_000, 11 * 48_000, 900))
        part = part_from([Stroke(frame / 48_000, 38, 90) for frame in frames], "Free", 11.5, lines)
        zero = round(lines[0] * 48_000)
        self.assertEqual([hit.frame + zero for hit in part.hits(48_000)], frames.tolist(), "exact to the frame")
        bars = [part.seconds_at(bar * part.bar_ticks) + lines[0] for bar in range(6)]
        np.testing.assert_allclose(bars, lines[:6], atol=1e-4)
        read = read_midi(write_midi(part), "free.mid")
        off = [a.frame - b.frame for a, b in zip(read.hits(48_000), part.hits(48_000), strict=True)]
        self.assertLessEqual(max(map(abs, off)), 2, "a file's ticks are coarser")


class Tempo(SimpleTestCase):
    """Bars are told by who is struck when, and followed where a drummer is not a clock."""

    def played(self, bpm: float, meter: int, drift: float, seed: int) -> tuple[list[Struck], list[float]]:
        """Kick on the first beat, snare on the others that have one, hats on all halves; 24 bars that begin after 1.3 s."""
        rng, time, strokes, firsts = np.random.default_rng(seed), 1.3, [], []
        for bar in range(24):
            firsts.append(time)
            for beat in range(2 * meter):
                at = time + rng.normal(0, 0.008)
                strokes.append(Struck(at, 0.5, "hat"))
                if beat == 0 or (beat == 4 and meter == 4):
                    strokes.append(Struck(at + rng.normal(0, 0.004), 0.9, "kick"))
                elif beat % 2 == 0 and (meter == 3 or beat % 4 == 2):
                    strokes.append(Struck(at, 0.8, "snare"))
                time += 30 / (bpm * (1 + drift * np.sin(bar / 6)))
        return strokes, firsts

    def test_bars_are_proposed_where_they_were_played(self):
        for bpm, meter, drift in ((84, 4, 0.0), (98, 4, 0.04), (150, 4, 0.02), (132, 3, 0.0), (110, 3, 0.03)):
            strokes, firsts = self.played(bpm, meter, drift, seed=round(bpm))
            found = propose_bars(strokes, firsts[-1] + 3)
            with self.subTest(bpm=bpm, meter=meter, drift=drift):
                self.assertEqual((found.beats, len(found.bars)), (meter, 24))
                self.assertLess(max(abs(a - b) for (_, a), b in zip(found.bars, firsts, strict=True)), 0.04)
                self.assertAlmostEqual(found.beats_a_minute, bpm, delta=0.05 * bpm)
                self.assertEqual(found.words, "sure")

    def test_what_has_no_beat_is_a_guess_or_nothing(self):
        rng = np.random.default_rng(5)
        strokes = [Struck(float(at), 0.7, str(rng.choice(["kick", "snare", "hat"]))) for at in rng.uniform(0, 60, 200)]
        self.assertEqual(propose_bars(strokes, 60.0).words, "a guess")
        self.assertIsNone(propose_bars(strokes[:8], 60.0))


class Files(SimpleTestCase):
    def test_a_track_is_played_and_drawn_as_it_is_and_longer_than_a_sample_may_be(self):
        with TemporaryDirectory() as folder:
            path = Path(folder, "loud.wav")
            audio = np.zeros((44_100, 2), np.float32)
            audio[22_050:22_060] = 0.5
            soundfile.write(path, np.tile(audio, (620, 1)), 44_100, subtype="PCM_U8")
            sound, peaks = io.BytesIO(), io.BytesIO()
            with opened([(path, "Loud", "snare")]) as tracks:
                list(write_playback(tracks[0], 48_000, sound, peaks))
        pcm = np.frombuffer(sound.getvalue(), "<i2").reshape(-1, 2)
        self.assertAlmostEqual(len(pcm), 620 * 48_000, delta=2)
        loud = np.flatnonzero(np.abs(pcm[:, 0]) > 4000)
        self.assertLess(np.abs((loud - 24_000 + 24_000) % 48_000 - 24_000).max(), 16, "every strike in its place")
        self.assertEqual(len(np.unique(loud // 48_000)), 620)
        levels = np.frombuffer(peaks.getvalue(), np.uint8)
        self.assertEqual(len(levels), -(-len(pcm) // PEAK_FRAMES))
        self.assertAlmostEqual(levels.max() / 255 * 80 - 80, -6, delta=1.5)


class Matching(SimpleTestCase):
    def strokes(self, hz: float, gain: float = 1.0, wait: int = 0, sign: int = 1, snap: float = 0.0):
        rng, found = np.random.default_rng(2), []
        time = np.arange(int(0.4 * RATE)) / RATE
        for _ in range(5):
            body = np.sin(2 * np.pi * hz * time) * np.exp(-time / 0.12) + 0.4 * rng.standard_normal(len(time)) * np.exp(-time / 0.004)  # fmt: skip
            sound = gain * body * (1 + snap * np.exp(-time / 0.012))
            found.append((sign * np.concatenate([np.zeros(wait), sound])[: len(time)])[np.newaxis].astype(np.float32))
        return found

    def test_what_differs_between_a_pad_and_its_drum_is_measured(self):
        wait = round(BEFORE_SECONDS * RATE)
        strokes = self.strokes(200 * 2 ** (150 / 1200), gain=0.5, wait=wait, snap=1.0)
        same = match(self.strokes(200, wait=wait), self.strokes(200), RATE)
        self.assertAlmostEqual(same.alike_before, same.alike_after, places=2)
        self.assertAlmostEqual(same.late_ms, 0, delta=0.03)
        tuned = match(strokes, self.strokes(200), RATE)
        self.assertAlmostEqual(tuned.tune_cents, 150, delta=6)
        self.assertGreater(tuned.snap_db, 2)
        found = match(self.strokes(200, wait=wait), self.strokes(200, wait=22, sign=-1), RATE)
        self.assertAlmostEqual(found.late_ms, 1000 * 22 / RATE, delta=0.2)
        self.assertTrue(found.is_flipped)
        self.assertGreater(found.alike_after, found.alike_before + 0.5)
        self.assertAlmostEqual(match(self.strokes(200, 0.5, wait), self.strokes(200), RATE).gain_db, -6, delta=0.7)

    def test_the_place_in_the_overheads_is_the_drums_own(self):
        """Another drum, louder and far on the right, is struck at the same time."""
        rng, strokes = np.random.default_rng(4), self.strokes(180)
        images = []
        for stroke in strokes:
            other = rng.standard_normal(stroke.shape[1]) * 0.5
            later = np.concatenate([np.zeros(150), stroke[0]])[: stroke.shape[1]]
            images.append(np.stack([0.9 * later, 0.4 * later + 0.6 * other]))
        found = match(strokes, strokes, RATE, images)
        self.assertAlmostEqual(found.pan, 4 / np.pi * np.arctan2(0.4, 0.9) - 1, delta=0.12)

    def test_the_side_from_which_a_kit_is_seen_is_told_by_where_its_drums_stand(self):
        self.assertEqual(side_of({"hat": -0.4, "tom 1": 0.1, "tom 2": 0.3}), "player")
        self.assertEqual(side_of({"hat": 0.35, "ride": -0.3}), "audience")
        self.assertIsNone(side_of({"hat": -0.02, "tom 1": 0.03}))

    def test_strokes_that_stand_alone_are_told_from_others(self):
        self.assertEqual(alone([1.0, 2.0, 2.05, 3.0, 4.0], [3.02, 3.9]), [1.0, 4.0])
