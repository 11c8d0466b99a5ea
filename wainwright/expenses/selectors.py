"""Reads about what lies in the tray."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal, InvalidOperation

from django.core.paginator import Page
from django.db.models import Count, F, Min, Prefetch, Q, QuerySet, Window

from wainwright import clock
from wainwright.core.fx import NoRate, RateTable, convert
from wainwright.core.matching import Charge as CoreCharge
from wainwright.core.matching import Pair, Paper, best_pairs
from wainwright.core.money import Money
from wainwright.core.rules.facts import Known
from wainwright.expenses.models import Charge, Expense, Receipt, RefusedPair
from wainwright.expenses.proposals import Asked, propose_all, usual_category
from wainwright.paging import page_of
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import rate_table, rulebook
from wainwright.trips.models import Trip

# So many of the newest papers and charges are compared with each other; the rows they make are shown in pages.
MOST_PAPERS, MOST_CHARGES, SHOWN = 200, 500, 40
TOWNS = ("Bergen", "Florø", "Floro", "Cork", "Oslo", "Stavanger", "Dublin")


@dataclass(frozen=True)
class Becomes:
    """The category proposed for a row, and why."""

    name: str
    why: str

    def __str__(self) -> str:
        return self.name


@dataclass(frozen=True)
class Row:
    """One row of the matching board: a paper, a charge, or both, and what they would become."""

    paper: Receipt | None
    charge: Charge | None
    pair: Pair | None
    becomes: Becomes
    amount: Money | None

    @property
    def code(self) -> str:
        """The row as a form names it: "12:7", a paper alone "12:", a charge alone ":7"."""
        return f"{self.paper.pk if self.paper else ''}:{self.charge.pk if self.charge else ''}"

    @property
    def waits(self) -> bool:
        """Whether its paper is still being read."""
        return self.paper is not None and not self.paper.done

    @property
    def fits(self) -> bool:
        """Whether it can be taken without a look."""
        return self.pair is not None and self.pair.sure and not (self.paper and self.paper.like_id)


@dataclass(frozen=True)
class Tray:
    """What is loose, as a board; ``beyond`` is how much more there is of what is looked at than the board pairs at once."""

    rows: list[Row]
    papers: int
    charges: int
    reading: int
    oldest: int
    expenses: Page
    aside: int = 0
    beyond: int = 0

    @property
    def fitting(self) -> list[Row]:
        """The rows that fit without doubt."""
        return [row for row in self.rows if row.fits]


def paper_of(receipt: Receipt, home: str, table: RateTable) -> Paper:
    """Return a receipt as far as it was read, with its worth in ``home``."""
    amount = worth = None
    day = date.fromisoformat(receipt.value("date")) if receipt.value("date") else None
    try:
        amount = receipt.total_in(home)
        if amount is not None and amount.currency != home and day is not None:
            worth = convert(amount, home, day, table).home
    except (NoRate, ValueError, InvalidOperation):
        worth = None
    return Paper(str(receipt.pk), receipt.value("merchant"), day, amount, receipt.value("card"), worth)


OLD_DAYS = 30


@dataclass(frozen=True)
class Narrow:
    """What of the tray is looked at: a card, a month, one kind of thing, what is old, what was put aside."""

    card: str = ""
    month: str = ""
    kind: str = ""
    old: bool = False
    aside: bool = False
    trip: int = 0

    @property
    def any(self) -> bool:
        """Whether anything is narrowed."""
        return bool(self.card or self.month or self.kind or self.old or self.aside or self.trip)


def _narrowed(member: Membership, narrow: Narrow) -> tuple[QuerySet[Receipt], QuerySet[Charge]]:
    receipts = Receipt.objects.select_related("firm").filter(owner=member, expense__isnull=True)
    charges = Charge.objects.filter(owner=member, state="Loose")
    receipts, charges = (
        (receipts.exclude(aside=""), charges.exclude(aside=""))
        if narrow.aside
        else (receipts.filter(aside=""), charges.filter(aside=""))
    )
    if narrow.card:
        charges = charges.filter(card__last_four=narrow.card)
    if narrow.month:
        year, month = int(narrow.month[:4]), int(narrow.month[5:])
        charges = charges.filter(date__year=year, date__month=month)
        receipts = receipts.filter(day__year=year, day__month=month)
    if narrow.trip:
        trip = Trip.objects.filter(pk=narrow.trip, traveller=member, starts__isnull=False).first()
        days = (trip.starts, trip.ends or trip.starts) if trip else None
        charges = charges.filter(date__range=days) if days else charges.none()
        receipts = receipts.filter(day__range=days) if days else receipts.none()
    if narrow.old:
        before = clock.today(member.firm.zone) - timedelta(days=OLD_DAYS)
        charges = charges.filter(date__lt=before)
        receipts = receipts.filter(Q(day__lt=before) | Q(day__isnull=True, received__date__lt=before))
    if narrow.kind == "charges":
        receipts = receipts.none()
    elif narrow.kind:
        charges = charges.none()
        receipts = receipts if narrow.kind == "papers" else receipts.filter(kind=narrow.kind)
    return receipts, charges


def tray(member: Membership, narrow: Narrow | None = None, costs: str | None = None) -> Tray:
    """Return the board: the newest of what is loose, narrowed, and paired as well as it can be; a page of loose ``costs``. Ten queries."""
    all_receipts, all_charges = _narrowed(member, narrow or Narrow())
    receipts = list(all_receipts.defer("lines", "invoice")[:MOST_PAPERS])
    charges = list(all_charges.select_related("card")[:MOST_CHARGES])
    refused = {
        (str(r), str(c))
        for r, c in RefusedPair.objects.filter(receipt__in=[r.pk for r in receipts]).values_list(
            "receipt_id", "charge_id"
        )
    }
    expenses = page_of(
        Expense.objects.filter(owner=member, claim__isnull=True)
        .select_related("charge", "turned_down_in")
        .prefetch_related("receipts")
        .order_by("-date", "-pk"),
        SHOWN, costs,
    )  # fmt: skip
    home, today = member.firm.currency, clock.today(member.firm.zone)
    table = rate_table(member.firm, today, min((r.day for r in receipts if r.day), default=today))
    pairs = best_pairs(
        [paper_of(r, home, table) for r in receipts],
        [CoreCharge(str(c.pk), c.merchant, c.date, c.amount, c.card.last_four, TOWNS) for c in charges],
        refused,
    )
    rows = _rows(member, receipts, charges, pairs)
    # The board shows the newest; what is counted and how old it is comes from all that is loose.
    counted = Charge.objects.filter(owner=member, state="Loose").aggregate(
        n=Count("pk", filter=Q(aside="")), first=Min("date", filter=Q(aside="")), aside=Count("pk", filter=~Q(aside=""))
    )
    kept = Receipt.objects.filter(owner=member, expense__isnull=True).aggregate(
        n=Count("pk", filter=Q(aside="")),
        first=Min("received__date", filter=Q(aside="")),
        aside=Count("pk", filter=~Q(aside="")),
    )
    firsts = [day for day in (counted["first"], kept["first"]) if day]
    reading = sum(not r.done for r in receipts)
    return Tray(
        rows,
        kept["n"],
        counted["n"],
        reading,
        (today - min(firsts)).days if firsts else 0,
        expenses,
        counted["aside"] + kept["aside"],
        _beyond(all_receipts, len(receipts), MOST_PAPERS) + _beyond(all_charges, len(charges), MOST_CHARGES)
        if narrow is not None and narrow.any
        else kept["n"] + counted["n"] - len(receipts) - len(charges),
    )


def _beyond(rows: QuerySet, shown: int, most: int) -> int:
    """How many more there are; asked only where the board is full, and narrowed."""
    return rows.count() - shown if shown == most else 0


def _asked(thing: Receipt | Charge) -> Asked:
    if isinstance(thing, Charge):
        return Asked(thing.merchant, thing.merchant_code, thing.date)
    return Asked(thing.value("merchant"), day=thing.day)


def _rows(member: Membership, receipts: list[Receipt], charges: list[Charge], pairs: list[Pair]) -> list[Row]:
    categories = rulebook(member.firm).categories
    things: list[Receipt | Charge] = [*receipts, *charges]
    proposed = dict(zip(things, propose_all(member, [_asked(thing) for thing in things]), strict=True))
    by_receipt, by_charge = {str(r.pk): r for r in receipts}, {str(c.pk): c for c in charges}

    def becomes(receipt: Receipt | None, charge: Charge | None) -> Becomes:
        """The same order as when it is taken: the paper's merchant, the card's code, the card's merchant."""
        found = [proposed[thing] for thing in (receipt, charge) if thing is not None]
        best = max(filter(None, found), key=lambda p: p.sure, default=None)
        usual = categories.get(
            usual_category(member, (charge.date if charge else None) or (receipt.day if receipt else None))
        )
        return (
            Becomes(categories[best.category].name, best.why)
            if best
            else Becomes(usual.name if usual else "A cost", "")
        )

    rows = []
    for pair in sorted(pairs, key=lambda p: (not p.sure, -p.score)):
        receipt, charge = by_receipt.pop(pair.paper), by_charge.pop(pair.charge)
        rows.append(Row(receipt, charge, pair, becomes(receipt, charge), charge.amount))
    alone = len(rows)
    for receipt in by_receipt.values():
        rows.append(Row(receipt, None, None, becomes(receipt, None), receipt.total_in(member.firm.currency)))
    rows += [Row(None, charge, None, becomes(None, charge), charge.amount) for charge in by_charge.values()]
    # What has no partner stands by date, the newest first.
    rows[alone:] = sorted(rows[alone:], key=_day_of, reverse=True)
    return rows


