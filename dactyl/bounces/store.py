"""Where the files of a bounce lie."""

import shutil
from pathlib import Path

from django.conf import settings
from django.db import transaction

from dactyl.bounces.models import Bounce


def folder_of(bounce: Bounce) -> Path:
    return settings.DATA / "bounces" / str(bounce.pk)


def fresh_partial(bounce: Bounce) -> Path:
    """An empty folder to bounce into; what a killed run left is deleted."""
    partial = folder_of(bounce).with_suffix(".part")
    shutil.rmtree(partial, ignore_errors=True)
    partial.mkdir(parents=True)
    return partial


def forget(folder: Path) -> None:
    shutil.rmtree(folder, ignore_errors=True)
    shutil.rmtree(folder.with_suffix(".part"), ignore_errors=True)


def forget_of(instance: Bounce, **kwargs: object) -> None:
    """However a bounce goes, alone or with its kit, its files go, once that is sure."""
    folder = folder_of(instance)
    transaction.on_commit(lambda: forget(folder))


def sweep() -> None:
    """Delete the folders of bounces that are gone."""
    known = {str(key) for key in Bounce.objects.values_list("pk", flat=True)}
    for folder in (settings.DATA / "bounces").glob("*"):
        if folder.stem not in known:
            shutil.rmtree(folder, ignore_errors=True)


def files_of(bounce: Bounce) -> list[Path]:
    """Every file of a finished bounce, stems first."""
    stems = [folder_of(bounce) / stem.file for stem in bounce.stems.all()]
    return stems + sorted(path for path in folder_of(bounce).iterdir() if path not in stems)
