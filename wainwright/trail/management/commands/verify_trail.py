"""Proves the trail."""

from django.core.management.base import BaseCommand, CommandError

from wainwright.trail.models import Entry
from wainwright.trail.selectors import check_chain


class Command(BaseCommand):
    """Checks the whole chain and names the first entry that does not fit."""

    help = "Check the whole trail and name the first entry that does not fit."

    def handle(self, *args, **options):
        """Exit with an error when the chain is broken."""
        broken = check_chain()
        if broken:
            raise CommandError(f"The trail breaks at entry {broken.number}: {broken.why}.")
        self.stdout.write(f"The trail holds: {Entry.objects.count()} entries, each follows the one before it.")
