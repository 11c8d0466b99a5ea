"""Says what failed."""

from django.core.management.base import BaseCommand

from wainwright.operating.models import Failure


class Command(BaseCommand):
    """Lists errors that nobody foresaw, the newest first."""

    help = "List the errors of the last 90 days that nobody foresaw, each place once; --drop forgets them."

    def add_arguments(self, parser):
        """Take how many."""
        parser.add_argument("--most", type=int, default=20)
        parser.add_argument("--drop", action="store_true", help="forget them, once they are mended")

    def handle(self, *args, **options):
        """Say each."""
        count = Failure.objects.count()
        for row in Failure.objects.order_by("-last")[: options["most"]]:
            self.stdout.write(
                f"{row.times} x, {row.first:%Y-%m-%d %H:%M} to {row.last:%Y-%m-%d %H:%M} UTC, request {row.request or 'none'}"
            )
            self.stdout.write(f"{row.says}\n{row.text}\n")
        self.stdout.write(f"{count} in all.")
        if options["drop"]:
            Failure.objects.all().delete()
