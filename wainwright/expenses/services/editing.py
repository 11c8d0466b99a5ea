"""Changing an expense while its claim is open: fields, parts, split, evidence."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import InvalidOperation
from typing import Any

from django.db import transaction
from django.db.models import Q, QuerySet

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.accounts.splits import must_hold
from wainwright.core.coding import Coding, check_coding
from wainwright.core.dividing import share_of
from wainwright.core.money import Money, share_out, total
from wainwright.core.said import joined, say
from wainwright.core.splits import SplitPart
from wainwright.core.states import CHARGE
from wainwright.core.text import decimal
from wainwright.core.workings import day_text
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Expense, Part, SplitShare
from wainwright.expenses.services.memory import forget, remember
from wainwright.expenses.services.taking import NO_CODING, fill_cost, set_tax
from wainwright.people.acting import must_be_oneself
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.services import record
from wainwright.trips.models import Trip
from wainwright.trips.services.nights import bill_meals
from wainwright.visible import visible_row

MEALS = ("breakfast", "lunch", "dinner")


def mine(member: Membership, expense_id: int, version: int | None = None) -> Expense:
    """Lock and return one's own expense, to be changed. Raises ``Expense.DoesNotExist``, ``NotAllowed``, ``Stale``."""
    expense = _locked(member, expense_id)
    if expense is None:
        raise Expense.DoesNotExist
    if expense.owner_id != member.pk:
        raise NotAllowed(say("Only the person who paid changes this."))
    if version is not None and expense.version != version:
        raise Stale(say("It was changed on another page since you opened this one. Look at it again."))
    if expense.claim is not None and not expense.claim.editable:
        raise Stale(say("Its claim stands at {state}: nothing can be changed on it now.", state=expense.claim.state))
    return expense


@visible_row
def _locked(who: Any) -> QuerySet[Expense]:
    rows = Expense.objects.select_for_update(of=("self",), no_key=True).visible_to(who)
    return rows.select_related("claim", "firm")


def changed(member: Membership, expense: Expense, what: str, before: object, after: object) -> None:
    """Keep a change with its entry in the trail; the split and the claim it is on are newer now."""
    expense.version += 1
    expense.save()
    record(member, what, expense.key, before=before, after=after)


@transaction.atomic
def change_cost(member: Membership, expense_id: int, version: int, **values) -> Expense:
    """Change the fields of a cost, as ``taking.fill_cost`` takes them. Raises ``Refusal``.

    What the card was charged stands: with a charge, neither the amount nor who paid can be changed.
    A bill that is broken down keeps its parts only while they still add up.
    """
    return _change(member, mine(member, expense_id, version), say("changed the cost"), values)


def correct_cost(finance: Membership, expense: Expense, **values) -> Expense:
    """Change the fields of somebody's cost that finance corrects; the caller has locked it and checked who may. Raises ``Refusal``."""
    return _change(finance, expense, say("finance corrected the cost"), values | {"by_finance": True})


def _change(member: Membership, expense: Expense, what: str, values: dict[str, Any]) -> Expense:
    if expense.kind != Expense.Kind.COST or expense.personal:
        raise Refusal(say("This cannot be changed; take it apart and take it anew."))
    before = {
        "date": expense.date,
        "merchant": expense.merchant,
        "category": expense.category,
        "amount": expense.amount_minor,
    }
    charge = getattr(expense, "charge", None)
    if charge is not None:
        values |= {
            "amount": expense.original or expense.amount,
            "paid_by": expense.paid_by,
            "receipt_rate": expense.rate,
        }
    amount = expense.amount_minor
    category = expense.category
    fill_cost(expense, **values)
    if expense.category != category:
        # What was proposed was wrong; the correction is what counts the next time.
        forget(expense.owner, expense.merchant, category)
        remember(expense.owner, expense, [charge.merchant] if charge is not None else [])
    if expense.amount_minor != amount and charge is not None:
        expense.amount_minor = amount
        set_tax(expense, None)
    elif expense.amount_minor != amount and expense.parts.exists():
        raise Refusal(say("The bill is broken down: change its parts first, then the amount."), "amount")
    after = {
        "date": expense.date, "merchant": expense.merchant, "category": expense.category, "amount": expense.amount_minor,
    }  # fmt: skip
    changed(member, expense, what, before, after)
    return expense


