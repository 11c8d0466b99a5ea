"""What finance corrects most, and for whom: so that the cause can be mended rather than each line."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db.models import Count, QuerySet

from wainwright.claims.models import Correction
from wainwright.core.said import say
from wainwright.people.models import Firm
from wainwright.rulebook.selectors import rulebook


@dataclass(frozen=True)
class Often:
    """How often something was corrected: its name, the corrections, and the claims they were on."""

    name: str
    count: int
    claims: int


def corrections_of(firm: Firm, since: datetime) -> QuerySet[Correction]:
    """The corrections of a firm since a moment, the newest first."""
    rows = Correction.objects.filter(claim__firm=firm, time__gte=since)
    return rows.select_related("claim__claimant__person", "by__person", "statement").order_by("-time", "-pk")


def most_corrected(rows: QuerySet[Correction], firm: Firm, most: int = 8) -> tuple[list[Often], list[Often]]:
    """Return what is corrected most by category, and for whom, at most so many of each. Two queries."""
    names = rulebook(firm).names
    counted = rows.order_by()
    by_category = counted.values("category").annotate(n=Count("pk"), c=Count("claim", distinct=True))
    by_person = counted.values("claim__claimant__person__name").annotate(n=Count("pk"), c=Count("claim", distinct=True))
    return (
        [Often(names.get(row["category"], row["category"] or say("No category")), row["n"], row["c"]) for row in by_category.order_by("-n", "category")[:most]],
        [Often(row["claim__claimant__person__name"], row["n"], row["c"]) for row in by_person.order_by("-n", "claim__claimant__person__name")[:most]],
    )  # fmt: skip
