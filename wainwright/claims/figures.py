"""From an open claim's rows to the core's values: its lines with Says / Shows / Allows and codings."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal

from wainwright import clock
from wainwright.accounts.selectors import Books
from wainwright.accounts.splits import shares_of
from wainwright.claims.beside import Beside, Had
from wainwright.claims.lodging import Lodged, cut
from wainwright.claims.models import Claim
from wainwright.core.allowance import NoRate
from wainwright.core.coding import Coding
from wainwright.core.dividing import divide, divide_lines
from wainwright.core.money import Money, total
from wainwright.core.rules import Setting
from wainwright.core.said import joined, kept, say
from wainwright.core.statement import Coded, Evidence, Kind, Line
from wainwright.core.tax import reclaim
from wainwright.core.whereabouts import Paid, paid_in
from wainwright.core.workings import Figure, day_text
from wainwright.expenses.models import Expense
from wainwright.expenses.selectors import shown_by
from wainwright.rulebook.selectors import Rulebook
from wainwright.trips.earnings import AllowanceFacts

ALLOWANCE = say("Daily allowance")


def lines_of(
    claim: Claim, expenses: Sequence[Expense], stays: Mapping[str, Lodged], allowance: AllowanceFacts, book: Rulebook,
    books: Books, others: Beside, billed: Collection[date] = (),
) -> list[Line]:  # fmt: skip
    """Return the lines of an open claim: its expenses, and what of the daily allowance its trip's other claims have not had.

    ``billed``: the nights for which a bill lies on any claim of the trip.
    """
    plan, rules = claim.planned_by_category, book.rules_for(claim.claimant)
    # Only somebody who decides permits anything: not before it was sent.
    permitted = dict(claim.permitted.values_list("key", "amount_minor")) if stays and claim.sent else {}
    stays = {key: replace(stay, permitted=permitted.get(key, 0)) for key, stay in stays.items()}
    made = [
        _line(expense, stays.get(expense.key), _paid_in(expense, allowance, book), book, books, plan, claim, rules)
        for expense in expenses
    ]
    lines, free = [line for line, _ in made], frozenset(each for _, places in made for each in places)
    earned = [
        line for facts in allowance.each for line in _earned(claim, facts, others.of(facts.trip), book, books, billed)
    ]
    lines += earned
    free |= {(line.key, 0) for line in earned}
    return divide_lines(lines, shares_of(claim), free)


def _earned(
    claim: Claim, facts: AllowanceFacts, had: Had, book: Rulebook, books: Books, billed: Collection[date]
) -> Iterator[Line]:
    """What one trip earns without a cost, less what its other claims had of it; nothing where an earlier claim has it all."""
    if not had.elsewhere:
        yield from _allowance(claim, facts, books, had)
        yield from _flat(claim, facts, book, had, billed)


def _allowance(claim: Claim, allowance: AllowanceFacts, books: Books, others: Had) -> Iterator[Line]:
    """The daily allowance; where the trip's other claims had some of it, the difference."""
    left = allowance.amount - others.allowance
    if left:
        trip = allowance.trip
        further = trip is not None and trip.pk != claim.trip_id
        name = joined("", (ALLOWANCE, ", ", trip.title)) if trip is not None and further else ALLOWANCE
        name, workings = _difference(name, left, others.allowance, others)
        coding = claim.coding.with_account(books.allowance_account)
        taxed = allowance.taxed if others.taxed is None or allowance.taxed is None else allowance.taxed - others.taxed
        key = f"allowance:{trip.pk}" if trip is not None and further else "allowance"
        line = _worked_out(claim, allowance, key, "allowance", name[:200], left, coding, (*allowance.lines, *workings))
        yield replace(line, taxed=taxed)


def _flat(
    claim: Claim, allowance: AllowanceFacts, book: Rulebook, others: Had, billed: Collection[date]
) -> Iterator[Line]:
    """The flat sums that the firm pays, each a line; where the trip's other claims had some of them, the difference as one."""
    sums = [(each.key, each.name, each.category, each.amount, (each.why,)) for each in allowance.sums]
    nights = _nights(claim, allowance, others, billed)
    if nights is not None and nights.amount:
        lodging = next((code for code, category in book.categories.items() if category.is_lodging), "")
        key = f"nights:{allowance.trip.pk}" if allowance.trip is not None else "nights"
        sums.append((key, say("Nights without a bill"), lodging, nights.amount, tuple(nights.workings.lines())))
    due = total((amount for *_, amount, _ in sums), claim.currency)
    if others.flat:
        left = due - others.flat
        name, workings = _difference(say("Flat sums"), left, others.flat, others)
        known = sums[0][2] if sums else ""
        sums = [("sum:difference", name, known, left, workings)] if left else []
    for key, name, code, amount, why in sums:
        category = book.categories_on(allowance.ends or clock.day_of(claim.created, claim.firm.zone)).get(code)
        coding = claim.coding.with_account(category.account if category else "")
        line = _worked_out(claim, allowance, key, "flat", name, amount, coding, why)
        yield replace(
            line,
            category=code,
            category_name=category.name if category else say("Flat sum"),
            allows_by=say("the firm's answer"),
        )


