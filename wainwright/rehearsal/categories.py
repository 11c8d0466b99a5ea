"""Categories as they are typed: what each means, who may use it, what it asks for, where it posts; kept as drafts, in force by day."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal, InvalidOperation
from typing import Any

from django.db import transaction
from django.db.models import Count

from wainwright import clock
from wainwright.bookings.models import CATEGORY
from wainwright.core.categories import code_ranges, propose
from wainwright.core.said import joined, said_by, say, say_many
from wainwright.core.text import decimal, one_line
from wainwright.errors import Faults, Refusal
from wainwright.expenses.models import Charge, Expense
from wainwright.expenses.proposals import guides, trades
from wainwright.fields import typed_number
from wainwright.masters.services.posting_to import Ledger, read_posting, typed_posting
from wainwright.people.models import Firm, Membership
from wainwright.rehearsal.in_force import Kept
from wainwright.rehearsal.whom import Groups, NoGroup
from wainwright.rulebook.holding import locked
from wainwright.rulebook.models import WORDS, Category, RouteSetting, RuleSetting
from wainwright.rulebook.selectors import YEAR, from_now, rulebook
from wainwright.trail.services import record
from wainwright.trips.figures import CATEGORY_OF_MODE
from wainwright.trips.models import OtherCost

MOST, MOST_WORDS, MOST_CHARGES, SHOWN = 200, 40, 4000, 12
LODGING = "lodging"
# Plans and bookings put their costs under these by themselves.
PLACED = frozenset({*CATEGORY_OF_MODE.values(), *CATEGORY.values()}) - {"mileage"}


@dataclass(frozen=True)
class CategoryTyped:
    """A category as it is typed: figures in per cent, words and merchant codes parted by commas, people as rules name them."""

    name: str
    account: str = ""
    abroad: str = ""
    by_country: str = ""
    tax_codes: str = ""
    tax_rate: str = ""
    tax_back: str = ""
    words: str = ""
    merchant_codes: str = ""
    is_lodging: bool = False
    asks: Sequence[str] = ()
    named: str = ""
    left_out: str = ""
    tips: bool = False


@dataclass(frozen=True)
class Known:
    """What categories are read against, looked up once: the ledger, who can be named, names that are taken by which code."""

    firm: Firm
    ledger: Ledger
    groups: Groups
    names: Mapping[str, set[str]] = field(default_factory=dict)

    @classmethod
    def of(cls, firm: Firm) -> Known:
        """Load it. Six queries."""
        names: dict[str, set[str]] = {}
        for row in from_now(firm, clock.today(firm.zone)):
            names.setdefault(row.name.casefold(), set()).add(row.code)
        return cls(firm, Ledger.of(firm), Groups.of(firm), names)


def said(row: Category) -> dict[str, Any]:
    """Return a row as the trail keeps it."""
    return {
        "name": row.name, "account": row.account, "elsewhere": row.accounts_if, "tax codes": row.tax_codes, "tax": f"{_percent(row.tax_rate)} %",
        "comes back": f"{_percent(row.tax_share)} %", "words": spaced(row.words), "merchant codes": spaced(row.merchant_codes), "lodging": row.is_lodging, "tips": row.tips,
        "asks": row.asks, "for": row.groups, "from": str(row.since or ""), "until": str(row.until or ""),
    }  # fmt: skip


def _check(row: Category) -> None:
    known = Known.of(row.firm)
    try:
        read_category(known, typed_of(row, known.groups), row)
    except Faults as wrong:
        raise Refusal(say("It cannot be put in force as it is: {wrong}", wrong=wrong)) from wrong


def _may_end(row: Category) -> None:
    if row.code in PLACED:
        raise Refusal(
            say(
                "Plans and bookings put costs under {name} by themselves: it cannot end. Change it from "
                "a day on instead, its name too.",
                name=row.name,
            ),
            "until",
        )
    others = from_now(row.firm, clock.today(row.firm.zone)).filter(draft=False).exclude(code=row.code)
    if not others.exists():
        raise Refusal(say("It is the last one: nothing could be recorded without a category."), "until")


CATEGORIES = Kept(Category, "category", said, _check, _may_end)


def spaced(text: str) -> str:
    """Return what is parted by commas with a blank after each."""
    return joined(", ", (each.strip() for each in text.split(",") if each.strip()))


def _percent(share: Decimal) -> str:
    return f"{(share * 100).normalize():f}"


def typed_of(row: Category, groups: Groups) -> CategoryTyped:
    """Return a category that is there as it would be typed."""
    named, left_out = groups.lines(row.groups)
    return CategoryTyped(
        row.name, *typed_posting(row), _percent(row.tax_rate), _percent(row.tax_share), spaced(row.words), spaced(row.merchant_codes), row.is_lodging, row.asks,
        named, left_out, row.tips,
    )  # fmt: skip


def read_category(known: Known, typed: CategoryTyped, row: Category | None = None) -> Category:
    """Return what is typed as a category, not kept. Raises ``Faults`` with everything that is wrong."""
    faults: dict[str, str] = {}
    row = row or Category(firm=known.firm, draft=True)
    row.name = one_line(typed.name).strip()
    if not 2 <= len(row.name) <= 60 or not any(each.isalpha() for each in row.name):
        faults["name"] = say("Say in 2 to 60 letters what the cost is for.")
    elif others := known.names.get(row.name.casefold(), set()) - {row.code}:
        faults["name"] = say(
            "Another is called {name} already ({list}). People choose by the name.",
            name=row.name,
            list=joined(", ", others),
        )
    try:
        row.account, row.accounts_if, row.tax_codes = read_posting(
            known.ledger, typed.account, typed.abroad, typed.by_country, typed.tax_codes
        )
    except Refusal as refusal:
        faults[refusal.field or "account"] = refusal.message
    row.tax_rate = _share(typed.tax_rate or "0", 60, "tax_rate", faults)
    row.tax_share = _share(typed.tax_back or "100", 100, "tax_back", faults)
    row.words = _words(typed.words, faults)
    row.merchant_codes = _codes(typed.merchant_codes, faults)
    row.is_lodging, row.tips = typed.is_lodging, typed.tips
    if row.code == LODGING and not typed.is_lodging:
        faults["is_lodging"] = say(
            "Nights of plans and bookings stand under it: without this no ceiling would apply to them."
        )
    row.asks = [name for name in WORDS if name in typed.asks]
    if lost := [name for name in typed.asks if name not in WORDS]:
        faults["asks"] = say("A cost has no {lost}. It has: {list}.", lost=lost[0][:30], list=joined(", ", WORDS))
    try:
        row.groups = known.groups.read(typed.named, typed.left_out)
    except NoGroup as wrong:
        faults["named"] = said_by(wrong)
    if faults:
        raise Faults(faults)
    return row


def _share(typed: str, most: int, name: str, faults: dict[str, str]) -> Decimal:
    try:
        value = decimal(typed_number(typed.replace("%", "").strip(), 2))
    except (InvalidOperation, ArithmeticError):
        value = Decimal(-1)
    if not value.is_finite() or not 0 <= value <= most or value != round(value, 2):
        faults[name] = (
            say("Type it in per cent, between 0 and {most}, as 8.1.", most=most)
            if most < 100
            else say("Type it in per cent, between 0 and {most}, as 50.", most=most)
        )
        return Decimal(0)
    return value / 100


def _words(typed: str, faults: dict[str, str]) -> str:
    words = list(
        dict.fromkeys(one_line(each).strip().casefold() for each in typed.replace("\n", ",").split(",") if each.strip())
    )
    if short := [each for each in words if len(each) < 3]:
        faults["words"] = say("“{short}” stands in too many names. Use words of three letters or more.", short=short[0])
    if len(words) > MOST_WORDS or len(joined(", ", words)) > 300:
        faults["words"] = say("At most {most_words} words, 300 letters in all.", most_words=MOST_WORDS)
    return joined(", ", words)


def _codes(typed: str, faults: dict[str, str]) -> str:
    text = typed.replace("\n", ",").replace("–", "-").replace(";", ",")
    pieces = [re.sub(r"\s*-\s*", "-", each.strip()) for each in text.split(",") if each.strip()]
    for each in pieces:
        if not re.fullmatch(r"[0-9]{4}(-[0-9]{4})?", each) or any(low > high for low, high in code_ranges(each)):
            faults["merchant_codes"] = say(
                "“{each}” is no merchant code. They have four figures: 5812, 5811-5814.", each=each[:20]
            )
            return ""
    if len(joined(", ", pieces)) > 120:
        faults["merchant_codes"] = say("That are too many. Name ranges: 3000-3299.")
    return joined(", ", dict.fromkeys(pieces))


@transaction.atomic
def keep_category(
    by: Membership, typed: CategoryTyped, row_id: int | None = None, seen: str = "", code: str = ""
) -> Category:
    """Keep a category as a draft: a new one, a draft that is there, or the change of ``code``.

    Raises ``NotAllowed``, ``Faults``, ``Refusal``, ``Stale``.
    """
    firm = locked(by)
    known = Known.of(firm)
    if row_id is not None:
        there = CATEGORIES.draft(firm, row_id, seen)
        before = said(there)
        row = read_category(known, typed, there)
    else:
        last = CATEGORIES.may_change(firm, code) if code else None
        row = read_category(
            known, typed, Category(firm=firm, draft=True, code=code, order=last.order if last else _last(firm))
        )
        row.code, before = code or free_code(firm, row.name), {}
    row.save()
    record(
        by,
        say("kept a draft of a category"),
        CATEGORIES.subject(firm.pk, row.code),
        before=before or None,
        after=said(row),
    )
    return row


def _last(firm: Firm) -> int:
    return max(Category.objects.filter(firm=firm).values_list("order", flat=True), default=-1) + 1


def free_code(firm: Firm, name: str) -> str:
    """Return a code that was never used, made of a name. Raises ``Refusal`` where there are too many categories."""
    taken = set(Category.objects.filter(firm=firm).values_list("code", flat=True))
    if len(taken) >= MOST:
        raise Refusal(say("There are {most} categories. End some before you begin another.", most=MOST))
    short = re.sub(r"[^a-z0-9]+", "-", name.casefold())[:16].strip("-") or "category"
    return (
        short
        if short not in taken
        else next(free for n in range(2, 10_000) if (free := f"{short[:15]}-{n}") not in taken)
    )


@dataclass(frozen=True)
class Meant:
    """Merchants of the last year's charges that a category's words and codes mean, with what each is proposed for now.

    ``first`` is the category whose words or codes mean it before these do: it goes there.
    """

    merchant: str
    times: int
    why: str
    now: str
    first: str = ""


def meant_by(row: Category) -> tuple[list[Meant], int, int]:
    """Return the charges of a year that a category's words and codes mean: the most frequent merchants, how many merchants
    in all, how many were looked at. Those that another category means first come last. One query.
    """
    firm, today = row.firm, clock.today(row.firm.zone)
    rows = (
        Charge.objects.filter(firm=firm, date__gte=today - YEAR).values_list("merchant", "merchant_code")
        .annotate(times=Count("pk")).order_by("-times", "merchant")[:MOST_CHARGES]
    )  # fmt: skip
    book, found, looked = rulebook(firm), [], 0
    others = {code: each for code, each in book.categories.items() if each.in_force(today)}
    now, then, own = guides(others), guides(others | {row.code: row}), guides({row.code: row})
    for merchant, code, times in rows:
        looked += 1
        mine = propose("", merchant, code, (), own, trades())
        would = propose("", merchant, code, (), then, trades()) if mine is not None else None
        if mine is not None and would is not None:
            was = propose("", merchant, code, (), now, trades())
            first = "" if would.category == row.code else book.names.get(would.category, would.category)
            found.append(Meant(merchant, times, mine.why, book.names.get(was.category, "") if was else "", first))
    # A stable order: each of the two parts stays by how often.
    return sorted(found, key=lambda each: bool(each.first))[:SHOWN], len(found), looked


def uses_of(firm: Firm, code: str) -> list[str]:
    """Return where a category is in use, in words. Four queries."""
    costs = Expense.objects.filter(firm=firm, category=code).exclude(claim__state__in=["Posted", "Settled"]).count()
    plans = (
        OtherCost.objects.filter(trip__firm=firm, category=code)
        .exclude(trip__state__in=["Closed", "Called off"])
        .count()
    )
    rules = {row.code for row in RuleSetting.objects.filter(firm=firm) if code in row.categories}
    routes = {row.code for row in RouteSetting.objects.filter(firm=firm) if code in row.categories}
    uses = (
        (costs, say_many("{count} cost not posted yet", "{count} costs not posted yet", costs)),
        (plans, say_many("{count} planned cost on open trips", "{count} planned costs on open trips", plans)),
        (len(rules), say_many("{count} rule that names it", "{count} rules that name it", len(rules))),
        (len(routes), say_many("{count} rule of the route that names it", "{count} rules of the route that name it", len(routes))),
    )  # fmt: skip
    return [words for count, words in uses if count]


def changes_of(before: Category, row: Category) -> list[str]:
    """Return in words what is otherwise in a row than in the one before it, over everything that can be typed."""
    old, new = said(before), said(row)
    return [
        joined("", (name, ": ", _plain(old[name]), " → ", _plain(new[name])))
        for name in new
        if name not in ("from", "until") and old[name] != new[name]
    ]


def _plain(value: Any) -> str:
    if isinstance(value, dict):
        return joined(", ", (joined("", (key, " ", each)) for key, each in value.items())) or "none"
    if isinstance(value, list):
        return (
            joined(", ", (" ".join(each.values()) if isinstance(each, dict) else str(each) for each in value)) or "none"
        )
    return {True: "yes", False: "no"}.get(value, str(value)) if isinstance(value, bool) else str(value) or "none"
