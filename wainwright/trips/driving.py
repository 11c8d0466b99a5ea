"""How far somebody has driven for the firm in a mileage year, and the way to work that their rides take the place of.

How far is known to those who record rides, and asked by those who plan them: trips stand below expenses, so expenses say
at start-up how it is found out.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from wainwright.core.journey import Place
from wainwright.core.mileage import commute_off
from wainwright.formats.gazetteer import folded
from wainwright.formats.places import place
from wainwright.outside import service
from wainwright.rulebook.models import Policy

_sources: list[Callable[[int, date, date, str], Decimal]] = []


def found_by(source: Callable[[int, date, date, str], Decimal]) -> None:
    """Name what answers (member's id, first day, last day, kind of vehicle) with km driven so far."""
    _sources[:] = [source]


def so_far(member_id: int, first: date, last: date, vehicle: str) -> Decimal:
    """Return the km claimed so far in a mileage year with a kind of vehicle; nothing where nobody records rides."""
    return _sources[0](member_id, first, last, vehicle) if _sources else Decimal(0)


@dataclass(frozen=True, slots=True)
class WayToWork:
    """Where somebody lives, and how far it is by road from there to where they usually work."""

    home: Place
    km: Decimal

    def off(self, origin: Place, target: Place, there_and_back: bool = False, already: Decimal = Decimal(0)) -> Decimal:
        """Return how many km of it a ride takes the place of; ``already`` km of that day were taken off other rides."""
        return commute_off(_town(origin), _town(target), there_and_back, _town(self.home), self.km, already)


def way_to_work(policy: Policy, home: str, work: str) -> WayToWork | None:
    """Return the way between two places of a profile (codes) where the firm takes it off; nothing where one is not known."""
    lives, works = (place(home), place(work)) if policy.commute_off and home and work else (None, None)
    if lives is None or works is None or _town(lives) == _town(works):
        return None
    return WayToWork(lives, service("roads").between(lives, works).km)


def _town(at: Place) -> str:
    # An airport and the town it serves are one place to live in.
    return f"{folded(at.town)}, {at.country}"
