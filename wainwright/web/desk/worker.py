"""What asks for an act where the worker stands still: of finance, and of administrators."""

from __future__ import annotations

from collections.abc import Iterator
from zoneinfo import ZoneInfo

from wainwright import clock
from wainwright.core.said import as_figure, say
from wainwright.core.waiting import HOLDS, Ask
from wainwright.operating.beats import stands_still
from wainwright.people.models import Firm


def asks_of_the_worker(firm: Firm) -> Iterator[Ask]:
    """Say that the worker stands still, and since when. One query."""
    still = stands_still()
    if still is not None:
        at = still.astimezone(ZoneInfo(firm.zone))
        yield Ask(
            say("The worker stands still"), "/running/", say("See what runs"), HOLDS, since=clock.day_of(still, firm.zone),
            detail=say("since {at}: nothing is read, posted, paid or mailed until it runs. Tell whoever runs "
"this installation", at=as_figure(at, "%H:%M")),
        )  # fmt: skip
