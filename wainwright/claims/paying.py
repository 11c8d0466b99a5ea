"""What is owed and can be paid: claims and advances, by what of them is not under way to the bank, and to whose account."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from django.db.models import Case, Count, F, Q, QuerySet, Sum, When

from wainwright.accounts.models import Payment
from wainwright.claims.models import Claim
from wainwright.core.money import Money
from wainwright.core.said import joined, say
from wainwright.core.states import CLAIM_SENT
from wainwright.people.models import Issuer, Membership
from wainwright.trips.models import Trip

CLAIM, ISSUER, ADVANCE = "claim", "issuer", "advance"
# What of an advance is still to be paid, in SQL, as ``Trip.advance_to_pay`` says it.
TO_PAY = Case(When(advance_paid=True, then=F("advance_unpaid_minor")), default=F("advance_minor"))


def subject_of(subject: str) -> tuple[str, int]:
    """Return what a payment is of and its number: "advance:7:30000" is of the advance of trip 7, raised after 300.00 were paid."""
    kind, number, *_ = subject.split(":")
    return kind, int(number)


@dataclass(frozen=True)
class AtBank:
    """What of a firm is with the bank and not settled: claims, and trips by their advance."""

    claims: frozenset[int]
    advances: frozenset[int]


def at_bank(firm_id: int) -> AtBank:
    """Return what is with the bank and not settled. One query, of as many rows as payments are open."""
    open_ = Payment.objects.filter(state__in=Payment.OPEN, run__firm_id=firm_id)
    found: dict[str, set[int]] = {CLAIM: set(), ISSUER: set(), ADVANCE: set()}
    for subject in open_.values_list("subject", flat=True):
        kind, number = subject_of(subject)
        found[kind].add(number)
    return AtBank(frozenset(found[CLAIM] | found[ISSUER]), frozenset(found[ADVANCE]))


def payable(member: Membership, bank: AtBank | None = None) -> QuerySet[Claim]:
    """Return the posted claims of the firm that are owed to their claimants and not under way to the bank.

    Where the advance of the trip is with the bank, the claim waits for the answer: what is due depends on it.
    """
    bank = bank or at_bank(member.firm_id)
    return _owed(member, bank).exclude(trip_id__in=bank.advances)


def waiting_for_bank(member: Membership, bank: AtBank | None = None) -> QuerySet[Claim]:
    """Return the claims that would be payable but for their trip's advance, which is with the bank."""
    bank = bank or at_bank(member.firm_id)
    return _owed(member, bank).filter(trip_id__in=bank.advances).select_related("trip")


def _owed(member: Membership, bank: AtBank) -> QuerySet[Claim]:
    return (
        Claim.objects.filter(firm_id=member.firm_id, state="Posted", statement__due_minor__gt=0, objection="")
        .exclude(pk__in=bank.claims)
        .select_related("claimant__person", "claimant__firm", "statement", "issuer_card")
        # Many rows of which little is shown: what a database must parse for each stays where it is.
        .defer(
            "codes",
            "created",
            "due",
            "claimant__codes",
            "statement__workings",
            "statement__marks",
            "statement__act",
            "statement__time",
            "statement__budget_day",
        )
        .order_by("sent", "id")
    )


def objected(member: Membership) -> QuerySet[Claim]:
    """Return the posted claims that are owed and that their claimants object to: paid once finance has answered."""
    rows = Claim.objects.filter(firm_id=member.firm_id, state="Posted", statement__due_minor__gt=0).exclude(
        objection=""
    )
    return rows.select_related("claimant__person", "statement").defer("statement__workings").order_by("sent", "id")


@dataclass(frozen=True)
class Owing:
    """How many claims and advances are owed, and what they come to in whole minor units."""

    claims: int
    advances: int
    minor: int


def owing(member: Membership, bank: AtBank) -> Owing:
    """Sum up ``payable`` and ``advances_to_pay``, however many they are; less what was paid of one already. Four queries at most."""
    found = [
        rows.order_by().aggregate(count=Count("pk"), minor=Sum(column, default=0))
        for rows, column in (
            (payable(member, bank), "statement__due_minor"), (advances_to_pay(member, bank), TO_PAY),
        )
    ]  # fmt: skip
    claims, advances = found
    halves = payable(member, bank).filter(statement__to_issuer_minor__gt=0).order_by().values_list("pk", flat=True)
    subjects = [f"{kind}:{pk}" for pk in halves for kind in (CLAIM, ISSUER)]
    paid = Payment.objects.filter(subject__in=subjects, state=Payment.State.PAID)
    less = paid.aggregate(s=Sum("amount_minor", default=0))["s"]
    return Owing(claims["count"], advances["count"], claims["minor"] + advances["minor"] - less)


def advance_text(trip: Trip) -> str:
    """The text of the payment of a trip's advance."""
    return (
        say("More in advance {trip_code} {trip_title}", trip_code=trip.code, trip_title=trip.title)
        if trip.advance_paid
        else say("Advance {trip_code} {trip_title}", trip_code=trip.code, trip_title=trip.title)
    )