def _nights(claim: Claim, allowance: AllowanceFacts, others: Had, billed: Collection[date]) -> Figure | None:
    """The flat sums of nights: of a trip taken along where no other claim has it, else on the claims of the trip itself."""
    own = allowance.trip is not None and allowance.trip.pk == claim.trip_id
    if others.along or (not own and others.codes):
        return None
    try:
        return allowance.flat_nights(billed)
    except NoRate:
        # That a place has no rate is said beside the daily allowance.
        return None


def _difference(name: str, left: Money, before: Money, others: Had) -> tuple[str, tuple[str, ...]]:
    """How what is left of something is called, and how it follows from what was claimed before."""
    if not before:
        return name, ()
    words = (
        say("claimed already on {list}: {before}", list=joined(say(" and "), others.codes), before=before),
        say("the difference: {left}", left=left),
    )
    return (
        say("{name}, more than claimed before", name=name)
        if left.minor > 0
        else say("{name}, less than claimed before", name=name)
    ), words


def _worked_out(
    claim: Claim, allowance: AllowanceFacts, key: str, kind: Kind, name: str, amount: Money, coding: Coding,
    workings: tuple[str, ...],
) -> Line:  # fmt: skip
    """A line that no cost stands behind: it is worked out from the journey or from an answer."""
    nothing = Money.zero(claim.currency)
    return Line(
        key, kind, name, allowance.ends or clock.day_of(claim.created, claim.firm.zone), "", say("Allowance"), amount, None, "legs",
        amount, say("worked out"), (Coded(name, "", coding, amount, nothing, nothing),), workings=workings,
    )  # fmt: skip


def _paid_in(expense: Expense, allowance: AllowanceFacts, book: Rulebook) -> Paid:
    charge = getattr(expense, "charge", None)
    merchant = joined("", (expense.merchant, " ", charge.merchant if charge else ""))
    return paid_in(
        book.firm.country, expense.date, expense.country, expense.papers_say, merchant, allowance.where, expense.abroad
    )


def coded_of(
    expense: Expense, default: Coding, book: Rulebook, books: Books, paid: Paid
) -> tuple[tuple[Coded, ...], bool]:  # fmt: skip
    """Return what each coding bears of an expense: each part, each share of it, with its recoverable tax.

    And whether a split of the claim may still divide it: not where it has a split or a coding of its own.
    """
    shares = [share.as_core(default) for share in expense.shares.all()]
    pieces, split = [], []
    for label, code, gross, tax, part_personal, own in _rows(expense):
        category = book.categories_on(expense.date).get(code)
        personal = expense.personal or part_personal
        account = book.account_of(category, paid.country) if category else ""
        if expense.kind == Expense.Kind.MILEAGE:
            account = books.mileage_account
        share_back = Decimal(category.tax_share) if category else Decimal(0)
        usual = book.tax_of(category, paid.country, expense.date) if category else None
        share_back = share_back if usual is None else usual.share
        proved = bool(expense.receipts.all()) or (usual is not None and not usual.needs_receipt)
        back = reclaim(tax, share_back, proved, not paid.abroad).recoverable
        net, back = (gross, Money.zero(expense.currency)) if personal else (gross - back, back)
        coding = own.filled_from(expense.coding).filled_from(default).with_account(account)
        pieces.append(Coded(label, code, coding, net, tax, back, personal))
        split.append(bool(shares) and not personal and not own)
    divided = iter(divide([piece for piece, yes in zip(pieces, split, strict=True) if yes], shares))
    found = [each for piece, yes in zip(pieces, split, strict=True) for each in (next(divided) if yes else [piece])]
    return tuple(found), not shares and not expense.coding


