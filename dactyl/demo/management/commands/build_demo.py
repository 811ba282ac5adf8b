"""Build The Salt Ferry, once; a second time it finds everything as it was."""

import time
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from dactyl.demo.build import build
from dactyl.kits.models import Kit


class Command(BaseCommand):
    help = __doc__

    def handle(self, **options: Any) -> None:
        built = settings.DATA / "demo-built"
        if built.exists():
            return
        begun = time.monotonic()
        self.stdout.write("Building the demo, The Salt Ferry …")
        Kit.objects.filter(
            name__in=["Ferry House", "Engine Deck", "Ticket Machine"], journal__version=1
        ).delete()  # half built
        for line in build():
            self.stdout.write(f"  {line}")
            self.stdout.flush()
        built.touch()
        self.stdout.write(f"  built in {time.monotonic() - begun:.0f} s")
