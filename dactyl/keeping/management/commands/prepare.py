"""Make the database ready for this version of Dactyl: checked first, copied before its tables change."""

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

from dactyl.core.errors import KitError
from dactyl.keeping import database
from dactyl.shelf.edits import hear_again


class Command(BaseCommand):
    help = __doc__

    def handle(self, **options: Any) -> None:
        try:
            database.check()
        except KitError as problem:
            raise CommandError(str(problem)) from None
        if not database.database_path().exists():
            database.create()
        elif database.is_behind():
            self.stdout.write(f"Before its tables change, the database is copied to {database.copy_now('before')}")
            call_command("migrate", verbosity=0)
            hear_again()
