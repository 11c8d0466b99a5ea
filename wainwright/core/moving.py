"""Moving house for the firm: who moves, what the answers to the firm's questions entitle to, which stops ask a reason.

What a firm asks (``core.questions``) and what each answer decides is data: ``entitles`` of a question is a list of rows, each with ``when`` (the
answer, or nothing for any) and ``what`` it decides: a flat ``sum``, an expected ``cost``, who buys the ``tickets``, how many
own ``vehicles`` earn mileage.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Literal

from wainwright.core.allowance import Head
from wainwright.core.money import Money, total
from wainwright.core.questions import Question
from wainwright.core.said import capital, joined, say
from wainwright.core.workings import plain

# A wait no longer than this is a change from one way to the next and needs no reason.
CHANGE = timedelta(hours=4)
ITSELF = say("the employee")


@dataclass(frozen=True, slots=True)
class Mover:
    """Somebody who moves along: by name, and what they are to the employee."""

    name: str
    kin: str


@dataclass(frozen=True, slots=True)
class Entitled:
    """A line that exists by an answer: a flat sum, which is paid without a cost, or a cost that is expected."""

    key: str
    what: Literal["sum", "cost"]
    name: str
    category: str
    amount: Money
    paid_by: str
    why: str


@dataclass(frozen=True, slots=True)
class Entitlements:
    """What the answers decide. ``tickets`` is who pays tickets (nothing: as planned), ``vehicles`` how many earn (nothing: all)."""

    lines: tuple[Entitled, ...] = ()
    tickets: str = ""
    vehicles: int | None = None

    @property
    def sums(self) -> tuple[Entitled, ...]:
        """The flat sums."""
        return tuple(each for each in self.lines if each.what == "sum")


def entitlements(questions: Sequence[Question], answers: Mapping[str, str], currency: str) -> Entitlements:
    """Return what the answers to a firm's questions decide; what is not answered decides nothing."""
    lines: list[Entitled] = []
    tickets, vehicles = "", None
    for question in questions:
        given = answers.get(question.code, "")
        if not given:
            continue
        for row in question.entitles:
            if row.get("when", given) != given:
                continue
            if row["what"] == "tickets":
                tickets = row["paid_by"]
            elif row["what"] == "vehicles":
                vehicles = int(given)
            else:
                lines.append(
                    Entitled(
                        f"{row['what']}:{question.code}", row["what"], row["name"], row["category"],
                        Money.of(row["amount"], currency), row.get("paid_by", "self"), joined(" ", (say("“{text}”", text=question.text), given)),
                    )
                )  # fmt: skip
    return Entitlements(tuple(lines), tickets, vehicles)


@dataclass(frozen=True, slots=True)
class Planned:
    """What is planned for one party of a move: tickets that are not booked yet, and the km of its own vehicle."""

    party: str
    tickets: Money
    km: Decimal


_PAYS = {
    "self": say("paid by whoever travels"),
    "firm": say("on the firm's card"),
    "central": say("billed to the firm"),
}


def effects(question: Question, currency: str, parties: Sequence[Planned]) -> list[str]:
    """Say what each answer to a question changes, with its figure. ``parties`` are those of the move, the employee's first."""
    found = []
    for row in question.entitles:
        when = joined("", (capital(str(row["when"])), ": ")) if row.get("when") else ""
        if row["what"] == "sum":
            found.append(
                say(
                    "{when}{of} more for you, with the employee's claim ({name})",
                    when=when,
                    of=Money.of(row["amount"], currency),
                    name=row["name"],
                )
            )
        elif row["what"] == "cost":
            pays = _PAYS[row.get("paid_by", "self")]
            found.append(
                say(
                    "{when}{of} planned, {pays} ({name})",
                    when=when,
                    of=Money.of(row["amount"], currency),
                    pays=pays,
                    name=row["name"],
                )
            )
        elif row["what"] == "tickets":
            tickets = total((each.tickets for each in parties), currency)
            found.append(
                say(
                    "{when}{tickets} of tickets that are not booked yet, {pays}",
                    when=when,
                    tickets=tickets,
                    pays=_PAYS[row["paid_by"]],
                )
            )
        else:
            found += _vehicles(question.choices, parties)
    return found


def _vehicles(choices: Sequence[str], parties: Sequence[Planned]) -> list[str]:
    """For each number of own vehicles, whose way earns mileage."""
    drives = [each for each in parties if each.km]
    found = []
    for count in choices:
        earn = [
            say("{km} km of {party}", km=plain(round(each.km, 1)), party=each.party) for each in drives[: int(count)]
        ]
        found.append(
            say("{count}: {list} earn mileage", count=count, list=joined(say(" and "), earn) or "nothing")
            if len(earn) > 1
            else say("{count}: {list} earns mileage", count=count, list=joined(say(" and "), earn) or "nothing")
        )
    return found


def heads_of(employee: str, movers: Sequence[Mover], shares: Mapping[str, str]) -> tuple[Head, ...]:
    """Return for whom the daily allowance is earned and at which share: the employee in full, each relative as the firm says.

    ``employee`` is empty where they travel apart from these. Kin that the firm has no share for earns nothing.
    """
    found = [Head(employee, Decimal(1))] if employee else []
    return (
        *found,
        *(Head(joined("", (each.name, ", ", each.kin)), Decimal(shares.get(each.kin, "0"))) for each in movers),
    )


def share_words(shares: Mapping[str, str]) -> str:
    """Say at which shares relatives earn the daily allowance."""
    return joined(", ", (joined("", (kin, " ", plain(Decimal(share) * 100), " %")) for kin, share in shares.items()))


@dataclass(frozen=True, slots=True)
class Halt:
    """Where one leg ends and the next begins: by the leg's key, and why one stops there."""

    key: str
    town: str
    arrives: datetime
    leaves: datetime
    reason: str = ""

    @property
    def asks(self) -> bool:
        """Whether a reason is wanted and not there: a change of at most four hours explains itself."""
        return not self.reason and self.leaves - self.arrives > CHANGE

    @property
    def words(self) -> str:
        """Why one stops there, in words."""
        return self.reason or (say("a change") if self.leaves - self.arrives <= CHANGE else "")


def rank_of(drives: Sequence[tuple[str, bool]], key: str) -> int:
    """Return which own vehicle of a move a party's is, from one: parties are (key, whether it drives its own), the employee's first."""
    return sum(1 for other, own in drives[: [other for other, _ in drives].index(key) + 1] if own)
