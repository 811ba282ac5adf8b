"""Reads of kit files."""

import json
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass
from datetime import timedelta

from django.utils import timezone

from dactyl.core.formats.sf2.lost import Lost
from dactyl.jobs.models import Job
from dactyl.jobs.run import latest
from dactyl.kits.models import Kit, KitFile
from dactyl.shelf import store

FONT = "dactyl.kit_files.tasks.write_font"
FONTS_STAY = timedelta(days=1)


def held_files() -> set[str]:
    """Return the names of incoming files and folders of kit files that are not open yet, and of SoundFonts of the last day."""
    rows = KitFile.objects.filter(kit=None).exclude(stored_as="").values_list("pk", "stored_as")
    fonts = Job.objects.filter(work=FONT, created_at__gte=timezone.now() - FONTS_STAY).values_list(
        "subject_id", flat=True
    )
    return {name for pk, stored_as in rows for name in (stored_as, unpacked_name(pk))} | {
        name for pk in fonts for name in font_names(pk)
    }


def font_names(kit_id: int) -> tuple[str, str]:
    """Return the names of a kit's SoundFont among the incoming files, and of what is known of it."""
    return f"font-{kit_id}.sf2", f"font-{kit_id}.json"


@dataclass(frozen=True, slots=True)
class Font:
    """A kit as a SoundFont, as far as it is."""

    job: Job | None  # that is under way, or failed
    size_bytes: int = 0  # once it is written of the kit as it is now
    not_held: tuple[str, ...] = ()


def font_of(kit: Kit) -> Font:
    job = latest(FONT, kit.pk)
    if job is None or job.state != Job.State.DONE:
        return Font(job)
    file, about = (store.incoming_folder() / name for name in font_names(kit.pk))
    with suppress(OSError, ValueError):
        told = json.loads(about.read_text())
        if told["version"] == kit.version:
            return Font(None, file.stat().st_size, tuple(told["not_held"]))
    return Font(None)


def by_cause(sentences: Iterable[str]) -> list[str]:
    """Return sentences of the form ``Name: what.`` as one for all names of one cause; others as they are."""
    lost, others = Lost(), []
    for sentence in dict.fromkeys(sentences):
        name, colon, words = sentence.partition(": ")
        if colon:
            lost.add(name, words.rstrip("."))
        else:
            others.append(sentence)
    return [*others, *lost.sentences()]


def unpacked_name(kit_file_id: int) -> str:
    """Return the name of the folder in which a kit file is unpacked: the same at each try, so that a kill leaves one at most."""
    return f"kit-{kit_file_id}"
