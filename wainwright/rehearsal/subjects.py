"""Trips and claims that are there, many at once, as rules see them: by the very functions that their own pages use."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator, Mapping, Sequence
from datetime import date, datetime, time, timedelta
from typing import Any

from django.db.models import Exists, OuterRef, Q, QuerySet, Sum

from wainwright import clock
from wainwright.claims.facts import claim_subject
from wainwright.claims.lodging import lodged
from wainwright.claims.models import Claim, StatementCoding, StatementLine
from wainwright.core.money import Money
from wainwright.core.rules import Setting, Subject
from wainwright.expenses.elsewhere import Elsewhere
from wainwright.expenses.models import Charge, Expense, Part, Receipt
from wainwright.people.models import Firm
from wainwright.rulebook.selectors import Rulebook
from wainwright.signoff.models import SignOff
from wainwright.trips.earnings import AllowanceFacts, allowance_of, together
from wainwright.trips.models import Trip
from wainwright.trips.selectors import WHOLE, TripFile, load_file


def claims_of(firm: Firm, since: date, until: date) -> QuerySet[Claim]:
    """Return the claims that were sent within some days, and those that are being made now; without what was turned down."""
    first, last = (
        clock.in_zone(datetime.combine(day, time.min), firm.zone) for day in (since, until + timedelta(days=1))
    )
    return Claim.objects.live().filter(firm=firm).filter(Q(sent__gte=first, sent__lt=last) | Q(sent=None))


def trips_of(firm: Firm, since: date, until: date) -> QuerySet[Trip]:
    """Return the trips that begin within some days, and those that are being planned now; without what was called off."""
    rows = Trip.objects.filter(firm=firm).exclude(state__in=("Called off", "Turned down"))
    return rows.filter(Q(starts__gte=since, starts__lte=until) | Q(sent=None))


def claim_subjects(
    rows: QuerySet[Claim],
    book: Rulebook,
    rules: Sequence[Setting],
    needs: Collection[str],
    elsewhere: Elsewhere | None = None,
) -> Iterator[tuple[Claim, Subject]]:
    """Yield claims as rules see them, each on the day it was sent, or today. Four queries for all of them, seven with journeys.

    ``needs``: which of the dearer facts ``rules`` ask for (see ``Kind.needs``); the others are left empty. ``elsewhere`` is
    what is known of other costs, where they ask for that.
    """
    today = clock.today(book.firm.zone)
    journeys = "journey" in needs
    wanted = rows.select_related("claimant__person", "trip__signed").defer(*(f"trip__{name}" for name in WHOLE))
    wanted = wanted.annotate(has_also=Exists(Claim.also.through.objects.filter(claim_id=OuterRef("pk"))))
    wanted = (
        wanted.select_related("trip__traveller").prefetch_related("trip__legs", "trip__nights") if journeys else wanted
    )
    claims = list(wanted)
    costs = _costs([claim.pk for claim in claims], parts=journeys)
    for claim in claims:
        claim.firm = claim.claimant.firm = book.firm
        expenses = costs.get(claim.pk, [])
        facts, stays = AllowanceFacts(Money.zero(claim.currency)), {}
        if journeys:
            travelled = [trip for trip in claim.trips if trip.state != "Called off"]
            facts = together([allowance_of(trip, book, claim.currency) for trip in travelled or [None]])
            stays = lodged(expenses, facts, book)
        known = elsewhere.beside(expenses) if elsewhere is not None else []
        day = clock.day_of(claim.sent, book.firm.zone) if claim.sent else today
        yield claim, claim_subject(claim, expenses, stays, facts, known, book, rules, day)


def _costs(claims: Sequence[int], parts: bool) -> dict[int, list[Expense]]:
    """The costs of some claims, by claim: what rules look at, and no more. Two queries, three with the parts of bills."""
    expenses = list(Expense.objects.filter(claim__in=claims).order_by("date", "pk"))
    of_these = {"expense__claim__in": claims}
    _give(
        expenses,
        "receipts",
        Receipt.objects.filter(**of_these)
        .order_by("place", "received", "pk")
        .only("expense", "name", "sha256", "fields"),
    )
    _give(expenses, "parts", Part.objects.filter(**of_these).order_by("order") if parts else Part.objects.none())
    charges = {charge.expense_id: charge for charge in Charge.objects.filter(**of_these)}
    for expense in expenses:
        # As a join would leave it: what has no charge is known to have none.
        expense._state.fields_cache["charge"] = charges.get(expense.pk)
    found: dict[int, list[Expense]] = {}
    for expense in expenses:
        found.setdefault(expense.claim_id or 0, []).append(expense)
    return found


def _give(expenses: Sequence[Expense], name: str, rows: QuerySet) -> None:
    """Lay rows beside their expenses as if they had been prefetched; where most have none this takes a tenth of the time."""
    by_expense: dict[int, list[Any]] = {}
    for row in rows:
        by_expense.setdefault(row.expense_id, []).append(row)
    nothing = rows.none()
    nothing._result_cache = []
    for expense in expenses:
        found = nothing
        if expense.pk in by_expense:
            found = rows.none()
            found._result_cache = by_expense[expense.pk]
        # Where Django itself keeps what it has prefetched.
        cache = expense.__dict__.setdefault("_prefetched_objects_cache", {})
        cache[name] = found


def plan_files(rows: QuerySet[Trip], firm: Firm) -> Iterator[tuple[Trip, TripFile | None, date]]:
    """Yield plans, each with the day it was sent, or today; no file for one that cannot be worked out."""
    today = clock.today(firm.zone)
    for trip in rows.select_related("traveller__person", "signed", "moves_with"):
        trip.firm = trip.traveller.firm = firm
        day = clock.day_of(trip.sent, firm.zone) if trip.sent else today
        try:
            yield trip, load_file(trip.traveller, trip), day
        except ValueError:
            # A plan of long ago may hold what no plan may hold today.
            yield trip, None, day


def borne_by(
    statements: Mapping[int | None, int], currency: str
) -> tuple[dict[int, dict[str, Money]], dict[int, dict[tuple[str, str], Money]]]:  # fmt: skip
    """What each category and each code bears of some claims, as certified. Two queries."""
    by_category: dict[int, dict[str, Money]] = defaultdict(dict)
    by_code: dict[int, dict[tuple[str, str], Money]] = defaultdict(dict)
    lines = StatementLine.objects.filter(statement__in=statements).order_by()
    for statement, category, minor in lines.values_list("statement", "category").annotate(Sum("says_minor")):
        if category:
            by_category[statements[statement]][category] = Money.from_minor(minor, currency)
    coded = StatementCoding.objects.filter(line__statement__in=statements, personal=False)
    for statement, codes, net in coded.values_list("line__statement", "codes", "net_minor"):
        for dimension, code in codes:
            mine = by_code[statements[statement]]
            mine[dimension, code] = mine.get((dimension, code), Money.zero(currency)) + Money.from_minor(net, currency)
    return by_category, by_code


def asked_of(kind: str, ids: Sequence[int]) -> dict[int, set[int]]:
    """Who was asked to sign each of some things. One query."""
    found: dict[int, set[int]] = defaultdict(set)
    rows = SignOff.objects.filter(kind=kind, object_id__in=ids).exclude(state=SignOff.State.DROPPED)
    for number, signer in rows.values_list("object_id", "signer"):
        found[number].add(signer)
    return found
