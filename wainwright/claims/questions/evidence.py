"""A cost whose paper is missing: is it one of those that lie loose, is it here as a file, or why is there none?"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from decimal import Decimal, InvalidOperation

from wainwright.claims.questions.base import Asking, Kind, Option, Question
from wainwright.claims.questions.reasons import explain_by
from wainwright.core.money import Money
from wainwright.core.rules import Level
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.expenses.models import Receipt
from wainwright.expenses.services.receipts import attach
from wainwright.fields import whole

RULE, OFFERED = "missing_evidence", 3


class Evidence(Kind):
    """Each is asked by itself: a paper that lies loose, a file, or a reason where the rule takes one."""

    code = "evidence"
    order = 50

    def find(self, asking: Asking) -> Iterable[Question]:
        """A question for each such cost."""
        rules = {setting.code for setting in asking.file.book.settings if setting.kind == RULE}
        for each in asking.file.findings:
            expense = asking.expenses.get(each.finding.target)
            if each.open and each.finding.rule in rules and expense is not None:
                explained = each.finding.level == Level.EXPLAIN
                yield Question(
                    f"evidence-{expense.pk}", self.code, each.finding.text, reasons=each.finding.reasons if explained else (),
                    box=say("What became of it") if explained else "", file=True, line=expense.key,
                )  # fmt: skip

    def help(self, asking: Asking, question: Question) -> Question:
        """Offer the loose papers nearest in amount."""
        wanted = asking.expenses[question.line].amount
        loose = Receipt.objects.filter(owner=asking.member, expense__isnull=True, aside="").order_by("-received")[:60]
        papers = sorted(loose, key=lambda paper: _away(paper, wanted))[:OFFERED]
        options = [
            Option(
                f"paper:{paper.pk}",
                say(
                    "It is {value} {value_2}", value=paper.value("merchant") or paper.name, value_2=paper.value("total")
                ).strip(),
                str(n),
            )
            for n, paper in enumerate(papers, 1)
        ]
        return replace(question, options=options)

    def answer(self, asking: Asking, question: Question, said: str, words: str, ticked: Sequence[str]) -> str:
        """Attach a loose paper, or keep the reason."""
        expense = asking.expenses[question.line]
        kind, _, number = said.partition(":")
        if kind == "paper":
            attach(asking.member, whole(number), expense)
            return say("The paper is with {expense_label} now.", expense_label=expense.label)
        if not question.box:
            raise Refusal(say("Choose one of the papers, or attach a file."))
        found = [
            e
            for e in asking.file.findings
            if e.open and e.finding.target == expense.key and e.finding.text == question.text
        ]
        return explain_by(asking, found, said, words)


def _away(paper: Receipt, wanted: Money) -> Decimal:
    """How far a paper is from what is wanted by its number alone; one that says no amount is as far as nothing is."""
    try:
        says = paper.total_in(wanted.currency)
    except (ValueError, InvalidOperation):
        says = None
    return abs((says.amount if says is not None else Decimal(0)) - wanted.amount)


KIND = Evidence()
