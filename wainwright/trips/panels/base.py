"""What a panel is: one thing on a trip's page, with what it says closed, what it loads, its acts and its template."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Any

from django import forms
from django.http import HttpRequest

from wainwright.core.money import Money
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.fields import tell
from wainwright.signoff.models import Remark, SignOff
from wainwright.signoff.selectors import remarks, steps
from wainwright.trips.models import Trip
from wainwright.trips.selectors import TripFile, load_file

MEALS_OPEN = ("Authorised", "Under way", "Back")
CLAIMABLE = ("Under way", "Back", "Closed", "Called off")


class Again(Exception):
    """What was typed comes back with what is wrong: in which panel, with which of its forms, and what stood there."""

    def __init__(self, opened: str, do: str = "", **typed: Any) -> None:
        super().__init__(opened)
        self.opened, self.do, self.typed = opened, do, typed


class Page:
    """A trip's page for one request: what stands open, what was typed, and the trip's file once somebody asks for it."""

    def __init__(self, request: HttpRequest, trip: Trip, opened: str = "", do: str = "", **typed: Any) -> None:
        self.request, self.trip, self.opened, self.do, self.typed = request, trip, opened, do, typed
        self.member = request.member  # type: ignore[attr-defined]
        self.own = trip.traveller_id == self.member.pk
        self.editable = self.own and trip.editable
        self.may_record = self.own and (trip.editable or trip.state in MEALS_OPEN)
        self.may_seat = self.may_paper = self.own and trip.state not in Trip.OVER
        self.may_cancel = self.own and (trip.editable or trip.state in ("Authorised", "Under way"))

    @cached_property
    def file(self) -> TripFile:
        """The trip with everything that follows from it."""
        return load_file(self.member, self.trip)

    @cached_property
    def claim(self) -> Any:
        """The trip's claim, once there can be one. It is reached by the trip's own relation: its floor lies above."""
        return self.trip.claim if self.trip.state in CLAIMABLE else None

    @property
    def may_mark_meals(self) -> bool:
        """Whether meals can be marked: until the claim is sent, since only then is it known who supplied them."""
        late = self.own and self.trip.state == "Closed" and self.claim is not None
        return (self.may_record or late) and (self.claim is None or self.claim.editable)

    @cached_property
    def expenses(self) -> list[Any]:
        """What was spent: the claim's costs, before there is one those of the trip's days."""
        trip = self.trip
        if self.claim is not None:
            rows = self.claim.expenses.all()
        elif trip.starts and trip.state in ("Under way", "Back"):
            rows = trip.traveller.expenses.filter(claim__isnull=True, date__gte=trip.starts, date__lte=trip.ends)
        else:
            return []
        return list(rows.prefetch_related("receipts"))

    @cached_property
    def remarks(self) -> list[Remark]:
        """What was said on the trip."""
        return list(remarks(self.trip.subject))

    @cached_property
    def signoffs(self) -> list[SignOff]:
        """Who was asked to sign, once it was sent."""
        return list(steps(self.trip.subject)) if self.trip.sent else []

    def form(self, name: str, build: Callable[[], Any]) -> Any:
        """The form as it was typed, if it comes back; else a new one."""
        return self.typed[name] if name in self.typed else build()

    def valid(self, name: str, form: forms.Form, opened: str, do: str = "") -> dict[str, Any]:
        """Return what was typed into a form. Raises ``Again`` where something is wrong with it."""
        if not form.is_valid():
            raise Again(opened, do, **{name: form})
        return form.cleaned_data

    @contextmanager
    def trying(self, name: str, form: forms.Form, opened: str, do: str = "", fields: dict[str, str] | None = None) -> Iterator[None]:  # fmt: skip
        """Put what a service refuses beside the form's field; what somebody else did meanwhile is said on the page."""
        try:
            yield
        except (Stale, NotAllowed):
            raise
        except Refusal as refusal:
            tell(form, Refusal(refusal.message, (fields or {}).get(refusal.field, refusal.field)))
            raise Again(opened, do, **{name: form}) from refusal


@dataclass(frozen=True)
class Line:
    """One line of the journey: ``name`` opens it, ``at`` is its local time, ``level`` the gravest open finding on it."""

    name: str
    at: datetime
    icon: str
    when: str
    what: str
    more: str = ""
    state: str = ""
    until: str = ""
    bad: bool = False
    price: Money | None = None
    level: str = ""
    extra: str = ""


@dataclass(frozen=True)
class Act:
    """An address of a panel: where, by which name, whether it changes something, and whether it says what sums were and are."""

    path: str
    name: str
    method: str
    sums: bool
    reads: bool


def act(path: str, name: str, sums: bool = False, reads: bool = False) -> Callable[[Callable], Callable]:
    """Give a panel's method an address below the trip's.

    It returns what stands open afterwards (``None``: what stood open), or raises ``Again``. One that ``reads`` returns
    an answer of its own, and takes what is asked for without changing anything.
    """

    def marked(method: Callable) -> Callable:
        method.act = Act(path, name, method.__name__, sums, reads)  # type: ignore[attr-defined]
        return method

    return marked


class Panel:
    """One thing on a trip's page. A new one is a new file of this package with its template of the same name."""

    name = ""
    title = ""
    # Doors stand in a row in this order; what has none is opened from elsewhere on the page.
    order = 0
    key = ""

    def there(self, page: Page) -> bool:
        """Say whether the trip has it, for this person, now."""
        return True

    def has(self, page: Page, which: str) -> bool:
        """Say whether it can be opened under such a name."""
        return not which

    def proper(self, page: Page, which: str) -> str | None:
        """Return the name under which a part stands now; nothing where it is gone."""
        return which if self.has(page, which) else None

    def says(self, page: Page) -> str:
        """Say in a few words how it stands."""
        return ""

    def asks(self, page: Page) -> bool:
        """Say whether something is asked here."""
        return False

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """Return what its template shows; ``which`` is the part of the opened name after the panel's own."""
        return {}

    def answers(self, target: str, page: Page) -> str:
        """Return the name under which this panel opens what a finding is about; nothing where that is another's affair."""
        return ""

    def acts(self) -> list[Act]:
        """Return its addresses."""
        return [each.act for each in vars(type(self)).values() if hasattr(each, "act")]


class LinePanel(Panel):
    """A panel whose things are lines of the journey."""

    def lines(self, page: Page) -> Sequence[Line]:
        """Return its lines, in no order."""
        raise NotImplementedError

    def has(self, page: Page, which: str) -> bool:
        """Say whether there is such a line."""
        return any(line.name == f"{self.name}-{which}" for line in self.lines(page))
