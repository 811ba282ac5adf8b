"""The database as a file: whether it can be used, its daily copies, and taking one back.

Copies are made by SQLite's own online backup (https://www.sqlite.org/backup.html), so what is written meanwhile is in
the copy whole or not at all.
"""

import os
import sqlite3
from contextlib import closing, suppress
from datetime import date, datetime
from pathlib import Path

from django.apps import apps
from django.conf import settings
from django.core.management import call_command
from django.db import connection
from django.db.migrations.loader import MigrationLoader

from dactyl.core.errors import KitError

COPIES_KEPT = 7
ADVICE = "`manage.py restore` takes back one of the daily copies; nothing was touched."


def database_path() -> Path:
    return Path(settings.DATABASES["default"]["NAME"])


def copies_folder() -> Path:
    return settings.DATA / "copies"


def copies() -> list[Path]:
    """The copies of the database, the latest first."""
    return sorted(copies_folder().glob("*.sqlite3"), reverse=True)


def check(path: Path | None = None) -> None:
    """See that a database can be used, without changing it. raises : KitError, with what is wrong and what to do"""
    path = path or database_path()
    if not path.exists():
        _refuse_beside_samples(path)
        return
    if not path.is_file() or not os.access(path, os.R_OK | os.W_OK) or not os.access(path.parent, os.W_OK):
        raise KitError(f"{path} can't be written. Give yourself the right to write it, and its folder.")
    try:
        with closing(sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True)) as base:
            found = base.execute("PRAGMA quick_check(1)").fetchone()[0]
            tables = {name for (name,) in base.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            applied = (
                base.execute("SELECT app, name FROM django_migrations").fetchall()
                if "django_migrations" in tables
                else []
            )
    except sqlite3.DatabaseError as problem:
        raise KitError(f"The database {path} is damaged ({problem}). {ADVICE}") from None
    if found != "ok":
        raise KitError(f"The database {path} is damaged ({found.splitlines()[-1]}). {ADVICE}")
    if not tables:
        _refuse_beside_samples(path)
    elif not applied:
        raise KitError(f"{path} is not a database of Dactyl. Move it away, or set DACTYL_DATA to another folder.")
    _refuse_newer(path, applied)


def _refuse_beside_samples(path: Path) -> None:
    if any((settings.DATA / "samples").glob("*/*")):
        raise KitError(
            f"There are samples in {settings.DATA}, but the database {path.name} is missing or empty. {ADVICE}"
        )


def _refuse_newer(path: Path, applied: list[tuple[str, str]]) -> None:
    loader = MigrationLoader(None)
    replaced = {key for migration in loader.disk_migrations.values() for key in migration.replaces}
    unknown = [key for key in applied if key not in loader.disk_migrations and key not in replaced]
    if unknown := [f"{app} {name}" for app, name in unknown if app in loader.migrated_apps]:
        raise KitError(
            f"The database {path} was written by a newer Dactyl ({unknown[0]}). Use that one; nothing was touched."
        )


def create() -> None:
    """Make a database from the models at once, where the migrations of all versions take thirty times as long."""
    path = database_path()
    partial = path.with_suffix(".part")  # whole, or not there at all
    partial.unlink(missing_ok=True)
    connection.close()
    connection.settings_dict["NAME"] = partial
    try:
        settings.MIGRATION_MODULES = {app.label: None for app in apps.get_app_configs()}
        call_command("migrate", run_syncdb=True, verbosity=0)
        settings.MIGRATION_MODULES = {}
        call_command("migrate", fake=True, verbosity=0)
    finally:
        connection.close()
        connection.settings_dict["NAME"] = path
    partial.replace(path)


def is_behind() -> bool:
    """Whether this version of Dactyl has changes of the tables that the database has not."""
    loader = MigrationLoader(connection)
    return any(key not in loader.applied_migrations for key in loader.graph.nodes)


def copy_now(why: str = "") -> Path:
    """Copy the database as it is at this moment."""
    folder = copies_folder()
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{datetime.now():%Y-%m-%d-%H%M%S}{why and '-' + why}.sqlite3"
    partial = path.with_suffix(".part")
    try:
        with closing(sqlite3.connect(database_path())) as source, closing(sqlite3.connect(partial)) as target:
            source.backup(target, pages=1000, sleep=0.01)
        partial.replace(path)
    finally:
        partial.unlink(missing_ok=True)
    return path


def copy_daily() -> Path | None:
    """Copy the database unless that was done today; the oldest of more than seven days' copies go."""
    daily = [path for path in copies() if path.stem.count("-") == 3]
    if daily and daily[0].name.startswith(f"{date.today():%Y-%m-%d}"):
        return None
    made = copy_now()
    for old in daily[COPIES_KEPT - 1 :]:
        old.unlink(missing_ok=True)
    return made


def restore(copy: Path) -> Path | None:
    """Put a copy in the database's place; returns where what was there is kept. Call it while nothing serves.

    raises : KitError for a copy that can't be used; then nothing was touched
    """
    check(copy)
    path = database_path()
    kept = copies_folder() / f"{datetime.now():%Y-%m-%d-%H%M%S}.replaced" if path.exists() else None
    for ending in ("", "-wal", "-shm"):  # together they are the database, also a damaged one
        found = path.with_name(path.name + ending)
        if kept:
            kept.parent.mkdir(parents=True, exist_ok=True)
            with suppress(FileNotFoundError):
                found.replace(kept.with_name(kept.name + ending))
        else:
            found.unlink(missing_ok=True)  # of no database, and not of the copy
    partial = path.with_suffix(".part")
    with closing(sqlite3.connect(copy)) as source, closing(sqlite3.connect(partial)) as target:
        source.backup(target)
    partial.replace(path)
    return kept
