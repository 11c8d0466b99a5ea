"""Walks an installation that was upgraded, in a process of its own: what is there, every page it leads to, and work that goes on.

Prints one JSON object; its ``wrong`` is empty where all is well.
"""

from __future__ import annotations

import json
import random
import sys
from collections import Counter

import django

django.setup()

from django.db.models import Sum  # noqa: E402

from tests.links import walked  # noqa: E402
from wainwright.accounts.models import Payment, Posting  # noqa: E402
from wainwright.claims.models import Claim  # noqa: E402
from wainwright.claims.services import books, road  # noqa: E402
from wainwright.errors import Refusal  # noqa: E402
from wainwright.expenses.models import Expense  # noqa: E402
from wainwright.operating.tally import broken  # noqa: E402
from wainwright.people.models import Membership  # noqa: E402
from wainwright.trips.models import Trip  # noqa: E402

MOST = 25
# Papers are not in the dump.
NO_PAPERS = ("/receipts/", "/papers/")


def there() -> dict[str, object]:
    """What must be the same before and after: how many there are, and what they come to."""
    return {
        "claims": sorted(Claim.objects.values_list("pk", "state")),
        "trips": sorted(Trip.objects.values_list("pk", "state")),
        "costs": [Expense.objects.count(), Expense.objects.aggregate(s=Sum("amount_minor"))["s"]],
        "postings": sorted(Posting.objects.values_list("key", "total_minor", "state")),
        "payments": sorted(Payment.objects.values_list("end_to_end", "amount_minor", "state")),
    }


def goes_on() -> list[str]:
    """Carry on with what was under way: what was cleared is posted, what was posted is paid, what is open may be sent."""
    wrong, before = [], Counter(Claim.objects.values_list("state", flat=True))
    finance = (
        Membership.objects.select_related("firm", "person").filter(finance=True, active=True).order_by("pk").first()
    )
    for claim in Claim.objects.filter(state="Posting refused", firm=finance.firm).exclude(claimant=finance):
        try:
            books.post(finance, claim.pk, claim.version)
        except Refusal as refusal:
            # A refusal in words is a way on; an error is none.
            wrong += [] if refusal.message else [f"{claim.code} is refused without a word"]
    for claim in Claim.objects.filter(state="In sign-off"):
        claimant = Membership.objects.select_related("firm", "person").get(pk=claim.claimant_id)
        try:
            road.take_back(claimant, claim.pk)
        except Refusal as refusal:
            wrong += [] if refusal.message else [f"{claim.code} is not given back, without a word"]
    after = Counter(Claim.objects.values_list("state", flat=True))
    return wrong if after != before else [*wrong, "nothing could be carried on"]


def main() -> None:
    """Look, walk, go on, and say what came of it."""
    found = there()
    pages, wrong, drawn = 0, [], random.Random(20260916)
    for member in Membership.objects.select_related("person").filter(active=True).order_by("pk"):
        opened, more = walked(member, MOST, drawn, NO_PAPERS)
        pages, wrong = pages + opened, wrong + more
    wrong += filter(None, [broken()])
    wrong += goes_on()
    wrong += filter(None, [broken()])
    json.dump({"there": found, "pages": pages, "wrong": wrong}, sys.stdout, default=str)


if __name__ == "__main__":
    main()
