"""A rate of exchange that is off the table's, or too old."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.fx import share_off
from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say
from wainwright.core.workings import plain


@kind
class RateOff(Kind):
    """``percent`` off the table's rate is tolerated."""

    code = "rate_off"
    title = say("Rate of exchange off")
    about = say("A rate of exchange that is off the table's, or too old.")
    params = (Param("percent", "percent", say("Off the table"), "3", say("So much is taken.")),)
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item whose rate is off, or whose table rate is stale."""
        percent = setting.number("percent")
        for item in subject.items:
            if item.rate_stale:
                yield Hit(item.key, say("{item_label}: the last rate is more than 7 days older than the cost.", item_label=item.label),
                          Cure(say("Type the rate of the receipt"), item.key))  # fmt: skip
            elif item.claimed_rate is not None and item.table_rate is not None:
                off = share_off(item.claimed_rate, item.table_rate) * 100
                if off > percent:
                    text = say(
                        "{item_label} uses a rate {off} % off the table's, {percent} % are allowed.",
                        item_label=item.label,
                        off=plain(round(off, 1)),
                        percent=plain(percent),
                    )
                    yield Hit(item.key, text, Cure(say("Take the table's rate"), item.key))
