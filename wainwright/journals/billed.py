"""What is billed to the firm before any claim: bookings by their suppliers, charges by the cards' issuers, and what those differ by.

A booking that is billed stands in prepaid travel, a charge in clearing, until a claim takes it out; so what stays there is what
nobody has claimed yet. Each is told to the ledger once, and what changes afterwards as a further entry.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import groupby

from django.db import transaction
from django.db.models import (
    BigIntegerField,
    Case,
    CharField,
    Count,
    F,
    OuterRef,
    Q,
    QuerySet,
    Subquery,
    Sum,
    Value,
    When,
)
from django.db.models.functions import Cast, Coalesce, Concat

from wainwright import clock
from wainwright.accounts import services as accounts
from wainwright.accounts.models import Posting
from wainwright.accounts.selectors import books
from wainwright.bookings.models import Booking
from wainwright.claims.models import StatementLine
from wainwright.core.matching import plain_merchant
from wainwright.core.money import Money
from wainwright.core.posting import Accounts, Charged, Journal, billed_journal, charges_journal, difference_journal
from wainwright.core.said import as_figure, joined, say
from wainwright.errors import Refusal
from wainwright.expenses.models import Charge
from wainwright.journals.models import Billed, Difference, PostingRun, PostingRunItem
from wainwright.journals.services import MOST, day_for, new_run, post_run
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.trail.services import record

BOOKINGS, CHARGES, DIFFERENCES = "bookings", "charges", "differences"
# So many charges stand on one journal, so that it can be read.
ON_A_JOURNAL = 200
# What was claimed of older charges is not compared any more: their issuers' statements are closed.
LOOKS_BACK = timedelta(days=400)
# Which account of the firm each kind needs, and how it is called.
NEEDS = {
    BOOKINGS: ("suppliers", say("on which suppliers are owed")), CHARGES: ("card_issuers", say("on which card issuers are owed")),
    DIFFERENCES: ("differences", say("for what cards differ by")),
}  # fmt: skip


def _summed(rows: QuerySet, of: str) -> Coalesce:
    """What rows come to for each of what they are of, in SQL."""
    sums = rows.order_by().values(of).annotate(s=Sum("amount_minor")).values("s")
    return Coalesce(Subquery(sums), 0, output_field=BigIntegerField())


def bookings_billed(firm: Firm) -> QuerySet[Booking]:
    """Return the bookings that were billed to the firm and that the ledger knows at another sum, each with ``due``. One query.

    A ticket is billed at its price, one that was given up at what is not given back.
    """
    told = _summed(Billed.objects.filter(booking=OuterRef("pk")), "booking")
    bears = Case(When(state="Ticketed", then=F("price_minor")), default=F("lost_minor"))
    rows = Booking.objects.filter(
        firm=firm, paid_by="central", currency=firm.currency, state__in=("Ticketed", "Cancelled")
    )
    return rows.annotate(due=bears - told).exclude(due=0).select_related("trip").order_by("asked", "pk")


def bookings_taken_off(firm: Firm) -> QuerySet:
    """Return what was billed for bookings that were taken off since, by subject, with what the ledger still has of each."""
    rows = Billed.objects.filter(firm=firm, booking__isnull=True).values("subject", "supplier").order_by("subject")
    return rows.annotate(due=-Sum("amount_minor")).exclude(due=0)


def charges_untold(firm: Firm) -> QuerySet[Charge]:
    """Return the charges of the firm's cards that are booked and that the ledger was not told of. One query."""
    rows = Charge.objects.filter(
        firm=firm, card__firm_pays=True, pending=False, posting__isnull=True, currency=firm.currency
    )
    return rows.select_related("card", "owner__person").order_by("card__account", "card__issuer", "date", "pk")


