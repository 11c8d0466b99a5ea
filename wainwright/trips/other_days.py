"""The same ways on other days: up to three days earlier or later, priced for the whole trip."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from wainwright.core.allowance import NoRate
from wainwright.core.journey import moment
from wainwright.core.presence import Moved, missed
from wainwright.core.said import as_figure, say
from wainwright.core.workings import day_text
from wainwright.errors import Refusal
from wainwright.ports.market import Offer
from wainwright.trips.replacing import REACH
from wainwright.trips.whole import Pricer, WholeCost

# Of each day so many of the cheapest fares are tried with each other: a dearer one can save a night.
TRIED = 3


@dataclass(frozen=True)
class Pair:
    """Leaving on one day and coming back on another: the cheapest pair of ways, or why there is none."""

    out: date
    back: date | None
    cost: WholeCost | None = None
    days: int = 0
    offers: tuple[Offer, ...] = ()
    why: str = ""


@dataclass
class OtherDays:
    """Prices pairs of days around those that were asked for.

    ``assumed`` are the ways as they stand for each part of the journey; the first part moves with the day of leaving, the
    last with that of coming back. ``offered`` returns what is on offer for a part on a day.
    """

    pricer: Pricer
    assumed: Sequence[Offer]
    offered: Callable[[int, date], list[Offer]]
    today: date

    @property
    def there_and_back(self) -> bool:
        """Whether there is a day of coming back among the parts."""
        return len(self.assumed) > 1

    def days(self, part: int) -> list[date]:
        """Return the days around a part's own, the past left out."""
        own = self.pricer.parts[part].day
        around = [own + timedelta(days=n) for n in range(-REACH, REACH + 1)]
        return [day for day in around if day >= self.today]

    def row(self, out: date) -> list[Pair]:
        """Return every pair that leaves on ``out``, by the day of coming back."""
        if not self.there_and_back:
            return [self._best(out, None)]
        return [self._best(out, back) for back in self.days(len(self.assumed) - 1)]

    def _best(self, out: date, back: date | None) -> Pair:
        if back is not None and back < out:
            return Pair(out, back, why=say("back before leaving"))
        last = len(self.assumed) - 1
        firsts, lasts = self._cheap(0, out), self._cheap(last, back) if back is not None else [None]
        if not firsts or not lasts:
            return Pair(out, back, why=say("nothing goes that day"))
        best: Pair | None = None
        why = ""
        for one in firsts:
            for other in lasts:
                offers = [one, *self.assumed[1:-1], other] if other is not None else [one, *self.assumed[1:]]
                found = self._priced(out, back, offers)
                if found.cost is None:
                    why = why or found.why
                elif best is None or best.cost is None or found.cost.amount.amount < best.cost.amount.amount:
                    best = found
        return best or Pair(out, back, why=why)

    def _cheap(self, part: int, day: date | None) -> list[Offer]:
        if day is None:
            return []
        try:
            found = self.offered(part, day)
        except Refusal:
            return []
        best: dict[str, Offer] = {}
        for offer in sorted(found, key=lambda o: o.price.amount):
            best.setdefault(offer.way, offer)
        return list(best.values())[:TRIED]

    def _priced(self, out: date, back: date | None, offers: list[Offer]) -> Pair:
        cost = self.pricer.price(offers)
        if cost.fault:
            return Pair(out, back, why=cost.fault.rstrip("."))
        why = self._not_for_the_purpose(offers)
        if why:
            return Pair(out, back, why=why)
        return Pair(out, back, cost, self.pricer.days_away(offers), tuple(offers))

    def _not_for_the_purpose(self, offers: Sequence[Offer]) -> str:
        """Why these ways do not serve the trip: something that waits is missed, or moves that stay come out of their order."""
        try:
            legs = self.pricer.moves(offers)
            before = self.pricer.moves(self.assumed)
        except (ValueError, NoRate):
            return say("the moves do not fit together")
        if [(leg.origin.town, leg.target.town) for leg in legs] != [
            (leg.origin.town, leg.target.town) for leg in before
        ]:
            return say("another move of the trip would come before or after it")
        moves = [Moved(leg.origin.town, leg.target.town, leg.leaves_utc, leg.arrives_utc) for leg in legs]
        as_is = [Moved(leg.origin.town, leg.target.town, leg.leaves_utc, leg.arrives_utc) for leg in before]
        for row in self.pricer.file.trip.engagements:
            at = moment(datetime.fromisoformat(row["at"]), row["zone"])
            found = missed(moves, row["town"], at)
            if found is not None and missed(as_is, row["town"], at) is None:
                when = datetime.fromisoformat(row["at"])
                return say(
                    "misses {title}, {when} {when_2}",
                    title=row["title"],
                    when=day_text(when),
                    when_2=as_figure(when, "%H:%M"),
                )
        return ""
