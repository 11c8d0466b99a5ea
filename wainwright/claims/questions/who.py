"""A field that the category asks for: who was there, what for."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from wainwright.claims.questions.base import Asking, Kind, Question
from wainwright.core.said import joined, say
from wainwright.expenses.models import Expense
from wainwright.expenses.services.editing import say_field

RULE = "required_field"


class Who(Kind):
    """Each is one box; what was typed before at such costs is offered."""

    code = "who"
    order = 40

    def find(self, asking: Asking) -> Iterable[Question]:
        """A question for each empty field."""
        rules = [setting for setting in asking.file.book.settings if setting.kind == RULE]
        for each in asking.file.findings:
            expense = asking.expenses.get(each.finding.target)
            if expense is None or not each.open:
                continue
            of_day = (one for one in rules if one.code == each.finding.rule and one.in_force(expense.date))
            rule = next(of_day, None)
            if rule is None:
                continue
            name, word = rule.params["field"], rule.params.get("word", rule.params["field"])
            yield Question(
                f"who-{name}-{expense.pk}",
                self.code,
                joined("", (expense.label, ", ", expense.amount, ": ", word, "?")),
                box=word.capitalize(),
                line=expense.key,
            )

    def help(self, asking: Asking, question: Question) -> Question:
        """Offer what was typed before at costs of the same category."""
        _, name, _ = question.key.split("-")
        same = Expense.objects.filter(owner=asking.member, category=asking.expenses[question.line].category)
        rows = same.exclude(**{name: ""}).order_by("-created").values_list(name, flat=True)[:20]
        return replace(question, offered=list(dict.fromkeys(rows))[:8])

    def answer(self, asking: Asking, question: Question, said: str, words: str, ticked: Sequence[str]) -> str:
        """Fill the field in."""
        _, name, number = question.key.split("-")
        expense = say_field(asking.member, int(number), name, words)
        return say("{expense_label} says it now.", expense_label=expense.label)


KIND = Who()