@transaction.atomic
def say_field(member: Membership, expense_id: int, name: str, words: str) -> Expense:
    """Fill one field of a cost that its category asks for, and nothing else. Raises ``Refusal``."""
    if name not in ("guests", "description", "reference", "merchant"):
        raise Refusal(say("That is said on the cost's own page."), name)
    expense = mine(member, expense_id)
    words = " ".join(words.split())
    if len(words) < 2:
        raise Refusal(say("Write it in a word or two."), name)
    before = getattr(expense, name)
    setattr(expense, name, words[: expense._meta.get_field(name).max_length])
    if name == "guests" and expense.heads == 1:
        # Names parted by commas are so many guests, and the traveller.
        expense.heads = 1 + len([part for part in words.replace(" and ", ",").split(",") if part.strip()])
    changed(member, expense, say("said what the category asks for"), {name: before}, {name: getattr(expense, name)})
    return expense


@dataclass(frozen=True)
class PartTyped:
    """A part as typed."""

    category: str
    label: str
    amount: Money
    personal: bool = False
    night: date | None = None
    meal: str = ""
    day: date | None = None
    tax: Money | None = None
    coding: Coding = NO_CODING


@transaction.atomic
def set_parts(member: Membership, expense_id: int, version: int, parts: list[PartTyped]) -> Expense:
    """Break a bill down; the parts add up to it, or nothing is kept. No parts make it whole again. Raises ``Refusal``."""
    return _set_parts(member, mine(member, expense_id, version), parts, say("broke the bill down"))


def correct_parts(finance: Membership, expense: Expense, parts: list[PartTyped]) -> Expense:
    """Break somebody's bill down anew, as finance corrects it; the caller has locked it and checked who may.

    What the parts come to is what the bill comes to, unless a card was charged: that stands. Raises ``Refusal``.
    """
    given = total((part.amount for part in parts), expense.currency)
    if parts and given != expense.amount and getattr(expense, "charge", None) is None and expense.original is None:
        if given.minor <= 0:
            raise Refusal(say("The parts come to {given}. A bill comes to more than nothing.", given=given), "parts")
        expense.amount_minor = given.minor
        set_tax(expense, None)
    return _set_parts(finance, expense, parts, say("finance broke the bill down"))


def _set_parts(member: Membership, expense: Expense, parts: list[PartTyped], what: str) -> Expense:
    given = total((part.amount for part in parts), expense.currency)
    if parts and given != expense.amount:
        left = expense.amount - given
        words = (
            say("{left} is left to place", left=left)
            if left.minor > 0
            else say("{left} too much is placed", left=-left)
        )
        raise Refusal(
            say(
                "The parts come to {given}, the bill is {expense_amount}: {words}.",
                given=given,
                expense_amount=expense.amount,
                words=words,
            ),
            "parts",
        )
    book, there = rulebook(expense.firm), {part.category for part in expense.parts.all()}
    for part in parts:
        if part.category not in there and part.category != expense.category:
            refused = book.refuses_category(
                part.category, expense.date, expense.owner if member.pk == expense.owner_id else None
            )
            if refused:
                raise Refusal(joined(": ", (say("“{text}”", text=part.label), refused)), "parts")
        if part.meal and (part.meal not in MEALS or part.day is None):
            raise Refusal(say("Say on which day the meal of “{part_label}” was.", part_label=part.label), "parts")
        if part.coding != NO_CODING:
            faults = check_coding(
                part.coding.filled_from(_default_coding(expense)), books(expense.firm).codes, expense.date
            )
            if faults:
                raise Refusal(joined(": ", (say("“{text}”", text=part.label), faults[0].text)), "parts")
    before = [[p.label, p.amount_minor] for p in expense.parts.all()]
    expense.parts.all().delete()
    rows = []
    for n, (part, tax) in enumerate(zip(parts, _taxes(expense, parts), strict=True)):
        row = Part(
            expense=expense, order=n, category=part.category, label=part.label[:80], amount_minor=part.amount.minor,
            tax_minor=tax.minor, personal=part.personal, night=part.night, meal=part.meal, day=part.day if part.meal else None,
        )  # fmt: skip
        row.take_coding(part.coding)
        rows.append(row)
    Part.objects.bulk_create(rows)
    expense.nights = sorted({part.night.isoformat() for part in parts if part.night})
    changed(member, expense, what, before, [[p.label, str(p.amount)] for p in parts])
    follow_meals(expense.claim_id)
    return expense


