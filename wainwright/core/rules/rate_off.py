"""A rate of exchange that is off the table's, or too old."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.fx import share_off
from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.workings import plain


@kind
class RateOff(Kind):
    """``percent`` off the table's rate is tolerated."""

    code = "rate_off"
    title = "Rate of exchange off"
    about = "A rate of exchange that is off the table's, or too old."
    params = (Param("percent", "percent", "Off the table", "3", "So much is taken."),)
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item whose rate is off, or whose table rate is stale."""
        percent = setting.number("percent")
        for item in subject.items:
            if item.rate_stale:
                yield Hit(item.key, f"{item.label}: the last rate is more than 7 days older than the cost.",
                          Cure("Type the rate of the receipt", item.key))  # fmt: skip
            elif item.claimed_rate is not None and item.table_rate is not None:
                off = share_off(item.claimed_rate, item.table_rate) * 100
                if off > percent:
                    text = f"{item.label} uses a rate {plain(round(off, 1))} % off the table's, {plain(percent)} % are allowed."
                    yield Hit(item.key, text, Cure("Take the table's rate", item.key))
