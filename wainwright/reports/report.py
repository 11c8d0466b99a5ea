"""What a report says of itself: its question, what it reads, what it can be grouped by, what it measures, where its rows lead."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from django.db.models import QuerySet
from django.db.models.expressions import BaseExpression

from wainwright.core.said import kept, say
from wainwright.core.table import Cell, Table
from wainwright.people.models import Membership
from wainwright.reports.dims import Dim
from wainwright.reports.reader import Reader

if TYPE_CHECKING:
    from wainwright.reports.asked import Asked

SUBJECTS = (say("Spending"), say("Travel"), say("Rules"), say("Money under way"), say("Work"), say("People"))


@dataclass(frozen=True)
class Measure:
    """A figure that adds up: what the database adds, and what it is (money in minor units, a count, a number)."""

    key: str
    words: str
    expression: BaseExpression
    kind: str = "money"


@dataclass(frozen=True)
class Ratio:
    """One measure in per cent of another, or (``kind`` "money") so much of it for each."""

    key: str
    words: str
    over: str
    under: str
    kind: str = "percent"


@dataclass(frozen=True)
class Col:
    """A column of single things: the field it comes from (or what makes it of the fields), and what it is."""

    key: str
    words: str
    field: str
    kind: str = "text"
    make: Callable[[Reader, Any], Cell] | None = None


def as_kept(_reader: Reader, value: str) -> Cell:
    """A state or a label as it is kept, said in the reader's language."""
    return kept(value)


@dataclass(frozen=True)
class Report:
    """A report. ``rows`` gives what the reader may see, and nothing else; ``table`` answers by itself where no grouping would."""

    key: str
    title: str
    question: str
    subject: str
    day: str = ""
    moment: bool = False
    rows: Callable[[Reader], QuerySet] | None = None
    dims: Callable[[Reader], list[Dim]] = field(default=lambda reader: [])
    measures: tuple[Measure, ...] = ()
    ratios: tuple[Ratio, ...] = ()
    by: tuple[str, ...] = ()
    across: str = ""
    span: str = "this-year"
    of: tuple[tuple[str, str], ...] = ()
    each: tuple[Col, ...] = ()
    opens: Callable[[Mapping[str, Any]], str] | None = None
    opens_by: tuple[str, ...] = ()
    whose: str = ""
    table: Callable[[Reader, Asked], Table] | None = None
    picture: str = "bars"
    figure: str = ""
    may: str = ""
    own_eyes: bool = False
    act: tuple[str, str] = ("", "")
    notes: tuple[str, ...] = ()
    follows: bool = False

    def open_to(self, member: Membership) -> bool:
        """Whether somebody may ask it: whoever has the act it names, else everybody, of what they may see.

        What is for one's own eyes (``own_eyes``) is not for whoever prepares for one.
        """
        if self.own_eyes and member.prepared_by is not None:
            return False
        return member.may[self.may] if self.may else True

    def dim(self, reader: Reader, key: str) -> Dim | None:
        """One of what it can be grouped by."""
        return next((each for each in self.dims(reader) if each.key == key), None)
