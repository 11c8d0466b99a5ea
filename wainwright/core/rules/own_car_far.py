"""The own car beyond the firm's distance, dearer than the cheapest other way."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.mileage import against_ticket
from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say
from wainwright.core.workings import plain


@kind
class OwnCarFar(Kind):
    """``km``: up to this distance one way driving is not compared."""

    code = "own_car_far"
    title = say("Own car beyond a distance")
    about = say("The own car beyond the firm's distance, dearer than the cheapest other way.")
    needs = frozenset({"journey"})
    params = (Param("km", "km", say("One way"), "300", say("Up to so far driving is not compared.")),)

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every drive that costs more than the cheapest other way of the day."""
        limit = setting.number("km")
        for item in subject.items:
            if item.one_way_km is None or (item.ticket is None and subject.kind == "plan"):
                continue
            if item.ticket is None:
                # Nothing was compared on a plan: a drive so far asks why no other way was taken.
                if item.one_way_km > limit:
                    text = say(
                        "{item_label} is {one_way_km} km one way, beyond {limit} km, and no other way was compared.",
                        item_label=item.label,
                        one_way_km=plain(item.one_way_km),
                        limit=plain(limit),
                    )
                    yield Hit(item.key, text, Cure(say("Say why you drove"), item.key), item.amount)
                continue
            compared = against_ticket(item.amount, item.one_way_km, limit, item.ticket)
            if compared.over.minor > 0:
                text = say(
                    "{item_label} is {one_way_km} km one way, beyond {limit} km. Driving comes to "
                    "{item_amount}, the cheapest other way that fits to {ticket}: without a reason {allowed} "
                    "is allowed.",
                    item_label=item.label,
                    one_way_km=plain(item.one_way_km),
                    limit=plain(limit),
                    item_amount=item.amount,
                    ticket=item.ticket,
                    allowed=compared.allowed,
                )
                yield Hit(item.key, text, Cure(say("Take the other way"), item.key), compared.over)
