"""Walks an installation that was upgraded, in a process of its own: what is there, every page it leads to, and work that goes on.

Prints one JSON object; its ``wrong`` is empty where all is well.
"""

from __future__ import annotations

import json
import re
import sys
from collections import Counter, deque

import django

django.setup()

from django.db.models import Sum  # noqa: E402
from django.test import Client  # noqa: E402

from wainwright.accounts.models import Payment, Posting  # noqa: E402
from wainwright.claims.models import Claim  # noqa: E402
from wainwright.claims.services import books, road  # noqa: E402
from wainwright.errors import Refusal  # noqa: E402
from wainwright.expenses.models import Expense  # noqa: E402
from wainwright.operating.tally import broken  # noqa: E402
from wainwright.people.models import Membership  # noqa: E402
from wainwright.trips.models import Trip  # noqa: E402

MOST, OK, BAD = 40, 200, 400
LINK = re.compile(r'(?:href|hx-get)="(/[^"#]*)"')
# Ways in and out are not walked; papers are not in the dump.
NOT_WALKED = ("/static/", "/accounts/", "/receipts/", "/demo-sign-in/", "/papers/")


def there() -> dict[str, object]:
    """What must be the same before and after: how many there are, and what they come to."""
    return {
        "claims": sorted(Claim.objects.values_list("pk", "state")),
        "trips": sorted(Trip.objects.values_list("pk", "state")),
        "costs": [Expense.objects.count(), Expense.objects.aggregate(s=Sum("amount_minor"))["s"]],
        "postings": sorted(Posting.objects.values_list("key", "total_minor", "state")),
        "payments": sorted(Payment.objects.values_list("end_to_end", "amount_minor", "state")),
    }


def walked(member: Membership) -> tuple[int, list[str]]:
    """Open what one can get to by links, so many pages at most; say which broke."""
    client, wrong = Client(raise_request_exception=False), []
    client.force_login(member.person)
    seen, waiting = {"/"}, deque(["/"])
    opened = 0
    while waiting and opened < MOST:
        path = waiting.popleft()
        answer = client.get(path, HTTP_HOST="127.0.0.1")
        opened += 1
        # A link leads somewhere: not to an error, and not to a page that is not open to whom it is shown.
        if answer.status_code >= BAD:
            wrong.append(f"{member.person.name} {path}: {answer.status_code}")
        if answer.status_code == OK and answer.headers.get("Content-Type", "").startswith("text/html"):
            for link in LINK.findall(answer.content.decode()):
                plain = link.replace("&amp;", "&")
                if plain not in seen and not plain.startswith(NOT_WALKED):
                    seen.add(plain)
                    waiting.append(plain)
    return opened, wrong


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
    pages, wrong = 0, []
    for member in Membership.objects.select_related("person").filter(active=True).order_by("pk"):
        opened, more = walked(member)
        pages, wrong = pages + opened, wrong + more
    wrong += [broken()] if broken() else []
    wrong += goes_on()
    wrong += [f"after: {broken()}"] if broken() else []
    json.dump({"there": found, "pages": pages, "wrong": wrong}, sys.stdout, default=str)


if __name__ == "__main__":
    main()
