"""Categories from a table: a row for each; what stands in the cells is for others to judge."""

from __future__ import annotations

from wainwright.core.said import joined, say
from wainwright.formats.headed import headed_rows
from wainwright.formats.problems import Unreadable

MOST_ROWS, LONGEST = 1_000, 1_000
WORDS = {
    "code": ("code", "key", "kode", "schlüssel"), "name": ("name", "category", "what for", "kategorie", "kategori", "navn"), "account": ("account", "ledger account", "konto"),
    "abroad": ("account abroad", "abroad", "konto ausland", "konto utland"), "by_country": ("accounts by country", "by country", "by_country"),
    "tax_codes": ("tax codes", "tax codes by country", "tax_codes", "steuercodes", "steuerschlüssel", "avgiftskoder"), "tax_rate": ("tax %", "tax rate", "tax_rate", "vat %", "steuersatz", "steuer %", "avgift %", "avgiftssats"),
    "tax_back": ("tax back %", "comes back %", "tax_back"), "words": ("words", "merchants' words", "wörter", "ord"),
    "merchant_codes": ("merchant codes", "merchant_codes", "mcc", "codes"), "is_lodging": ("lodging", "is lodging", "unterkunft", "overnatting"),
    "asks": ("asks for", "asks", "required fields", "required", "verlangt", "ber om"), "named": ("for", "who may use it", "für", "hvem kan bruke den"), "left_out": ("not for", "but not for", "nicht für", "ikke for"),
    "tips": ("tips", "tips are usual", "trinkgeld", "driks"),
}  # fmt: skip


def read_categories(content: bytes) -> list[tuple[int, dict[str, str]]]:
    """Read the rows of a table of categories, each with its number in the file; columns that are not there are not among
    the cells. Raises ``Unreadable`` with a sentence.
    """
    columns, rows = headed_rows(content, WORDS, "name", MOST_ROWS)
    if "name" not in columns:
        raise Unreadable(
            say(
                "The first row does not name the columns. They are called {list}; name is needed.",
                list=joined(", ", (each[0] for each in WORDS.values())),
            )
        )
    if not rows:
        raise Unreadable(say("There are no rows below the header."))
    return [(number, {name: text[:LONGEST] for name, text in cells.items()}) for number, cells in rows]
