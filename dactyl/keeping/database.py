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
JOURNALS = ("", "-wal", "-shm")  # together they are the database, also a damaged one
WITHOUT_ROOM = {sqlite3.SQLITE_FULL, sqlite3.SQLITE_CANTOPEN, sqlite3.SQLITE_IOERR}
"""What SQLite says where it has no room for the files that it needs beside a good database."""
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
        with closing(_reading(path)) as base:
            found = base.execute("PRAGMA quick_check(1)").fetchone()[0]
            tables = {name for (name,) in base.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            applied = (
                base.execute("SELECT app, name FROM django_migrations").fetchall()
                if "django_migrations" in tables
                else []
            )
    except sqlite3.DatabaseError as problem:
        if problem.sqlite_errorcode & 0xFF in WITHOUT_ROOM:
            raise KitError(f"The database {path} can't be read now ({problem}). Is the disk full? Make room.") from None
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

    The copy stands whole and checked beside the database before anything of that is touched; from then on only names
    change. raises : KitError, with what is wrong; then nothing was touched
    """
    check(copy)
    path = database_path()
    partial = path.with_suffix(".part")
    try:
        partial.unlink(missing_ok=True)
        with closing(_reading(copy)) as source, closing(sqlite3.connect(partial)) as target:
            source.backup(target)
        with partial.open("rb") as file:
            os.fsync(file.fileno())
        check(partial)
        kept = _keep_beside(path)
        partial.replace(path)
    except (OSError, sqlite3.Error) as problem:
        raise KitError(
            f"{copy.name} can't be taken back ({_reason(problem)}). Make room; nothing was touched."
        ) from None
    finally:
        with suppress(OSError):
            partial.unlink(missing_ok=True)
    return kept


def _keep_beside(path: Path) -> Path | None:
    """Names of the database among the copies, which cost no room; then its own journal goes, for it is not of the copy."""
    if not path.exists():
        kept = None
    else:
        kept = copies_folder() / f"{datetime.now():%Y-%m-%d-%H%M%S}.replaced"
        kept.parent.mkdir(parents=True, exist_ok=True)
        for ending in JOURNALS:
            with suppress(FileNotFoundError):
                os.link(path.with_name(path.name + ending), kept.with_name(kept.name + ending))
    for ending in JOURNALS[1:]:
        path.with_name(path.name + ending).unlink(missing_ok=True)
    return kept


def _reading(path: Path) -> sqlite3.Connection:
    """A database that is only read, without files beside it: no room is needed. One that has a journal needs it."""
    how = "mode=ro" if path.with_name(f"{path.name}-wal").exists() else "immutable=1"
    return sqlite3.connect(f"{path.absolute().as_uri()}?{how}", uri=True)


def _reason(problem: Exception) -> str:
    return (problem.strerror if isinstance(problem, OSError) else "") or str(problem)
