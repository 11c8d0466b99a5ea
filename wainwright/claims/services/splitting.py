"""Splitting a claim over codings: as a whole, a category, the daily allowance, one cost or several that were ticked."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.accounts.splits import must_hold, parts_data
from wainwright.claims.models import Claim
from wainwright.claims.services.compose import changed, mine
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.core.splits import SplitPart, spread
from wainwright.errors import Refusal, Stale
from wainwright.expenses.models import Expense
from wainwright.expenses.services.editing import set_split
from wainwright.people.models import Membership


@transaction.atomic
def split_claim(
    member: Membership, claim_id: int, about: str, label: str, parts: Sequence[SplitPart], whole: Money | None
) -> Claim:  # fmt: skip
    """Split the whole claim ("all"), a category ("category:meals") or a line that is no cost ("line:allowance").

    No parts take the split off. Costs with a coding or a split of their own keep it. Raises ``Refusal``, ``Stale``.
    """
    claim = mine(member, claim_id)
    if not (about in ("all", "line:allowance") or about.startswith("category:")) or len(about) > 60:
        raise Refusal(say("Say what is to be split."), "about")
    rows = [row for row in claim.shares if row["about"] != about]
    if parts:
        must_hold(parts, whole, books(claim.firm), clock.today(claim.firm.zone))
        rows.append({"about": about, "label": label[:80], "parts": parts_data(parts)})
    elif len(rows) == len(claim.shares):
        raise Stale(say("That split is gone already."))
    before, claim.shares = claim.shares, rows
    changed(member, claim, say("split the claim"), before, rows)
    return claim


@transaction.atomic
def split_ticked(member: Membership, claim_id: int, expense_ids: Sequence[int], parts: Sequence[SplitPart]) -> int:
    """Split several costs of a claim alike, each cost and each sum exact; no parts take their splits off. Returns how many.

    By amount the amounts are what all of them come to together. Raises ``Refusal``, ``Stale``.
    """
    claim = mine(member, claim_id)
    wanted = set(expense_ids)
    costs = list(Expense.objects.filter(claim=claim, pk__in=wanted, personal=False).order_by("date", "pk"))
    if not costs or len(costs) != len(wanted):
        raise Stale(
            say("Not all of them are on this claim, or one of them is personal. Look at it again; nothing was split.")
        )
    if any(part.amount is not None for part in parts):
        _by_amount(member, claim, costs, parts)
    else:
        for cost in costs:
            set_split(member, cost.pk, None, parts)
    changed(member, claim, say("split ticked costs"), None, {"expenses": sorted(wanted), "lines": len(parts)})
    return len(costs)


def _by_amount(member: Membership, claim: Claim, costs: Sequence[Expense], parts: Sequence[SplitPart]) -> None:
    """Give each cost its part of the amounts, so that the amounts are met to the cent."""
    whole = Money.from_minor(sum(cost.amount_minor for cost in costs), claim.currency)
    must_hold(parts, whole, books(claim.firm), clock.today(claim.firm.zone))
    rows = spread([cost.amount for cost in costs], [part.weight for part in parts])
    for cost, row in zip(costs, rows, strict=True):
        own = [SplitPart(part.coding, part.share, amount) for part, amount in zip(parts, row, strict=True) if amount]
        set_split(member, cost.pk, None, own)
