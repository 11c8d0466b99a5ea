"""Loads the demo world."""

import gc
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.db import connection

from demo import empty, load
from wainwright.people.models import Firm
from wainwright.people.selectors import demo_people


@contextmanager
def _in_one_go() -> Iterator[None]:
    """What is done within is whole or begun anew: nothing waits for the disk before its end, and what it leaves behind is not
    looked for, which takes a tenth of the time; this process lets go of it when it ends.
    """
    gc.disable()
    with connection.cursor() as cursor:
        if connection.vendor == "sqlite":
            cursor.execute("PRAGMA synchronous=OFF")
        yield
        if connection.vendor == "sqlite":
            cursor.execute("PRAGMA synchronous=FULL")
            # Written back, all of it, and waited for.
            cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    gc.enable()


class Command(BaseCommand):
    """Loads the demo world into an empty database, and says who can sign in."""

    help = "Load the demo world into an empty database."

    def add_arguments(self, parser):
        """What else is done in the same breath."""
        parser.add_argument(
            "--from-nothing", action="store_true", help="make the database and the static files as well"
        )
        parser.add_argument(
            "--write-empty", action="store_true", help="make the empty database that ships anew, and no more"
        )

    def handle(self, *args, from_nothing=False, write_empty=False, **options):
        """Load once; a second call only says who can sign in."""
        if write_empty:
            self.stdout.write(f"{empty.FILE}: {empty.write():,} bytes")
            return
        if from_nothing:
            if connection.vendor == "sqlite":
                empty.lay(Path(connection.settings_dict["NAME"]))
            call_command("migrate", verbosity=0)
            call_command("collectstatic", interactive=False, verbosity=0)
        unfinished = settings.VAR / "demo-unfinished"
        if Firm.objects.exists():
            if unfinished.exists():
                raise CommandError(
                    "The demo world was not loaded to its end the last time. make demo-fresh begins anew."
                )
        else:
            begun = time.monotonic()
            unfinished.touch()
            tour = settings.VAR / "tour"
            with _in_one_go():
                load.load(tour)
            unfinished.unlink()
            self.stdout.write(f"The demo world was loaded in {time.monotonic() - begun:.1f} s.")
            first, last = load.tour_days()
            self.stdout.write(f"The tour of the README travels from {first:%A %d %B %Y} to {last:%A %d %B}.")
            for path in sorted(tour.iterdir()):
                self.stdout.write(f"Paper of the tour: {path}")
        self.stdout.write(f"Who can sign in, all with the password {load.PASSWORD}:")
        for member in demo_people():
            self.stdout.write(f"  {member.person.email:<40} {member.job}, {member.firm.name}")
