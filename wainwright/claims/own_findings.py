"""Stops and questions of a claim that are no rule of the firm's but stand in the way all the same."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from wainwright import clock
from wainwright.accounts.selectors import Books
from wainwright.accounts.splits import parts_from, shares_of
from wainwright.claims.models import Claim
from wainwright.core.coding import ACCOUNT, Coding, check_coding
from wainwright.core.dividing import check_parts
from wainwright.core.money import Money, total
from wainwright.core.routing import Route
from wainwright.core.rules import Cure, Finding, Level
from wainwright.core.said import joined, kept, say
from wainwright.core.splits import SplitError, SplitPart
from wainwright.core.statement import Statement
from wainwright.core.workings import day_text
from wainwright.expenses.models import Expense
from wainwright.trips.earnings import AllowanceFacts

# What answers it that a cost was turned down before.
AGAIN = (
    say("What was wrong is mended"),
    say("Agreed with whoever turned it down"),
    say("It was turned down for another line"),
)


def own_findings(
    claim: Claim, expenses: Sequence[Expense], done: Statement, ledger: Books, route: Route, facts: AllowanceFacts
) -> list[Finding]:
    """Return what must be put right or explained: nothing on it, rides that earn nothing, codings, torn bills, who signs, what was turned down before."""
    found = [*_nothing(claim, done), *_driven(expenses, facts)]
    found += _codings(claim, expenses, ledger)
    found += _accounts(claim, done, ledger)
    found += _splits(claim, expenses, done)
    found += [
        _stop(
            "parts",
            line.key,
            say("The parts of {line_label} do not add up to {says}.", line_label=line.label, says=line.says),
            say("Break the bill down again"),
        )
        for line in done.torn
    ]
    found += [_stop(f"route-{n}", claim.subject, fault, say("See who signs")) for n, fault in enumerate(route.faults)]
    return [*found, *_turned_down(expenses)]


def _stop(code: str, target: str, text: str, cure: str) -> Finding:
    return Finding(f"{code}@{target}", code, Level.STOP, text, "", Cure(cure, target), target)


def _nothing(claim: Claim, done: Statement) -> Iterator[Finding]:
    """Nothing on it, and no advance to account for either."""
    if not done.lines and not done.advance:
        yield _stop(
            "empty", claim.subject, say("Nothing is on the claim yet."), say("Put expenses in, or withdraw the claim")
        )


def _driven(expenses: Sequence[Expense], facts: AllowanceFacts) -> Iterator[Finding]:
    """Mileage of a move that is not earned: somebody else drove, or the vehicle is one too many."""
    if facts.move is None:
        return
    by = {
        (leg.leaves.date(), leg.origin["town"], leg.target["town"]): leg.driven_by for leg in facts.drives if leg.driven_by
    }  # fmt: skip
    for expense in expenses:
        if expense.kind != Expense.Kind.MILEAGE or not expense.origin or not expense.target:
            continue
        driver = by.get((expense.date, expense.origin["town"], expense.target["town"]))
        why = (
            say("{driver} drove it in their own vehicle: who is driven earns no mileage", driver=driver)
            if driver
            else facts.move.why_not
        )
        if why:
            yield _stop(
                "driven", expense.key, joined("", (expense.label, ". ", why, ".")), say("Take it off the claim")
            )


def _codings(claim: Claim, expenses: Sequence[Expense], ledger: Books) -> Iterator[Finding]:
    day = clock.today(claim.firm.zone)
    said: set[str] = set()
    for fault in check_coding(claim.coding, ledger.codes, day):
        said.add(fault.text)
        yield _stop(f"coding-{fault.code}-{fault.dimension}", claim.subject, fault.text, say("Change the coding"))
    split_over = [part.coding for parts in shares_of(claim).values() for part in parts]
    for fault in (fault for coding in split_over for fault in check_coding(coding, ledger.codes, day)):
        if fault.text not in said:
            said.add(fault.text)
            yield _stop(f"coding-{fault.code}-{fault.dimension}", claim.subject, fault.text, say("Split it again"))
    checked: set[Coding] = set()
    for expense in expenses:
        codings = [share.as_core(claim.coding).coding for share in expense.shares.all()] or [
            expense.coding.filled_from(claim.coding)
        ]
        codings += [part.coding.filled_from(codings[0]) for part in expense.parts.all() if part.coding]
        for coding in codings:
            # What many lines share is looked up once.
            faults = [] if coding in checked else check_coding(coding, ledger.codes, day)
            checked.add(coding)
            for fault in faults:
                if fault.text not in said:
                    said.add(fault.text)
                    text = joined("", (expense.label, ": ", fault.text))
                    yield _stop(f"coding-{fault.code}-{fault.dimension}", expense.key, text, say("Change the coding"))


def _accounts(claim: Claim, done: Statement, ledger: Books) -> Iterator[Finding]:
    """Accounts that the ledger does not take any more: nothing for the claimant to mend, and known before anybody approves."""
    day, known = clock.today(claim.firm.zone), ledger.codes.codes
    if not any(kind == ACCOUNT for kind, _ in known):
        return
    for line in done.lines:
        for account in dict.fromkeys(each.coding.account for each in line.coded if not each.personal):
            row = known.get((ACCOUNT, account))
            if row is None or not row.open_on(day):
                why = say("has closed") if row is not None else say("does not have")
                text = say(
                    "{line_label} posts to account {account}, which the ledger {why}: finance names another "
                    "before it is posted.",
                    line_label=line.label,
                    account=account or say("(none)"),
                    why=why,
                )
                yield Finding(
                    f"account-{account}@{line.key}",
                    "account",
                    Level.NOTE,
                    text,
                    "",
                    Cure(say("Nothing for you to do"), line.key),
                    line.key,
                )


def _splits(claim: Claim, expenses: Sequence[Expense], done: Statement) -> Iterator[Finding]:
    """A split by amount whose cost has changed since: the amounts do not add up to it any more."""
    for expense in expenses:
        parts = [share.as_core(claim.coding) for share in expense.shares.all()]
        yield from _off(parts, expense.amount, expense.key, expense.label)
    for row in claim.shares:
        parts = parts_from(row["parts"], claim.currency)
        yield from _off(parts, covered(done, row["about"]), claim.subject, say("“{text}”", text=row["label"]))


def covered(done: Statement, about: str) -> Money:
    """What a split of a claim is about comes to: everything that is not personal, a category, or the allowance."""
    kind, _, code = about.partition(":")
    return total(
        (
            piece.gross
            for line in done.lines
            for piece in line.coded
            if not piece.personal
            and (kind == "all" or code in ((line.key,) if kind == "line" else (piece.category, line.kind)))
        ),
        done.currency,
    )


def _off(parts: Sequence[SplitPart], whole: Money, target: str, name: str) -> Iterator[Finding]:
    if not parts or parts[0].amount is None:
        return
    try:
        check_parts(parts, whole)
    except SplitError as error:
        yield _stop(
            f"split-off-{target}",
            target,
            say("The split of {name}: {error}", name=name, error=error),
            say("Split it again"),
        )


def _turned_down(expenses: Sequence[Expense]) -> Iterator[Finding]:
    """A cost that was on a claim that was turned down says so to whoever decides now."""
    for expense in expenses:
        before = expense.turned_down_in
        if before is not None:
            why = (
                joined(": ", ("", say("“{text}”", text=kept(expense.turned_down_why))))
                if expense.turned_down_why
                else ""
            )
            text = say(
                "{expense_label} of {date} was turned down on {before_code}{why}.",
                expense_label=expense.label,
                date=day_text(expense.date),
                before_code=before.code,
                why=why,
            )
            yield Finding(
                f"turned-down@{expense.key}", "turned-down", Level.EXPLAIN, text, say("What was turned down is claimed anew with a reason."),
                Cure(say("Say what is different now, or take it out"), expense.key), expense.key, reasons=AGAIN,
            )  # fmt: skip