def advances_to_pay(member: Membership, bank: AtBank | None = None) -> QuerySet[Trip]:
    """Return the trips of the firm whose advance was authorised and is not paid yet, or was raised since; not where the claim was sent."""
    due = Q(advance_minor__gt=0, advance_paid=False) | Q(advance_unpaid_minor__gt=0, advance_paid=True)
    return (
        Trip.objects.filter(due, firm_id=member.firm_id, state__in=["Authorised", "Under way"])
        .exclude(claims__state__in=CLAIM_SENT)
        .exclude(also_claims__state__in=CLAIM_SENT)
        .exclude(pk__in=(bank or at_bank(member.firm_id)).advances)
        .select_related("traveller__person", "traveller__firm")
        .order_by("starts", "id")
    )


def owed_back(member: Membership) -> QuerySet[Claim]:
    """Return the posted claims of the firm below zero: what their claimants owe back, the longest first."""
    rows = Claim.objects.filter(firm_id=member.firm_id, state="Posted", statement__due_minor__lt=0)
    return rows.select_related("claimant__person", "claimant__firm", "statement").order_by("sent", "id")


def advances_out(member: Membership) -> QuerySet[Trip]:
    """Return the trips of the firm whose advance was paid and is not accounted for, the longest first, with their claims."""
    rows = Trip.objects.filter(firm_id=member.firm_id, advance_paid=True, advance_settled=False)
    return rows.select_related("traveller__person").prefetch_related("claims", "also_claims").order_by("ends", "id")


def free_advances(claimant: int, currency: str) -> QuerySet[Trip]:
    """Return the trips of a claimant whose paid advance no claim takes: there is none of them, or it was settled without it."""
    over = ("Back", "Closed", "Called off")
    own = Trip.objects.filter(traveller_id=claimant, currency=currency, advance_paid=True, state__in=over)
    taking = Claim.objects.live().exclude(state="Settled")
    along = Claim.also.through.objects.filter(claim__in=taking).values("trip_id")
    has = taking.filter(trip__isnull=False).values("trip_id")
    rows = own.filter(advance_settled=False, advance_taken__isnull=True).exclude(pk__in=has).exclude(pk__in=along)
    return rows.order_by("ends", "pk")


@dataclass(frozen=True)
class Part:
    """One payment that a claim is owed: to its claimant, or to the issuer of their card, whose account finance knows.

    ``iban`` is empty where no account is known, ``held`` where the claimant's was changed lately.
    """

    claim: Claim
    subject: str
    to: str
    iban: str
    amount: Money
    text: str
    held: bool = False
    to_issuer: bool = False


def parts_of(claims: Iterable[Claim]) -> dict[int, list[Part]]:
    """Return what is still to be paid of posted claims, by claim. Two queries at most, none where all goes to the claimants."""
    rows = list(claims)
    halves = [claim for claim in rows if claim.statement is not None and claim.statement.to_issuer_minor]
    paid: set[str] = set()
    accounts: dict[str, Issuer] = {}
    if halves:
        subjects = [f"{kind}:{claim.pk}" for claim in halves for kind in (CLAIM, ISSUER)]
        done = Payment.objects.filter(subject__in=subjects).exclude(state=Payment.State.FAILED)
        paid = set(done.values_list("subject", flat=True))
        accounts = {each.name.casefold(): each for each in Issuer.objects.filter(firm_id=halves[0].firm_id)}
    return {claim.pk: [part for part in _parts(claim, accounts) if part.subject not in paid] for claim in rows}


def _parts(claim: Claim, accounts: dict[str, Issuer]) -> list[Part]:
    whose, text = claim.claimant, joined("", (claim.code, " ", claim.title))
    issuer = Money.from_minor(claim.statement.to_issuer_minor if claim.statement else 0, claim.currency)
    own, found = claim.owed - issuer, []
    if own.minor > 0:
        found.append(Part(claim, claim.subject, whose.person.name, whose.iban, own, text, bool(whose.account_from)))
    card = claim.issuer_card
    if issuer and card is not None:
        account = accounts.get(card.issuer.casefold())
        words = say(
            "Card {last_four} of {whose}, {claim_code}",
            last_four=card.last_four,
            whose=whose.person.name,
            claim_code=claim.code,
        )
        found.append(
            Part(
                claim,
                f"{ISSUER}:{claim.pk}",
                card.issuer,
                account.iban if account else "",
                issuer,
                words,
                to_issuer=True,
            )
        )
    return found


def all_paid(claim: Claim) -> bool:
    """Whether everything that a claim was owed is paid. One query."""
    subjects = Q(subject=claim.subject) | Q(subject=f"{ISSUER}:{claim.pk}")
    paid = Payment.objects.filter(subjects, state=Payment.State.PAID).aggregate(s=Sum("amount_minor", default=0))["s"]
    return claim.statement is None or paid >= claim.statement.due_minor
