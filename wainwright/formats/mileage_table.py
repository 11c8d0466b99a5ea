"""Mileage rates from a table: a row for each band of a kind of vehicle from a day; figures are for others to judge."""

from __future__ import annotations

from wainwright.core.said import say
from wainwright.formats.headed import headed_rows
from wainwright.formats.problems import Unreadable

MOST_ROWS, LONGEST = 5_000, 40
WORDS = {
    "vehicle": ("vehicle", "kind", "kind of vehicle", "fahrzeug", "kjøretøy"), "unit": ("unit", "km or miles", "einheit", "enhet"),
    "since": ("from", "since", "valid from", "gültig ab", "fra"), "up to": ("up to", "up_to", "until km", "band", "bis", "inntil"),
    "rate": ("rate", "amount", "per unit", "satz", "sats"), "passenger": ("passenger", "per passenger", "mitfahrer", "passasjer"),
}  # fmt: skip


def read_mileage(content: bytes) -> list[tuple[int, dict[str, str]]]:
    """Read the rows of a table of mileage rates, each with its number in the file. Raises ``Unreadable`` with a sentence."""
    columns, rows = headed_rows(content, WORDS, "rate", MOST_ROWS)
    if not {"vehicle", "since", "rate"}.issubset(columns):
        raise Unreadable(
            say(
                "The first row does not name the columns. Call them vehicle, unit, from, up to, rate, "
                "passenger; vehicle, from and rate are needed."
            )
        )
    if not rows:
        raise Unreadable(say("There are no rows below the header."))
    return [(number, {name: text[:LONGEST] for name, text in cells.items() if text}) for number, cells in rows]
