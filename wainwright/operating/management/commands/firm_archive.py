"""Writes everything of a firm to a file."""

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from wainwright.errors import Refusal
from wainwright.operating.whole_firm import write
from wainwright.people.models import Firm


class Command(BaseCommand):
    """Writes a firm's archive."""

    help = "Write everything of a firm to a ZIP of open formats."

    def add_arguments(self, parser):
        """Take which firm, and where to."""
        parser.add_argument("firm", help="its short name")
        parser.add_argument("file", type=Path)

    def handle(self, *args, **options):
        """Write it, and say what is in it."""
        firm = Firm.objects.filter(slug=options["firm"]).first()
        if firm is None:
            raise CommandError(
                f"No firm is called {options['firm']}. There are: {', '.join(Firm.objects.values_list('slug', flat=True))}"
            )
        try:
            with options["file"].open("xb") as target:
                said = write(firm, target)
        except FileExistsError as error:
            raise CommandError(f"{options['file']} is there already; name another file.") from error
        except Refusal as refusal:
            raise CommandError(refusal.message) from refusal
        rows = sum(each["rows"] for each in said["tables"].values())
        self.stdout.write(
            f"{rows} rows of {len(said['tables'])} tables, {len(said['papers'])} papers, {said['trail']['entries']} acts."
        )
        if said["missing"]:
            raise CommandError(
                f"{len(said['missing'])} papers are missing on this machine: {', '.join(said['missing'][:20])}"
            )
