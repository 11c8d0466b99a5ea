"""Another cost that the trip is expected to have."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, time
from typing import Any

from wainwright.core.said import joined, say
from wainwright.trips.models import OtherCost
from wainwright.trips.panels.base import Line, LinePanel, Page, act
from wainwright.trips.panels.booked import PAYS, amount_of, level_on, said_on
from wainwright.trips.services import plan


def _others(page: Page) -> list[OtherCost]:
    """Those that stand by themselves; what belongs to a booking is part of its line."""
    stands = {b.pk for b in page.file.live}
    return [other for other in page.file.others if other.booking_id not in stands]


class OtherPanel(LinePanel):
    """A cost of a day or of the whole trip."""

    name = "other"
    title = say("Cost")

    def lines(self, page: Page) -> Sequence[Line]:
        """One for each; those of the whole trip after all that has a day."""
        names = page.file.book.names
        found = []
        for other in _others(page):
            at = datetime.combine(other.day, time(23, 58)) if other.day else datetime.max
            name = names.get(other.category, other.category)
            said = said_on(page, f"other:{other.pk}")
            words = [
                "" if name == other.label else name,
                PAYS[other.paid_by],
                say("“{text}”", text=said) if said else "",
            ]
            found.append(
                Line(f"other-{other.pk}", at, "fee", "" if other.day else say("the whole trip"), other.label, joined(", ", filter(None, words)),
                     "planned", price=amount_of(page, other), level=level_on(page, f"other:{other.pk}"))
            )  # fmt: skip
        return found

    def has(self, page: Page, which: str) -> bool:
        """A cost that is still expected."""
        return any(str(other.pk) == which for other in _others(page))

    def answers(self, target: str, page: Page) -> str:
        """The cost itself."""
        kind, _, number = target.partition(":")
        return f"other-{number}" if kind == "other" and any(str(o.pk) == number for o in _others(page)) else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The cost."""
        other = next(o for o in _others(page) if str(o.pk) == which)
        return {"other": other, "amount": amount_of(page, other), "other_pays": PAYS[other.paid_by]}

    @act("others/<int:other_id>/remove/", "other-remove", sums=True)
    def remove(self, page: Page, other_id: int) -> str:
        """Take an expected cost off."""
        plan.remove_other(page.member, page.trip.pk, other_id)
        return ""


PANEL = OtherPanel()
