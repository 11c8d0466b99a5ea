"""How often somebody may try to sign in: counted in the database, which does not forget while it is counted."""

from __future__ import annotations

import hashlib
from datetime import timedelta

from django.conf import settings
from django.http import HttpRequest

from wainwright import clock
from wainwright.people.models import Attempt

WITHIN = timedelta(minutes=15)
# Wrong attempts on one account from one address; on one account from all; from one address on all accounts.
MOST_BOTH, MOST_ACCOUNT, MOST_ADDRESS = 5, 30, 60


def address_of(request: HttpRequest) -> str:
    """Where a request comes from: the last stop before the proxies that are named, and nobody else's word for it."""
    seen = request.META.get("REMOTE_ADDR", "")
    stops = [stop.strip() for stop in request.META.get("HTTP_X_FORWARDED_FOR", "").split(",")]
    while seen in settings.PROXIES and stops and stops[-1]:
        seen = stops.pop()
    return seen[:45]


def begin(typed: str, address: str) -> Attempt | None:
    """Count an attempt to sign in before it is known whether it is right, so that many at once are counted too.

    Returns nothing where there were too many; what was refused is not counted, so that a lock ends by itself. The caller
    lets the attempt go (``right``) where it was right.
    """
    account = hashlib.sha256(typed.strip().casefold().encode()).hexdigest()
    mine = Attempt.objects.create(account=account, address=address, time=clock.now())
    late = Attempt.objects.filter(time__gt=clock.now() - WITHIN, pk__lte=mine.pk)
    by_account = list(
        late.filter(account=account).order_by("-pk").values_list("address", flat=True)[: MOST_ACCOUNT + 1]
    )
    barred = len(by_account) > MOST_ACCOUNT or by_account.count(address) > MOST_BOTH
    if not barred and _tells(address):
        barred = late.filter(address=address).count() > MOST_ADDRESS
    if barred:
        mine.delete()
        return None
    return mine


def _tells(address: str) -> bool:
    """Whether an address tells people apart: behind a web server that nobody has named, all come from this machine."""
    return bool(settings.PROXIES) or address not in ("", "127.0.0.1", "::1")


def right(attempt: Attempt) -> None:
    """It was right: neither it nor the slips before it from there count any more."""
    Attempt.objects.filter(account=attempt.account, address=attempt.address).delete()
