"""Proves a part of the trail that was taken along."""

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from wainwright.errors import Refusal
from wainwright.operating.trail_export import check


class Command(BaseCommand):
    """Checks a file that the page of the trail gave."""

    help = "Prove a part of the trail that was taken from here: its signature, its chain, each act, and that they still stand here."

    def add_arguments(self, parser):
        """Take the file."""
        parser.add_argument("file", type=Path)

    def handle(self, *args, **options):
        """Say that it holds, or where not."""
        try:
            with options["file"].open("rb") as source:
                said = check(source)
        except FileNotFoundError as error:
            raise CommandError(f"There is no file {options['file']}.") from error
        except Refusal as refusal:
            raise CommandError(refusal.message) from refusal
        self.stdout.write(
            f"It holds: {said['own']} acts of {said['firm']}, entries {said['first']} to {said['last']}, taken {said['taken']}."
        )
