"""What asks for an act of whoever decides, and of whoever owns codes: what waits, what is late, budgets that run out, what is coming."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta
from decimal import Decimal

from django.db.models import Count, Min, Q, Sum

from wainwright import clock
from wainwright.accounts.models import Budget, Code
from wainwright.core.said import as_figure, say
from wainwright.core.waiting import CAN_WAIT, HOLDS, LATE, NEAR, Ask
from wainwright.people.models import Cover
from wainwright.reports.models import SpendLine, Stage
from wainwright.reports.reader import Reader
from wainwright.signoff.models import SignOff
from wainwright.trips.models import Trip

AWAY, COMING = timedelta(days=14), timedelta(days=60)
# A budget of which so much is used runs out; a trip of so much of it is a big thing.
RUNS_OUT, BIG = Decimal("0.9"), Decimal("0.1")
NAMED = 4


def asks_of_approver(reader: Reader) -> Iterator[Ask]:
    """What waits for somebody's decision, and whether anybody decides while they are away. Three queries."""
    waiting = SignOff.objects.filter(signer=reader.member, state=SignOff.State.WAITING, turn=True).order_by()
    late = Q(due__lt=reader.today)
    found = waiting.aggregate(
        n=Count("pk"), s=Sum("amount_minor", filter=Q(currency=reader.home)), since=Min("since"), late=Count("pk", filter=late),
        late_s=Sum("amount_minor", filter=late & Q(currency=reader.home)), late_since=Min("due", filter=late),
    )  # fmt: skip
    if found["late"]:
        yield Ask(
            say("waits for your decision, late") if found["late"] == 1 else say("wait for your decision, late"), "/bench/", say("Decide"), HOLDS, found["late"],
            reader.money(found["late_s"]), found["late_since"],
        )  # fmt: skip
    if found["n"] > found["late"]:
        left = found["n"] - found["late"]
        yield Ask(
            say("waits for your decision") if left == 1 else say("wait for your decision"), "/bench/", say("Decide"), LATE, left,
            reader.money((found["s"] or 0) - (found["late_s"] or 0)), clock.day_of(found["since"], reader.firm.zone) if found["since"] else None,
        )  # fmt: skip
    if not reader.member.may["take_over"]:
        return
    soon = Trip.objects.filter(
        traveller=reader.member,
        state__in=("Authorised", "Under way"),
        starts__lte=reader.today + AWAY,
        ends__gte=reader.today,
    )
    trip = soon.order_by("starts").first()
    if (
        trip is not None
        and not Cover.objects.filter(member=reader.member, since__lte=trip.ends, until__gte=trip.starts).exists()
    ):
        yield Ask(
            say("Nobody decides while you are on {trip_title}", trip_title=trip.title),
            f"/people/{reader.member.pk}/#cover",
            say("Name a cover"),
            NEAR,
            since=trip.starts,
            detail=say("what waits for you then waits until you are back"),
        )


def asks_of_owner(reader: Reader) -> Iterator[Ask]:
    """Budgets of one's codes that run out, and the big things that are coming to them. Five queries; one where no code is owned."""
    if not reader.owned:
        return
    mine = Q(pk__in=[])
    for dimension, code in reader.owned:
        mine |= Q(dimension=dimension, code=code)
    rows = Budget.objects.filter(mine, firm=reader.firm, year=reader.firm.year_of(reader.today), amount_minor__gt=0)
    rows = rows.annotate(actual=Sum("uses__actual_minor", default=0), committed=Sum("uses__committed_minor", default=0))
    names = dict(Code.objects.filter(owner=reader.member).values_list("code", "name"))
    smallest = None
    for row in rows:
        given, used = reader.money(row.amount_minor), reader.money(row.actual + row.committed)
        smallest = given if smallest is None else min(smallest, given)
        if used >= given * RUNS_OUT:
            left = given - used
            named = f"{row.code} {names.get(row.code, '')}".strip()
            yield Ask(
                say("The budget of {code} is used up", code=named)
                if left <= 0
                else say("The budget of {code} runs out", code=named),
                "/reports/budgets/",
                say("See it"),
                LATE if left <= 0 else NEAR,
                amount=left,
                detail=say(
                    "{used} of {given} is spent and committed",
                    used=as_figure(used, ",.2f"),
                    given=as_figure(given, ",.2f"),
                ),
            )
    if smallest is not None:
        yield from _coming(reader, smallest * BIG)


def _coming(reader: Reader, big: Decimal) -> Iterator[Ask]:
    coded = reader.coded_mine()
    lines = SpendLine.objects.filter(
        firm=reader.firm, stage=Stage.PLANNED, kept__in=coded, day__lte=reader.today + COMING
    )
    summed = (
        lines.order_by().values("trip_id", "trip__title").annotate(s=Sum("net_minor"), first=Min("day")).order_by("-s")
    )
    for row in summed[:NAMED]:
        amount = reader.money(row["s"])
        if amount >= big:
            yield Ask(
                say("{trip__title} is planned on your codes", trip__title=row["trip__title"]),
                f"/reports/spend-by-coding/things/?of=stage:{Stage.PLANNED.value}&span=this-year",
                say("See what is coming"),
                CAN_WAIT,
                amount=amount,
                since=row["first"],
            )
