"""A cost over the authorised plan by more than a share, or not on the plan at all."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.money import Money
from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say
from wainwright.core.workings import plain


@kind
class OverPlan(Kind):
    """``percent`` over the plan's whole is tolerated. ``unplanned``: for more than this a cost must be on the plan by its category."""

    code = "over_plan"
    title = say("Over the authorised plan")
    about = say("A cost over the authorised plan by more than a share, or not on the plan at all.")
    by_category = True
    needs = frozenset({"journey"})
    params = (
        Param("percent", "percent", say("Over the plan"), "10", say("So much over the whole is taken."), needed=False),
        Param("unplanned", "money", say("Planned when over"), needed=False, help=say("What costs more must stand on the plan by its category; empty: not asked.")),
    )  # fmt: skip
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit when the claim as a whole is over the plan."""
        if subject.planned_total is None:
            return
        spent = Money.zero(subject.currency)
        for item in subject.items:
            spent = spent + item.amount
        percent = setting.number("percent")
        allowed = subject.planned_total.times(1 + percent / 100)
        if spent > allowed:
            over = spent - subject.planned_total
            text = say(
                "The claim comes to {spent}, {over} over the {planned_total} that was authorised. The "
                "firm allows {percent} %.",
                spent=spent,
                over=over,
                planned_total=subject.planned_total,
                percent=plain(percent),
            )
            yield Hit(subject.key, text, Cure(say("Say why"), subject.key), over)
        if "unplanned" in setting.params:
            least = setting.amount("unplanned", subject.currency)
            for item in subject.items:
                if item.planned is None and item.amount > least and setting.applies_to(item.category):
                    text = say(
                        "{item_label}, {item_amount}: no {name} stands on the authorised plan.",
                        item_label=item.label,
                        item_amount=item.amount,
                        name=subject.name(item.category),
                    )
                    yield Hit(item.key, text, Cure(say("Say why"), item.key), item.amount)
