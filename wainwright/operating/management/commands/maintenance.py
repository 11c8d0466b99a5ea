"""Shows a page instead of the application while it is worked on, and takes it away again."""

import json

from django.conf import settings
from django.core.management.base import BaseCommand


class Command(BaseCommand):
    """Puts the page up or takes it down, on this machine."""

    help = "Show everybody a page that says nothing can be done for a while (on), or take it away (off). On each machine by itself."
    requires_system_checks = []

    def add_arguments(self, parser):
        """Take what to do, and what to say."""
        parser.add_argument("what", choices=["on", "off"])
        parser.add_argument("--words", default="", help="what is being done, for people")
        parser.add_argument("--until", default="", help="by when it should be back, as people say it")

    def handle(self, *args, **options):
        """Do it, and say so."""
        if options["what"] == "on":
            settings.MAINTENANCE.write_text(
                json.dumps({"words": options["words"][:400], "until": options["until"][:60]})
            )
            self.stdout.write("Everybody sees that page now. manage.py maintenance off takes it away.")
        else:
            settings.MAINTENANCE.unlink(missing_ok=True)
            self.stdout.write("The application is back.")