def _day_of(row: Row) -> date:
    if row.charge is not None:
        return row.charge.date
    return (
        (row.paper.day or clock.day_of(row.paper.received, row.paper.firm.zone)) if row.paper is not None else date.min
    )


def with_evidence(expenses: QuerySet[Expense]) -> QuerySet[Expense]:
    """Load expenses with their parts, shares, charge and receipts: four queries in all."""
    receipts = Receipt.objects.defer("lines").order_by("place", "received", "pk")
    return expenses.select_related("charge__card", "turned_down_in", "booking").prefetch_related(
        "parts", "shares", Prefetch("receipts", receipts)
    )


def expense_for(member: Membership, expense_id: int) -> Expense:
    """Return an expense that ``member`` may see. Raises ``Expense.DoesNotExist``."""
    found = with_evidence(Expense.objects.visible_to(member)).select_related("claim", "firm", "charge__card")
    return found.get(pk=expense_id)


def receipt_for(member: Membership, receipt_id: int) -> Receipt:
    """Return a receipt that ``member`` may see. Raises ``Receipt.DoesNotExist``."""
    return Receipt.objects.visible_to(member).select_related("expense").prefetch_related("pages").get(pk=receipt_id)


KNOWN = ("pk", "merchant", "description", "date", "amount_minor", "owner__person__name", "claim__number")


