"""From a claim's rows to the core's values and back: lines with Says / Shows / Allows, sums, journal."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import Any

from wainwright import clock
from wainwright.accounts.selectors import Books
from wainwright.claims.models import Claim
from wainwright.core.allowance import NightAllowed
from wainwright.core.coding import Coding
from wainwright.core.money import Money, total
from wainwright.core.posting import Journal, PostLine, claim_journal
from wainwright.core.rules import Item, Subject
from wainwright.core.rules.facts import Known
from wainwright.core.settlement import ClaimSums, Settlement, settle
from wainwright.core.splits import split
from wainwright.core.tax import reclaim
from wainwright.expenses.models import Expense
from wainwright.expenses.selectors import shown_by
from wainwright.rulebook.selectors import Rulebook
from wainwright.trips.earnings import AllowanceFacts


@dataclass(frozen=True)
class Line:
    """One line of a claim with its three figures."""

    key: str
    expense: Expense | None
    label: str
    day: date
    category: str
    says: Money
    shows: Money | None
    shows_by: str
    allows: Money
    allows_by: str
    workings: tuple[str, ...] = ()

    @property
    def agrees(self) -> bool:
        """Whether nothing stands out: no more is said than shown and allowed."""
        return self.says <= self.allows and (self.shows is None or self.says <= self.shows)


@dataclass(frozen=True)
class ClaimFigures:
    """What a claim comes to."""

    lines: tuple[Line, ...]
    settlement: Settlement
    by_code: dict[tuple[str, str], Money] = field(default_factory=dict)
    post_lines: tuple[PostLine, ...] = ()

    @property
    def total(self) -> Money:
        """Everything that is spent on the firm's account: own money, allowance, mileage, and what the firm paid."""
        s = self.settlement.sums
        return s.own_money + s.allowance + s.mileage + s.firm_paid


def post_lines_of(expense: Expense, default: Coding, book: Rulebook) -> list[PostLine]:
    """Return the lines an expense posts: each part, each split line of it, with its recoverable tax."""
    currency = expense.currency
    parts = list(expense.parts.all())
    shares = [share.as_core(default) for share in expense.shares.all()]
    rows = (
        [
            (
                p.label,
                p.category,
                Money.from_minor(p.amount_minor, currency),
                Money.from_minor(p.tax_minor, currency),
                p.personal,
                p.coding,
            )
            for p in parts
        ]
        if parts
        else [(expense.label, expense.category, expense.amount, expense.tax, False, Coding())]
    )
    charge = getattr(expense, "charge", None)
    card = charge.card.account if charge else ""
    lines = []
    for label, code, gross, tax, part_personal, own in rows:
        category = book.categories.get(code)
        personal = expense.personal or part_personal
        account = category.account if category else ""
        share_back = Decimal(category.tax_share) if category else Decimal(0)
        back = reclaim(tax, share_back, bool(expense.receipts.all()), not expense.abroad).recoverable
        net, back = (gross, Money.zero(currency)) if personal else (gross - back, back)
        name = f"{expense.merchant}: {label}" if parts and expense.merchant else label
        if shares and not personal and not own:
            lines += [
                PostLine(name, s.coding.with_account(account), s.net, s.tax, expense.paid_by, False, card)
                for s in split(net, back, shares)
            ]
        else:
            coding = own.filled_from(expense.coding).filled_from(default).with_account(account)
            lines.append(PostLine(name, coding, net, back, expense.paid_by, personal, card))
    return lines


def figures(
    claim: Claim, expenses: Sequence[Expense], allowance: AllowanceFacts, advance: Money, book: Rulebook, books: Books,
    plan: dict[str, Any],
) -> ClaimFigures:  # fmt: skip
    """Work a claim out: its lines, what it comes to, and the lines it posts."""
    currency = claim.currency
    lines = [_line(expense, allowance, book, plan, claim) for expense in expenses]
    posts: list[PostLine] = []
    for expense in expenses:
        found = post_lines_of(expense, claim.coding, book)
        if expense.kind == Expense.Kind.MILEAGE:
            found = [
                PostLine(p.label, p.coding.with_account(books.mileage_account), p.net, p.tax, "self") for p in found
            ]
        posts += found
    if allowance.amount:
        day = allowance.ends or clock.day_of(claim.created, claim.firm.zone)
        lines.append(
            Line("allowance", None, "Daily allowance", day, "Allowance", allowance.amount, None, "legs", allowance.amount,
                 "worked out", allowance.lines)
        )  # fmt: skip
        coding = claim.coding.with_account(books.allowance_account)
        posts.append(PostLine("Daily allowance", coding, allowance.amount, Money.zero(currency), "self"))

    def add(*, paid_by: tuple[str, ...], personal: bool, kind: str | None = None) -> Money:
        found = Money.zero(currency)
        for expense in expenses:
            if expense.paid_by in paid_by and (kind is None or expense.kind == kind):
                found = found + (_personal(expense) if personal else expense.amount - _personal(expense))
        return found

    sums = ClaimSums(
        own_money=add(paid_by=("self",), personal=False, kind=Expense.Kind.COST),
        allowance=allowance.amount,
        mileage=add(paid_by=("self",), personal=False, kind=Expense.Kind.MILEAGE),
        firm_paid=add(paid_by=("firm", "central"), personal=False),
        personal_on_firm_card=add(paid_by=("firm", "central"), personal=True),
        advance=advance,
    )
    by_code: dict[tuple[str, str], Money] = {}
    for post in posts:
        if not post.personal:
            for part in post.coding.parts().items():
                by_code[part] = by_code.get(part, Money.zero(currency)) + post.net
    return ClaimFigures(tuple(lines), settle(sums), by_code, tuple(posts))


