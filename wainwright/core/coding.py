"""Codings: the ledger's dimensions of a cost, and whether they hold together.

Which dimensions there are is data of the firm; no code names one. The account stands apart: it comes from the category.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date
from enum import Enum

from wainwright.core.said import as_figure, capital, say

ACCOUNT = "account"


class Asked(Enum):
    """When a code of a dimension is asked for: of every coding, where one wants to give it, or when another code asks."""

    ALWAYS = "always"
    FREE = "free"
    BY_CODE = "by code"


@dataclass(frozen=True, slots=True)
class Dimension:
    """One dimension that the firm's ledger keeps; ``order`` is its place where codings are asked for and written."""

    code: str
    name: str
    plural: str
    order: int = 0
    asked: Asked = Asked.BY_CODE
    choosable: bool = True

    @property
    def label(self) -> str:
        """Its name at the head of a field."""
        return self.name[:1].upper() + self.name[1:]

    @property
    def article(self) -> str:
        """Its name with "a" or "an" before it."""
        return (
            say("an {name}", name=self.name) if self.name[:1].casefold() in "aeiou" else say("a {name}", name=self.name)
        )


@dataclass(frozen=True, slots=True)
class Coding:
    """Codes by dimension, in the order in which they are written; what is empty does not apply.

    Two codings are alike when they name the same codes, in whatever order.
    """

    account: str = ""
    codes: tuple[tuple[str, str], ...] = field(default=(), compare=False)
    _alike: frozenset[tuple[str, str]] = field(default=frozenset(), init=False, repr=False)

    def __post_init__(self) -> None:
        kept = tuple((dimension, code) for dimension, code in self.codes if code)
        if len({dimension for dimension, _ in kept}) != len(kept):
            raise ValueError("a coding names a dimension once")
        object.__setattr__(self, "codes", kept)
        object.__setattr__(self, "_alike", frozenset(kept))

    @classmethod
    def of(cls, codes: Mapping[str, str] | Iterable[tuple[str, str]], account: str = "") -> Coding:
        """Build one from codes by dimension. Raises ``ValueError`` where a dimension is named twice."""
        return cls(
            account,
            tuple((dimension, code) for dimension, code in (codes.items() if isinstance(codes, Mapping) else codes)),
        )

    def __bool__(self) -> bool:
        """Whether it names any code beside the account."""
        return bool(self.codes)

    def get(self, dimension: str) -> str:
        """The code of a dimension, or nothing."""
        return self.account if dimension == ACCOUNT else dict(self.codes).get(dimension, "")

    def parts(self) -> dict[str, str]:
        """Everything that is filled in, the account first."""
        return ({ACCOUNT: self.account} if self.account else {}) | dict(self.codes)

    def with_account(self, account: str) -> Coding:
        """The same coding on another account."""
        return Coding(account, self.codes)

    def filled_from(self, default: Coding) -> Coding:
        """This coding, or the default as a whole when this one names nothing but an account."""
        return self if self.codes else default.with_account(self.account or default.account)

    def __str__(self) -> str:
        return " / ".join(code for _, code in self.codes)


def coding_key(codes: Iterable[tuple[str, str]]) -> str:
    """A name for what a coding says, the same in whatever order: SHA-256 of its sorted codes."""
    return hashlib.sha256(json.dumps(sorted([list(pair) for pair in codes])).encode()).hexdigest()


def open_between(first: date | None, last: date | None, day: date) -> bool:
    """Say whether ``day`` lies from ``first`` to ``last``; where one is not said there is no end on that side."""
    return not (first and day < first) and not (last and day > last)


@dataclass(frozen=True, slots=True)
class Code:
    """One code of a dimension: where it belongs, when it is open, what it asks for."""

    firm: str
    dimension: str
    code: str
    name: str
    open_from: date | None = None
    open_until: date | None = None
    asks_for: tuple[str, ...] = ()
    parent: str = ""

    def open_on(self, day: date) -> bool:
        """Say whether the code may be posted to on ``day``."""
        return open_between(self.open_from, self.open_until, day)