def charges_that_differ(firm: Firm, today: date) -> QuerySet[Charge]:
    """Return the posted charges of which something else was claimed than was charged, each with ``claimed`` and ``due``. One query."""
    key = Concat(Value("expense:"), Cast(OuterRef("expense_id"), CharField()))
    line = StatementLine.objects.filter(statement=OuterRef("expense__claim__statement_id"), key=key)
    told = _summed(Difference.objects.filter(charge=OuterRef("pk")), "charge")
    rows = Charge.objects.filter(
        firm=firm, state="Posted", pending=False, card__firm_pays=True, currency=firm.currency, date__gte=today - LOOKS_BACK
    )  # fmt: skip
    rows = rows.annotate(claimed=Subquery(line.values("says_minor")[:1]), told=told)
    rows = rows.annotate(due=F("amount_minor") - F("claimed") - F("told")).filter(~Q(due=0), claimed__isnull=False)
    return rows.select_related("card", "owner__person", "expense__claim").order_by("date", "pk")


@dataclass(frozen=True)
class Open:
    """How much of a kind the ledger was not told of: how many, what they come to, and which account is not named for it."""

    kind: str
    count: int
    sum: Money
    missing: str


def open_of(firm: Firm) -> list[Open]:
    """Return what of each kind is not told yet. Four queries."""
    ledger, both = books(firm).accounts, {"n": Count("pk"), "s": Sum("due", default=0)}
    gone = list(bookings_taken_off(firm).values_list("due", flat=True))
    sums = {
        BOOKINGS: bookings_billed(firm).order_by().aggregate(**both),
        CHARGES: charges_untold(firm).order_by().aggregate(n=Count("pk"), s=Sum("amount_minor", default=0)),
        DIFFERENCES: charges_that_differ(firm, clock.today(firm.zone)).order_by().aggregate(**both),
    }
    sums[BOOKINGS] = {"n": sums[BOOKINGS]["n"] + len(gone), "s": sums[BOOKINGS]["s"] + sum(gone)}
    return [
        Open(kind, sums[kind]["n"], Money.from_minor(sums[kind]["s"], firm.currency), "" if getattr(ledger, account) else words)
        for kind, (account, words) in NEEDS.items()
    ]  # fmt: skip


def post_billed(member: Membership, kind: str, on: date | None = None) -> PostingRun:
    """Begin a run that tells the ledger what of a kind it was not told. Raises ``NotAllowed``, ``Refusal``.

    A run takes so many at once; what is beyond waits for the next. Charges are posted in their own months.
    """
    must(member, "post")
    if kind not in NEEDS:
        raise Refusal(say("Choose what is to be posted."))
    day = day_for(member, on)
    with transaction.atomic():
        # Whoever comes second waits here, and finds what the first has left.
        firm = Firm.objects.select_for_update(no_key=True).get(pk=member.firm_id)
        ledger = books(firm).accounts
        account, words = NEEDS[kind]
        if not getattr(ledger, account):
            raise Refusal(say("No account is named {words}. Name it under Masters, Accounts of the firm.", words=words))
        run = new_run(member, day)
        prepare = {BOOKINGS: _bookings, CHARGES: _charges, DIFFERENCES: _differences}[kind]
        made = list(prepare(firm, ledger, run))
        if not made:
            raise Refusal(say("Nothing of it is left to be posted."))
        PostingRunItem.objects.bulk_create(
            PostingRunItem(run=run, posting=each, amount_minor=each.total_minor, currency=each.currency)
            for each in made
        )
        record(member, say("began a posting run"), f"postingrun:{run.pk}", after={"of": kind, "journals": len(made)})
        post_run(run.pk)
    return run


def _suppliers(firm: Firm) -> dict[str, str]:
    """The code of each merchant's supplier by the merchant's plain name. One query."""
    rows = firm.suppliers.filter(merchants__isnull=False).values_list("merchants__merchant", "code")
    return dict(rows)


def _named(journal: Journal, suppliers: dict[str, str], merchant: str, account: str) -> Journal:
    return journal.naming(suppliers.get(plain_merchant(merchant)[:120], ""), (account,))


