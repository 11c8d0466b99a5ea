"""Allowance rates from a table: a row for each place and span, with a column for each amount; figures are for others to judge."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import combinations

from wainwright.core.journey import LODGINGS, Meal
from wainwright.core.said import say
from wainwright.formats.headed import headed_rows
from wainwright.formats.problems import Unreadable

MOST_ROWS, MOST_BYTES, LONGEST = 20_000, 8_000_000, 80
WORDS = {
    "town": ("town", "city", "place", "by", "sted", "ort", "stadt", "location"), "country": ("country", "land", "staat", "country code", "state"), "currency": ("currency", "valuta", "währung"),
    "since": ("since", "from", "valid from", "start", "season from", "gültig ab", "ab", "von", "gjelder fra", "fra"), "until": ("until", "to", "valid until", "valid to", "end", "season to", "gültig bis", "bis", "gjelder til", "til"),
    "full": ("full", "full day", "rate", "daily rate", "per day", "allowance", "ganzer tag", "voller tag", "tagessatz", "satz", "hel dag", "dagsats", "sats", "diett"), "breakfast": ("breakfast", "frühstück", "frokost"), "lunch": ("lunch", "mittag", "mittagessen", "lunsj"), "dinner": ("dinner", "abend", "abendessen", "middag"),
    "incidentals": ("incidentals", "incidental", "nebenkosten", "småutgifter"), "ceiling": ("ceiling", "lodging ceiling", "lodging", "hotel", "night at most", "obergrenze", "unterkunft", "tak", "overnatting"),
    "flat night": ("flat night", "night without a bill", "flat sum for a night", "nacht ohne rechnung", "natt uten regning"),
}  # fmt: skip
SETS = tuple("+".join(each) for size in (2, 3) for each in combinations([meal.value for meal in Meal], size))


def columns_of(names: Iterable[str]) -> dict[str, tuple[str, ...]]:
    """Return what each column may be called; ``names``: further amounts that the firm's schemes name."""
    named = sorted(set(names) - {"full"})
    free = {
        f"free {name}": (
            f"free {name}",
            say("{name} free of tax", name=name),
            f"tax-free {name}",
        )
        for name in ("full", *named)
    }
    return {
        **WORDS, **{name: (name, say("{name} amount", name=name)) for name in named if name not in WORDS}, **free,
        **{each: (each, each.replace("+", " and ")) for each in SETS},
        **{f"{name} {kind}": (f"{name} {kind}", f"{kind} {name}") for name in ("ceiling", "flat night") for kind in LODGINGS},
    }  # fmt: skip


def read_allowances(content: bytes, names: Iterable[str] = ()) -> list[tuple[int, dict[str, str]]]:
    """Read the rows of a table of rates, each with its number in the file. Raises ``Unreadable`` with a sentence."""
    if len(content) > MOST_BYTES:
        raise Unreadable(say("The file is larger than 8 MB. Leave out what is not needed."))
    columns, rows = headed_rows(content, columns_of(names), "full", MOST_ROWS)
    if "full" not in columns or "since" not in columns:
        raise Unreadable(
            say(
                "The first row does not name the columns. Call them country, town, from, until, "
                "currency, full, breakfast, lunch, dinner, incidentals, ceiling; from and full are "
                "needed."
            )
        )
    return [(number, {name: text[:LONGEST] for name, text in cells.items() if text}) for number, cells in rows]
