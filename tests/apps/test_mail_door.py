"""The door for mails: known addresses alone, lines of any length, what is refused is said to the sender's server."""

import smtplib
import socket
from unittest import TestCase, mock

from tests.coverage import shows
from wainwright.web.management.commands import mail_door


@shows("R1.3")
class DoorTest(TestCase):
    same_on_any_day = True

    def setUp(self):
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.came: list[tuple[str, bytes]] = []
        for name, double in (("owner_of", lambda address: address if address.startswith("maren@") else None), ("_arrived", self.arrived)):  # fmt: skip
            patch = mock.patch.object(mail_door, name, double)
            patch.start()
            self.addCleanup(patch.stop)
        door = mail_door.Opened(mail_door.Door(), hostname="127.0.0.1", port=self.port)
        door.start()
        self.addCleanup(door.stop)

    def arrived(self, address: str, content: bytes) -> str:
        self.came.append((address, content))
        if b"busy" in content:
            return mail_door.BUSY
        return "taken" if b"good" in content else "the mail is damaged"

    def send(self, to: str, body: bytes) -> None:
        with smtplib.SMTP("127.0.0.1", self.port, timeout=60) as server:
            server.sendmail("shop@pier.example", [to], body)

    def test_a_page_in_one_line_comes_in_whole(self):
        page = b"<p>good " + b"x" * 5000 + b"</p>"
        self.send("maren@tray.example", b"Subject: Fwd\r\nContent-Type: text/html\r\n\r\n" + page)
        self.assertEqual(self.came[0][0], "maren@tray.example")
        self.assertIn(b"x" * 5000, self.came[0][1])

    def test_nobodys_address_and_damage_are_refused_to_the_sender(self):
        with self.assertRaises(smtplib.SMTPRecipientsRefused):
            self.send("nobody@tray.example", b"Subject: good\r\n\r\nhello")
        with self.assertRaisesRegex(smtplib.SMTPDataError, "451.*too many mails"):
            self.send("maren@tray.example", b"Subject: x\r\n\r\nbusy")
        with self.assertRaisesRegex(smtplib.SMTPDataError, "damaged"):
            self.send("maren@tray.example", b"Subject: bad\r\n\r\nhello")
        self.assertEqual(len(self.came), 2)
