"""The small field of days beside the ways: a row for each day of leaving, fetched a few at a time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any
from urllib.parse import urlencode

from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from wainwright import clock
from wainwright.bookings.selectors import offers_of
from wainwright.core.money import Money
from wainwright.core.said import as_figure, joined, say, say_many
from wainwright.errors import NotAllowed
from wainwright.ports.market import Offer
from wainwright.trips.other_days import OtherDays, Pair
from wainwright.trips.replacing import REACH
from wainwright.trips.selectors import TripFile, load_file, trip_for
from wainwright.trips.views.booking.sentence import Said, from_address, in_place_of, understand
from wainwright.trips.whole import Part, Pricer

# So many rows are priced before they are shown.
STEP = 3


@dataclass(frozen=True)
class Cell:
    """One pair of days: what the whole trip then costs, against the days that were asked for, and where it leads."""

    pair: Pair
    own: bool
    words: str
    cheaper: bool
    link: str


def days_around(request, trip_id: int, said: list[Said], today: date) -> dict[str, Any]:
    """The days around those that were asked for, each with its search; rows of prices are fetched one by one."""

    def shifted(number: int) -> list[tuple[date, str]]:
        own = said[number].part.day  # type: ignore[union-attr]
        found = []
        for ahead in range(-REACH, REACH + 1):
            day = own + timedelta(days=ahead)
            if day >= today:
                on = [one.on for one in said]
                on[number] = day.isoformat()
                found.append((day, f"?{_search(request.GET, on)}"))
        return found

    query = _search(request.GET, [one.on for one in said])
    return {
        "outs": shifted(0), "backs": shifted(len(said) - 1) if len(said) > 1 else [],
        "first": f"/trips/{trip_id}/ways/days/?{query}",
    }  # fmt: skip


def _search(query, on: list[str], picks: Sequence[str] = ()) -> str:
    """The address of a search for other days: what else was said and narrowed stays, what was chosen goes."""
    kept = [
        (name, value) for name, values in query.lists() for value in values
        if name not in ("on", "row", "part", "more") and not name.startswith("pick")
    ]  # fmt: skip
    return urlencode([*kept, *(("on", day) for day in on), *((f"pick{n}", key) for n, key in enumerate(picks))])


@require_GET
def day_rows(request, trip_id: int):
    """A few rows of the field: leaving on a day, coming back on each of seven."""
    trip = trip_for(request.member, trip_id)
    if trip.traveller_id != request.member.pk:
        raise NotAllowed(say("Only the traveller books for this trip."))
    today = clock.today(trip.firm.zone)
    said = understand(from_address(request.GET), today)
    parts = [one.part for one in said if one.part is not None]
    if not said or len(parts) != len(said):
        return HttpResponse("")
    file = load_file(request.member, trip)
    instead = in_place_of(file, said, request.GET.get("instead"))
    field = _field(file, parts, today, "bag" in request.GET, instead.pk if instead else 0)
    if field is None:
        return HttpResponse("")
    outs = field.days(0)
    try:
        out = date.fromisoformat(request.GET.get("row", ""))
    except ValueError:
        out = outs[0]
    if out not in outs:
        return HttpResponse("")
    usual = field.pricer.price(field.assumed)
    now = [day for day in outs if out <= day < out + timedelta(days=STEP)]
    rows = [
        (day, day == parts[0].day, [_cell(request.GET, said, pair, field, usual.amount) for pair in field.row(day)])
        for day in now
    ]  # fmt: skip
    query = request.GET.copy()
    query["row"] = (now[-1] + timedelta(days=1)).isoformat()
    more = f"/trips/{trip.pk}/ways/days/?{query.urlencode()}" if now[-1] != outs[-1] else ""
    return render(request, "bookings/_day_rows.html", {"rows": rows, "next": more})


def _field(file: TripFile, parts: list[Part], today: date, bag: bool, instead: int) -> OtherDays | None:
    """The field around the days asked for, with the cheapest way of each part as it stands; nothing where a part has none."""
    currency = file.trip.currency

    def offered(number: int, day: date) -> list[Offer]:
        found = offers_of(parts[number].origin, parts[number].target, day, today, currency)
        return [offer for offer in found if offer.cabin == "economy"]

    assumed = []
    for number, part in enumerate(parts):
        found = offered(number, part.day)
        if not found:
            return None
        assumed.append(min(found, key=lambda o: o.price.amount))
    return OtherDays(Pricer(file, parts, bag or file.book.policy.bag_needed, instead), assumed, offered, today)


def _cell(query, said: list[Said], pair: Pair, field: OtherDays, usual: Money) -> Cell:
    parts = field.pricer.parts
    own = pair.out == parts[0].day and pair.back in (None, parts[-1].day)
    if pair.cost is None:
        return Cell(pair, own, pair.why, False, "")
    cost = pair.cost
    words = (
        say("{nights}, allowance {allowance}, {days}: ", nights=say_many("{count} night", "{count} nights", cost.nights), allowance=cost.allowance, days=say_many("{count} day away", "{count} days away", pair.days))
        + joined(say(" and "), (joined("", (o.carrier, " ", as_figure(o.leaves, "%a %H:%M"))) for o in pair.offers))
    )  # fmt: skip
    days = [one.on for one in said]
    days[0] = pair.out.isoformat()
    if pair.back is not None:
        days[-1] = pair.back.isoformat()
    link = f"?{_search(query, days, [offer.key for offer in pair.offers])}#chosen"
    return Cell(pair, own, words, cost.amount < usual, link)
