"""What is somebody's and would hang if they left: read, kind by kind."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.db.models import Q, QuerySet, Sum

from wainwright import clock
from wainwright.accounts.models import Code, Connection
from wainwright.api.models import ApiToken, Webhook
from wainwright.claims.beside import owes
from wainwright.claims.models import Claim
from wainwright.core.money import Money
from wainwright.core.said import as_figure, joined, say
from wainwright.expenses.models import Charge
from wainwright.people.models import Card, Delegate, Membership
from wainwright.signoff.models import SignOff
from wainwright.trips.models import Trip
from wainwright.trips.selectors import ADVANCE_OUT

# Of each kind so many are named; how many there are is said.
NAMED = 6
# Only whoever they are of could send these claims.
OPEN = ("Open", "Sent back")
NOT_BEGUN = ("Planning", "Sent back", "Awaiting sign-off", "Authorised")


@dataclass(frozen=True)
class Theirs:
    """One kind of what is somebody's: what it is, how many, the first few with where each lies, and what becomes of it."""

    key: str
    name: str
    count: int
    some: tuple[tuple[str, str], ...]
    becomes: str

    @property
    def more(self) -> int:
        """How many are not named."""
        return self.count - len(self.some)


def theirs(who: Membership, by: Membership) -> list[Theirs]:
    """Return what of a person would hang if they left, kind by kind; a kind of which there is nothing is left out. Seventeen queries or so.

    ``by`` sees of trips, claims and charges what they may read: an administrator alone which they are, and no more of them.
    """
    ahead, reads = Q(until__gte=clock.today(who.firm.zone)), by.may["read_all"]
    trips = Trip.objects.filter(traveller=who).exclude(state__in=Trip.OVER).order_by("starts", "pk")
    on_their_way = Claim.objects.live().filter(claimant=who).exclude(state__in=(*OPEN, "Settled")).order_by("pk")

    def person(member: Membership, more: str = "") -> tuple[str, str]:
        return f"{member.person.name}{more}", f"/people/{member.pk}/"

    def thing(row: Trip | Claim) -> tuple[str, str]:
        area = "trips" if isinstance(row, Trip) else "claims"
        return (
            (joined("", (row.code, " ", row.title, ", ", row.state)), f"/{area}/{row.pk}/")
            if reads
            else (joined("", (row.code, ", ", row.state)), "")
        )

    def decision(row: SignOff) -> tuple[str, str]:
        return (
            (row.title, row.lies_at)
            if reads
            else (say("{kind} of {partition}", kind=row.kind, partition=row.title.partition(":")[0]), "")
        )

    def charge(row: Charge) -> tuple[str, str]:
        return (
            (joined("", (row.merchant, " ", row.amount, ", ", as_figure(row.date, "%d %b"))), "/ledger/loose/")
            if reads
            else (as_figure(row.date, "%d %b"), "")
        )

    kinds = (
        _kind("reports", say("People who report to them"), who.reports.filter(active=True).select_related("person"), person, say("they report to whoever is named")),
        _kind("waiting", say("Decisions that wait for them"), waiting(who), decision, say("each goes to the next above, or to their cover")),
        _kind("codings", say("Codings they own"), Code.objects.filter(owner=who), lambda c: (str(c), ""), say("whoever is named owns them")),
        _kind("ledger", say("The connection to the ledger, its tokens and webhooks"), held(who), lambda x: (x, "/ledger/masters/"), say("somebody of finance holds them: nothing stops")),
        _kind("covers", say("Whom they cover"), who.covering.filter(ahead).select_related("member__person"), lambda c: person(c.member, say(", {since} to {until}", since=as_figure(c.since, "%d %b"), until=as_figure(c.until, "%d %b"))), say("the cover ends; they are told")),
        _kind("delegates", say("Who prepares for them, and for whom they do"), delegations(who), lambda d: (say("{by} for {member}", by=d.by.person.name, member=d.member.person.name), ""), say("it ends; they are told")),
        _kind("cards", say("Cards of the firm"), cards(who), lambda c: (str(c), "/ledger/cards/" if reads else ""), say("closed today")),
        _kind("charges", say("Charges that lie loose on them"), charges(who).order_by("date"), charge, say("whoever is named accounts for them")),
        _kind("ahead", say("Trips that have not begun"), trips.filter(state__in=NOT_BEGUN), thing, say("called off, with what their bookings cost")),
        _kind("trips", say("Trips that have begun"), trips.exclude(state__in=NOT_BEGUN), thing, say("stay as they are")),
        _kind("unsent", say("Claims that were not sent"), unsent(who), thing, say("withdrawn: only they could certify them")),
        _kind("claims", say("Claims on their way"), on_their_way, thing, say("go on, and are paid")),
        _kind("owed", say("What they owe back"), _owed(who), lambda x: (x if reads else "something", "/ledger/pay/" if reads else ""), say("finance follows it")),
    )  # fmt: skip
    return [each for each in kinds if each.count]


