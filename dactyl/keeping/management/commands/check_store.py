"""Check everything: the database, and every recording against its hash. Damage is marked on the shelf."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError

from dactyl.core.errors import KitError
from dactyl.core.units import counted
from dactyl.keeping import check_store, database
from dactyl.shelf.models import Sample


class Command(BaseCommand):
    help = __doc__

    def handle(self, **options: Any) -> None:
        try:
            database.check()
        except KitError as problem:
            raise CommandError(str(problem)) from None
        found = 0
        for finding in (*check_store.check_contents(), *check_store.check_folders()):
            self.stdout.write(finding)
            found += 1
        self.stdout.write(f"{counted(Sample.objects.count(), 'recording')} checked, {counted(found, 'finding')}.")
