"""Exchange rates for every firm, from a file or from the table that ships with the application."""

from __future__ import annotations

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from wainwright import clock
from wainwright.formats.problems import Unreadable
from wainwright.formats.rate_table import shipped_table
from wainwright.rulebook.rates import keep_rates


class Command(BaseCommand):
    """Take rates in; a second time changes nothing."""

    help = (
        "Take in exchange rates for every firm: a file as the European Central Bank publishes it, or the one shipped."
    )

    def add_arguments(self, parser):
        """A file, or none for the shipped table."""
        parser.add_argument("file", nargs="?", help="CSV or ZIP; none: the table that ships")

    def handle(self, *args, **options):
        """Read, keep, and say what became of it."""
        named = options["file"]
        try:
            content = Path(named).read_bytes() if named else shipped_table()
            done = keep_rates(
                None, Path(named).name[-60:] if named else "ECB reference rates", content, clock.today("UTC")
            )
        except (OSError, Unreadable) as error:
            raise CommandError(str(error)) from error
        self.stdout.write(f"{done.new} rates are new, {done.known} were known.")
        for each in (*done.different[:20], *(f"{left.where}: {left.why}" for left in done.left[:20])):
            self.stdout.write(f"left as it was: {each}")
