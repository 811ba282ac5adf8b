"""Build the demo: synthesise every file, bring them in through the shelf as anybody would, lay them on pads."""

import io
import os
from collections.abc import Iterator, Mapping
from concurrent.futures import ProcessPoolExecutor

import numpy as np
import soundfile
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction

from dactyl.core.stack.layers import split_evenly
from dactyl.demo import rehearsal
from dactyl.demo.scenario import DESK_OUTPUTS, KITS, ROOM, KitPlan, PadPlan, parts
from dactyl.demo.synth import RATE_HZ, Room, strike, through_mics
from dactyl.jobs.models import Job
from dactyl.kits.models import (
    ChokeGroup,
    Kit,
    Layer,
    Map,
    MapNote,
    Mic,
    Output,
    OutputGroup,
    Pad,
    Piece,
    Take,
    TakeSample,
)
from dactyl.parts.edits import add_part
from dactyl.recordings.edits import WORK, take_in
from dactyl.recordings.tasks import find_hits
from dactyl.shelf.edits import State
from dactyl.shelf.models import Import, ImportFile, Sample
from dactyl.shelf.store import receive
from dactyl.shelf.tasks import import_files

MICS = (("close", 0.0, True), ("overhead", -3.0, False), ("room", -9.0, False))
LAYERED_DYNAMICS = 0.4
LEAD_MS = 4.0  # of silence before each hit, as a cut recording has
GRABBED_FROM = 64  # aftertouch of a cymbal's key
Key = tuple[str, str, int, int, str]  # piece, pad, layer, take, mic


def build() -> Iterator[str]:
    """Yield a line for each step."""
    batch = Import.objects.create()
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        recorded = pool.submit(rehearsal.tracks)
        latest_last = KITS[::-1]  # as the first page shows them
        begun = [pool.map(_synthesise, [kit] * len(kit.pads), kit.pads) for kit in latest_last]
        for kit, synthesised in zip(latest_last, begun, strict=True):
            keys = {}
            for pad, files in zip(kit.pads, synthesised, strict=True):
                for key, data in files.items():
                    keys[_receive(batch, kit, pad, key, data)] = key
            for _ in import_files(batch.pk):
                pass
            found = (
                ImportFile.objects.filter(batch=batch, pk__in=keys).select_related("sample").defer("sample__overview")
            )
            _lay_out(kit, {keys[file.pk]: file.sample for file in found})
            yield f"{kit.name}: {len(keys)} samples on {len(kit.pads)} pads"
    with transaction.atomic():
        for part in parts():
            add_part(part)
    batch.delete()
    yield _record(recorded.result())
    yield "Three parts: " + ", ".join(part.name for part in parts())


def _record(tracks: Mapping[str, np.ndarray]) -> str:
    """The rehearsal recording, listened to."""
    files = [
        SimpleUploadedFile(name, _wav(audio.T, "PCM_16")) for name, audio in tracks.items()
    ]  # fmt: skip
    recording = take_in(rehearsal.NAME, files)
    recording.job = Job.objects.create(work=WORK, subject_id=recording.pk, state=Job.State.DONE, queue="imports")
    recording.save(update_fields=["job"])
    for _ in find_hits(recording.pk):
        pass
    return f"A recording of seven microphones: {rehearsal.NAME}"


def _synthesise(kit: KitPlan, pad: PadPlan) -> dict[Key, bytes]:
    """Every file of a pad as WAV bytes, scaled so that its hardest hit peaks at -4 dBFS."""
    number = kit.pads.index(pad)
    room = Room() if kit.has_room else None
    hits = {}
    for layer in range(pad.layers):
        force = (layer + 1) / pad.layers
        for take in range(pad.takes):
            rng = np.random.default_rng([kit.seed, number, layer, take])
            sign = -1 if (layer, take) == pad.turned else 1
            hits[layer, take] = sign * strike(pad.voice, force * (1 + 0.02 * rng.standard_normal()), rng)
    gain = 10 ** (-4 / 20) / max(np.abs(hits[pad.layers - 1, take]).max() for take in range(pad.takes))
    files = {}
    for (layer, take), dry in hits.items():
        heard = through_mics(dry * gain, pad.voice, room, LEAD_MS)
        for mic, sound in heard.items():
            files[pad.piece, pad.pad, layer, take, mic] = _wav(sound)
    return files