def known_like(
    firm_id: int, currency: str, days: Collection[date], minors: Collection[int], besides: Collection[int],
    papers: Collection[str] = (),
) -> list[Known]:  # fmt: skip
    """Costs recorded elsewhere that share a day and an amount with some, or a paper by its hash: candidates for a duplicate.

    Two queries at most, none for nothing.
    """
    if not days:
        return []
    same = Receipt.objects.none()
    if papers:
        same = Receipt.objects.filter(firm_id=firm_id, sha256__in=papers, expense__isnull=False)
        same = same.exclude(expense__in=besides).select_related("expense__owner__person", "expense__claim")
    twins = [_paper_known(each) for each in same[:200]]
    rows = (
        Expense.objects.filter(firm_id=firm_id, date__in=days, amount_minor__in=minors)
        .exclude(pk__in=besides)
        .exclude(merchant="")
        .values_list(*KNOWN)[:200]
    )
    return twins + [_row_known(row, currency) for row in rows]


class Elsewhere:
    """What ``known_like`` would find for any claim of a firm, looked up once for many claims: two queries.

    Held are the costs that share their day and amount with another, and the papers that lie with several costs.
    """

    def __init__(self, firm_id: int, currency: str) -> None:
        self._costs: dict[tuple[date, int], list[Known]] = defaultdict(list)
        self._papers: dict[str, list[Known]] = defaultdict(list)
        alike = Window(Count("pk"), partition_by=[F("date"), F("amount_minor")])
        rows = (
            Expense.objects.filter(firm_id=firm_id)
            .exclude(merchant="")
            .annotate(alike=alike)
            .filter(alike__gt=1)
            .order_by("pk")
        )
        for pk, merchant, description, day, minor, name, number in rows.values_list(*KNOWN):
            label = description or merchant
            known = Known(
                f"expense:{pk}", label, _where(number, name), merchant, day, Money.from_minor(minor, currency)
            )
            self._costs[day, minor].append(known)
        twice = Window(Count("pk"), partition_by=[F("sha256")])
        papers = (
            Receipt.objects.filter(firm_id=firm_id, expense__isnull=False).annotate(twice=twice).filter(twice__gt=1)
        )
        for paper in papers.select_related("expense__owner__person", "expense__claim").order_by("pk"):
            self._papers[paper.sha256].append(_paper_known(paper))

    def beside(self, expenses: Sequence[Expense]) -> list[Known]:
        """Return what may be the same as some costs of a claim, those themselves left out."""
        own = {expense.key for expense in expenses}
        papers = {receipt.sha256 for expense in expenses for receipt in expense.receipts.all()}
        found = [known for paper in sorted(papers) for known in self._papers.get(paper, ())]
        for spot in sorted({(expense.date, expense.amount_minor) for expense in expenses}):
            found += self._costs.get(spot, ())
        return [known for known in found if known.key not in own]


