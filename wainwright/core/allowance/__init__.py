"""The daily allowance and the ceilings of lodging, worked out from schemes that are data."""

from wainwright.core.allowance.days import Allowance, DayAllowance, Grants, Head, Stay, daily_allowance, stays_of
from wainwright.core.allowance.lodging import NightAllowed, allowed_night, flat_nights
from wainwright.core.allowance.rows import Kind, Pays, Row
from wainwright.core.allowance.scheme import (
    LongStay,
    MealRule,
    MealSet,
    NightRule,
    NoRate,
    PlaceRule,
    Rate,
    Rates,
    Rounding,
    Scheme,
    Step,
    in_force,
    rate_for,
)
from wainwright.core.allowance.supplied import like_days

__all__ = [
    "Allowance",
    "DayAllowance",
    "Grants",
    "Head",
    "Kind",
    "LongStay",
    "MealRule",
    "MealSet",
    "NightAllowed",
    "NightRule",
    "NoRate",
    "Pays",
    "PlaceRule",
    "Rate",
    "Rates",
    "Rounding",
    "Row",
    "Scheme",
    "Stay",
    "Step",
    "allowed_night",
    "daily_allowance",
    "flat_nights",
    "in_force",
    "like_days",
    "rate_for",
    "stays_of",
]  # fmt: skip
