"""Take back a copy of the database: without a name, say which there are."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from dactyl.core.errors import KitError
from dactyl.keeping import database
from dactyl.keeping.lock import hold_folder


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("copy", nargs="?", help="the name of a copy, its path, or `latest`")

    def handle(self, *, copy: str | None, **options: Any) -> None:
        found = database.copies()
        if copy is None:
            for path in found:
                self.stdout.write(f"{path.name}  {path.stat().st_size >> 10:,} KB")
            self.stdout.write("manage.py restore NAME takes one back." if found else "There are no copies yet.")
            return
        chosen = self._chosen(copy, found)
        with hold_folder("restores"):
            try:
                kept = database.restore(chosen)
            except KitError as problem:
                raise CommandError(str(problem)) from None
        self.stdout.write(f"{chosen.name} is the database now." + (f" What was there is {kept}" if kept else ""))

    def _chosen(self, copy: str, found: list[Path]) -> Path:
        if copy == "latest" and found:
            return found[0]
        for path in (*found, Path(copy)):
            if copy in (path.name, path.stem, str(path)) and path.is_file():
                return path
        raise CommandError(f"There is no copy “{copy}”. Without a name, manage.py restore says which there are.")
