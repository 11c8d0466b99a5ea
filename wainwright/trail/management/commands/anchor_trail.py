"""Drops an anchor of the trail by hand, or after a backup was put back."""

from django.core.management.base import BaseCommand

from wainwright.trail import anchors


class Command(BaseCommand):
    """Writes the newest entry's hash to the file of anchors and mails it to the auditors."""

    help = "Keep the newest hash of the trail outside the database, and mail it to the auditors."

    def add_arguments(self, parser):
        """Take why a backup was put back."""
        parser.add_argument("--after-restoring", default="", metavar="WORDS", help="a backup was put back, and why")

    def handle(self, *args, **options):
        """Write the line, and print it."""
        words = options["after_restoring"]
        self.stdout.write(anchors.after_restoring(words) if words else anchors.drop("by hand"))
