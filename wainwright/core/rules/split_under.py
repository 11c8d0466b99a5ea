"""Several costs of one kind just under a threshold that their sum is over."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

from wainwright.core.money import total
from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Item, Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say


@kind
class SplitUnder(Kind):
    """``limit``: the threshold; ``near``: from this share of it in per cent a cost counts as just under."""

    code = "split_under"
    title = say("Split just under a threshold")
    about = say("Several costs of one kind just under a threshold that their sum is over.")
    by_category = True
    params = (
        Param("limit", "money", say("Threshold")),
        Param("near", "percent", say("Just under is from"), "80", say("In per cent of the threshold."), needed=False),
    )

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit for every category and day with two or more such costs."""
        limit, near = setting.amount("limit", subject.currency), setting.number("near", "80")
        groups: dict[tuple[str, date], list[Item]] = {}
        for item in subject.items:
            if setting.applies_to(item.category) and limit.times(near / 100) <= item.amount <= limit:
                groups.setdefault((item.category, item.day), []).append(item)
        for (category, _), items in groups.items():
            whole = total((item.amount for item in items), subject.currency)
            if len(items) > 1 and whole > limit:
                text = say(
                    "{items_count} costs for {name} on one day, {whole} together, none over {limit} alone.",
                    items_count=len(items),
                    name=subject.name(category),
                    whole=whole,
                    limit=limit,
                )
                also = tuple(item.key for item in items[1:])
                yield Hit(items[0].key, text, Cure(say("Say why there are several"), items[0].key), whole, also)
