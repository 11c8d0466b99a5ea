"""What a person made of a merchant is remembered, and proposed the next time."""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal

from django.db.models import F

from wainwright.core.matching import plain_merchant
from wainwright.expenses.models import Expense, MerchantMemory
from wainwright.people.models import Membership

# A name that was corrected is taken as read nearly without doubt.
REMEMBERED = 0.97


def remember(member: Membership, expense: Expense, read_as: Iterable[str] = ()) -> None:
    """Remember a cost's merchant with its category and tax, under its own name and those it was read as."""
    keys = {plain_merchant(name)[:120] for name in (expense.merchant, *read_as) if name}
    for key in filter(None, keys):
        defaults = {
            "firm_id": member.firm_id,
            "merchant": expense.merchant,
            "tax_rate": expense.tax_rate,
            "last": expense.date,
        }
        row, made = MerchantMemory.objects.get_or_create(
            member=member, key=key, category=expense.category, defaults=defaults
        )
        if not made:
            row.merchant, row.tax_rate, row.last = expense.merchant, expense.tax_rate, max(row.last, expense.date)
            row.times = F("times") + 1
            row.save()


def forget(member: Membership, merchant: str, category: str) -> None:
    """Take back one choice, since it was corrected or undone."""
    rows = MerchantMemory.objects.filter(member=member, key=plain_merchant(merchant)[:120], category=category)
    rows.filter(times__lte=1).delete()
    rows.update(times=F("times") - 1)


def remembered_name(member: Membership, fields: dict) -> dict:
    """Return the merchant as the person corrected it before, in place of what was read; empty where there is none."""
    read = fields.get("merchant", {}).get("value", "")
    key = plain_merchant(read)[:120]
    row = MerchantMemory.objects.filter(member=member, key=key).order_by("-last", "-times").first() if key else None
    if row is None or not row.merchant:
        return {}
    box = fields["merchant"]["box"]
    return {
        "merchant": {
            "value": row.merchant,
            "sure": max(REMEMBERED, fields["merchant"]["sure"]),
            "box": box,
            "read": read,
        }
    }


def usual_tax(member: Membership, merchant: str) -> Decimal | None:
    """Return the tax rate that the person had at a merchant last, or nothing."""
    key = plain_merchant(merchant)[:120]
    rates = MerchantMemory.objects.filter(member=member, key=key).order_by("-last").values_list("tax_rate", flat=True)
    return rates.first() if key else None
