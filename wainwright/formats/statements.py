"""Every format of card and bank files that says itself what it is: found by content, never by name."""

from __future__ import annotations

from collections.abc import Callable

from wainwright.core.said import say
from wainwright.formats.camt import is_camt, read_camt
from wainwright.formats.mt940 import is_mt940, read_mt940
from wainwright.formats.ofx import read_ofx
from wainwright.formats.problems import Unreadable
from wainwright.formats.qif import is_qif, read_qif
from wainwright.formats.spreadsheet import is_spreadsheet
from wainwright.formats.statement import Statement


def _is_ofx(content: bytes) -> bool:
    return b"OFX" in content[:2000].upper()


# Name, how it is told, how it is read (in a currency for those that name none).
READERS: tuple[tuple[str, Callable[[bytes], bool], Callable[[bytes, str], list[Statement]]], ...] = (
    ("OFX", _is_ofx, lambda content, _: read_ofx(content)),
    ("camt", is_camt, lambda content, _: read_camt(content)),
    ("MT940", is_mt940, lambda content, _: read_mt940(content)),
    ("QIF", is_qif, read_qif),
)


def format_of(content: bytes) -> str:
    """Return the name of a file's format, or "CSV" for a table that has to be mapped, a workbook's as well. Raises ``Unreadable`` for an empty file."""
    if not content.strip():
        raise Unreadable(say("The file is empty."))
    if is_spreadsheet(content):
        return "CSV"
    return next((name for name, is_it, _ in READERS if is_it(content)), "CSV")


def read_statements(content: bytes, currency: str) -> list[Statement]:
    """Read a file that says itself what it is. Raises ``Unreadable``."""
    for _, is_it, read in READERS:
        if is_it(content):
            return read(content, currency)
    raise Unreadable(say("This is neither OFX, camt, MT940 nor QIF, and no table with a header."))
