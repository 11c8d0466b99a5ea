"""Loads the demo world."""

import time
from datetime import timedelta

from django.conf import settings
from django.core.management.base import BaseCommand

from demo import load
from wainwright import clock
from wainwright.people.models import Firm
from wainwright.people.selectors import demo_people


class Command(BaseCommand):
    """Loads the demo world into an empty database, and says who can sign in."""

    help = "Load the demo world into an empty database."

    def handle(self, *args, **options):
        """Load once; a second call only says who can sign in."""
        if not Firm.objects.exists():
            begun = time.monotonic()
            today = clock.today()
            load.load(today)
            self.stdout.write(f"The demo world was loaded in {time.monotonic() - begun:.1f} s.")
            first = today + timedelta(days=21 - today.weekday())
            for path in load.write_papers(settings.VAR / "tour", first):
                self.stdout.write(f"Paper of the tour: {path}")
        self.stdout.write(f"Who can sign in, all with the password {load.PASSWORD}:")
        for member in demo_people():
            self.stdout.write(f"  {member.person.email:<40} {member.job}, {member.firm.name}")