def _rows(expense: Expense) -> list[tuple[str, str, Money, Money, bool, Coding]]:
    """The parts of an expense, or itself as the only one: words, category, gross, tax, whether personal, its own coding."""
    parts, currency = list(expense.parts.all()), expense.currency
    if not parts:
        return [(expense.label, expense.category, expense.amount, expense.tax, False, Coding())]
    return [
        (
            joined("", (expense.merchant, ": ", p.label)) if expense.merchant else p.label, p.category,
            Money.from_minor(p.amount_minor, currency), Money.from_minor(p.tax_minor, currency), p.personal, p.coding,
        )
        for p in parts
    ]  # fmt: skip


def _line(
    expense: Expense,
    stay: Lodged | None,
    paid: Paid,
    book: Rulebook,
    books: Books,
    plan: Mapping[str, int],
    claim: Claim,
    rules: Sequence[Setting],
) -> tuple[Line, frozenset[tuple[str, int]]]:
    """The line of an expense, and which of its pieces a split of the claim may still divide."""
    shows, shows_by = shown_by(expense)
    allows, allows_by = _allowed(expense, stay, rules, plan)
    coded, free = coded_of(expense, claim.coding, book, books, paid)
    workings = tuple(expense.workings)
    if paid.abroad and expense.tax_minor:
        workings += (
            say(
                "Tax of {tax} of {country} ({why}) stays in the cost",
                tax=expense.tax,
                country=paid.country or say("another country"),
                why=paid.why,
            ),
        )
    if stay is not None:
        coded = cut(coded, stay.over, book)
    category = book.categories_on(expense.date).get(expense.category)
    name = "Personal" if expense.personal else category.name if category else expense.category
    charge = getattr(expense, "charge", None)
    mileage = expense.kind == Expense.Kind.MILEAGE
    line = Line(
        expense.key, "mileage" if mileage else "cost", expense.label, expense.date, expense.category, name,
        expense.amount, shows, shows_by, allows, allows_by, coded,
        "self" if mileage else expense.paid_by,  # type: ignore[arg-type]
        expense.merchant, expense.guests, str(charge.card) if charge else "", charge.card.account if charge else "",
        expense.original, expense.rate, expense.rate_source, _evidence(expense),
        tuple(each.night.date.isoformat() for each in stay.nights) if stay else tuple(expense.nights),
        workings,
    )  # fmt: skip
    own_parts = [bool(part.coding) for part in expense.parts.all()]
    places = range(len(coded)) if free else ()
    return line, frozenset((line.key, n) for n in places if not (n < len(own_parts) and own_parts[n]))


def _evidence(expense: Expense) -> tuple[Evidence, ...]:
    found = [
        Evidence("receipt", receipt.pk, say("receipt {receipt}", receipt=receipt.name))
        for receipt in expense.receipts.all()
    ]
    charge = getattr(expense, "charge", None)
    if charge is not None:
        words = say(
            "charge of {date} on {card}: {merchant} {charge_amount}",
            date=day_text(charge.date),
            card=charge.card,
            merchant=charge.merchant,
            charge_amount=charge.amount,
        )
        found.append(Evidence("charge", charge.pk, words))
    if expense.booking is not None:
        number = expense.booking.ticket_number or expense.booking.reference
        found.append(
            Evidence(
                "booking",
                expense.booking.pk,
                say(
                    "booked for the trip: {label}",
                    label=joined(" ", filter(None, (kept(expense.booking.label), number))),
                ),
            )
        )
    if expense.lost:
        found.append(Evidence("lost", 0, say("receipt declared lost by {name}", name=expense.lost["name"])))
    return tuple(found)


def _allowed(
    expense: Expense, stay: Lodged | None, rules: Sequence[Setting], plan: Mapping[str, int]
) -> tuple[Money, str]:
    """What the rules or the authorised plan allow for a line, and where that comes from."""
    if expense.kind == Expense.Kind.MILEAGE:
        return expense.amount, say("worked out")
    if stay is not None and any(each.ceiling is not None for each in stay.nights):
        return expense.amount - stay.over, stay.words
    for setting in rules:
        if (
            setting.kind == "limit"
            and setting.in_force(expense.date)
            and setting.applies_to(expense.category)
            and setting.categories
        ):
            heads = expense.heads if setting.params.get("by") == "head" else 1
            limit = Money.rounded(setting.number("limit") * heads, expense.currency)
            return min(limit, expense.amount) if limit < expense.amount else limit, joined(
                "", (heads, " × ", setting.params["limit"])
            )
    planned = plan.get(expense.category)
    if planned:
        return Money.from_minor(max(planned, 0), expense.currency), "planned"
    return expense.amount, say("no limit")
