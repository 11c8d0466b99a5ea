"""What strangers send is opened apart, within bounds; and nothing that is read takes more than in proportion to its length."""

import contextlib
import importlib
import os
import pickle
import subprocess
import time
from collections.abc import Callable
from datetime import date, datetime
from unittest import TestCase, mock

from tests.formats.samples import mail
from wainwright.core.matching import plain_merchant
from wainwright.core.text import clean, one_line
from wainwright.formats import apart as place
from wainwright.formats.apart import TOO_LARGE, TOO_LONG, WORK, apart
from wainwright.formats.bank_text import bank_text
from wainwright.formats.counting import entries_in
from wainwright.formats.csv_statement import propose, read_csv, says_enough, table_of
from wainwright.formats.mail import is_mail, read_mail
from wainwright.formats.opening import read_words
from wainwright.formats.pictures import Word
from wainwright.formats.problems import Unreadable
from wainwright.formats.rate_table import read_rate_table
from wainwright.formats.statements import read_statements
from wainwright.formats.tax_numbers import country_of_tax_number
from wainwright.formats.typed_leg import read_leg
from wainwright.formats.written import read_day, read_number

DAY = date(2026, 9, 16)


class ApartTest(TestCase):
    same_on_any_day = True

    def test_it_comes_back_as_it_is_there(self):
        content = mail(files=[("x.pdf", "application/pdf", b"%PDF-1.7")])
        self.assertEqual(apart("mail", content), read_mail(content))

    def test_every_piece_of_work_is_there(self):
        for name, (where, seconds, memory) in WORK.items():
            with self.subTest(name):
                module, _, function = where.partition(":")
                self.assertTrue(callable(getattr(importlib.import_module(module), function)))
                self.assertTrue(seconds <= 60 and memory <= 2 * 10**9)

    def test_what_cannot_be_read_says_why(self):
        with self.assertRaisesRegex(Unreadable, "damaged at line 1|breaks off"):
            apart("paper", "invoice", b"<?xml")

    def test_how_far_it_is_is_told_meanwhile_and_once_too_long_it_is_ended(self):
        told: list[int] = []
        with mock.patch.dict(WORK, {"slow": ("tests.formats.slowly:read_slowly", 20, 500_000_000)}):
            self.assertEqual(apart("slow", 2_000, 0.002, told=told.append), 2_000)
            self.assertEqual(apart("slow", 10, 0.0), 10)
        self.assertTrue(told)
        self.assertEqual(told, sorted(told))
        self.assertTrue(0 < told[-1] <= 2_000)
        with (
            mock.patch.dict(WORK, {"slow": ("tests.formats.slowly:read_slowly", 2, 500_000_000)}),
            self.assertRaisesRegex(Unreadable, "takes longer"),
        ):
            apart("slow", 10**6, 0.01, told=told.append)

    def test_about_how_many_entries_a_file_has_is_known_before_it_is_read(self):
        for content, wanted in (
            (b"<OFX><STMTTRN><TRNAMT>1</STMTTRN><stmttrn>x</OFX>", 2), (b"<o:STMTTRN></o:STMTTRN>", 1), (b"!Type:Bank\nD1\n^\nD2\n^ x\n", 2),
            (b"<Document><Ntry><NtryRef/></Ntry><ns:Ntry/></Document>", 2), (b":20:x\n:61:2610\n:86:x\n:61:26\n", 2), (b"date,amount\n1,2\n", 0), (b"", 0),
        ):  # fmt: skip
            with self.subTest(content):
                self.assertEqual(entries_in(content), wanted)

    def test_what_takes_too_long_or_too_much_is_ended(self):
        for where, given, words in (
            ("time:sleep", (30,), TOO_LONG),
            ("builtins:bytearray", (10**10,), TOO_LARGE),
            ("os:abort", (), TOO_LARGE),
            ("subprocess:check_call", (["sleep", "31.4159"],), TOO_LONG),
            ("builtins:sum", (range(10**12),), TOO_LONG),
        ):
            with self.subTest(where), mock.patch.dict(WORK, {"odd": (where, 1, 500_000_000)}):
                begun = time.monotonic()
                with self.assertRaises(Unreadable) as caught:
                    apart("odd", *given)
                self.assertEqual(str(caught.exception), words)
                self.assertLess(time.monotonic() - begun, 25)
        # What it began has ended with it.
        running = subprocess.run(["ps", "-eo", "args"], capture_output=True, text=True, check=True).stdout
        self.assertNotIn("\nsleep 31.4159", running)

    def test_nothing_that_acts_comes_back(self):
        for value in (os.system, eval, mock.Mock, importlib.import_module):
            with self.subTest(value), self.assertRaises(Unreadable):
                place._loaded(pickle.dumps((True, value)))
        for answer in (b"", b"no", pickle.dumps(1)):
            with self.subTest(answer), self.assertRaises(Unreadable):
                place._loaded(answer)


