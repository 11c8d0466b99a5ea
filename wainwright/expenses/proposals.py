"""What is proposed for a cost: its category, from what was chosen before and from what the firm says of its categories."""

from __future__ import annotations

import csv
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from functools import lru_cache
from pathlib import Path

from django.db.models import Q, Sum

from wainwright import clock
from wainwright import rulebook as rulebook_package
from wainwright.core.categories import Chosen, Guide, Proposal, code_ranges, propose
from wainwright.core.coding import Coding
from wainwright.core.matching import plain_merchant
from wainwright.expenses.models import Expense, MerchantMemory, Receipt, SplitShare
from wainwright.people.models import Membership
from wainwright.rulebook.models import Category
from wainwright.rulebook.selectors import Rulebook, rulebook


@dataclass(frozen=True)
class Asked:
    """A merchant as read or as the card names it, with the card's merchant code, if any, and the day of the cost, else today."""

    merchant: str
    code: str = ""
    day: date | None = None

    @property
    def key(self) -> str:
        """The merchant's plain name."""
        return plain_merchant(self.merchant)[:120]


@lru_cache(maxsize=1)
def trades() -> dict[int, str]:
    """Return the trades of merchant codes (ISO 18245) that ship as data."""
    with (Path(rulebook_package.__file__).parent / "trades.csv").open(encoding="utf-8") as file:
        return {int(row["code"]): row["trade"] for row in csv.DictReader(file)}


def guides(categories: dict[str, Category]) -> list[Guide]:
    """Return what a firm says of its categories."""
    return [
        Guide(c.code, code_ranges(c.merchant_codes), tuple(w.strip().casefold() for w in c.words.split(",") if w.strip()))
        for c in categories.values()
    ]  # fmt: skip


def chosen_before(member: Membership, keys: set[str]) -> list[Chosen]:
    """Return what was chosen for merchants: by the person and in the firm. One query."""
    rows = (
        MerchantMemory.objects.filter(firm_id=member.firm_id, key__in=keys - {""})
        .values("key", "category")
        .annotate(own=Sum("times", filter=Q(member=member)), all=Sum("times"))
    )
    return [Chosen(row["key"], row["category"], row["own"] or 0, row["all"]) for row in rows]


def propose_all(member: Membership, asked: Sequence[Asked]) -> list[Proposal | None]:
    """Propose a category for each, one that the person may choose for its day. One query however many."""
    book, today = rulebook(member.firm), clock.today(member.firm.zone)
    rows = chosen_before(member, {each.key for each in asked})
    # What may be chosen differs by day only: few days, many merchants.
    of_days: dict[date, tuple[list[Guide], list[Chosen]]] = {}
    found = []
    for each in asked:
        day = each.day or today
        if day not in of_days:
            open_ = {
                code: row
                for code, row in book.categories_on(day).items()
                if not book.refuses_category(code, day, member)
            }
            of_days[day] = guides(open_), [row for row in rows if row.category in open_]
        firm, chosen = of_days[day]
        found.append(propose(each.key, each.merchant, each.code, chosen, firm, trades()))
    return found


def usual_category(member: Membership, day: date | None = None) -> str:
    """Return the category of a cost of a day (today) that nothing is known of: the firm's "supplies", else the first that
    its person may choose and that is no lodging, else the first that holds.
    """
    book, day = rulebook(member.firm), day or clock.today(member.firm.zone)
    rows = book.categories_on(day)
    mine = [code for code in rows if not book.refuses_category(code, day, member)]
    if "supplies" in mine:
        return "supplies"
    holds = [code for code, row in rows.items() if row.in_force(day) and not row.is_lodging]
    return next((code for code in mine if not rows[code].is_lodging), next(iter(holds), ""))


@dataclass(frozen=True)
class Recent:
    """What a person used last, the latest first."""

    categories: tuple[str, ...] = ()
    customers: tuple[str, ...] = ()
    merchants: tuple[str, ...] = ()
    codes: dict[str, tuple[str, ...]] = field(default_factory=dict)


def recent_of(member: Membership) -> Recent:
    """Return what stands first in the boxes. One query."""
    names = ("category", "customer", "merchant", "codes")
    rows = list(Expense.objects.filter(owner=member, kind=Expense.Kind.COST).order_by("-created").values(*names)[:60])

    def of(name: str) -> tuple[str, ...]:
        return tuple(dict.fromkeys(row[name] for row in rows if row[name]))

    codes: dict[str, dict[str, None]] = {}
    for row in rows:
        for dimension, code in row["codes"]:
            codes.setdefault(dimension, {})[code] = None
    return Recent(
        of("category"), of("customer"), of("merchant")[:30], {name: tuple(used) for name, used in codes.items()}
    )


def recent_codings(member: Membership, most: int = 8) -> list[str]:
    """Return the codings that a person used last, as they are written, the latest first; their usual one among them. Two queries."""
    costs = (
        Expense.objects.filter(owner=member).exclude(codes=[]).order_by("-created").values_list("codes", flat=True)[:40]
    )
    shares = SplitShare.objects.filter(expense__owner=member).order_by("-id").values_list("codes", flat=True)[:40]
    used = [str(Coding.of(codes)) for codes in (*costs, *shares)]
    return list(dict.fromkeys(filter(None, [*used, str(member.coding)])))[:most]


# Words of a bill's line that say which meal it is; a line of a night names the night itself.
_MEALS = {
    "breakfast": ("breakfast", "frokost", "frühstück"),
    "lunch": ("lunch", "lunsj", "mittag"),
    "dinner": ("dinner", "middag", "abendessen"),
}
_DAY = re.compile(r"\b(\d{1,2})[./](\d{1,2})[./](\d{4}|\d{2})\b")


def proposed_parts(expense: Expense, book: Rulebook) -> list[dict[str, object]]:
    """Return the read lines of an expense's papers as rows to be confirmed: nights with their dates, meals, city tax, the rest."""
    pks = [receipt.pk for receipt in expense.receipts.all()]
    found: list[dict[str, object]] = []
    for receipt in Receipt.objects.only("lines").filter(pk__in=pks):
        if len(receipt.lines) < 2:
            continue
        found += [_proposed_part(label, amount, expense, book) for label, amount in receipt.lines]
    return found


def _proposed_part(label: str, amount: str, expense: Expense, book: Rulebook) -> dict[str, object]:
    text = label.casefold()
    meal = next((name for name, words in _MEALS.items() if any(word in text for word in words)), "")
    category, day = expense.category, ""
    lodging = book.categories[expense.category].is_lodging if expense.category in book.categories else False
    if meal and "meals" in book.categories:
        category = "meals"
        # The night is paid for its evening; a breakfast is eaten on the day of leaving unless the bill says otherwise.
        day = expense.date.isoformat()
    elif "city tax" in text and "citytax" in book.categories:
        category = "citytax"
    elif "parking" in text and "parking" in book.categories:
        category = "parking"
    match = _DAY.search(label)
    if match and (lodging or meal):
        numbers = [int(part) for part in match.groups()]
        try:
            day = date(numbers[2] + 2000 if numbers[2] < 100 else numbers[2], numbers[1], numbers[0]).isoformat()
        except ValueError:
            day = ""
    return {
        "category": category,
        "label": label,
        "amount": amount,
        "personal": False,
        "night": day,
        "meal": meal,
        "tax": "",
        "code": "",
    }