def _taxes(expense: Expense, parts: list[PartTyped]) -> list[Money]:
    """The tax of each part: as typed where it was typed, what is left shared out over the others."""
    nothing = Money.zero(expense.currency)
    stated = total((part.tax for part in parts if part.tax is not None), expense.currency)
    weights = [0 if part.tax is not None else abs(part.amount.minor) for part in parts]
    left = expense.tax - stated
    if not any(weights):
        if parts and stated != expense.tax and any(part.tax is not None for part in parts):
            raise Refusal(
                say("The taxes of the parts come to {stated}, the bill has {tax}.", stated=stated, tax=expense.tax),
                "parts",
            )
        return [part.tax if part.tax is not None else nothing for part in parts]
    if left.minor < 0 < expense.tax.minor:
        raise Refusal(
            say("The taxes of the parts come to {stated}, the bill has {tax}.", stated=stated, tax=expense.tax), "parts"
        )
    shared = share_out(left, weights)
    return [each if part.tax is None else part.tax for part, each in zip(parts, shared, strict=True)]


def _default_coding(expense: Expense) -> Coding:
    """The coding that counts where a part has none of its own: the expense's, the claim's, else the person's usual one."""
    return expense.coding.filled_from((expense.claim or expense.owner).coding)


@transaction.atomic
def set_personal(member: Membership, expense_id: int, version: int, typed: str) -> Expense:
    """Take the personal share out of a cost: "15.00", or "50 %"; the rest stays. Nothing typed makes it whole. Raises ``Refusal``."""
    expense = mine(member, expense_id, version)
    text = typed.strip()
    if not text:
        return set_parts(member, expense_id, version, [])
    try:
        number = decimal(text.removesuffix("%").strip().replace(",", "."))
        share = number / 100 if text.endswith("%") else None
        own = (
            Money.rounded(expense.amount.amount * share, expense.currency)
            if share is not None
            else Money.of(number, expense.currency)
        )
    except (InvalidOperation, ValueError) as error:
        raise Refusal(say("Type what is personal as 15.00 or as 50 %."), "personal") from error
    whole = expense.amount
    if not (Money.zero(whole.currency) < own < whole):
        raise Refusal(
            say(
                "What is personal lies between 0 and {whole}; take it apart and mark it personal if all of it is.",
                whole=whole,
            ),
            "personal",
        )
    if any(part.night or part.meal for part in expense.parts.all()):
        raise Refusal(say("The bill is broken down: tick the personal parts there."), "personal")
    parts = [
        PartTyped(expense.category, expense.merchant or say("The firm's share"), whole - own),
        PartTyped(expense.category, "Personal", own, personal=True),
    ]
    return set_parts(member, expense_id, version, parts)


def follow_meals(claim_id: int | None) -> None:
    """Tell the trips of a claim which meals its bills pay for, so that their allowance leaves them out."""
    if claim_id is None:
        return
    trips = set(Trip.objects.filter(Q(claims=claim_id) | Q(also_claims=claim_id)).values_list("pk", flat=True))
    for trip_id in trips:
        # A supplement's bills pay for meals of the same days as those of the claim before it.
        here = Q(expense__claim__trip=trip_id) | Q(expense__claim__also=trip_id)
        parts = Part.objects.filter(here, personal=False, day__isnull=False).exclude(meal="").distinct()
        bill_meals(trip_id, [f"{part.day.isoformat()}:{part.meal}" for part in parts])


