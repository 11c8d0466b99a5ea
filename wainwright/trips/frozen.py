"""A plan as it was signed: frozen to data with its version, and back to the core's values."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from cattrs.gen import make_dict_structure_fn
from cattrs.preconf.json import make_converter

from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.core.permissions import Permission
from wainwright.core.rules import Finding
from wainwright.core.said import kept
from wainwright.core.workings import Step
from wainwright.trips.figures import TripFigures


@dataclass(frozen=True)
class Row:
    """One line of an itinerary, in local time. ``key`` is the same while the thing itself is."""

    key: str
    at: datetime
    ends: datetime
    mode: str
    title: str
    where: str
    note: str
    seats: str = ""


@dataclass(frozen=True)
class Said:
    """A finding and the reason given to it, in the shape of the row it came from; no words where none was given."""

    finding: Finding
    reason: str
    words: str


@dataclass(frozen=True)
class Permitted:
    """A special permission that the plan called for, and what was said for it."""

    permission: Permission
    comment: str


@dataclass(frozen=True)
class Frozen:
    """Everything of a plan that signers, budgets and the order of travel read."""

    title: str
    purpose: str
    starts: date | None
    ends: date | None
    advance: Money
    figures: TripFigures
    categories: tuple[tuple[str, Money], ...]
    borne: tuple[tuple[Coding, Money], ...]
    findings: tuple[Said, ...]
    permissions: tuple[Permitted, ...]
    by_hand: tuple[tuple[str, str], ...]
    rows: tuple[Row, ...] = field(default=())

    @property
    def firm_pays(self) -> Money:
        """What of it the firm pays itself."""
        return self.figures.sum("firm", "central")

    @property
    def permission_words(self) -> list[tuple[str, str]]:
        """Each special permission with what was said for it."""
        return [(p.permission.title, p.comment or p.permission.words) for p in self.permissions] + list(self.by_hand)


_converter = make_converter()
_converter.register_unstructure_hook(Decimal, str)
_converter.register_structure_hook(Decimal, lambda value, _: Decimal(value))
_step = make_dict_structure_fn(Step, _converter)
# A step of workings was a sentence before it was kept: it is read as one again.
_converter.register_structure_hook(Step, lambda value, _: _step({**value, "text": kept(value["text"])}, Step))


def freeze(frozen: Frozen) -> dict[str, Any]:
    """Return a plan as plain data for a JSON column."""
    data: dict[str, Any] = _converter.unstructure(frozen)
    return data


def thaw(data: dict[str, Any]) -> Frozen | None:
    """Return a plan from its data; nothing for versions of before plans were frozen whole."""
    return _converter.structure(data, Frozen) if data else None


def as_signed(before: TripFigures, now: TripFigures) -> TripFigures:
    """Return the figures of now with what no act has touched as it was signed: rates that changed since change nothing.

    The daily allowance and mileage come from rates; they stay where the journey, or the ride, is still the same.
    """
    known = {each.key: each for each in before.estimates if each.category == "mileage"}
    kept = tuple(known.get(each.key, each) for each in now.estimates)
    allowance = before.allowance if before.journey == now.journey else now.allowance
    return replace(now, estimates=kept, allowance=allowance)
