"""Reads of a month's end: what is still loose, where, what it comes to and whom to push; what is spent and not posted."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta

from django.db.models import Count, Exists, Min, OuterRef, Q, QuerySet, Sum
from django.db.models.expressions import CombinedExpression

from wainwright.accounts.models import Period, Posting
from wainwright.accounts.periods import last_of, month_before, next_month
from wainwright.accounts.selectors import books
from wainwright.claims.models import Claim, StatementCoding
from wainwright.core.accruals import Accrued, Spent, accrue
from wainwright.core.categories import propose
from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.core.said import joined, say
from wainwright.expenses.models import Charge, Expense
from wainwright.expenses.proposals import guides
from wainwright.journals.billed import bookings_billed, charges_untold
from wainwright.people.models import Firm
from wainwright.reconciling.models import BankAccount
from wainwright.rulebook.selectors import rulebook
from wainwright.signoff.models import SignOff
from wainwright.trips.models import Trip
from wainwright.trips.selectors import ADVANCE_OUT

ON_THEIR_WAY = ("In sign-off", "In finance check", "Cleared", "Posting refused")
OPEN = ("Open", "Sent back")
# So many people are named on a line of the page; how many there are is said.
NAMED = 4


@dataclass(frozen=True)
class Step:
    """One thing that stands between today and a closed month: how many, what they come to, whom to push, where it is done."""

    key: str
    name: str
    count: int
    sum: Money
    oldest: date | None
    people: tuple[str, ...]
    more: int
    link: str
    act: str
    blocks: bool = False


def month_of(text: str, today: date) -> date:
    """A month as an address names it (2026-09), else the one before today's."""
    try:
        year, _, number = text.partition("-")
        found = date(int(year), int(number), 1)
        if 2000 <= found.year <= today.year + 1:
            return found
    except ValueError:
        pass
    return month_before(today)


def closed(firm: Firm, month: date) -> Period | None:
    """The closed period of a month, nothing while it is open."""
    return Period.objects.filter(firm=firm, month=month).select_related("by__person").first()


def steps(firm: Firm, month: date) -> list[Step]:
    """Return what still stands open of a month, in the order of the road. Two queries for each."""
    until = last_of(month)
    charges = Charge.objects.filter(firm=firm, state="Loose", date__lte=until)
    claims = Claim.objects.filter(firm=firm, created__date__lte=until + timedelta(days=45))
    costs = Expense.objects.filter(claim=OuterRef("pk"), date__lte=until)
    spent = claims.filter(Exists(costs) | Q(trip__ends__lte=until))
    # A claim that was not sent has no sum of its own yet: its costs are added up.
    unsent = Expense.objects.filter(firm=firm, claim__state__in=OPEN, date__lte=until, currency=firm.currency)
    back = _unclaimed(firm).filter(state="Back", ends__lte=until)
    waiting = SignOff.objects.filter(
        firm=firm, state=SignOff.State.WAITING, turn=True, kind="claim", since__date__lte=until + timedelta(days=45)
    )
    due = Claim.objects.filter(
        firm=firm, state="Posted", statement__due_minor__gt=0, sent__date__lte=until + timedelta(days=45)
    )
    owed = Claim.objects.filter(firm=firm, state="Posted", statement__due_minor__lt=0)
    out = Trip.objects.filter(firm=firm, advance_paid=True, advance_settled=False, starts__lte=until)
    refused = Posting.objects.filter(firm=firm, state="Refused", date__lte=until)
    named = books(firm).accounts
    billed = bookings_billed(firm).filter(asked__date__lte=until)
    untold = charges_untold(firm).filter(date__lte=until)
    # A firm that names no account for them tells the ledger of them by its claims alone.
    before = [
        _step("billed", say("Bookings billed and not posted"), billed, "due", "asked", "carrier", firm, "/ledger/billed/#bookings", say("Post them")) if named.suppliers else None,
        _step("charged", say("Charges booked and not posted"), untold, "amount_minor", "date", "owner__person__name", firm, "/ledger/billed/#charges", say("Post them")) if named.card_issuers else None,
    ]  # fmt: skip
    return [
        _step("loose", say("Charges that lie loose"), charges, "amount_minor", "date", "owner__person__name", firm, "/ledger/loose/", say("Remind whose they are")),
        _step("unclaimed", say("Trips back and not claimed"), back, "signed__total_minor", "ends", "traveller__person__name", firm, "/firm/trips/?state=Back", say("See them")),
        *filter(None, before),
        _step("open", say("Claims not sent"), unsent, "amount_minor", "date", "claim__claimant__person__name", firm, "/firm/claims/?state=Open", say("See them"), counted="claim"),
        _step("signing", say("In sign-off"), waiting, "amount_minor", "since", "signer__person__name", firm, "/bench/queue/?show=others", say("Push who decides")),
        _step("check", say("In finance's check"), spent.filter(state="In finance check"), "statement__total_minor", "sent", "claimant__person__name", firm, "/firm/claims/?state=In+finance+check", say("See them")),
        _step("cleared", say("Cleared and not posted"), claims.filter(state="Cleared"), "statement__total_minor", "sent", "claimant__person__name", firm, "/ledger/", say("Post them"), True),
        _step("refused", say("Refused by the ledger"), refused, "total_minor", "date", "title", firm, "/ledger/", say("Mend them"), True),
        _step("unpaid", say("Posted and not paid"), due, "statement__due_minor", "sent", "claimant__person__name", firm, "/ledger/pay/", say("Pay them")),
        _step("advances", say("Advances that are out"), out, ADVANCE_OUT, "starts", "traveller__person__name", firm, "/ledger/pay/#advances-out", say("See them")),
        _step("owed", say("Owed back to the firm"), owed, "statement__due_minor", "sent", "claimant__person__name", firm, "/ledger/pay/#owed-back", say("Follow them")),
        _reconciled(firm, until),
    ]  # fmt: skip