def nightly_parts(
    first: date, nights: int, a_night: Money, lodging: str, city_tax: Money | None = None, tax_category: str = ""
) -> list[PartTyped]:
    """Return the parts of so many nights at a price, each with its city tax if there is one."""
    parts = []
    for n in range(nights):
        night = first + timedelta(days=n)
        parts.append(
            PartTyped(
                lodging,
                say("Night of {date}", date=day_text(night)),
                a_night,
                night=night,
            )
        )
    if city_tax:
        parts.append(
            PartTyped(tax_category or lodging, say("City tax, {nights} nights", nights=nights), city_tax.times(nights))
        )
    return parts


@transaction.atomic
def declare_lost(member: Membership, expense_id: int, version: int, words: str, name: str) -> Expense:
    """Declare a receipt lost, with what happened and one's name as certification. Empty words take it back. Raises ``Refusal``."""
    must_be_oneself(member)
    expense = mine(member, expense_id, version)
    if expense.receipts.exists():
        raise Refusal(say("There is a receipt; nothing needs to be declared."), "words")
    before = expense.lost
    if not words.strip() and not name.strip():
        expense.lost = {}
    else:
        if len(words.strip()) < 10:
            raise Refusal(say("Say in a sentence what happened to the receipt."), "words")
        if " ".join(name.split()).casefold() != member.person.name.casefold():
            raise Refusal(
                say("Type your name as it stands here, {member}, to certify it.", member=member.person.name), "name"
            )
        expense.lost = {"words": words.strip()[:300], "name": member.person.name, "time": clock.now().isoformat()}
    changed(
        member,
        expense,
        say("declared a receipt lost") if expense.lost else say("took a declaration back"),
        before,
        expense.lost,
    )
    return expense


@transaction.atomic
def set_split(member: Membership, expense_id: int, version: int | None, parts: Sequence[SplitPart]) -> Expense:
    """Split a cost by share or by amount; no parts take the split off. Every coding is checked. Raises ``Refusal``."""
    return _split(member, mine(member, expense_id, version), say("split the cost"), parts)


def correct_split(finance: Membership, expense: Expense, parts: Sequence[SplitPart]) -> Expense:
    """Split somebody's cost anew, as finance corrects it; the caller has locked it and checked who may. Raises ``Refusal``."""
    return _split(finance, expense, say("finance split the cost"), parts)


def _split(member: Membership, expense: Expense, what: str, parts: Sequence[SplitPart]) -> Expense:
    if expense.personal and parts:
        raise Refusal(say("It is personal: nothing of it is coded."), "share")
    if parts:
        must_hold(parts, expense.amount, books(expense.firm), expense.date)
    before = [[str(s.coding), str(s.share)] for s in expense.shares.all()]
    expense.shares.all().delete()
    for order, part in enumerate(parts):
        amount = None if part.amount is None else part.amount.minor
        row = SplitShare(expense=expense, order=order, share=share_of(part, parts), amount_minor=amount)
        row.take_coding(part.coding)
        row.save()
    changed(member, expense, what, before, [[str(p.coding), str(p.amount or p.share)] for p in parts])
    return expense


@transaction.atomic
def remove(member: Membership, expense_id: int) -> None:
    """Undo an expense: its receipts and its charge lie loose in the tray again."""
    expense = mine(member, expense_id)
    before = {"label": expense.label, "amount": expense.amount_minor, "time": str(clock.now())}
    charge = getattr(expense, "charge", None)
    if charge is not None:
        charge.state = CHARGE.after(charge.state, "free")
        charge.expense = None
        charge.save(update_fields=["state", "expense"])
    expense.receipts.update(expense=None)
    record(member, say("took the cost apart"), expense.key, before=before)
    expense.parts.all().delete()
    follow_meals(expense.claim_id)
    expense.delete()
