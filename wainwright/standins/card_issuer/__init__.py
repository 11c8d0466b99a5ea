"""A simulated card issuer: few charges a week, the same ones whenever it is asked, the latest still pending."""

from __future__ import annotations

import random
from collections.abc import Sequence
from datetime import date, timedelta

from wainwright import clock
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.formats.statement import StatementLine
from wainwright.ports.card_issuer import CardAsked, IssuerError

# Merchant as a card names it, its code, least and most of an amount; all made up.
SHOPS = [
    ("QUAYSIDE CAFE CORK", "5814", 4, 14), ("LEESIDE PARKING ORK", "7523", 6, 54), ("PIER TAXI 0231", "4121", 9, 36),
    ("HARBOUR CHANDLER 118", "5251", 12, 160), ("LAMP QUAY HOTEL BERGEN", "7011", 98, 310), ("FJORDLINK FERRY", "4411", 32, 120),
    ("CORK TRAM", "4111", 2, 8), ("LAB OG LODD 2231", "5999", 15, 90), ("HAVNEKROA FLORO", "5812", 18, 95),
]  # fmt: skip
CHANCE, PENDING_DAYS = 0.16, 2
SILENT = "9999"


class Standin:
    """The issuer behind the port. A card ending in 9999 shows what happens when it does not answer."""

    def charges(self, card: CardAsked, first: date, last: date) -> Sequence[StatementLine]:
        """Return the made-up charges of a card. Raises ``IssuerError``."""
        if card.last_four == SILENT:
            raise IssuerError(
                say("{issuer} does not answer now. Nothing is lost; ask again later.", issuer=card.issuer)
            )
        today = clock.today("UTC")
        days = ((first + timedelta(days=n)) for n in range((min(last, today) - first).days + 1))
        return [line for day in days if (line := self._of_day(card, day, today)) is not None]

    def _of_day(self, card: CardAsked, day: date, today: date) -> StatementLine | None:
        dice = random.Random(f"{card.last_four}:{day.isoformat()}")
        if dice.random() > CHANCE:
            return None
        name, code, least, most = dice.choice(SHOPS)
        minor = dice.randint(least * 100, most * 100)
        pending = (today - day).days < PENDING_DAYS
        # What is pending is an estimate; some are booked a little higher.
        booked = minor + (dice.randint(20, 90) if dice.random() < 0.2 and not pending else 0)
        return StatementLine(
            f"issuer-{card.last_four}-{day.isoformat()}", day, Money.from_minor(booked, card.currency), name, merchant_code=code, pending=pending
        )  # fmt: skip