def _unclaimed(firm: Firm) -> QuerySet[Trip]:
    """Trips of a firm that no claim counts."""
    taken = Claim.objects.live().filter(firm=firm, trip__isnull=False).values("trip_id")
    along = Claim.also.through.objects.filter(claim__firm=firm).exclude(claim__state__in=Claim.OVER).values("trip_id")
    return Trip.objects.filter(firm=firm).exclude(pk__in=taken).exclude(pk__in=along)


def _step(
    key: str, name: str, rows: QuerySet, amount: str | CombinedExpression, day: str, who: str, firm: Firm, link: str, act: str, blocks: bool = False,
    counted: str = "pk",
) -> Step:  # fmt: skip
    rows = rows.order_by()
    sums = rows.aggregate(n=Count(counted, distinct=True), s=Sum(amount, default=0), o=Min(day))
    people = list(rows.values_list(who).annotate(n=Count("pk")).order_by("-n", who)[: NAMED + 1]) if sums["n"] else []
    names = tuple(each[0] for each in people[:NAMED])
    oldest = sums["o"].date() if hasattr(sums["o"], "date") else sums["o"]
    more = rows.values(who).distinct().count() - NAMED if len(people) > NAMED else 0
    return Step(
        key, name, sums["n"], Money.from_minor(sums["s"] or 0, firm.currency), oldest, names, more, link, act, blocks
    )


def _reconciled(firm: Firm, until: date) -> Step:
    """Accounts whose lines of the month are not all told, or whose period is not closed to its end."""
    loose = Q(lines__match__isnull=True, lines__day__lte=until)
    rows = BankAccount.objects.filter(firm=firm).annotate(
        n=Count("lines", filter=loose),
        s=Sum("lines__amount_minor", filter=loose, default=0),
        o=Min("lines__day", filter=loose),
    )
    done = set(BankAccount.objects.filter(firm=firm, reconciliations__until__gte=until).values_list("pk", flat=True))
    left = [row for row in rows if row.n or row.pk not in done]
    oldest = min((row.o for row in left if row.o), default=None)
    whole = Money.from_minor(sum(row.s for row in left), firm.currency)
    return Step(
        "bank",
        say("Accounts not reconciled"),
        len(left),
        whole,
        oldest,
        tuple(row.name for row in left[:NAMED]),
        max(0, len(left) - NAMED),
        "/ledger/bank/",
        say("Reconcile them"),
    )


def spent_not_posted(firm: Firm, month: date) -> list[Spent]:
    """Return what was spent up to a month's end and is not posted: plans, loose charges, claims on their way. Six queries."""
    until, book, ledger = last_of(month), rulebook(firm), books(firm)
    accounts = {category.code: category.account for category in book.categories_on(until).values()}
    trips = list(_under_way(firm, until))
    return [
        *_of_plans(trips, accounts, firm), *_of_charges(firm, until, trips, accounts), *_of_open_claims(firm, until, accounts, ledger.mileage_account),
        *_of_sent_claims(firm, until),
    ]  # fmt: skip


def accrued(firm: Firm, month: date) -> list[Accrued]:
    """The same by account and coding."""
    return accrue(spent_not_posted(firm, month), firm.currency)


def _under_way(firm: Firm, until: date) -> QuerySet[Trip]:
    """Trips that had begun by then and that no claim counts yet."""
    rows = _unclaimed(firm).filter(state__in=["Under way", "Back"], starts__lte=until, signed__isnull=False)
    return rows.select_related("signed")


def _of_plans(trips: list[Trip], accounts: dict[str, str], firm: Firm) -> Iterator[Spent]:
    """What was authorised, category by category; what no category has (the daily allowance) on the account of allowances."""
    allowance = books(firm).allowance_account
    for trip in trips:
        by_category = trip.signed.by_category if trip.signed else {}
        rest = (trip.signed.total_minor if trip.signed else 0) - sum(by_category.values())
        for code, minor in [*by_category.items(), ("", rest)]:
            if minor:
                account = accounts.get(code) or allowance
                yield Spent(
                    "plan",
                    trip.subject,
                    joined("", (trip.code, " ", trip.title)),
                    trip.coding.with_account(account),
                    Money.from_minor(minor, firm.currency),
                )


