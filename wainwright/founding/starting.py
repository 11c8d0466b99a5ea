"""What a firm starts with: rules, categories and a scheme, from files that ship (``starter/``), in the firm's own currency."""

from __future__ import annotations

import csv
import tomllib
from collections.abc import Iterable, Mapping
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

from wainwright.accounts.models import Dimension
from wainwright.core.allowance.reading import read_scheme
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.people.models import Firm
from wainwright.rulebook.models import Category, RuleSetting, SchemeData

STARTER = Path(__file__).parent / "starter"
# Round figures for a euro in other money, for limits that people can remember. They are no rates of exchange.
ROUND = {
    "NOK": 10, "SEK": 10, "DKK": 10, "PLN": 5, "CZK": 25, "HUF": 400, "ISK": 150, "JPY": 150, "INR": 100, "ZAR": 20, "CNY": 8, "RON": 5, "TRY": 40,
}  # fmt: skip
# Parameters of rules that are sums of money.
SUMS = ("over", "limit", "tolerance", "unplanned", "declared_up_to")
TERMS = say(
    "I certify that these costs arose on the firm's business, that nobody else repays them, "
    "and that the papers are true copies."
)


def factor(currency: str) -> int:
    """Return for how many units of a currency a figure in euro stands."""
    return ROUND.get(currency, 1)


def starter(name: str) -> Path:
    """Return where a file of what ships lies."""
    return STARTER / name


def set_rules(firm: Firm, since: date) -> None:
    """Give a firm the rules that ship. Inside the caller's transaction."""
    times = factor(firm.currency)
    for rule in tomllib.loads(starter("rules.toml").read_text(encoding="utf-8"))["rule"]:
        params = {
            key: str(Money.rounded(Decimal(value) * times, firm.currency).amount) if key in SUMS else value
            for key, value in rule.get("params", {}).items()
        }
        text = rule["text"].format_map({key: f"{Decimal(value):,}" for key, value in params.items() if key in SUMS})
        RuleSetting.objects.create(firm=firm, since=since, **{**rule, "params": params, "text": text})


def set_dimensions(firm: Firm) -> None:
    """Give a firm the dimensions that most ledgers keep: offered, and asked of nobody until the firm says so. Inside the caller's transaction."""
    with starter("dimensions.csv").open(encoding="utf-8") as file:
        for order, row in enumerate(csv.DictReader(file)):
            Dimension.objects.create(firm=firm, order=order, **row)


def set_categories(firm: Firm, accounts: Mapping[str, Mapping[str, str]] | None = None) -> None:
    """Give a firm the categories that ship; ``accounts`` has account, tax rate and share of some, by code. Inside the caller's transaction."""
    with starter("categories.csv").open(encoding="utf-8") as file:
        add_categories(firm, ({**row, **(accounts or {}).get(row["code"], {})} for row in csv.DictReader(file)))


def add_categories(firm: Firm, rows: Iterable[Mapping[str, str]]) -> None:
    """Give a firm categories as rows of a table. Inside the caller's transaction."""
    for order, row in enumerate(rows):
        Category.objects.create(
            firm=firm, code=row["code"], name=row["name"], account=row.get("account", ""), tax_rate=Decimal(row.get("tax_rate") or 0),
            tax_share=Decimal(row.get("tax_share") or 1), is_lodging=row.get("lodging") == "yes", tips=row.get("tips") == "yes", words=row.get("words", ""), order=order,
            merchant_codes=row.get("codes", "").replace(" ", ", "),
        )  # fmt: skip


def set_scheme(firm: Firm, data: Mapping[str, Any] | None = None) -> None:
    """Put an allowance scheme in force from its date, the one that ships where none is given. Inside the caller's transaction.

    Raises ``SchemeFaults`` for data that says none.
    """
    given = dict(data or tomllib.loads(starter("scheme.toml").read_text(encoding="utf-8")))
    scheme = read_scheme(given, firm.currency)
    SchemeData.objects.create(firm=firm, code=scheme.code, data=given, since=scheme.since)