@dataclass(frozen=True, slots=True)
class CodeBook:
    """All dimensions and codes of a firm, for looking up; dimensions in their order."""

    firm: str
    codes: Mapping[tuple[str, str], Code] = field(default_factory=dict)
    dimensions: tuple[Dimension, ...] = ()

    @classmethod
    def of(cls, firm: str, codes: Iterable[Code], dimensions: Iterable[Dimension] = ()) -> CodeBook:
        """Build a book; a code that belongs to another firm is kept, so that the check can say so."""
        ordered = tuple(sorted(dimensions, key=lambda each: (each.order, each.code)))
        return cls(firm, {(each.dimension, each.code): each for each in codes}, ordered)

    def dimension(self, code: str) -> Dimension:
        """A dimension by its code; one that the firm does not keep is called by its code."""
        return next(
            (each for each in self.dimensions if each.code == code), Dimension(code, code.replace("_", " "), code)
        )

    def completed(self, coding: Coding, default: Coding) -> Coding:
        """A coding with what is always asked and was left out, from a default: what is known is not typed again."""
        if not coding:
            return coding
        known = {each.code: default.get(each.code) for each in self.dimensions if each.asked == Asked.ALWAYS}
        return self.ordered(known | dict(coding.codes))

    def ordered(self, codes: Mapping[str, str]) -> Coding:
        """A coding in the firm's own order of dimensions; what the firm does not keep stands last, so that it can be refused."""
        known = [(each.code, codes.get(each.code, "")) for each in self.dimensions]
        names = {name for name, _ in known}
        return Coding.of([*known, *(pair for pair in codes.items() if pair[0] not in names)])


@dataclass(frozen=True, slots=True)
class CodingFault:
    """What is wrong with a coding: a stable code, the dimension, and a sentence with the cure."""

    code: str
    dimension: str
    text: str


def check_coding(coding: Coding, book: CodeBook, day: date) -> list[CodingFault]:
    """Check a coding at once: codes exist, are open on ``day``, belong to the firm; dependent parts are there, others absent."""
    faults = []
    parts = coding.parts()
    asked = {ACCOUNT, *(each.code for each in book.dimensions if each.asked != Asked.BY_CODE)}
    for each in book.dimensions:
        if each.asked == Asked.ALWAYS and not parts.get(each.code):
            text = say("{article} is missing. Choose one.", article=capital(each.article))
            faults.append(CodingFault("missing", each.code, text))
    for dimension, code in parts.items():
        known = book.codes.get((dimension, code))
        label = book.dimension(dimension).label
        if known is None:
            faults.append(
                CodingFault(
                    "unknown", dimension, say("{label} {code} is not known. Choose another.", label=label, code=code)
                )
            )
            continue
        if known.firm != book.firm:
            text = say("{label} {code} belongs to another firm. Choose one of your own.", label=label, code=code)
            faults.append(CodingFault("foreign", dimension, text))
            continue
        if not known.open_on(day):
            text = say(
                "{label} {code} {known} is closed on {day_2}. Choose an open one.",
                label=label,
                code=code,
                known=known.name,
                day_2=as_figure(day, "%-d %b %Y"),
            )
            faults.append(CodingFault("closed", dimension, text))
        if known.parent and known.parent not in parts.values():
            text = say(
                "{label} {code} belongs to {parent}, which is not in this coding.",
                label=label,
                code=code,
                parent=known.parent,
            )
            faults.append(CodingFault("stray", dimension, text))
        for needed in known.asks_for:
            asked.add(needed)
            if not parts.get(needed):
                text = say(
                    "{label} {code} {known} asks for {article}. Choose one.",
                    label=label,
                    code=code,
                    known=known.name,
                    article=book.dimension(needed).article,
                )
                faults.append(CodingFault("missing", needed, text))
    for dimension in parts:
        if dimension not in asked:
            article = book.dimension(dimension).article
            text = say("{article} does not apply here. Take it off.", article=capital(article))
            faults.append(CodingFault("not_asked", dimension, text))
    return faults
