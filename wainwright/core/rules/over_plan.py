"""A cost over the authorised plan by more than a share, or not on the plan at all."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.money import Money
from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.workings import plain


@kind
class OverPlan(Kind):
    """``percent`` over the plan's whole is tolerated."""

    code = "over_plan"
    title = "Over the authorised plan"
    params = ("percent",)

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
            text = (
                f"The claim comes to {spent}, {over} over the {subject.planned_total} that was authorised. "
                f"The firm allows {plain(percent)} %."
            )
            yield Hit(subject.key, text, Cure("Say why", subject.key), over)
