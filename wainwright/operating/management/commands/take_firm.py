"""Takes a firm in from its archive."""

from pathlib import Path

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

from wainwright.errors import Refusal
from wainwright.operating.whole_firm import take_in


class Command(BaseCommand):
    """Takes a firm in, into an installation that has none."""

    help = "Take a firm in from the archive that manage.py firm_archive or the page of another installation gave."

    def add_arguments(self, parser):
        """Take the file."""
        parser.add_argument("file", type=Path)

    def handle(self, *args, **options):
        """Take it in, and say what came of it."""
        try:
            with options["file"].open("rb") as source:
                firm, found = take_in(source)
        except FileNotFoundError as error:
            raise CommandError(f"There is no file {options['file']}.") from error
        except Refusal as refusal:
            raise CommandError(refusal.message) from refusal
        call_command("rebuild_spending", firm.slug, stdout=self.stdout)
        self.stdout.write(
            f"{firm.name} is here: {found['rows']} rows, {found['papers']} papers; every sum is the archive's, and its trail holds."
        )
        if found["missing"]:
            self.stdout.write(f"{len(found['missing'])} papers were missing already when the archive was made.")
        self.stdout.write(
            "People choose a password anew from the sign-in page. Name the ledger, bank and rates of this installation: docs/operate.md."
        )
