"""The firm's own questions about a trip: of which type an answer is, and when a question is asked."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Any

from wainwright.core.coding import open_between
from wainwright.core.said import joined, say
from wainwright.core.text import decimal, one_line

YES_NO = ("yes", "no")


@dataclass(frozen=True, slots=True)
class Question:
    """One question. ``kind`` is yes_no, choice, words, number or day; ``entitles`` what an answer decides (``core.moving``).

    It is asked of people of ``groups`` (all, where there are none), where the trip goes ``abroad`` or stays at ``home``
    (anywhere, where it says neither), and ``after`` another question was answered with ``answer``.
    """

    code: str
    about: str
    text: str
    kind: str
    choices: tuple[str, ...] = ()
    required: bool = False
    entitles: tuple[Mapping[str, Any], ...] = ()
    groups: frozenset[str] = frozenset()
    where: str = ""
    after: str = ""
    answer: str = ""
    since: date | None = None
    until: date | None = None

    def in_force(self, day: date) -> bool:
        """Whether it is asked on a day."""
        return open_between(self.since, self.until, day)

    @property
    def answers(self) -> tuple[str, ...]:
        """The answers of which one is chosen; none where it is typed."""
        return YES_NO if self.kind == "yes_no" else self.choices if self.kind == "choice" else ()

    def read(self, text: str) -> str:
        """Return an answer as it is kept. Raises ``ValueError`` with a sentence where it is none."""
        given = one_line(text).strip()
        if self.kind == "yes_no" and given not in YES_NO:
            raise ValueError(say("Answer “{value}” with yes or no.", value=self.text))
        if self.kind == "choice" and given not in self.choices:
            raise ValueError(
                say("Answer “{value}” with one of: {choices}.", value=self.text, choices=joined(", ", self.choices))
            )
        if self.kind == "number":
            return self._number(given)
        if self.kind == "day":
            try:
                return date.fromisoformat(given).isoformat()
            except ValueError as error:
                raise ValueError(say("Answer “{value}” with a day, as 2026-10-14.", value=self.text)) from error
        return given[:300]

    def _number(self, given: str) -> str:
        try:
            value: Decimal | None = decimal(given)
        except (InvalidOperation, ArithmeticError):
            value = None
        if value is None or not value.is_finite() or abs(value) >= 10**9 or value != round(value, 2):
            raise ValueError(say("Answer “{value}” with a number, as 2 or 2.50.", value=self.text))
        return f"{value.normalize():f}"


def asked(questions: Iterable[Question], answers: Mapping[str, str], abroad: bool | None) -> list[Question]:
    """Return the questions that are asked where ``answers`` are given; ``abroad`` is whether the trip leaves the country,
    nothing where that is not known yet: what depends on it is not asked then.

    What hangs on a question that is not asked itself is not asked either.
    """
    found: list[Question] = []
    rows = list(questions)
    while True:
        codes = {each.code for each in found}
        more = [
            each for each in rows
            if each.code not in codes and _where(each, abroad) and (not each.after or (each.after in codes and answers.get(each.after, "") == each.answer))
        ]  # fmt: skip
        if not more:
            return [each for each in rows if each in found]
        found += more


def _where(question: Question, abroad: bool | None) -> bool:
    return not question.where or (abroad is not None and abroad == (question.where == "abroad"))


def in_a_circle(questions: Sequence[Question]) -> str:
    """Return the code of a question that hangs on itself, over however many others; an empty text where none does."""
    after = {each.code: each.after for each in questions}
    for code in after:
        seen, at = {code}, after[code]
        while at and at not in seen:
            seen.add(at)
            at = after.get(at, "")
        if at:
            return code
    return ""
