"""Finding hits: scenes of another maker and of drums that were not used in teaching, against general-purpose onset detectors;
and the speed.

The others are librosa's (benchmark requirements only; McFee et al., SciPy 2015), each track by itself: its plain onset
strength, and the maximum-filtered one (Böck and Widmer, "Maximum filter vibrato suppression", DAFx 2013).
"""

import contextlib
import tempfile
from collections import defaultdict
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import soundfile
from scipy.stats import spearmanr

from benchmarks.judging_scenes import RATE as RATE_HZ
from benchmarks.judging_scenes import Judged, judged
from benchmarks.measured import Row, against
from benchmarks.soundfonts import fonts_here
from benchmarks.train_strokes import matched, tracks_of
from dactyl.core.hits.envelopes import Track
from dactyl.core.hits.find import find_hits
from dactyl.core.hits.roles import OTHER, heard_roles, roles_of
from dactyl.core.wave.read import read_range
from dactyl.demo import rehearsal
from dactyl.demo.synth import RATE_HZ as DEMO_RATE_HZ

SOURCES, FIRST_SEED, SCENES = (
    ("freepats", "airfont"),
    60,
    8,
)  # of each source; seeds below were looked at or measured before
SONGS = (11, 12, 13)  # seeds of the rehearsal
Times = Callable[[Judged, str], list[tuple[float, float]]]
"""Of one role of a scene: times in seconds, and velocities."""


def ours(made: Judged) -> dict[str, list[tuple[float, float]]]:
    *_, found = find_hits(tracks_of(made, RATE_HZ))
    return {one.track.role: [(hit.time, hit.velocity) for hit in one.hits] for one in found}


def measured(heard: Callable[[Judged], dict[str, list[tuple[float, float]]]], scenes: list[Judged]) -> dict[str, float]:
    right = wrong = missed = silent = 0
    off, ranks, kinds = [], [], defaultdict(list)
    for made in scenes:
        by_role = heard(made)
        for role in made.close:
            strokes = [stroke for stroke in made.strokes if stroke.role == role]
            found = by_role.get(role, [])
            pairs = matched(np.array([s.time for s in strokes]), np.array([time for time, _ in found]))
            right, wrong, missed = (
                right + len(pairs),
                wrong + len(found) - len(pairs),
                missed + len(strokes) - len(pairs),
            )
            silent += len(found) if not strokes else 0
            met = {i for i, _ in pairs}
            for number, stroke in enumerate(strokes):
                kinds[stroke.what].append(number in met)
            off += [abs(found[j][0] - strokes[i].time) * 1000 for i, j in pairs]
            if len(pairs) > 8:
                ranks.append(spearmanr([strokes[i].level_db for i, _ in pairs], [found[j][1] for _, j in pairs])[0])
    return {
        "F1": 2 * right / max(1, 2 * right + wrong + missed), "precision": right / max(1, right + wrong),
        "recall": right / max(1, right + missed), "silent": silent, "median_ms": float(np.median(off or [0])),
        "p95_ms": float(np.percentile(off or [0], 95)), "rank": float(np.nanmean(ranks or [0])),
        **{what: float(np.mean(met)) for what, met in kinds.items()},
    }  # fmt: skip


def _librosa(**how) -> Callable[[Judged], dict[str, list[tuple[float, float]]]]:
    import librosa

    def heard(made: Judged) -> dict[str, list[tuple[float, float]]]:
        result = {}
        for role in made.close:
            strength = librosa.onset.onset_strength(
                y=made.tracks[role][0], sr=RATE_HZ, hop_length=128, n_fft=1024, **how
            )
            frames = librosa.onset.onset_detect(onset_envelope=strength, sr=RATE_HZ, hop_length=128, backtrack=True)
            result[role] = [(frame * 128 / RATE_HZ, float(strength[frame])) for frame in frames]
        return result

    return heard


def rows() -> list[Row]:
    sources = [source for source in SOURCES if source in fonts_here()]
    if not sources:
        return []
    scenes = [judged(source, FIRST_SEED + number) for source in sources for number in range(SCENES)]
    own = measured(ours, scenes)
    shown = ", ".join(f"{name} {value:.2f}" for name, value in own.items() if name != "silent")
    made = [Row("Hits of unseen scenes", shown, None, "F1 0.92", own["F1"] >= 0.92 and own["silent"] < 3)]
    with contextlib.suppress(ImportError):
        for name, how in (("plain", {}), ("maximum-filtered", {"max_size": 3, "lag": 2})):
            other = measured(_librosa(**how), scenes)
            figure = f"F1 {other['F1']:.2f}, ghosts {other.get('ghost', 0):.2f}, {other['silent']:.0f} on silent tracks"
            made.append(Row(f"The same by onset strength, {name}", figure, None, "reported", True))
    return [*made, _roles(scenes), _rehearsal(), _speed(scenes[0])]


def _roles(scenes: list[Judged]) -> Row:
    """What each track hears, where no name says it: of a scene's tracks in which something is struck."""
    right = total = 0
    for made in scenes:
        tracks = [replace(track, role=OTHER) for track in tracks_of(made, RATE_HZ)]
        for name, role in zip(made.tracks, heard_roles(tracks), strict=True):
            if name not in made.silent:
                right, total = right + (role.split()[0] == name.split()[0]), total + 1
    return Row("Roles of tracks by their sound", f"{right} of {total}", None, "reported", True)


def _rehearsal() -> Row:
    """The demo's recording, which nothing was taught on: synthesised drums, another room, three seeds."""
    right = strokes = wrong = 0
    for seed in SONGS:
        truth = rehearsal.song(np.random.default_rng(seed))
        sounds = rehearsal.tracks(seed)
        tracks = [
            Track(name.removesuffix(".wav"), role, lambda a, b, sound=sound.T: sound[:, a:b], len(sound), DEMO_RATE_HZ)
            for (name, sound), role in zip(sounds.items(), roles_of(list(sounds)), strict=True)
        ]
        *_, found = find_hits(tracks)
        for one in found:
            if own := rehearsal.CLOSE.get(one.track.name):
                times = np.array([stroke.time for stroke in truth if stroke.drum in own])
                pairs = len(matched(times, np.array([hit.time for hit in one.hits])))
                right, strokes, wrong = right + pairs, strokes + len(times), wrong + len(one.hits) - pairs
    figure = f"{right} of {strokes} strokes, and {wrong} too many"
    return Row("Hits of the demo's rehearsal", figure, None, "reported", True)


def _speed(made: Judged) -> Row:
    with tempfile.TemporaryDirectory() as folder:
        paths = []
        for role, sound in made.tracks.items():
            paths.append(Path(folder, f"{role}.wav"))
            soundfile.write(paths[-1], np.tile(sound[0], 6), RATE_HZ, subtype="PCM_24")

        def find() -> None:
            tracks = [
                Track(path.stem, path.stem, lambda a, b, path=path: read_range(path, a, b), made.tracks[path.stem].shape[1] * 6, RATE_HZ)
                for path in paths
            ]  # fmt: skip
            list(find_hits(tracks))

        took, floor = against(find, lambda: [soundfile.read(path) for path in paths], rounds=2)
    minutes = sum(sound.shape[1] for sound in made.tracks.values()) * 6 / RATE_HZ / 60
    figure = f"{took:.1f} s for {minutes:.0f} minutes of tracks, {took / minutes * 50:.0f} s for five of ten minutes"
    return Row(
        "Speed of finding hits",
        figure,
        took / floor,
        "five tracks of ten minutes in 20 s; 6 x decoding wanted",
        took / minutes * 50 <= 20,
    )
