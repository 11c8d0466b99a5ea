"""What asks for an act of a traveller: to sign, what came back, what is late, what lies loose, what the next trip lacks."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta
from decimal import Decimal

from django.db.models import Count, Min, Q, QuerySet, Sum

from wainwright import clock
from wainwright.accounts.models import Payment
from wainwright.claims.beside import owed_by
from wainwright.claims.models import Claim
from wainwright.core.said import as_figure, joined, say, say_many, small
from wainwright.core.waiting import CAN_WAIT, HOLDS, LATE, NEAR, Ask
from wainwright.drawing.charts import Picture, upright
from wainwright.expenses.models import Charge, Receipt
from wainwright.prepared import prepared
from wainwright.reports.models import SpendLine, Stage
from wainwright.reports.reader import Reader
from wainwright.trips.models import Trip
from wainwright.web.selectors import to_sign

# So many of one kind are named each; of more it is said how many there are.
NAMED = 5
SOON, NEXT, LATELY = timedelta(days=7), timedelta(days=30), timedelta(days=14)
# Moves that are bought.
BOUGHT = ("air", "rail", "ferry", "coach")


def asks_of_traveller(reader: Reader) -> Iterator[Ask]:
    """Everything of one's own. Eleven queries."""
    member = reader.member
    for each in to_sign(member):
        yield Ask(
            each["title"],
            each["link"],
            say("Sign it"),
            HOLDS,
            detail=say("waits for your signature: {by} prepared it", by=each["by"]),
        )
    yield from _claims(reader)
    yield from _trips(reader)
    for owed in owed_by(member.pk):
        claim = owed.claim
        yield Ask(
            say("You owe back on {claim_code} {claim_title}", claim_code=claim.code, claim_title=claim.title), f"/claims/{claim.pk}/", say("See it"), CAN_WAIT, amount=owed.left.amount,
            since=clock.day_of(claim.sent, reader.firm.zone) if claim.sent else None, detail=small(claim.get_pays_back_display()),
        )  # fmt: skip
    yield from _loose(reader)


def _claims(reader: Reader) -> Iterator[Ask]:
    """Claims that came back, and those that are due."""
    late = 0
    for claim in _unsent(reader.member.pk):
        if claim.state == "Sent back":
            yield Ask(
                say("{claim_code} {claim_title} was sent back", claim_code=claim.code, claim_title=claim.title), f"/claims/{claim.pk}/", say("Mend it"), HOLDS, amount=claim.total.amount if claim.statement else None,
                since=clock.day_of(claim.sent, reader.firm.zone) if claim.sent else None, detail=say("what is asked of you stands on it"),
            )  # fmt: skip
        elif claim.due is not None and claim.due <= reader.today + SOON:
            late += 1
            if late <= NAMED:
                over = (reader.today - claim.due).days
                words = (
                    say("{over} days late", over=over)
                    if over > 1
                    else say("a day late")
                    if over == 1
                    else say("due {due}", due=as_figure(claim.due, "%-d %b"))
                )
                yield Ask(
                    joined("", (claim.code, " ", claim.title)),
                    f"/claims/{claim.pk}/",
                    say("Send it"),
                    LATE if over > 0 else NEAR,
                    since=claim.due,
                    detail=say("not sent, {words}", words=words),
                    worked_out_at=f"/claims/{claim.pk}/owed/",
                )
    if late > NAMED:
        yield Ask(say("Further claims that are due"), "/claims/", say("See all"), LATE, count=late - NAMED)


@prepared
def _unsent(member: int) -> QuerySet[Claim]:
    rows = Claim.objects.filter(claimant_id=member, state__in=("Open", "Sent back"))
    return rows.select_related("statement", "trip").order_by("due", "pk")


def _trips(reader: Reader) -> Iterator[Ask]:
    """Trips that came back, and what the next one lacks."""
    back = _trips_back(reader.member.pk)
    for trip in back[:NAMED]:
        yield Ask(
            say("{trip_code} {trip_title} was sent back", trip_code=trip.code, trip_title=trip.title), f"/trips/{trip.pk}/", say("Mend it"), HOLDS, since=trip.starts, detail=say("what is asked of you stands on it")
        )  # fmt: skip
    if len(back) > NAMED:
        yield Ask(say("Further trips that were sent back"), "/trips/", say("See all"), HOLDS, count=len(back) - NAMED)
    coming = _next_trip(reader.member.pk, reader.today, reader.today + NEXT)
    if not coming:
        return
    trip = coming[0]
    lacks = [
        {"Planning": say("it is not sent"), "Awaiting sign-off": say("it is not signed off")}.get(trip.state, ""),
        say_many("{count} move not booked", "{count} moves not booked", trip.moves) if trip.moves else "",
        say_many("{count} night without a bed", "{count} nights without a bed", trip.beds) if trip.beds else "",
    ]
    if any(lacks):
        days = (trip.starts - reader.today).days if trip.starts else 0
        when = "today" if days == 0 else say("tomorrow") if days == 1 else say("in {days} days", days=days)
        yield Ask(
            say("{trip_title} begins {when}", trip_title=trip.title, when=when),
            f"/trips/{trip.pk}/",
            say("Go on with it"),
            LATE if days < 3 else NEAR,
            detail=joined(", ", filter(None, lacks)),
        )


