"""Found a firm: from what is typed behind the command, or from a folder of files."""

from __future__ import annotations

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from wainwright.errors import Refusal
from wainwright.founding import folder, services
from wainwright.language import ENGLISH
from wainwright.staff.inviting import link_of


class Command(BaseCommand):
    """Found a firm, and print the link by which its administrator signs in for the first time."""

    help = "Found a firm with its first administrator, or read one from a folder (see docs/how-to/set-a-firm-up.md)."

    def add_arguments(self, parser):
        """What is typed behind it."""
        parser.add_argument(
            "--folder", help="A folder with firm.toml and, if you like, tables of people, codes, rates."
        )
        parser.add_argument(
            "--check", action="store_true", help="Say what is wrong with the folder, and change nothing."
        )
        parser.add_argument("--name", help="The firm's name.")
        parser.add_argument("--country", help="Two letters, as IE.")
        parser.add_argument("--currency", help="Three letters, as EUR.")
        parser.add_argument("--zone", help="As Europe/Dublin.")
        parser.add_argument("--language", default=ENGLISH, help="Of letters: en, nb or de.")
        parser.add_argument("--admin", help="The name of its first administrator.")
        parser.add_argument("--email", help="Their address for mail.")

    def handle(self, *args, **given):
        """Do it, or say what is missing."""
        try:
            if given["folder"]:
                faults, member = folder.take(Path(given["folder"]), only_look=given["check"])
                for fault in faults:
                    self.stderr.write(f"{fault.where}: {fault.words}")
                if faults:
                    raise CommandError(f"{len(faults)} wrong in the folder: nothing was changed.")
                if member is None:
                    self.stdout.write("Nothing is wrong with the folder.")
                    return
            else:
                missing = [
                    name for name in ("name", "country", "currency", "zone", "admin", "email") if not given[name]
                ]
                if missing:
                    raise CommandError(f"Type {', '.join(f'--{name}' for name in missing)} as well, or --folder.")
                data = services.FirmData(
                    given["name"], given["country"], given["currency"], given["zone"], language=given["language"]
                )
                member = services.found(data, given["admin"], given["email"])
        except Refusal as refusal:
            raise CommandError(refusal.message) from refusal
        self.stdout.write(f"{member.firm.name} is founded. Its administrator is {member.person.name}.")
        if not member.person.has_usable_password():
            self.stdout.write(f"They choose a password here, within three days:\n{link_of(member.person)}")
