"""Proves the trail."""

from django.core.management.base import BaseCommand, CommandError

from wainwright.core.trail import unanchored
from wainwright.errors import Refusal
from wainwright.trail import anchors
from wainwright.trail.models import Entry
from wainwright.trail.selectors import check_chain, digests_of, last_entry


class Command(BaseCommand):
    """Checks the whole chain and every anchor, and names the first entry that does not fit."""

    help = "Check the whole trail against its anchors and name the first entry that does not fit."

    def add_arguments(self, parser):
        """Take lines that were kept elsewhere."""
        parser.add_argument("--line", action="append", default=[], help="a line that was mailed to an auditor")

    def handle(self, *args, **options):
        """Exit with an error when the chain is broken, or does not bear an anchor out."""
        broken = check_chain()
        if broken:
            raise CommandError(f"The trail breaks at entry {broken.number}: {broken.why}.")
        kept = anchors.lines()
        try:
            dropped = [anchors.read_line(line) for line in (*kept, *options["line"])]
        except Refusal as refusal:
            raise CommandError(refusal.message) from refusal
        missed = unanchored(dropped, last_entry()[0], digests_of(each.number for each in dropped))
        if missed:
            anchor, why = missed[0]
            more = f" {len(missed) - 1} more anchors say so." if len(missed) > 1 else ""
            raise CommandError(f"The trail is not what it was on {anchor.time:%d.%m.%Y at %H:%M} UTC: {why}.{more}")
        self.stdout.write(f"The trail holds: {Entry.objects.count()} entries, each follows the one before it.")
        held = Entry.objects.filter(held=True).count()
        if held:
            self.stdout.write(f"{held} of them are of firms that are not here: their hashes alone are held.")
        if kept:
            self.stdout.write(
                f"{len(kept)} anchors bear it out; the last one names entry {dropped[len(kept) - 1].number}."
            )
        elif Entry.objects.exists():
            self.stdout.write("No anchor is kept yet: whether its end was cut off cannot be told. See docs/operate.md.")
