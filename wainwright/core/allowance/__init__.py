"""The daily allowance and the ceilings of lodging, worked out from schemes that are data."""

from wainwright.core.allowance.days import Allowance, DayAllowance, Grants, Head, daily_allowance
from wainwright.core.allowance.lodging import NightAllowed, allowed_night, flat_nights
from wainwright.core.allowance.scheme import (
    ClockTimes,
    Fractions,
    HourTable,
    MealRule,
    NightRule,
    NoRate,
    Rate,
    Scheme,
    Twelfths,
    rate_for,
)
from wainwright.core.allowance.supplied import like_days

__all__ = [
    "Allowance",
    "ClockTimes",
    "DayAllowance",
    "Fractions",
    "Grants",
    "Head",
    "HourTable",
    "MealRule",
    "NightAllowed",
    "NightRule",
    "NoRate",
    "Rate",
    "Scheme",
    "Twelfths",
    "allowed_night",
    "daily_allowance",
    "flat_nights",
    "like_days",
    "rate_for",
]  # fmt: skip
