"""Finding anything, within what a person may see."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property, reduce
from operator import or_
from typing import Any

from django.core.paginator import Page
from django.db.models import Model, Q, QuerySet

from wainwright.accounts.models import Payment, Posting
from wainwright.bookings.models import Booking
from wainwright.claims.models import Claim
from wainwright.core.money import Money, places
from wainwright.core.said import say
from wainwright.core.text import decimal
from wainwright.core.workings import day_text
from wainwright.expenses.models import Charge, Expense
from wainwright.fields import typed_number
from wainwright.paging import page_of
from wainwright.people.models import Membership
from wainwright.signoff.selectors import asked_about
from wainwright.trips.models import Trip
from wainwright.web.sought import MOST, WORDS, fits, plainly

MOST_FOUND, MOST_PEOPLE = 12, 200


@dataclass(frozen=True)
class Found:
    """What was found of one kind: a page of it, the latest first; the page counts the rest. ``many``: older ones were not looked through."""

    kind: str
    name: str
    page: Page
    many: bool = False


def find(member: Membership, text: str, pages: Mapping[str, str] | None = None) -> list[Found]:
    """Find anything that a person may see: by title, number, person, merchant, amount, document's number, reference.

    Trips, claims, costs and charges; for who reads the books journals and payments as well; for who reads the list of
    people, people. The latest first, a page of each. Two queries each at most, whatever the size of the tables.
    """
    text, pages = text.strip(), pages or {}
    if not text:
        return []
    asked = Asked(member, text)
    found = []
    for kind, name, rows, said in (
        ("people", say("People"), asked.people, _person), ("trips", say("Trips"), asked.trips, _trip), ("claims", say("Claims"), asked.claims, _claim),
        ("costs", say("Costs"), asked.costs, _cost), ("charges", say("Charges"), asked.charges, _charge), ("journals", say("Journals"), asked.journals, _journal),
        ("payments", say("Payments"), asked.payments, _payment),
    ):  # fmt: skip
        wanted = rows()
        if wanted is None:
            continue
        page = page_of(wanted, MOST_FOUND, pages.get(kind))
        page.object_list = [said(thing) for thing in page.object_list]
        if page.object_list:
            found.append(Found(kind, name, page, page.paginator.count >= MOST))
    return found


@dataclass(frozen=True)
class Asked:
    """What somebody asked for, as each kind of thing is asked for it. Nothing where they may not see the kind at all."""

    member: Membership
    text: str

    @cached_property
    def amount(self) -> int | None:
        """The amount typed, in minor units."""
        return _amount(self.text, self.member.firm.currency)

    @cached_property
    def number(self) -> int | None:
        """The number of a trip or claim typed."""
        return number_typed(self.text)

    @cached_property
    def typed(self) -> set[str]:
        """What was typed as the number of a document, in the ways that numbers are written: an index knows no others."""
        return {self.text, self.text.upper(), self.text.lower()}

    @cached_property
    def whose(self) -> list[int]:
        """Whom the text names, by number: few enough to ask for what is theirs."""
        rows = Membership.objects.filter(firm_id=self.member.firm_id, person__name__icontains=self.text)
        return list(rows.values_list("pk", flat=True)[:MOST_PEOPLE])

    def words(self, model: type[Model]) -> Q:
        """What fits by its words: by the index for who reads all; row by row for the few rows of everybody else."""
        if self.member.may["read_all"]:
            return fits(model, self.text)
        return plainly(WORDS[model], self.text.split())

    def any_of(self, model: type[Model], *wanted: Q) -> Q:
        """Return what fits one of several, of what one may see: gathered apart, since no database takes an index for an "or"."""
        if self.member.may["read_all"]:
            apart = [each & Q(firm_id=self.member.firm_id) for each in wanted]
        else:
            apart = [whose & reduce(or_, wanted) for whose in self.own(model)]
        parts = [model._default_manager.filter(each).order_by().values("pk") for each in apart]
        return Q(pk__in=parts[0].union(*parts[1:]) if len(parts) > 1 else parts[0])

    def own(self, model: type[Model]) -> list[Q]:
        """By what somebody who does not read all sees something of a kind: that it is theirs, or that they were asked to sign it."""
        if model is Trip:
            return [Q(traveller=self.member), Q(pk__in=asked_about(self.member, "trip"))]
        asked = asked_about(self.member, "claim")
        if model is Claim:
            return [Q(claimant=self.member), Q(pk__in=asked)]
        if model is Expense:
            return [Q(owner=self.member), Q(claim__in=asked), Q(turned_down_in__in=asked)]
        return [Q(owner=self.member)]

    def people(self) -> QuerySet[Membership] | None:
        """People, by name, address, or what they are."""
        if not self.member.may["read_people"]:
            return None
        rows = Membership.objects.filter(firm_id=self.member.firm_id).select_related("person")
        wanted = Q(pk__in=self.whose) | Q(person__email__icontains=self.text) | Q(job__icontains=self.text)
        return rows.filter(wanted).order_by("person__name", "pk")

    def trips(self) -> QuerySet[Trip]:
        """Trips, by title, traveller, number, ticket."""
        wanted = [self.words(Trip), Q(traveller__in=self.whose)]
        if self.number is not None:
            wanted.append(Q(number=self.number))
        tickets = Booking.objects.filter(firm_id=self.member.firm_id).filter(
            Q(ticket_number__in=self.typed) | Q(reference__in=self.typed)
        )
        rows = Trip.objects.visible_to(self.member).filter(
            self.any_of(Trip, *wanted, Q(pk__in=tickets.values("trip_id")))
        )
        return rows.select_related("traveller__person").order_by("-id")

    def claims(self) -> QuerySet[Claim]:
        """Claims, by title, claimant, number, amount."""
        wanted = [self.words(Claim), Q(claimant__in=self.whose)]
        if self.number is not None:
            wanted.append(Q(number=self.number))
        if self.amount is not None:
            wanted += [Q(statement__total_minor=self.amount), Q(statement__due_minor=self.amount)]
        rows = Claim.objects.visible_to(self.member).filter(self.any_of(Claim, *wanted))
        return rows.select_related("claimant__person").order_by("-id")

    def costs(self) -> QuerySet[Expense]:
        """Costs, by merchant, description, reference, amount."""
        wanted = [self.words(Expense), Q(reference__in=self.typed)]
        if self.amount is not None:
            wanted += [Q(amount_minor=self.amount), Q(original_minor=self.amount)]
        rows = Expense.objects.visible_to(self.member).filter(self.any_of(Expense, *wanted))
        return rows.select_related("owner__person", "claim").order_by("-date", "-id")

    def charges(self) -> QuerySet[Charge]:
        """Charges of cards, by merchant and amount: those that lie loose, the others are costs."""
        wanted = [self.words(Charge)]
        if self.amount is not None:
            wanted.append(Q(amount_minor=self.amount))
        rows = Charge.objects.visible_to(self.member).filter(self.any_of(Charge, *wanted), state="Loose")
        return rows.select_related("owner__person").order_by("-date", "-id")

    def journals(self) -> QuerySet[Posting] | None:
        """Journals, by title, number, amount."""
        if not self.member.may["read_books"]:
            return None
        wanted = fits(Posting, self.text) | Q(number__in=self.typed)
        if self.amount is not None:
            wanted |= Q(total_minor=self.amount)
        return Posting.objects.filter(wanted, firm_id=self.member.firm_id).order_by("-id")

    def payments(self) -> QuerySet[Payment] | None:
        """Payments, by whom they go to, amount, reference."""
        if not self.member.may["read_books"]:
            return None
        wanted = Q(member__in=self.whose) | Q(end_to_end__in=self.typed)
        if self.amount is not None:
            wanted |= Q(amount_minor=self.amount)
        return (
            Payment.objects.filter(wanted, run__firm_id=self.member.firm_id)
            .select_related("member__person", "run")
            .order_by("-id")
        )


def _row(code: str, title: str, who: str, state: str, amount: Money | None, link: str) -> dict[str, Any]:
    return {"code": code, "title": title, "who": who, "state": state, "amount": amount, "link": link}


def _person(who: Membership) -> dict[str, Any]:
    return _row(
        "", who.person.name, who.job, "" if who.active else say("not here any more"), None, f"/people/{who.pk}/"
    )


def _trip(trip: Trip) -> dict[str, Any]:
    return _row(trip.code, trip.title, trip.traveller.person.name, trip.state, None, f"/trips/{trip.pk}/")


def _claim(claim: Claim) -> dict[str, Any]:
    return _row(claim.code, claim.title, claim.claimant.person.name, claim.state, None, f"/claims/{claim.pk}/")


def _cost(cost: Expense) -> dict[str, Any]:
    where = say("on {claim_code}", claim_code=cost.claim.code) if cost.claim else say("in the tray")
    return _row(
        day_text(cost.date, year=True), cost.label, cost.owner.person.name, where, cost.amount, f"/expenses/{cost.pk}/"
    )


def _charge(charge: Charge) -> dict[str, Any]:
    whose = charge.owner.person.name
    return _row(
        day_text(charge.date, year=True), charge.merchant, whose, "loose", charge.amount, f"/find/charges/{charge.pk}/"
    )


def _journal(posting: Posting) -> dict[str, Any]:
    amount = Money.from_minor(posting.total_minor, posting.currency)
    return _row(
        posting.number,
        posting.title,
        day_text(posting.date, year=True),
        posting.state,
        amount,
        f"/ledger/{posting.pk}/",
    )


def _payment(payment: Payment) -> dict[str, Any]:
    amount = Money.from_minor(payment.amount_minor, payment.run.currency)
    return _row(
        payment.end_to_end,
        payment.text,
        payment.member.person.name,
        payment.state,
        amount,
        f"/ledger/pay/{payment.run_id}/",
    )


def number_typed(text: str) -> int | None:
    """Return the number in what was typed as the code of a trip or claim, as "T-0012" or "12"; nothing where it is none."""
    digits = text.upper().removeprefix("T-").removeprefix("C-").lstrip("0")
    return int(digits[:9]) if digits.isdecimal() and digits.isascii() else None


def _amount(text: str, currency: str) -> int | None:
    """What was typed as an amount, in minor units; nothing where it is none."""
    if not any(c.isdecimal() for c in text):
        return None
    try:
        typed = decimal(typed_number(text, places(currency)))
        return Money.rounded(typed, currency).minor if typed.is_finite() and abs(typed) < 10**12 else None
    except ArithmeticError:
        return None