def _kind(key: str, name: str, rows: QuerySet | Sequence[str], said: Any, becomes: str) -> Theirs:
    some = list(rows[: NAMED + 1])
    count = len(some) if len(some) <= NAMED else rows.count() if isinstance(rows, QuerySet) else len(rows)
    return Theirs(key, name, count, tuple(said(each) for each in some[:NAMED]), becomes)


def waiting(who: Membership) -> QuerySet[SignOff]:
    """The sign-offs that wait for a person."""
    return SignOff.objects.filter(signer=who, state=SignOff.State.WAITING).order_by("since", "pk")


def cards(who: Membership) -> QuerySet[Card]:
    """The cards of the firm that a person holds."""
    return Card.objects.filter(owner=who, firm_pays=True, closed__isnull=True)


def charges(who: Membership) -> QuerySet[Charge]:
    """The firm's charges that lie on a person and that no sent claim accounts for."""
    lies = Q(state="Loose") | Q(expense__claim=None, expense__isnull=False) | Q(expense__claim__state__in=OPEN)
    return Charge.objects.filter(lies, owner=who, card__firm_pays=True)


def unsent(who: Membership) -> QuerySet[Claim]:
    """The claims that only their claimant could send."""
    return Claim.objects.filter(claimant=who, state__in=OPEN).order_by("pk")


def delegations(who: Membership) -> QuerySet[Delegate]:
    """Who prepares for a person, and for whom they prepare, from today on."""
    rows = Delegate.objects.filter(Q(member=who) | Q(by=who), until__gte=clock.today(who.firm.zone))
    return rows.select_related("by__person", "by__firm", "member__person", "member__firm")


def held(who: Membership) -> list[str]:
    """What of the ledger's connection a person holds, in words. Three queries."""
    found = [say("the connection to {row}", row=row) for row in Connection.objects.filter(holder=who)]
    found += [say("token {name}", name=row.name) for row in ApiToken.objects.filter(made_by=who, revoked__isnull=True)]
    return found + [say("webhook to {address}", address=row.address) for row in Webhook.objects.filter(made_by=who)]


def _owed(who: Membership) -> list[str]:
    found = [
        say("{left} on {claim_code}", left=each.left, claim_code=each.claim.code)
        for each in owes(Claim.objects.filter(claimant=who))
    ]
    out = Trip.objects.filter(traveller=who, advance_paid=True, advance_settled=False).aggregate(
        s=Sum(ADVANCE_OUT, default=0)
    )
    return found + (
        [say("{from_minor} in advances", from_minor=Money.from_minor(out["s"], who.firm.currency))] if out["s"] else []
    )


def waits_for_heirs(who: Membership) -> bool:
    """Whether something of a person who is gone still waits to be handed over. Six queries at most."""
    return (
        who.reports.filter(active=True).exists() or Code.objects.filter(owner=who).exists() or bool(held(who)) or charges(who).exists()
        or unsent(who).exists() or Trip.objects.filter(traveller=who, state__in=NOT_BEGUN).exists()
    )  # fmt: skip
