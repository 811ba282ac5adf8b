"""Make the database ready for this version of Dactyl: checked first, copied before its tables change."""

import sqlite3
from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

from dactyl.core.errors import KitError
from dactyl.keeping import database
from dactyl.keeping.lock import hold_folder
from dactyl.shelf.edits import hear_again


class Command(BaseCommand):
    help = __doc__

    def handle(self, **options: Any) -> None:
        with hold_folder("prepares"):
            try:
                database.check()
            except KitError as problem:
                raise CommandError(str(problem)) from None
            if not database.database_path().exists():
                database.create()
            elif database.is_behind():
                self.stdout.write(f"Before its tables change, the database is copied to {self._copy()}")
                call_command("migrate", verbosity=0)
                hear_again()

    def _copy(self) -> Path:
        try:
            return database.copy_now("before")
        except (OSError, sqlite3.Error) as problem:
            raise CommandError(
                f"The database can't be copied before its tables change ({problem}). Make room; nothing was touched."
            ) from None
