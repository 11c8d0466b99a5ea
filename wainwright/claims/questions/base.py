"""What a question is, and what it may look at."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar

from django.db import transaction

from wainwright.claims.models import Claim
from wainwright.claims.selectors import ClaimFile
from wainwright.claims.services.compose import changed, mine, spans_of
from wainwright.claims.services.drafting import day_of
from wainwright.core.belonging import may_belong_to
from wainwright.core.said import say
from wainwright.expenses.models import Expense
from wainwright.expenses.selectors import Row, tray
from wainwright.people.models import Membership


@dataclass(frozen=True)
class Option:
    """One answer: what it sends, what stands on its button, and the key that gives it."""

    value: str
    label: str
    key: str = ""


@dataclass(frozen=True)
class Tick:
    """One thing of several that an answer covers; ticked beforehand."""

    value: str
    label: str
    link: str = ""


@dataclass(frozen=True)
class Question:
    """One question: a sentence, answers to choose from, things to tick, and a box for words where words answer it.

    ``reasons`` are chosen one of; ``file`` says that a paper dropped here answers it; ``line`` is where it stands.
    """

    key: str
    kind: str
    text: str
    options: Sequence[Option] = ()
    ticks: Sequence[Tick] = ()
    reasons: Sequence[str] = ()
    box: str = ""
    offered: Sequence[str] = ()
    more: str = ""
    file: bool = False
    line: str = ""


class Asking:
    """A claim that asks its claimant, for one request: its file, and what lies loose in the days of its trip."""

    def __init__(self, member: Membership, claim: Claim, file: ClaimFile) -> None:
        self.member, self.claim, self.file = member, claim, file

    @cached_property
    def rows(self) -> list[Row]:
        """The rows of the tray that may belong to its trips and were not answered with no; none for a claim without one."""
        if self.claim.trip_id is None:
            return []
        trips = [trip.pk for trip in self.claim.trips]
        spans, keys = spans_of(self.member, *trips), {str(pk) for pk in trips}
        return [
            row
            for row in tray(self.member).rows
            if not row.waits
            and f"row:{row.key}" not in self.claim.answered
            and keys & ({str(row.trip_id)} if row.trip_id is not None else set(may_belong_to(day_of(row), spans)))
        ]

    @cached_property
    def expenses(self) -> dict[str, Expense]:
        """The costs on it, by their keys, with their papers."""
        return {expense.key: expense for expense in self.file.expenses}

    @transaction.atomic
    def say_no(self, *keys: str) -> None:
        """Keep that questions were answered with no, so that they are not asked again."""
        claim = mine(self.member, self.claim.pk)
        claim.answered = sorted({*claim.answered, *keys})
        changed(self.member, claim, say("answered a question"), None, {"no": list(keys)})


class Kind:
    """A kind of question. Subclasses set ``code`` and ``order``, yield what they ask from ``find``, and take what is answered."""

    code: ClassVar[str]
    order: ClassVar[int]

    def find(self, asking: Asking) -> Iterable[Question]:
        """Yield what is asked."""
        raise NotImplementedError

    def help(self, asking: Asking, question: Question) -> Question:
        """Return the question with what helps to answer it, for the one that is shown."""
        return question

    def answer(self, asking: Asking, question: Question, said: str, words: str, ticked: Sequence[str]) -> str:
        """Take an answer; return what was done, in words. Raises ``Refusal``."""
        raise NotImplementedError
