"""Tables that go out: each kind with its columns, its rows between two days, as CSV or XLSX; kept as a shape."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.db import transaction
from django.db.models import Q, QuerySet, Sum

from wainwright.accounts.models import Payment, PostingLine
from wainwright.claims.models import Claim, StatementCoding, StatementLine
from wainwright.closing.models import Shape
from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.expenses.models import Charge
from wainwright.formats.tables import Cell
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.trail.services import record

# More rows than these make no table that anybody reads; a shorter time is asked for.
MOST = 200_000


def _money(minor: int, currency: str) -> Cell:
    return Money.from_minor(minor, currency).amount


@dataclass(frozen=True)
class Kind:
    """One kind of table: the question it answers, its columns by name, and its rows between two days."""

    key: str
    name: str
    says: str
    columns: dict[str, Callable[[object], Cell]]
    rows: Callable[[Firm, date, date], QuerySet]


def _claims(firm: Firm, since: date, until: date) -> QuerySet:
    rows = Claim.objects.filter(firm=firm, sent__date__range=(since, until)).select_related(
        "claimant__person", "statement", "trip"
    )
    return rows.defer("statement__workings").order_by("sent", "pk")


def _lines(firm: Firm, since: date, until: date) -> QuerySet:
    current = Claim.objects.filter(firm=firm).exclude(state__in=Claim.OVER).values("statement_id")
    rows = StatementCoding.objects.filter(line__statement__in=current, line__day__range=(since, until))
    return rows.select_related("line__statement__claim__claimant__person").order_by("line__day", "pk")


def _charges(firm: Firm, since: date, until: date) -> QuerySet:
    rows = Charge.objects.filter(firm=firm, date__range=(since, until)).select_related(
        "owner__person", "card", "expense__claim"
    )
    return rows.order_by("date", "pk")


def _payments(firm: Firm, since: date, until: date) -> QuerySet:
    rows = Payment.objects.filter(run__firm=firm, run__date__range=(since, until)).select_related(
        "run", "member__person"
    )
    return rows.defer("run__file").order_by("run__date", "pk")


def _journal(firm: Firm, since: date, until: date) -> QuerySet:
    rows = PostingLine.objects.filter(posting__firm=firm, posting__state="Entered", posting__date__range=(since, until))
    return rows.select_related("posting").order_by("posting__date", "posting_id", "order")


def _allowances(firm: Firm, since: date, until: date) -> QuerySet:
    decided = Claim.objects.filter(firm=firm, state__in=("Cleared", "Posted", "Settled")).values("statement_id")
    rows = StatementLine.objects.filter(statement__in=decided, kind="allowance", day__range=(since, until))
    rows = rows.annotate(refused=Sum("coded__net_minor", filter=Q(coded__refused=True), default=0))
    return rows.select_related("statement__claim__claimant__person", "statement__claim__trip").order_by("day", "pk")


def _allowance(row: StatementLine) -> tuple[Cell, Cell, Cell]:
    """What is paid of a daily allowance, what of that is free of tax, and what is above it.

    What was not approved comes off what is above first: the free part is what a traveller is owed without tax.
    """
    currency = row.statement.claim.currency
    paid = row.says_minor - getattr(row, "refused", 0)
    free = min(paid, row.says_minor - row.taxed_minor) if paid >= 0 else paid - row.taxed_minor
    return _money(paid, currency), _money(free, currency), _money(paid - free, currency)


KINDS = {
    kind.key: kind
    for kind in (
        Kind("claims", say("Claims"), say("Which claims were sent, where do they stand, what are they owed?"), {
            "Claim": lambda c: c.code, "Title": lambda c: c.title, "Claimant": lambda c: c.claimant.person.name, "Trip": lambda c: c.trip.code if c.trip else "",
            "Sent": lambda c: c.sent.date() if c.sent else None, "Stands at": lambda c: c.state, "Total": lambda c: c.total.amount, "Due": lambda c: c.owed.amount,
            "Currency": lambda c: c.currency, "Coding": lambda c: str(c.coding),
        }, _claims),
        Kind("lines", say("Lines of claims"), say("What was spent, on what, coded to what, with which tax?"), {
            "Claim": lambda r: r.line.statement.claim.code, "Claimant": lambda r: r.line.statement.claim.claimant.person.name, "Day": lambda r: r.line.day,
            "Merchant": lambda r: r.line.merchant, "Text": lambda r: r.text, "Category": lambda r: r.line.category_name, "Account": lambda r: r.account,
            "Coding": lambda r: str(Coding.of(r.codes)), "Who paid": lambda r: r.line.paid_by,
            "Net": lambda r: _money(r.net_minor, r.line.statement.claim.currency), "Tax back": lambda r: _money(r.recoverable_minor, r.line.statement.claim.currency),
            "Currency": lambda r: r.line.statement.claim.currency, "Personal": lambda r: "yes" if r.personal else "", "Stands at": lambda r: r.line.statement.claim.state,
        }, _lines),
        Kind("charges", say("Charges of cards"), say("What were the cards charged, and where is each charge?"), {
            "Day": lambda c: c.date, "Card": lambda c: str(c.card), "Whose": lambda c: c.owner.person.name, "Merchant": lambda c: c.merchant,
            "Amount": lambda c: c.amount.amount, "Currency": lambda c: c.currency, "Stands at": lambda c: c.state,
            "Claim": lambda c: c.expense.claim.code if c.expense and c.expense.claim else "", "Merchant code": lambda c: c.merchant_code,
        }, _charges),
        Kind("payments", say("Payments"), say("What was paid to whom, in which run, and did the bank take it?"), {
            "Day": lambda p: p.run.date, "Run": lambda p: p.run.number, "To": lambda p: p.member.person.name, "Account": lambda p: p.iban, "Text": lambda p: p.text,
            "Amount": lambda p: p.amount.amount, "Currency": lambda p: p.run.currency, "Stands at": lambda p: p.state, "End-to-end": lambda p: p.end_to_end,
            "Why it failed": lambda p: p.failure,
        }, _payments),
        Kind("payroll", say("Daily allowances for payroll"), say("What of the daily allowances is above what is free of tax, and whose is it?"), {
            "Claimant": lambda r: r.statement.claim.claimant.person.name, "Claim": lambda r: r.statement.claim.code,
            "Trip": lambda r: r.statement.claim.trip.code if r.statement.claim.trip else "", "Back on": lambda r: r.day, "What": lambda r: r.label,
            "Paid": lambda r: _allowance(r)[0], "Free of tax": lambda r: _allowance(r)[1], "Above, for payroll": lambda r: _allowance(r)[2],
            "Currency": lambda r: r.statement.claim.currency, "Stands at": lambda r: r.statement.claim.state,
        }, _allowances),
        Kind("journal", say("The journal"), say("Which entries stand in the ledger?"), {
            "Number": lambda r: r.posting.number, "Day": lambda r: r.posting.date, "Key": lambda r: r.posting.key, "Line": lambda r: r.order + 1, "Account": lambda r: r.account,
            "Coding": lambda r: str(r.coding), "Debit": lambda r: _money(r.debit_minor, r.posting.currency), "Credit": lambda r: _money(r.credit_minor, r.posting.currency),
            "Currency": lambda r: r.posting.currency, "Text": lambda r: r.text, "Title": lambda r: r.posting.title,
            "Supplier": lambda r: r.party,
        }, _journal),
    )
}  # fmt: skip


@dataclass(frozen=True)
class Wanted:
    """A table that is asked for: its kind, its columns, its days."""

    kind: Kind
    columns: tuple[str, ...]
    since: date
    until: date

    def rows(self, firm: Firm) -> Iterator[list[Cell]]:
        """Its rows, read in pieces. Raises ``Refusal`` for more than a table holds."""
        found = self.kind.rows(firm, self.since, self.until)
        count = found.count()
        if count > MOST:
            raise Refusal(
                say("That would be {count} rows; a table holds {most}. Choose a shorter time.", count=count, most=MOST)
            )
        makers = [self.kind.columns[name] for name in self.columns]
        return ([make(row) for make in makers] for row in found.iterator(chunk_size=2000))


def wanted(kind: str, columns: Sequence[str], since: str, until: str) -> Wanted:
    """Read what is asked for. Raises ``Refusal`` saying what is wrong."""
    found = KINDS.get(kind)
    if found is None:
        raise Refusal(say("Choose what the table is of."), "kind")
    try:
        first, last = date.fromisoformat(since), date.fromisoformat(until)
    except ValueError as error:
        raise Refusal(say("Choose from which day to which day."), "since") from error
    if last < first:
        raise Refusal(say("The last day is before the first."), "until")
    if last - first > timedelta(days=3700):
        raise Refusal(say("That is more than ten years. Choose a shorter time."), "since")
    chosen = tuple(name for name in found.columns if name in columns) if columns else tuple(found.columns)
    if not chosen:
        raise Refusal(say("Choose at least one column."), "columns")
    return Wanted(found, chosen, first, last)


@transaction.atomic
def keep_shape(member: Membership, name: str, kind: str, columns: Sequence[str]) -> Shape:
    """Keep a kind and its columns under a name. Raises ``NotAllowed``, ``Refusal``."""
    must(member, "tables")
    name = " ".join(name.split())[:60]
    if len(name) < 2:
        raise Refusal(say("Give it a name of two letters or more."), "name")
    found = KINDS.get(kind)
    if found is None:
        raise Refusal(say("Choose what the table is of."), "kind")
    chosen = [each for each in found.columns if each in columns] or list(found.columns)
    shape, _ = Shape.objects.update_or_create(
        firm=member.firm, name=name, defaults={"kind": kind, "columns": chosen, "by": member}
    )
    record(member, say("kept a table"), f"firm:{member.firm_id}", after={"name": name, "kind": kind})
    return shape


@transaction.atomic
def drop_shape(member: Membership, shape_id: int) -> None:
    """Drop a kept table."""
    must(member, "tables")
    found = Shape.objects.filter(firm=member.firm, pk=shape_id).first()
    if found is not None:
        record(member, say("dropped a kept table"), f"firm:{member.firm_id}", before={"name": found.name})
        found.delete()
