"""What a draft changes for plans and claims that are there: a rule by what it finds, a rule of the route by whom it asks."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import date
from functools import cached_property
from typing import Protocol

from django.db.models import QuerySet

from wainwright import clock
from wainwright.claims.models import Claim, StatementFinding
from wainwright.core.asking import Asks, Facts
from wainwright.core.rules import Finding, Setting, Subject, kinds, run
from wainwright.core.said import say
from wainwright.expenses.elsewhere import Elsewhere
from wainwright.people.models import Membership
from wainwright.rehearsal.earning import Instead, Nights, compared, nights_of
from wainwright.rehearsal.models import Heard, Rehearsal
from wainwright.rehearsal.subjects import asked_of, borne_by, claim_subjects, claims_of, plan_files, trips_of
from wainwright.rehearsal.trials import LimitHearing, MileageHearing
from wainwright.rulebook import schemes
from wainwright.rulebook.models import RouteSetting, RuleSetting
from wainwright.rulebook.selectors import groups_of, rulebook
from wainwright.trips.figures import MADE
from wainwright.trips.frozen import thaw
from wainwright.trips.models import Night, Trip

# What of a plan changes from day to day and is not kept: past plans cannot say it.
OPEN_ALONE = ("advances_out", "card_expiring")


class Hearing(Protocol):
    """One rehearsal: the claims and trips that it looks at, and what it hears on some of them."""

    def claims(self) -> QuerySet[Claim]:
        """The claims of the span."""

    def trips(self) -> QuerySet[Trip]:
        """The trips of the span."""

    def of_claims(self, ids: Sequence[int]) -> Iterator[Heard]:
        """What is heard on some claims."""

    def of_trips(self, ids: Sequence[int]) -> Iterator[Heard | None]:
        """What is heard on some plans; nothing stands for one that cannot be worked out."""


def hearing_of(row: Rehearsal) -> Hearing:
    """Return how a rehearsal hears."""
    if row.rule is not None:
        return RuleHearing(row, row.rule)
    if row.trial is not None:
        return LimitHearing(row, row.trial) if row.sort == "limit" else MileageHearing(row, row.trial)
    return RouteHearing(row, row.route) if row.route is not None else AllowanceHearing(row)


class RuleHearing:
    """A rule: what it would find, and what the one in force finds and it would not."""

    def __init__(self, row: Rehearsal, rule: RuleSetting) -> None:
        self.row, self.rule = row, rule
        self.book = rulebook(row.firm)
        # As it was in force, for each of its days; and the draft as if it always had been.
        self.old = [setting for setting in self.book.settings if setting.code == rule.code]
        self.new: Setting = replace(rule.as_core(), since=None, until=None)

    @cached_property
    def elsewhere(self) -> Elsewhere:
        """What is known of other costs, looked up once for all claims."""
        return Elsewhere(self.row.firm_id, self.row.firm.currency)

    def claims(self) -> QuerySet[Claim]:
        """The claims of the span, where it looks at claims."""
        rows = claims_of(self.row.firm, self.row.since, self.row.until)
        return rows if "claim" in self.rule.subjects else rows.none()

    def trips(self) -> QuerySet[Trip]:
        """The trips of the span, where it looks at plans."""
        rows = trips_of(self.row.firm, self.row.since, self.row.until)
        if "plan" not in self.rule.subjects:
            return rows.none()
        return rows.filter(sent=None) if self.rule.kind in OPEN_ALONE else rows

    def of_claims(self, ids: Sequence[int]) -> Iterator[Heard]:
        """What is heard on some claims."""
        rows, needs, firm = Claim.objects.filter(pk__in=ids), kinds()[self.new.kind].needs, self.row.firm
        elsewhere = self.elsewhere if "known" in needs else None
        for claim, subject in claim_subjects(rows, self.book, [*self.old, self.new], needs, elsewhere):
            day = clock.day_of(claim.sent or claim.created, firm.zone)
            yield from self._compare(subject, claim.claimant, ("claim", claim.pk, claim.editable, day))

    def of_trips(self, ids: Sequence[int]) -> Iterator[Heard | None]:
        """What is heard on some plans."""
        for trip, file, day in plan_files(Trip.objects.filter(pk__in=ids), self.row.firm):
            if file is None:
                yield None
                continue
            starts = trip.starts or clock.day_of(trip.created, self.row.firm.zone)
            yield from self._compare(file.subject_on(day), trip.traveller, ("trip", trip.pk, trip.editable, starts))

    def _compare(self, subject: Subject, person: Membership, thing: tuple[str, int, bool, date]) -> Iterator[Heard]:
        """What the draft changes for one plan or claim, by the identities of what is found."""
        groups = groups_of(person)
        if self.row.groups and groups.isdisjoint(self.row.groups):
            return
        before = _by_identity(run(subject, [each for each in self.old if each.meant_for(groups)]))
        after = _by_identity(run(subject, [self.new] if self.new.meant_for(groups) else []))
        if not before and not after:
            return
        categories = {item.key: item.category for item in subject.items}
        alike: dict[tuple[str, str, str, str], list[Finding]] = {}
        for identity in [*after, *(each for each in before if each not in after)]:
            was, will = before.get(identity), after.get(identity)
            found = will or was
            same = was is not None and will is not None and (was.level, was.figure) == (will.level, will.figure)
            if found is None or same:
                continue
            change = Heard.Change.NEW if was is None else Heard.Change.GONE if will is None else Heard.Change.OTHER
            level_before = was.level.value if was is not None else ""
            key = (change, self._category(found.target, categories), found.level.value, level_before)
            alike.setdefault(key, []).append(found)
        kind, number, is_open, day = thing
        for (change, category, level, level_before), all_ in alike.items():
            figures = [each.figure.minor for each in all_ if each.figure is not None]
            most = max(all_, key=lambda each: each.figure.minor if each.figure is not None else 0)
            yield Heard(
                rehearsal=self.row, change=change, kind=kind, thing=number, open=is_open, person=person, category=category, day=day, level=level,
                before=level_before, text=most.text[:400], count=len(all_), amount_minor=sum(figures) if figures else None,
            )  # fmt: skip

    def _category(self, target: str, categories: Mapping[str, str]) -> str:
        """The category of what a finding is on: a night is lodging; the whole has none."""
        if target.startswith("night:"):
            lodging = (code for code, each in self.book.categories.items() if each.is_lodging)
            return categories.get(target) or next(lodging, "")
        return categories.get(target, "")


def _by_identity(found: Iterable[Finding]) -> dict[str, Finding]:
    return {each.identity: each for each in found}


class RouteHearing:
    """A rule of the route: on which of what was sent somebody would have been asked as well, or would not."""

    def __init__(self, row: Rehearsal, route: RouteSetting | None) -> None:
        if route is None:
            raise ValueError("a rehearsal of nothing")
        self.row, self.route = row, route
        self.old = [each for each in rulebook(row.firm).asks if each.code == route.code]
        self.new = replace(route.as_core(), since=None, until=None)
        keys = {int(each.signer) for each in [*self.old, self.new]}
        self.names = {m.pk: m.name for m in Membership.objects.filter(pk__in=keys).select_related("person")}

    def claims(self) -> QuerySet[Claim]:
        """The claims that were sent in the span."""
        rows = claims_of(self.row.firm, self.row.since, self.row.until).exclude(statement=None)
        return rows if "claim" in self.route.kinds else rows.none()

    def trips(self) -> QuerySet[Trip]:
        """The trips of the span that were sent."""
        rows = trips_of(self.row.firm, self.row.since, self.row.until).exclude(sent=None)
        return rows if "plan" in self.route.kinds else rows.none()

    def of_claims(self, ids: Sequence[int]) -> Iterator[Heard]:
        """What changes for some claims, by what was certified of them. Six queries for all of them."""
        firm = self.row.firm
        rows = Claim.objects.filter(pk__in=ids).select_related("claimant__person", "statement")
        claims = list(rows.defer("statement__workings"))
        statements = {claim.statement_id: claim.pk for claim in claims}
        by_category, by_code = borne_by(statements, firm.currency)
        found: dict[int, set[str]] = defaultdict(set)
        for statement, rule in StatementFinding.objects.filter(statement__in=statements).values_list(
            "statement", "rule"
        ):
            found[statements[statement]].add(rule)
        places: dict[int, set[str]] = defaultdict(set)
        for claim_id, place in Night.objects.filter(trip__claims__in=ids).values_list("trip__claims", "place"):
            places[claim_id].add(place["country"])
        for claim_id, country in (
            Claim.objects.filter(pk__in=ids).exclude(expenses__country="").values_list("pk", "expenses__country")
        ):
            places[claim_id].add(country or "")
        asked = asked_of("claim", ids)
        for claim in claims:
            claim.firm = claim.claimant.firm = firm
            day = clock.day_of(claim.sent or claim.created, firm.zone)
            facts = Facts(
                "claim", claim.total, day, by_category[claim.pk], by_code[claim.pk], frozenset(places[claim.pk]) - {""}, groups_of(claim.claimant),
                frozenset(found[claim.pk]),
            )  # fmt: skip
            yield from self._compare(facts, claim.claimant, ("claim", claim.pk, claim.editable, day), asked[claim.pk])

    def of_trips(self, ids: Sequence[int]) -> Iterator[Heard | None]:
        """What changes for some plans."""
        asked = asked_of("trip", ids)
        for trip, file, _ in plan_files(Trip.objects.filter(pk__in=ids), self.row.firm):
            if file is None:
                yield None
                continue
            day = clock.day_of(trip.sent or trip.created, self.row.firm.zone)
            # What spoke on it is what was certified with it.
            found = (
                {each.finding.rule for each in thaw(trip.signed.frozen).findings}
                if trip.signed and self.new.rules
                else set()
            )
            facts = replace(file.route_facts, day=day, found=frozenset(found), groups=groups_of(trip.traveller))
            yield from self._compare(
                facts, trip.traveller, ("trip", trip.pk, trip.editable, trip.starts or day), asked[trip.pk]
            )

    def _compare(
        self, facts: Facts, person: Membership, thing: tuple[str, int, bool, date], asked: set[int]
    ) -> Iterator[Heard]:  # fmt: skip
        if self.row.groups and facts.groups.isdisjoint(self.row.groups):
            return
        was = next((each for each in self.old if each.holds(facts)), None)
        will = self.new if self.new.holds(facts) else None
        before, after = (int(each.signer) if each else 0 for each in (was, will))
        if before == after:
            return
        kind, number, is_open, day = thing

        def heard(change: str, rule: Asks) -> Heard:
            who = {"name": self.names.get(int(rule.signer), say("somebody")), "rule": rule.text}
            new = change == Heard.Change.NEW
            words = (
                say("{name} would sign as well: {rule}", **who)
                if new
                else say("{name} would not be asked: {rule}", **who)
            )
            return Heard(
                rehearsal=self.row, change=change, kind=kind, thing=number, open=is_open, person=person, day=day,
                text=words[:400], amount_minor=facts.amount.minor,
            )  # fmt: skip

        # Whoever was asked anyway signs once.
        if will is not None and after not in asked and after != person.pk:
            yield heard(Heard.Change.NEW, will)
        if was is not None and before != person.pk:
            yield heard(Heard.Change.GONE, was)


class AllowanceHearing:
    """A scheme, or rates of a table: which journeys that were made would earn more, or less, and by how much."""

    def __init__(self, row: Rehearsal) -> None:
        self.row, book = row, rulebook(row.firm)
        if row.scheme is not None:
            _, scheme = schemes.read_text(schemes.as_text(row.scheme.data), row.firm)
            self.instead = Instead.by_scheme(book, scheme)
        elif row.sheet is not None:
            self.instead = Instead.by_sheet(book, row.sheet, row.until, row.since)
        else:
            raise ValueError("a rehearsal of nothing")

    @cached_property
    def nights(self) -> Nights:
        """The nights of everybody's journeys, where a long stay goes on over several, looked up once."""
        goes_on = self.instead.within or self.instead.book.stays_go_on
        return nights_of(self.row.firm_id, self.row.since) if goes_on else {}

    def claims(self) -> QuerySet[Claim]:
        """None: what a journey earns is reckoned on the trip."""
        return Claim.objects.none()

    def trips(self) -> QuerySet[Trip]:
        """The trips of the span that were authorised."""
        made = Trip.objects.filter(firm=self.row.firm, state__in=MADE)
        return made.filter(starts__gte=self.row.since, starts__lte=self.row.until)

    def of_claims(self, ids: Sequence[int]) -> Iterator[Heard]:
        """Nothing."""
        yield from ()

    def of_trips(self, ids: Sequence[int]) -> Iterator[Heard | None]:
        """What is earned more, or less, on some journeys; nothing stands for one that cannot be reckoned as it is."""
        reckoned = 0
        for each in compared(Trip.objects.filter(pk__in=ids), self.instead, self.nights):
            reckoned += 1
            trip = each.trip
            if self.row.groups and groups_of(trip.traveller).isdisjoint(self.row.groups):
                continue
            if not each.more and not each.fault:
                continue
            change = (
                Heard.Change.OTHER if each.fault else Heard.Change.NEW if each.more.minor > 0 else Heard.Change.GONE
            )
            yield Heard(
                rehearsal=self.row, change=change, kind="trip", thing=trip.pk, person=trip.traveller, day=trip.starts or self.row.since,
                text=(each.fault or say("{was} would be {would}", was=each.was, would=each.would))[:400], amount_minor=abs(each.more.minor) if not each.fault else None,
            )  # fmt: skip
        yield from [None] * (len(ids) - reckoned)
