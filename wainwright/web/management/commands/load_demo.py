"""Loads the demo world."""

import time

from django.conf import settings
from django.core.management.base import BaseCommand

from demo import load
from wainwright.people.models import Firm
from wainwright.people.selectors import demo_people


class Command(BaseCommand):
    """Loads the demo world into an empty database, and says who can sign in."""

    help = "Load the demo world into an empty database."

    def handle(self, *args, **options):
        """Load once; a second call only says who can sign in."""
        if not Firm.objects.exists():
            begun = time.monotonic()
            load.load()
            self.stdout.write(f"The demo world was loaded in {time.monotonic() - begun:.1f} s.")
            first, last = load.tour_days()
            self.stdout.write(f"The tour of the README travels from {first:%A %d %B %Y} to {last:%A %d %B}.")
            for path in load.write_papers(settings.VAR / "tour", first):
                self.stdout.write(f"Paper of the tour: {path}")
        self.stdout.write(f"Who can sign in, all with the password {load.PASSWORD}:")
        for member in demo_people():
            self.stdout.write(f"  {member.person.email:<40} {member.job}, {member.firm.name}")
