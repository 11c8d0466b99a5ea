"""Puts a set of a backup back."""

from pathlib import Path

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.db import DatabaseError

from wainwright.errors import Refusal
from wainwright.operating import sets
from wainwright.people.models import Firm
from wainwright.trail import anchors


class Command(BaseCommand):
    """Restores a set, here or (``--try``) beside the installation."""

    help = "Put a set of a backup back: database and files. --try restores it beside the installation and compares."
    requires_system_checks = []

    def add_arguments(self, parser):
        """Take which set, and how."""
        parser.add_argument("set", type=Path, help="a folder below 'sets' of a backup")
        parser.add_argument(
            "--try", action="store_true", help="restore it beside the installation, compare, and change nothing"
        )
        parser.add_argument("--over", action="store_true", help="in the place of what is here, which is lost")
        parser.add_argument("--why", default="", help="why it is put back, for the trail and the auditors")

    def handle(self, *args, **options):
        """Restore, and say what came of it."""
        try:
            if options["try"]:
                wrong = sets.check(options["set"])
                if wrong:
                    raise CommandError(f"The set is not what was kept: {'; '.join(wrong[:20])}")
                self.stdout.write("The set is whole: rows, sums, trail and files are what they were.")
                return
            if _has_firms() and not options["over"]:
                raise CommandError("There is a firm here. Whoever means to lose what is here says --over.")
            if _has_firms() and not options["why"]:
                raise CommandError("Say why with --why: it stands in the trail and goes to the auditors.")
            counted = sets.put_back(options["set"])
        except Refusal as refusal:
            raise CommandError(refusal.message) from refusal
        # The set may be of an older version than the programme.
        call_command("migrate", verbosity=0)
        anchors.after_restoring(options["why"] or "put back into an empty installation")
        call_command("verify_trail", stdout=self.stdout)
        self.stdout.write(f"Put back: {sum(counted.rows.values())} rows, the trail up to entry {counted.entries}.")


def _has_firms() -> bool:
    try:
        return Firm.objects.exists()
    except DatabaseError:
        # Nothing was ever made here.
        return False
