"""The same cost twice: same receipt, or same merchant, day and amount."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

from wainwright.core.money import Money
from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Known, Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say


@kind
class Duplicate(Kind):
    """Looks among the subject's own items and at what is recorded elsewhere.

    ``by`` says what makes two the same: "paper" the same receipt, "cost" the same merchant, day and amount.
    """

    code = "duplicate"
    title = say("Twice")
    about = say("The same cost twice: same receipt, or same merchant, day and amount.")
    needs = frozenset({"known"})
    params = (
        Param("by", "choice", say("The same by"), "", say("Empty: by either."), needed=False,
              choices=(("paper", say("the same paper")), ("cost", say("merchant, day and amount")))),
    )  # fmt: skip
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield the later of two costs that look the same, naming the other: the first that was recorded."""
        by, seen = setting.params.get("by", ""), _Seen()
        for each in subject.known:
            seen.keep(each)
        for item in subject.items:
            mine = Known(
                item.key, item.label, say("this claim"), item.merchant, item.day, item.amount, item.receipts, item.names
            )
            other = seen.like(mine, by)
            if other is not None:
                text = say(
                    "{item_label}, {item_amount}, looks the same as {other_label} on {where}.",
                    item_label=item.label,
                    item_amount=item.amount,
                    other_label=other.label,
                    where=other.where,
                )
                yield Hit(
                    item.key,
                    text,
                    Cure(say("Take one out, or say why it is another"), item.key),
                    item.amount,
                    (other.key,),
                )
            seen.keep(mine)


class _Seen:
    """What was looked at before, found again by a paper or by merchant, day and amount."""

    def __init__(self) -> None:
        self._papers: dict[str, list[Known]] = {}
        self._costs: dict[tuple[str, date, Money], list[Known]] = {}
        self._order: dict[str, int] = {}

    def keep(self, known: Known) -> None:
        self._order.setdefault(known.key, len(self._order))
        for paper in known.receipts:
            self._papers.setdefault(paper, []).append(known)
        for name in _names(known):
            self._costs.setdefault((name, known.day, known.amount), []).append(known)

    def like(self, mine: Known, by: str) -> Known | None:
        """The first that is the same as ``mine`` and not itself."""
        same: list[Known] = []
        if by != "cost":
            same += [other for paper in mine.receipts for other in self._papers.get(paper, ())]
        if by != "paper":
            same += [other for name in _names(mine) for other in self._costs.get((name, mine.day, mine.amount), ())]
        others = [other for other in same if other.key != mine.key]
        if by == "cost":
            # The same paper twice is the other rule's affair.
            others = [other for other in others if not set(other.receipts) & set(mine.receipts)]
        return min(others, key=lambda other: self._order[other.key], default=None)


def _names(known: Known) -> set[str]:
    """What its merchant is called, by whoever typed it and by its papers: one that was renamed is still the same."""
    return {name.casefold() for name in (known.merchant, *known.names) if name}