def _of_charges(firm: Firm, until: date, trips: list[Trip], accounts: dict[str, str]) -> Iterator[Spent]:
    """Loose charges, but for those of somebody whose trip of those days is accrued by its plan already."""
    days = [
        (trip.traveller_id, trip.starts - timedelta(days=2), (trip.ends or trip.starts) + timedelta(days=2))
        for trip in trips
        if trip.starts
    ]
    known = guides(rulebook(firm).categories)
    usual = next(iter(accounts.values()), "")
    rows = Charge.objects.filter(firm=firm, state="Loose", date__lte=until, currency=firm.currency, aside="")
    for row in rows.select_related("owner__person").order_by("date", "pk"):
        if any(who == row.owner_id and since <= row.date <= until_ for who, since, until_ in days):
            continue
        proposal = propose("", row.merchant, row.merchant_code, (), known)
        account = accounts.get(proposal.category, usual) if proposal else usual
        yield Spent(
            "charge",
            f"charge:{row.pk}",
            joined("", (row.merchant, ", ", row.owner.person.name)),
            row.owner.coding.with_account(account),
            row.amount,
        )


def _of_open_claims(firm: Firm, until: date, accounts: dict[str, str], mileage: str) -> Iterator[Spent]:
    """Costs on claims that were not sent, by claim and coding, whole: what of their tax comes back is known once they are sent."""
    rows = Expense.objects.filter(
        firm=firm, claim__state__in=OPEN, date__lte=until, personal=False, currency=firm.currency
    )
    of = ("claim_id", "claim__number", "claim__title", "claim__codes", "kind", "category", "codes")
    summed = rows.order_by().values(*of).annotate(s=Sum("amount_minor"), first=Min("date")).order_by("first", *of)
    for row in summed:
        account = mileage if row["kind"] == Expense.Kind.MILEAGE else accounts.get(row["category"], "")
        coding = Coding.of(row["codes"]).filled_from(Coding.of(row["claim__codes"])).with_account(account)
        yield _of_claim(row["claim_id"], row["claim__number"], row["claim__title"], coding, row["s"], firm)


def _of_sent_claims(firm: Firm, until: date) -> Iterator[Spent]:
    """Claims that were sent and not posted, by claim and coding, as their statements say: cost without the tax that comes back."""
    claim = "line__statement__claim"
    current = Claim.objects.filter(firm=firm, state__in=ON_THEIR_WAY).values("statement_id")
    rows = StatementCoding.objects.filter(line__statement__in=current, line__day__lte=until, personal=False)
    of = (f"{claim}_id", f"{claim}__number", f"{claim}__title", "account", "codes")
    summed = rows.order_by().values(*of).annotate(s=Sum("net_minor"), first=Min("line__day")).order_by("first", *of)
    for row in summed:
        coding = Coding.of(row["codes"]).with_account(row["account"])
        yield _of_claim(row[of[0]], row[of[1]], row[of[2]], coding, row["s"], firm)


def _of_claim(claim_id: int, number: int, title: str, coding: Coding, minor: int, firm: Firm) -> Spent:
    words = joined("", (Claim(number=number).code, " ", title))
    return Spent("claim", f"claim:{claim_id}", words, coding, Money.from_minor(minor, firm.currency))


def unpaid_by_person(firm: Firm) -> list[dict]:
    """What is posted and not paid, by person, the largest first. One query."""
    rows = Claim.objects.filter(firm=firm, state="Posted", statement__due_minor__gt=0).order_by()
    summed = (
        rows.values("claimant__person__name")
        .annotate(n=Count("pk"), s=Sum("statement__due_minor"), o=Min("sent"))
        .order_by("-s")
    )
    return [
        {
            "name": row["claimant__person__name"],
            "count": row["n"],
            "sum": Money.from_minor(row["s"], firm.currency),
            "since": row["o"],
        }
        for row in summed
    ]


@dataclass(frozen=True)
class Movement:
    """One movement of an account: its day, what it was, in or out, and what is there after it."""

    day: date
    title: str
    posting_id: int
    amount: Money
    after: Money


@dataclass(frozen=True)
class Movements:
    """An account's movements of a month, from what was there before to what is there after."""

    opening: Money
    rows: list[Movement]
    closing: Money


def movements(firm: Firm, account: str, month: date) -> Movements:
    """Return what moved on an account in a month, entered journals alone. Two queries."""
    lines = Posting.objects.filter(firm=firm, state=Posting.State.ENTERED, lines__account=account).order_by()
    amount = Sum("lines__debit_minor") - Sum("lines__credit_minor")
    before = lines.filter(date__lt=month).aggregate(s=amount)["s"] or 0
    opening = at = Money.from_minor(before, firm.currency)
    rows = []
    within = lines.filter(date__gte=month, date__lt=next_month(month)).values("pk", "date", "title").annotate(s=amount)
    for row in within.order_by("date", "pk"):
        moved = Money.from_minor(row["s"], firm.currency)
        at = at + moved
        rows.append(Movement(row["date"], row["title"], row["pk"], moved, at))
    return Movements(opening, rows, at)
