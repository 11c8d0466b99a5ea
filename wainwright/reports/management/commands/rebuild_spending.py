"""Build the read model of spending anew."""

from django.core.management.base import BaseCommand, CommandError

from wainwright.people.models import Firm
from wainwright.reports.following import rebuild


class Command(BaseCommand):
    """``manage.py rebuild_spending [firm …]``: of the firms named by their short names, else of all."""

    help = "Build the read model of spending anew from trips, claims and costs."

    def add_arguments(self, parser):
        """Take the firms."""
        parser.add_argument("firm", nargs="*")

    def handle(self, *args, **options):
        """Rebuild one firm after another."""
        firms = Firm.objects.order_by("pk")
        unknown = set(options["firm"]) - set(firms.values_list("slug", flat=True))
        if unknown:
            raise CommandError(f"There is no firm {', '.join(sorted(unknown))}.")
        for firm in firms.filter(slug__in=options["firm"]) if options["firm"] else firms:
            self.stdout.write(f"{firm.slug}: {rebuild(firm)} lines")