def _row_known(row: tuple[int, str, str, date, int, str, int | None], currency: str) -> Known:
    """A cost as ``KNOWN`` reads it."""
    pk, merchant, description, day, minor, name, number = row
    amount = Money.from_minor(minor, currency)
    return Known(f"expense:{pk}", description or merchant, _where(number, name), merchant, day, amount)


def _paper_known(paper: Receipt) -> Known:
    expense = paper.expense
    if expense is None:
        raise ValueError("a paper that lies loose is with no cost")
    where = _where(expense.claim and expense.claim.number, expense.owner.name)
    return Known(expense.key, expense.label, where, expense.merchant, expense.date, expense.amount, (paper.sha256,))


def _where(claim: int | None, owner: str) -> str:
    return f"claim C-{claim:04d} of {owner}" if claim else f"the tray of {owner}"


def shown_by(expense: Expense) -> tuple[Money | None, str]:
    """Return what the evidence of an expense shows, and which evidence: the card before the paper."""
    charge = getattr(expense, "charge", None)
    if charge is not None:
        return charge.amount, "card"
    receipts = expense.receipts.all()
    read = (receipt.total_in(expense.currency) for receipt in receipts)
    totals = [each for each in read if each is not None]
    if totals and all(t.currency == totals[0].currency for t in totals):
        whole = totals[0]
        for each in totals[1:]:
            whole = whole + each
        if whole.currency == expense.currency:
            return whole, "receipt"
        if expense.rate and whole.currency == expense.original_currency:
            return Money.rounded(whole.amount / Decimal(expense.rate), expense.currency), "receipt"
    return None, "receipt" if receipts else ""
