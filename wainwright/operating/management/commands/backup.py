"""Backs up the database and its files as one set, while they are in use."""

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from wainwright.errors import Refusal
from wainwright.operating import beats, sets
from wainwright.trail import anchors


class Command(BaseCommand):
    """Makes a set, and with ``--check`` restores it beside the installation."""

    help = "Copy database and files to a folder as one set, while people work; --check restores it beside the installation and compares."

    def add_arguments(self, parser):
        """Take where to, and what else."""
        parser.add_argument("folder", type=Path)
        parser.add_argument("--check", action="store_true", help="restore the set beside the installation and compare")
        parser.add_argument("--keep", type=int, default=0, metavar="N", help="then delete all but the newest N sets")

    def handle(self, *args, **options):
        """Copy, check the copy, and say so."""
        # First the anchor, so that the copy bears it out.
        line = anchors.drop("backup")
        try:
            made = sets.make(options["folder"], line)
            wrong = sets.check(made.folder) if options["check"] else []
        except Refusal as refusal:
            raise CommandError(refusal.message) from refusal
        self.stdout.write(
            f"{made.folder}: the database, and {len(made.files)} files that it names, {made.new} of them new."
        )
        if made.missing:
            raise CommandError(f"{len(made.missing)} files are missing on this machine: {', '.join(made.missing[:20])}")
        if wrong:
            raise CommandError(f"The set was restored and is not what was kept: {'; '.join(wrong[:20])}")
        if options["check"]:
            self.stdout.write("It was restored beside the installation: rows, sums, trail and files are the same.")
        beats.done("backup")
        if options["keep"]:
            gone = sets.forget(options["folder"], max(options["keep"], 1))
            self.stdout.write(f"{len(gone)} older sets were deleted.")