@prepared
def _trips_back(member: int) -> QuerySet[Trip]:
    return Trip.objects.filter(traveller_id=member, state="Sent back").order_by("starts", "pk")


@prepared
def _next_trip(member: int, today: date, until: date) -> QuerySet[Trip]:
    coming = Trip.objects.filter(traveller_id=member, starts__gte=today, starts__lte=until)
    bought = Count("legs", filter=Q(legs__mode__in=BOUGHT, legs__booking=None), distinct=True)
    bare = Count("nights", filter=Q(nights__supplied=False, nights__booking=None, nights__name=""), distinct=True)
    coming = coming.exclude(state__in=(*Trip.OVER, "Back", "Sent back")).annotate(moves=bought, beds=bare)
    return coming.order_by("starts", "pk")[:1]


@prepared
def _loose_papers(member: int) -> QuerySet:
    rows = Receipt.objects.filter(owner_id=member, expense=None, aside="").order_by()
    return rows.values("owner").annotate(n=Count("pk"), since=Min("received"))


@prepared
def _loose_charges(member: int) -> QuerySet:
    rows = Charge.objects.filter(owner_id=member, state="Loose", aside="").order_by()
    return rows.values("owner").annotate(n=Count("pk"), since=Min("date"), s=Sum("amount_minor"))


def _loose(reader: Reader) -> Iterator[Ask]:
    for papers in _loose_papers(reader.member.pk):
        since = clock.day_of(papers["since"], reader.firm.zone)
        yield Ask(
            say("paper lies loose") if papers["n"] == 1 else say("papers lie loose"),
            "/tray/",
            say("Use them"),
            CAN_WAIT,
            papers["n"],
            None,
            since,
        )
    for charges in _loose_charges(reader.member.pk):
        yield Ask(
            say("charge lies loose") if charges["n"] == 1 else say("charges lie loose"),
            "/tray/",
            say("Use them"),
            CAN_WAIT,
            charges["n"],
            reader.money(charges["s"]),
            charges["since"],
        )


def paid_lately(reader: Reader) -> list[tuple[str, Decimal, str]]:
    """What one was paid in the last fortnight: for what, how much, where it stands. One query."""
    found = []
    for subject, text, minor in _paid(reader.member.pk, reader.today - LATELY):
        kind, _, number = subject.partition(":")
        link = (
            f"/claims/{number}/"
            if kind == "claim"
            else f"/trips/{number.partition(':')[0]}/"
            if kind == "advance"
            else ""
        )
        found.append((text, reader.money(minor), link))
    return found


@prepared
def _paid(member: int, since: date) -> QuerySet:
    rows = Payment.objects.filter(member_id=member, state=Payment.State.PAID, run__date__gte=since)
    return rows.order_by("-run__date", "-pk").values_list("subject", "text", "amount_minor")[:3]


def own_year(reader: Reader) -> Picture | None:
    """One's own year, month by month, as it was spent; nothing where nothing was. One query."""
    first = date(reader.today.year, 1, 1)
    by_month: dict[int, int] = {}
    for day, minor in _spent(reader.firm.pk, reader.member.pk, first, date(first.year, 12, 31)):
        by_month[day.month] = by_month.get(day.month, 0) + minor
    if not by_month:
        return None
    months = [date(first.year, n, 1) for n in range(1, 13)]
    names = [
        (
            as_figure(month, "%b"),
            f"/reports/spend-by-month/things/?of=month:{month:%Y-%m}&of=person:{reader.member.pk}&of=stage:spent&span=this-year",
        )
        for month in months
    ]
    return upright(names, [("", [reader.money(by_month.get(month.month, 0)) for month in months])], 96)


@prepared
def _spent(firm: int, member: int, first: date, last: date) -> QuerySet:
    rows = SpendLine.objects.filter(firm_id=firm, member_id=member, stage__gte=Stage.CLAIMED, day__range=(first, last))
    return rows.order_by().values_list("day").annotate(s=Sum("net_minor"))
