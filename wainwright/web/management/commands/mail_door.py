"""The door for forwarded mails: a small SMTP server on this machine."""

from __future__ import annotations

import signal
import threading

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP
from asgiref.sync import sync_to_async
from django.conf import settings
from django.core.management.base import BaseCommand
from django.db import close_old_connections

from wainwright.expenses.services.mails import BUSY, arrived, owner_of
from wainwright.formats.mail import MOST_BYTES


def _arrived(address: str, content: bytes) -> str:
    close_old_connections()
    return arrived(address, content)


class Door:
    """Takes mails for addresses of trays alone; nothing is passed on to anybody else."""

    async def handle_RCPT(self, server, session, envelope, address, options):
        """Refuse an address at once that is nobody's."""
        if await sync_to_async(owner_of)(address) is None:
            return "550 nobody has this address"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server, session, envelope):
        """Take the mail for each address."""
        results = [await sync_to_async(_arrived)(address, envelope.content) for address in envelope.rcpt_tos]
        refused = [result for result in results if result != "taken"]
        if BUSY in refused:
            # Not for good: the sender's server tries again.
            return f"451 {BUSY}"
        return f"550 {refused[0][:200]}" if refused else "250 taken"


class Patient(SMTP):
    """Takes lines longer than the standard's 998 signs: the pages that shops send are often one line."""

    line_length_limit = MOST_BYTES


class Opened(Controller):
    """The door as a server in a thread of its own."""

    def factory(self):
        """Answer one caller."""
        return Patient(self.handler, data_size_limit=MOST_BYTES, hostname="wainwright", decode_data=False)


class Command(BaseCommand):
    """Run the door until it is ended."""

    help = "Take forwarded mails by SMTP (see WAINWRIGHT_MAIL_HOST and WAINWRIGHT_MAIL_PORT)."

    def handle(self, *args, **options):
        """Open the door and wait."""
        host, port = settings.MAIL_DOOR
        controller = Opened(Door(), hostname=host, port=port)
        controller.start()
        ended = threading.Event()
        for name in (signal.SIGINT, signal.SIGTERM):
            signal.signal(name, lambda *_: ended.set())
        self.stdout.write(f"Mails to NAME@{settings.MAIL_DOMAIN} are taken at {host}:{port}.")
        ended.wait()
        controller.stop()