def _bookings(firm: Firm, ledger: Accounts, run: PostingRun) -> Iterator[Posting]:
    suppliers = _suppliers(firm)
    found = [
        (f"booking:{b.pk}", b, b.carrier, b.due, joined("", (b.trip.code, " ", b.label)))
        for b in bookings_billed(firm)[:MOST]
    ]
    found += [
        (row["subject"], None, row["supplier"], row["due"], say("Taken off: {supplier}", supplier=row["supplier"]))
        for row in bookings_taken_off(firm)[: MOST - len(found)]
    ]
    for subject, booking, merchant, minor, text in found:
        entry = Billed.objects.filter(firm=firm, subject=subject).count() + 1
        journal = billed_journal(
            f"{subject}:{firm.pk}:{entry}",
            Money.from_minor(minor, firm.currency),
            ledger,
            joined("", (text, ", ", merchant)),
        )
        journal = _named(journal, suppliers, merchant, ledger.suppliers)
        posting = accounts.prepare_posting(firm, journal, subject, say("Billed: {text}", text=text)[:160], run.date)
        Billed.objects.create(
            firm=firm, booking=booking, subject=subject, entry=entry, amount_minor=minor, supplier=merchant[:160], posting=posting
        )  # fmt: skip
        yield posting


def _charges(firm: Firm, ledger: Accounts, run: PostingRun) -> Iterator[Posting]:
    """A journal for each issuer and month; what would be too long for one stands on several."""
    suppliers = _suppliers(firm)
    rows = list(charges_untold(firm)[: MOST * 10])
    made = 0
    for (account, issuer), of_card in groupby(rows, key=lambda row: (row.card.account, row.card.issuer)):
        for month, of_month in groupby(of_card, key=lambda row: (row.date.year, row.date.month)):
            of_it = list(of_month)
            for start in range(0, len(of_it), ON_A_JOURNAL):
                made += 1
                if made > MOST:
                    return
                part = of_it[start : start + ON_A_JOURNAL]
                text = say("{issuer}, charged in {date}", issuer=issuer, date=as_figure(date(*month, 1), "%B %Y"))
                journal = _charged(
                    f"charges:{firm.pk}:{run.number}:{made}", part, account or ledger.card_clearing, ledger, firm.currency, text
                )  # fmt: skip
                journal = _named(journal, suppliers, issuer, ledger.card_issuers)
                posting = accounts.prepare_posting(
                    firm, journal, f"charges:{run.number}:{made}", text[:160], min(run.date, max(row.date for row in part))
                )  # fmt: skip
                Charge.objects.filter(pk__in=[row.pk for row in part]).update(posting=posting)
                yield posting


def _charged(
    key: str, part: Sequence[Charge], clearing: str, ledger: Accounts, currency: str, text: str
) -> Journal:  # fmt: skip
    charged = [
        Charged(clearing, row.amount, f"{row.merchant}, {row.owner.person.name}, {row.date:%d %b}"[:160])
        for row in part
    ]
    return charges_journal(key, charged, currency, ledger, text)


def _differences(firm: Firm, ledger: Accounts, run: PostingRun) -> Iterator[Posting]:
    for charge in charges_that_differ(firm, clock.today(firm.zone))[:MOST]:
        entry = charge.differences.count() + 1
        text = say(
            "{claim_code}: {merchant} charged at {charge_amount}, claimed at {from_minor}",
            claim_code=charge.expense.claim.code,
            merchant=charge.merchant,
            charge_amount=charge.amount,
            from_minor=Money.from_minor(charge.claimed, firm.currency),
        )
        journal = difference_journal(
            f"difference:{firm.pk}:{charge.pk}:{entry}", charge.card.account or ledger.card_clearing,
            Money.from_minor(charge.due, firm.currency), ledger, text,
        )  # fmt: skip
        posting = accounts.prepare_posting(firm, journal, f"charge:{charge.pk}", text[:160], run.date)
        Difference.objects.create(charge=charge, entry=entry, amount_minor=charge.due, posting=posting)
        yield posting
