"""Codings: the ledger's dimensions of a cost, and whether they hold together."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date

DIMENSIONS = ("account", "cost_centre", "project", "task", "fund")
LABELS = {
    "account": "account", "cost_centre": "cost centre", "project": "project", "task": "task", "fund": "fund",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Coding:
    """Codes by dimension; what is empty does not apply."""

    account: str = ""
    cost_centre: str = ""
    project: str = ""
    task: str = ""
    fund: str = ""

    def parts(self) -> dict[str, str]:
        """The dimensions that are filled in."""
        return {name: code for name in DIMENSIONS if (code := getattr(self, name))}

    def with_account(self, account: str) -> Coding:
        """The same coding on another account."""
        return Coding(account, self.cost_centre, self.project, self.task, self.fund)

    def filled_from(self, default: Coding) -> Coding:
        """This coding, or the default as a whole when this one names nothing but an account."""
        if any((self.cost_centre, self.project, self.task, self.fund)):
            return self
        return default.with_account(self.account or default.account)

    def __str__(self) -> str:
        return " / ".join(code for name, code in self.parts().items() if name != "account")


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
        return not (self.open_from and day < self.open_from) and not (self.open_until and day > self.open_until)


@dataclass(frozen=True, slots=True)
class CodeBook:
    """All codes of a firm, for looking up."""

    firm: str
    codes: Mapping[tuple[str, str], Code] = field(default_factory=dict)

    @classmethod
    def of(cls, firm: str, codes: Iterable[Code]) -> CodeBook:
        """Build a book; a code that belongs to another firm is kept, so that the check can say so."""
        return cls(firm, {(each.dimension, each.code): each for each in codes})


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
    asked = {"account", "cost_centre", "project"}
    if not coding.cost_centre:
        faults.append(CodingFault("missing", "cost_centre", "A cost centre is missing. Choose one."))
    for dimension, code in parts.items():
        known = book.codes.get((dimension, code))
        label = LABELS[dimension]
        if known is None:
            faults.append(
                CodingFault("unknown", dimension, f"{label.capitalize()} {code} is not known. Choose another.")
            )
            continue
        if known.firm != book.firm:
            text = f"{label.capitalize()} {code} belongs to another firm. Choose one of your own."
            faults.append(CodingFault("foreign", dimension, text))
            continue
        if not known.open_on(day):
            text = f"{label.capitalize()} {code} {known.name} is closed on {day.day} {day:%b %Y}. Choose an open one."
            faults.append(CodingFault("closed", dimension, text))
        if known.parent and known.parent not in parts.values():
            text = f"{label.capitalize()} {code} belongs to {known.parent}, which is not in this coding."
            faults.append(CodingFault("stray", dimension, text))
        for needed in known.asks_for:
            asked.add(needed)
            if not parts.get(needed):
                text = f"{label.capitalize()} {code} {known.name} asks for a {LABELS[needed]}. Choose one."
                faults.append(CodingFault("missing", needed, text))
    for dimension in parts:
        if dimension not in asked:
            text = f"A {LABELS[dimension]} does not apply here. Take it off."
            faults.append(CodingFault("not_asked", dimension, text))
    return faults
