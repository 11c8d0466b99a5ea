"""The copy of the profile that a trip or a claim uses, beside the profile as it is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from wainwright.core.said import say
from wainwright.core.workings import day_text
from wainwright.people.models import Membership
from wainwright.trips.models import Trip

FIELDS = {
    "itinerary_email": say("Itinerary goes to"), "phone": say("Phone on the way"), "card": say("Card"), "card_expires": say("Card expires"),
    "home": say("Home"), "work": say("Usual place of work"), "iban": say("Account for repayment"),
}  # fmt: skip
# What can be changed for one trip alone; the card and the account are the profile's own affair.
FOR_ONE_TRIP = ("itinerary_email", "phone", "home", "work")


def copy_of(member: Membership) -> dict[str, str]:
    """Return what a trip keeps of a profile at the moment it is started, or a claim when it is made and when it is sent."""
    card = max(member.cards.all(), key=lambda c: (c.firm_pays, -c.pk), default=None)
    return {
        "itinerary_email": member.itinerary_email or member.person.email, "phone": member.phone,
        "card": card.last_four if card else "", "card_expires": card.expires.isoformat() if card else "",
        "home": member.home_code, "work": member.work_code, "iban": member.iban,
    }  # fmt: skip


@dataclass(frozen=True)
class Difference:
    """One field of the copy beside the profile."""

    name: str
    label: str
    here: str
    there: str

    @property
    def differs(self) -> bool:
        """Whether the two are not the same."""
        return self.here != self.there


def side_by_side(trip: Trip) -> list[Difference]:
    """Return every field of a trip's copy beside the profile as it is now."""
    return beside(trip.profile, trip.traveller)


def beside(copy: Mapping[str, str], member: Membership) -> list[Difference]:
    """Return every field of a copy beside a profile as it is now; what the copy never had is as it is there."""
    now = copy_of(member)
    return [
        Difference(name, label, _shown(name, copy.get(name, now[name])), _shown(name, now[name]))
        for name, label in FIELDS.items()
    ]


def _shown(name: str, value: str) -> str:
    if name == "iban" and value:
        return f"{value[:4]} … {value[-4:]}"
    if name == "card_expires" and value:
        return day_text(date.fromisoformat(value), year=True)
    return value
