"""A claim for a trip that nobody authorised."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say

# What was called off had been authorised, else there is no claim of it.
_AUTHORISED = {"Authorised", "Under way", "Back", "Closed", "Called off"}


@kind
class TripNotAuthorised(Kind):
    """``only_abroad`` "yes" asks it of journeys abroad alone."""

    code = "trip_not_authorised"
    title = say("Trip not authorised")
    about = say("A claim for a trip that nobody authorised.")
    needs = frozenset({"journey"})
    params = (Param("only_abroad", "yes", say("Only of journeys abroad"), needed=False),)
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit when the trip behind the claim is not authorised."""
        if not subject.trip_state or subject.trip_state in _AUTHORISED:
            return
        if setting.params.get("only_abroad") == "yes" and not subject.abroad:
            return
        text = say(
            "The trip behind this claim stands at {trip_state}. It must be authorised first.",
            trip_state=subject.trip_state,
        )
        yield Hit(subject.key, text, Cure(say("Open the trip"), "trip"))
