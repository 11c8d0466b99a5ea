"""Reads about what lies in the tray."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date, timedelta
from decimal import Decimal, InvalidOperation

from django.core.paginator import Page
from django.db.models import Count, Min, Prefetch, Q, QuerySet

from wainwright import clock
from wainwright.bookings.models import Booking
from wainwright.core.categories import Proposal
from wainwright.core.fx import NoRate, RateTable, convert
from wainwright.core.matching import Charge as CoreCharge
from wainwright.core.matching import Pair, Paper, best_pairs
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.expenses.models import Charge, Expense, Receipt, RefusedPair
from wainwright.expenses.proposals import Asked, propose_all, usual_category
from wainwright.paging import page_of
from wainwright.people.models import Membership
from wainwright.prepared import prepared
from wainwright.rulebook.selectors import rate_table, rulebook
from wainwright.trips.models import Trip

# So many of the newest papers and charges are compared with each other; the rows they make are shown in pages.
MOST_PAPERS, MOST_CHARGES, MOST_BOOKINGS, SHOWN = 200, 500, 100, 40
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
    """One row of the matching board: a paper, a charge, or both, what was booked for them, and what they would become."""

    paper: Receipt | None
    charge: Charge | None
    pair: Pair | None
    becomes: Becomes
    amount: Money | None
    booking: Booking | None = None
    booked: Pair | None = None

    @property
    def key(self) -> str:
        """The paper and the charge, whatever was booked for them: "12:7", a paper alone "12:", a charge alone ":7"."""
        return f"{self.paper.pk if self.paper else ''}:{self.charge.pk if self.charge else ''}"

    @property
    def code(self) -> str:
        """The row as a form names it: as its key, with a booking "12:7:5"."""
        return f"{self.key}:{self.booking.pk}" if self.booking else self.key

    @property
    def pays(self) -> Booking | None:
        """The booking that it pays for sure."""
        return self.booking if self.booked is not None and self.booked.sure else None

    @property
    def names(self) -> tuple[int | None, int | None, int | None]:
        """Its paper, charge and booking by number, as they are taken without a look: a booking that is not sure is left."""
        return tuple(each.pk if each else None for each in (self.paper, self.charge, self.pays))

    @property
    def trip_id(self) -> int | None:
        """The trip to which it belongs for sure, whatever its day: that of the booking which it pays."""
        return self.pays.trip_id if self.pays else None

    @property
    def waits(self) -> bool:
        """Whether its paper is still being read."""
        return self.paper is not None and not self.paper.done

    @property
    def fits(self) -> bool:
        """Whether it can be taken without a look."""
        if self.paper is not None and (self.paper.like_id or not self.paper.done):
            return False
        if self.pair is not None or self.booked is None:
            return self.pair is not None and self.pair.sure
        # What was paid oneself is proved by its paper; a charge by what was booked.
        return self.booked.sure


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
    """Return the board: the newest of what is loose, narrowed, and paired as well as it can be; a page of loose ``costs``. Eleven queries."""
    narrowed = _narrowed(member, narrow) if narrow is not None and narrow.any else None
    if narrowed is None:
        receipts, charges = _newest_papers(member.pk), _newest_charges(member.pk)
    else:
        receipts = list(narrowed[0].defer("lines", "invoice")[:MOST_PAPERS])
        charges = list(narrowed[1].select_related("card")[:MOST_CHARGES])
    refused = {
        (str(r), str(c))
        for r, c in RefusedPair.objects.filter(receipt__in=[r.pk for r in receipts]).values_list(
            "receipt_id", "charge_id"
        )
    }
    expenses = page_of(_loose_costs(member.pk), SHOWN, costs, newest=lambda: _newest_costs(member.pk))
    home, today = member.firm.currency, clock.today(member.firm.zone)
    # Rates are for papers; where there is none, none is asked for.
    days = [r.day for r in receipts if r.day]
    table = rate_table(member.firm, today, min(days, default=today)) if receipts else NO_RATES
    things: list[Receipt | Charge] = [*receipts, *charges]
    proposed = dict(zip(things, propose_all(member, [_asked(thing) for thing in things]), strict=True))
    tips = {code for code, row in rulebook(member.firm).categories.items() if row.tips}
    tipped = {thing for thing, best in proposed.items() if best is not None and best.category in tips}
    pairs = best_pairs(
        [replace(paper_of(r, home, table), tips=r in tipped) for r in receipts],
        [CoreCharge(str(c.pk), c.merchant, c.date, c.amount, c.card.last_four, TOWNS, c in tipped) for c in charges],
        refused,
    )
    rows = _with_bookings(member, _rows(member, receipts, charges, pairs, proposed))
    # The board shows the newest; what is counted and how old it is comes from all that is loose.
    counted = next(iter(_charges_counted(member.pk)), NOTHING)
    kept = next(iter(_papers_counted(member.pk)), NOTHING)
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
        _beyond(narrowed[0], len(receipts), MOST_PAPERS) + _beyond(narrowed[1], len(charges), MOST_CHARGES)
        if narrowed is not None
        else kept["n"] + counted["n"] - len(receipts) - len(charges),
    )


NO_RATES = RateTable("EUR", {}, say("none is asked for"))
NOTHING = {"n": 0, "first": None, "aside": 0}


@prepared
def _newest_papers(owner: int) -> QuerySet[Receipt]:
    rows = Receipt.objects.select_related("firm").filter(owner_id=owner, expense__isnull=True, aside="")
    return rows.defer("lines", "invoice")[:MOST_PAPERS]


@prepared
def _newest_charges(owner: int) -> QuerySet[Charge]:
    return Charge.objects.filter(owner_id=owner, state="Loose", aside="").select_related("card")[:MOST_CHARGES]


@prepared
def _charges_counted(owner: int) -> QuerySet:
    rows = Charge.objects.filter(owner_id=owner, state="Loose").order_by().values("owner")
    return rows.annotate(
        n=Count("pk", filter=Q(aside="")), first=Min("date", filter=Q(aside="")), aside=Count("pk", filter=~Q(aside=""))
    )


@prepared
def _papers_counted(owner: int) -> QuerySet:
    rows = Receipt.objects.filter(owner_id=owner, expense__isnull=True).order_by().values("owner")
    return rows.annotate(
        n=Count("pk", filter=Q(aside="")),
        first=Min("received__date", filter=Q(aside="")),
        aside=Count("pk", filter=~Q(aside="")),
    )


def _loose_costs(owner: int) -> QuerySet[Expense]:
    rows = Expense.objects.filter(owner_id=owner, claim__isnull=True).select_related("charge", "turned_down_in")
    return rows.prefetch_related("receipts").order_by("-date", "-pk")


@prepared
def _newest_costs(owner: int) -> QuerySet[Expense]:
    return _loose_costs(owner)[: SHOWN + 1]


def _beyond(rows: QuerySet, shown: int, most: int) -> int:
    """How many more there are; asked only where the board is full, and narrowed."""
    return rows.count() - shown if shown == most else 0


def _asked(thing: Receipt | Charge) -> Asked:
    if isinstance(thing, Charge):
        return Asked(thing.merchant, thing.merchant_code, thing.date)
    return Asked(thing.value("merchant"), day=thing.day)


def _rows(
    member: Membership,
    receipts: list[Receipt],
    charges: list[Charge],
    pairs: list[Pair],
    proposed: Mapping[Receipt | Charge, Proposal | None],
) -> list[Row]:
    categories = rulebook(member.firm).categories
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
            else Becomes(usual.name if usual else say("A cost"), "")
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


def _with_bookings(member: Membership, rows: list[Row]) -> list[Row]:
    """Say for each row which booking it pays, where one fits: the best choice of all together. One query."""
    open_ = bookings_of(member)
    known = {
        str(number): target for number, row in enumerate(rows) if (target := _payable(row, str(number))) is not None
    }
    pairs = best_pairs([_booking_paper(each) for each in open_], list(known.values()))
    by_key = {str(each.pk): each for each in open_}
    names = rulebook(member.firm).categories
    found = list(rows)
    for pair in pairs:
        row, booking = rows[int(pair.charge)], by_key[pair.paper]
        category = names.get(booking.category)
        becomes = Becomes(category.name, say("as it was booked")) if category is not None and pair.sure else row.becomes
        found[int(pair.charge)] = replace(row, booking=booking, booked=pair, becomes=becomes)
    # A row that fits stands among those that fit.
    return sorted(found, key=lambda row: not row.fits)


def bookings_of(member: Membership) -> list[Booking]:
    """Return the newest bookings that somebody pays for by card or oneself and of which no cost is recorded. One query."""
    return _open_bookings(member.pk)


@prepared
def _open_bookings(traveller: int) -> QuerySet[Booking]:
    rows = Booking.objects.filter(trip__traveller_id=traveller, expenses__isnull=True).exclude(paid_by="central")
    rows = rows.filter(Q(state__in=["Confirmed", "Ticketed"]) | Q(lost_minor__gt=0))
    return rows.order_by("-departure", "-pk")[:MOST_BOOKINGS]


def _booking_paper(booking: Booking) -> Paper:
    """A booking as what is paid between its order and some days after it."""
    amount = booking.price if booking.stands else booking.lost
    day = booking.asked.date()
    return Paper(
        str(booking.pk),
        booking.carrier or booking.label,
        day,
        amount,
        booking.card,
        until=max(day, booking.departure.date()),
    )


def _payable(row: Row, key: str) -> CoreCharge | None:
    """A row as something that may pay a booking: its charge, else its paper where day and total were read."""
    if row.charge is not None:
        return CoreCharge(
            key, row.charge.merchant, row.charge.date, row.charge.amount, row.charge.card.last_four, TOWNS
        )
    if row.paper is None or row.paper.day is None or row.amount is None:
        return None
    return CoreCharge(key, row.paper.value("merchant"), row.paper.day, row.amount)


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


@prepared
def evidence_of(claim: int) -> QuerySet[Expense]:
    """The expenses of a claim with all that: worded once, since every act on one reads them."""
    return with_evidence(Expense.objects.filter(claim_id=claim))


def expense_for(member: Membership, expense_id: int) -> Expense:
    """Return an expense that ``member`` may see. Raises ``Expense.DoesNotExist``."""
    found = with_evidence(Expense.objects.visible_to(member)).select_related("claim", "firm", "charge__card")
    return found.get(pk=expense_id)


def receipt_for(member: Membership, receipt_id: int) -> Receipt:
    """Return a receipt that ``member`` may see. Raises ``Receipt.DoesNotExist``."""
    return Receipt.objects.visible_to(member).select_related("expense").prefetch_related("pages").get(pk=receipt_id)


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