def _page(text: str) -> list[Word]:
    return [Word(piece, 0.9, 0, 1, 1, 9, 9, n // 20) for n, piece in enumerate(text.split(" ")) if piece]


def _table(text: str):
    table = table_of(("Date;Merchant;Amount\n" + text).encode())
    mapping = propose(table.header)
    return read_csv(table, mapping, "EUR") if says_enough(mapping) else None


# Everything that goes through a text of strangers, or of people who type.
READERS: dict[str, Callable[[str], object]] = {
    "words of a page": lambda text: read_words(_page(text), DAY),
    "one long word": lambda text: read_words([Word(text, 0.9, 0, 1, 1, 9, 9, 0)], DAY),
    "tax number": country_of_tax_number,
    "merchant": plain_merchant,
    "number": lambda text: read_number(text),
    "day": lambda text: read_day(text),
    "leg": lambda text: read_leg(text, None, datetime(2026, 9, 16, 10)),
    "bank": lambda text: bank_text(text, 140, "x"),
    "clean": clean,
    "one line": one_line,
    "table": _table,
    "OFX": lambda text: read_statements(b"OFXHEADER:100\n<OFX>" + text.encode(), "EUR"),
    "OFX as XML": lambda text: read_statements(b"<?xml version='1.0'?><?OFX x?>" + text.encode(), "EUR"),
    "MT940": lambda text: read_statements(b":20:X\n:25:1\n:60F:C260901EUR1,00\n" + text.encode(), "EUR"),
    "QIF": lambda text: read_statements(b"!Type:CCard\n" + text.encode(), "EUR"),
    "camt": lambda text: read_statements(b"<Document xmlns='urn:iso:std:iso:20022:tech:xsd:camt.053.001.02'>" + text.encode(), "EUR"),
    "rates": lambda text: read_rate_table(b"Date,USD\n" + text.encode()),
    "is it a mail": lambda text: is_mail(text.encode()),
    "words of a mail": lambda text: read_mail(b"From: a@b.c\r\nTo: x@y.z\r\n\r\n" + text.encode()),
    "page of a mail": lambda text: read_mail(b"From: a@b.c\r\nTo: x@y.z\r\nContent-Type: text/html\r\n\r\n" + text.encode()),
    "data in a mail": lambda text: read_mail(b"From: a@b.c\r\nTo: x@y.z\r\nContent-Type: text/html\r\n\r\n<script type='application/ld+json'>" + text.encode()),
    "heads of a mail": lambda text: read_mail(b"From: " + text.encode() + b"\r\nTo: " + text.encode() + b"\r\nSubject: " + text.encode() + b"\r\nDate: " + text.encode() + b"\r\n\r\nx"),
}  # fmt: skip
PIECES = (
    ".", "*", "x", "...x ", "1", "1 ", "12 ", "123 ", "1.", "1,2 ", "a", "a ", "A1", "IE1 ", "-", " ", "\t", "%", "(", ")", "<", "<!", "<![", "<!--",
    "<?xml ", "<a ", "<b>", "&", "&#1", "[", "{", '"', "'", "\\", "/", ";", ",", ":61:", "\n:61:", "\n", "\n\n", "=?utf-8?q?", "a@", "mon ", "total 1 ", "Dlr\n",
)  # fmt: skip
LEAST, MOST, SECONDS = 4_000, 32_000, 0.02


class LinearTest(TestCase):
    same_on_any_day = True

    def taken(self, read: Callable[[str], object], text: str, times: int = 1) -> float:
        # Of this process alone: what else the machine does is no part of it.
        best = 1e9
        for _ in range(times):
            begun = time.process_time()
            with contextlib.suppress(Unreadable, ValueError):
                read(text)
            best = min(best, time.process_time() - begun)
        return best

    def grows(self, read: Callable[[str], object], piece: str, size: int) -> str:
        """Return nothing where twice the length takes no more than some three times as long, else what it took."""
        half = self.taken(read, piece * (size // 2 // len(piece)), 3)
        whole = self.taken(read, piece * (size // len(piece)), 3)
        return "" if whole <= min(3 * half + 0.05, 5) else f"{half:.3f} s, then {whole:.3f} s"

    def test_twice_as_long_takes_twice_as_long(self):
        """The length is doubled until it takes long enough to be measured; then once more, which may not take four times."""
        for name, read in READERS.items():
            for piece in PIECES:
                size = LEAST
                while size < MOST and self.taken(read, piece * (size // len(piece))) < SECONDS:
                    size *= 2
                with self.subTest(reader=name, piece=piece, size=size):
                    # What grows too fast does so each time; what was disturbed does not.
                    told = [self.grows(read, piece, size) for _ in range(3)] if self.grows(read, piece, size) else [""]
                    self.assertIn("", told)