def _personal(expense: Expense) -> Money:
    if expense.personal:
        return expense.amount
    return total(
        (Money.from_minor(p.amount_minor, expense.currency) for p in expense.parts.all() if p.personal),
        expense.currency,
    )


def _line(expense: Expense, allowance: AllowanceFacts, book: Rulebook, plan: dict[str, Any], claim: Claim) -> Line:
    shows, shows_by = shown_by(expense)
    allows, allows_by = _allowed(expense, allowance, book, plan, claim)
    category = book.categories.get(expense.category)
    name = "Personal" if expense.personal else category.name if category else expense.category
    return Line(
        expense.key, expense, expense.label, expense.date, name, expense.amount, shows, shows_by, allows, allows_by,
        tuple(expense.workings),
    )  # fmt: skip


def _allowed(
    expense: Expense, allowance: AllowanceFacts, book: Rulebook, plan: dict[str, Any], claim: Claim
) -> tuple[Money, str]:
    """What the rules or the authorised plan allow for a line, and where that comes from."""
    kept = claim.certified.get("allows", {}).get(str(expense.pk))
    if kept and not claim.editable:
        return Money.from_minor(kept[0], expense.currency), kept[1]
    if expense.kind == Expense.Kind.MILEAGE:
        return expense.amount, "worked out"
    nights = [n for n in allowance.nights if n.night.date.isoformat() in expense.nights and n.ceiling is not None]
    if nights:
        rest = _not_nights(expense)
        ceilings = total((n.ceiling for n in nights if n.ceiling is not None), expense.currency)
        each = f"{len(nights)} × {nights[0].ceiling}" + (f" + {rest}" if rest else "")
        return min(expense.amount, ceilings + rest), each
    for setting in book.settings:
        if setting.kind == "limit" and setting.applies_to(expense.category) and setting.categories:
            heads = expense.heads if setting.params.get("by") == "head" else 1
            limit = Money.rounded(setting.number("limit") * heads, expense.currency)
            return min(
                limit, expense.amount
            ) if limit < expense.amount else limit, f"{heads} × {setting.params['limit']}"
    planned = plan.get("by_code", {}).get(expense.category)
    if planned:
        return max(Money.of(planned, expense.currency), Money.zero(expense.currency)), "planned"
    return expense.amount, "no limit"


def _not_nights(expense: Expense) -> Money:
    return total(
        (Money.from_minor(p.amount_minor, expense.currency) for p in expense.parts.all() if p.night is None),
        expense.currency,
    )


def journal_for(claim: Claim, done: ClaimFigures, books: Books) -> Journal:
    """Return the journal a claim will post, under its key."""
    key = f"claim:{claim.firm_id}:{claim.number}:{claim.entry}"
    return claim_journal(key, done.post_lines, done.settlement, books.accounts)


def claim_subject(
    claim: Claim, expenses: Sequence[Expense], done: ClaimFigures, allowance: AllowanceFacts, known: Sequence[Known],
    book: Rulebook, today: date,
) -> Subject:  # fmt: skip
    """Return a claim as rules see it."""
    lines = {line.key: line for line in done.lines}
    trip = claim.trip
    items = tuple(_item(expense, lines[expense.key]) for expense in expenses)
    claimed = {night for expense in expenses for night in expense.nights}
    over = tuple(_claimed_night(n, expenses) for n in allowance.nights if n.night.date.isoformat() in claimed)
    return Subject(
        claim.subject, "claim", today, claim.currency, items, over, tuple(known), trip.starts if trip else None,
        trip.ends if trip else None, trip.state if trip else "", due=claim.due, names=book.names,
        planned_total=trip.planned - Money.of(trip.plan.get("allowance", "0"), claim.currency) if trip and trip.plan else None,
    )  # fmt: skip


def _claimed_night(night: NightAllowed, expenses: Sequence[Expense]) -> NightAllowed:
    """The night at what it really cost, which may differ from the plan."""
    for expense in expenses:
        for part in expense.parts.all():
            if part.night == night.night.date and night.ceiling is not None:
                cost = Money.from_minor(part.amount_minor, expense.currency)
                allowed = min(cost, night.ceiling)
                return NightAllowed(night.night, cost, night.ceiling, allowed, cost - allowed, night.workings)
    return night


def _item(expense: Expense, line: Line) -> Item:
    receipts = list(expense.receipts.all())
    charge = getattr(expense, "charge", None)
    filled = {name for name in ("merchant", "description", "guests") if getattr(expense, name)}
    return Item(
        expense.key, expense.label, expense.category, expense.date, expense.amount,
        expense.paid_by,  # type: ignore[arg-type]
        has_receipt=bool(receipts), declared_lost=bool(expense.lost), merchant=expense.merchant, filled=frozenset(filled),
        nights=tuple(date.fromisoformat(n) for n in expense.nights), heads=expense.heads,
        shows=line.shows if line.shows_by == "receipt" and not charge else None,
        receipts=tuple(r.sha256 for r in receipts), charge=str(charge.pk) if charge else "",
        rate_stale=expense.rate_stale, tax_odd=expense.tax_odd,
        needs_evidence=expense.kind == Expense.Kind.COST and not expense.personal,
    )  # fmt: skip
