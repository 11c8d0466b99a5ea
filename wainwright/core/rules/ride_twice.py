"""A taxi and mileage for the same ride."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.said import say
from wainwright.core.workings import day_text


@kind
class RideTwice(Kind):
    """A ride is paid once: by taxi, or as mileage."""

    code = "ride_twice"
    title = say("Taxi and mileage for one ride")
    about = say("A taxi and mileage for the same ride.")
    needs = frozenset({"journey"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every taxi that goes where the own car goes on the same day."""
        drives = {(item.day, item.ride): item for item in subject.items if item.by == "own car" and item.ride}
        for item in subject.items:
            drive = drives.get((item.day, item.ride)) if item.by == "taxi" and item.ride else None
            if drive is not None:
                text = say(
                    "{ride} to {ride_2} on {day} is there twice: a taxi for {item_amount} and the own car "
                    "for {drive_amount}.",
                    ride=item.ride[0],
                    ride_2=item.ride[1],
                    day=day_text(item.day),
                    item_amount=item.amount,
                    drive_amount=drive.amount,
                )
                yield Hit(item.key, text, Cure(say("Take one of them off"), item.key), item.amount, (drive.key,))
