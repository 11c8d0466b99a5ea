"""An amount over a limit: by item, by head, or by day."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.money import Money, total
from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import joined, say
from wainwright.core.workings import day_text


@kind
class Limit(Kind):
    """``limit`` in the firm's currency; ``by`` is item, head or day."""

    code = "limit"
    title = say("Amount over a limit")
    about = say("An amount over a limit: by item, by head, or by day.")
    by_category = True
    params = (
        Param("limit", "money", say("Limit")),
        Param("by", "choice", say("For"), "item", choices=(("item", say("each cost")), ("head", say("each head")), ("day", say("each day")))),
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
                    text = say(
                        "{day}: {spent} is {spent_2} over the {limit} a day.",
                        day=day_text(day),
                        spent=spent,
                        spent_2=spent - limit,
                        limit=limit,
                    )
                    also = tuple(item.key for item in of_day[1:])
                    yield Hit(of_day[0].key, text, Cure(say("Change the amount"), of_day[0].key), spent - limit, also)
            return
        for item in items:
            heads = item.heads if setting.params.get("by") == "head" else 1
            allowed = Money.rounded(limit.amount * heads, subject.currency)
            if item.amount > allowed:
                over = item.amount - allowed
                each = (
                    joined("", (heads, " × ", limit))
                    if heads > 1
                    else say("the {limit} limit for {name}", limit=limit, name=subject.name(item.category))
                )
                yield Hit(
                    item.key,
                    say("{item_label} is {over} over {each}.", item_label=item.label, over=over, each=each),
                    Cure(say("Change the amount"), item.key),
                    over,
                )