def _wav(audio: np.ndarray, subtype: str = "PCM_24") -> bytes:
    file = io.BytesIO()
    soundfile.write(file, audio.T.astype(np.float32), RATE_HZ, subtype, format="WAV")
    return file.getvalue()


def _receive(batch: Import, kit: KitPlan, pad: PadPlan, key: Key, data: bytes) -> int:
    piece, articulation, layer, take, mic = key
    stem = "_".join(filter(None, [piece, articulation])).lower().replace(" ", "_").replace("'", "")
    folder = f"{kit.name}/{' '.join(filter(None, [piece, articulation]))}" + (f"/{mic}" if kit.has_room else "")
    name = f"{stem}_v{layer + 1}_r{take + 1}.wav"
    stored = receive(lambda file: file.write(data))
    return ImportFile.objects.create(batch=batch, name=name, folder=folder, stored_as=stored, state=State.WAITING).pk


@transaction.atomic
def _lay_out(plan: KitPlan, samples: dict[Key, Sample]) -> None:
    kit = Kit.objects.create(name=plan.name, seed=plan.seed)
    main = Output.objects.create(kit=kit, name="Main", position=0)
    names = list(dict.fromkeys(pad.output for pad in plan.pads if pad.output)) + [ROOM] * plan.has_desk
    outputs = {name: Output.objects.create(kit=kit, name=name, position=n) for n, name in enumerate(names, start=1)}
    if plan.has_desk:
        _set_desk(kit, outputs)
    mics = {
        name: Mic.objects.create(
            kit=kit,
            name=name,
            gain_db=gain_db,
            follows_pan=follows,
            is_ambience=not follows,
            position=position,
            output=None if follows else outputs.get(name.title(), main),
        )
        for position, (name, gain_db, follows) in enumerate(MICS if plan.has_room else MICS[:1])
    }
    default = Map.objects.create(kit=kit, name="Standard drum notes", is_default=True)
    letters = dict.fromkeys(pad.choke for pad in plan.pads if pad.choke)
    chokes = {letter: ChokeGroup.objects.create(kit=kit, letter=letter) for letter in letters}
    pieces: dict[str, Piece] = {}
    for position, planned in enumerate(plan.pads):
        if planned.piece not in pieces:
            own = [pad for pad in plan.pads if pad.piece == planned.piece]
            pieces[planned.piece] = Piece.objects.create(
                kit=kit,
                name=planned.piece,
                position=10 * position,
                pan=planned.pan,
                shared_by="pedal" if any(pad.open_to is not None for pad in own) else "",
                grab_from=GRABBED_FROM if any(pad.played_by == "grab" for pad in own) else None,
            )
        pad = Pad.objects.create(
            kit=kit,
            piece=pieces[planned.piece],
            name=planned.pad,
            kind=planned.kind,
            position=10 * position,
            choke=chokes.get(planned.choke),
            output=outputs.get(planned.output),
            open_to=planned.open_to,
            played_by=planned.played_by,
            rotation=planned.rotation,
            dynamics=LAYERED_DYNAMICS if planned.layers > 1 else 1.0,
        )
        MapNote.objects.create(map=default, note=planned.note, pad=pad)
        _fill(pad, planned, samples, mics)


def _set_desk(kit: Kit, outputs: Mapping[str, Output]) -> None:
    """The drums on one handle and thickened by a parallel bus, the kick in the middle."""
    drums = OutputGroup.objects.create(kit=kit, name="Drums", position=0, colour="A")
    for name, settings in DESK_OUTPUTS.items():
        Output.objects.filter(pk=outputs[name].pk).update(group=drums, **settings)
    Kit.objects.filter(pk=kit.pk).update(
        parallel_is_on=True, parallel_threshold_db=-30, parallel_gain_db=-6, master_db=-3
    )


def _fill(pad: Pad, planned: PadPlan, samples: dict[Key, Sample], mics: dict[str, Mic]) -> None:
    for number, high in enumerate(split_evenly(planned.layers)):
        layer = Layer.objects.create(pad=pad, high=high)
        for position in range(planned.takes):
            heard = {mic: samples[planned.piece, planned.pad, number, position, mic] for mic in mics}
            start = heard["close"].onset_frame
            take = Take.objects.create(layer=layer, position=position, start_frame=start)
            TakeSample.objects.bulk_create(
                [TakeSample(take=take, mic=mics[mic], sample=sample) for mic, sample in heard.items()]
            )
