"""What is proposed for a cost: its category, from what was chosen before and from what the firm says of its categories."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from django.db.models import Q, Sum

from wainwright import rulebook as rulebook_package
from wainwright.core.categories import Chosen, Guide, Proposal, code_ranges, propose
from wainwright.core.matching import plain_merchant
from wainwright.expenses.models import MerchantMemory
from wainwright.people.models import Membership
from wainwright.rulebook.models import Category
from wainwright.rulebook.selectors import rulebook


@dataclass(frozen=True)
class Asked:
    """A merchant as read or as the card names it, with the card's merchant code, if any."""

    merchant: str
    code: str = ""

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
    """Propose a category for each. One query however many."""
    categories = rulebook(member.firm).categories
    chosen, firm = chosen_before(member, {each.key for each in asked}), guides(categories)
    found = [propose(each.key, each.merchant, each.code, chosen, firm, trades()) for each in asked]
    # A category may have been taken away since it was chosen.
    return [each if each and each.category in categories else None for each in found]


def usual_category(member: Membership) -> str:
    """Return the category of a cost that nothing is known of: the firm's "supplies", else its first that is no lodging."""
    categories = rulebook(member.firm).categories
    if "supplies" in categories:
        return "supplies"
    return next((code for code, category in categories.items() if not category.is_lodging), "")
