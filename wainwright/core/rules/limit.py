"""An amount over a limit: by item, by head, or by day."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.money import Money, total
from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.workings import day_text


@kind
class Limit(Kind):
    """``limit`` in the firm's currency; ``by`` is item, head or day."""

    code = "limit"
    title = "Amount over a limit"
    about = "An amount over a limit: by item, by head, or by day."
    by_category = True
    params = (
        Param("limit", "money", "Limit"),
        Param("by", "choice", "For", "item", choices=(("item", "each cost"), ("head", "each head"), ("day", "each day"))),
    )  # fmt: skip

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item, or the first item of every day, that is over."""
        limit = setting.amount("limit", subject.currency)
        items = [item for item in subject.items if setting.applies_to(item.category)]
        if setting.params.get("by") == "day":
            for day in sorted({item.day for item in items}):
                of_day = [item for item in items if item.day == day]
                spent = total((item.amount for item in of_day), subject.currency)
                if spent > limit:
                    text = f"{day_text(day)}: {spent} is {spent - limit} over the {limit} a day."
                    also = tuple(item.key for item in of_day[1:])
                    yield Hit(of_day[0].key, text, Cure("Change the amount", of_day[0].key), spent - limit, also)
            return
        for item in items:
            heads = item.heads if setting.params.get("by") == "head" else 1
            allowed = Money.rounded(limit.amount * heads, subject.currency)
            if item.amount > allowed:
                over = item.amount - allowed
                each = f"{heads} × {limit}" if heads > 1 else f"the {limit} limit for {subject.name(item.category)}"
                yield Hit(item.key, f"{item.label} is {over} over {each}.", Cure("Change the amount", item.key), over)
