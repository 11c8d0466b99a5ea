"""Amounts of money: one type, one rounding, one way to share a sum out."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from typing import TypeVar

from wainwright.core.said import say

K = TypeVar("K", bound=Hashable)
# ISO 4217 minor units; every currency that is not named has two places.
_PLACES = {
    "BIF": 0, "CLP": 0, "DJF": 0, "GNF": 0, "ISK": 0, "JPY": 0, "KMF": 0, "KRW": 0, "PYG": 0,
    "RWF": 0, "UGX": 0, "VND": 0, "VUV": 0, "XAF": 0, "XOF": 0, "XPF": 0,
    "BHD": 3, "IQD": 3, "JOD": 3, "KWD": 3, "LYD": 3, "OMR": 3, "TND": 3,
}  # fmt: skip


class CurrencyMismatch(ValueError):
    """Two currencies met where only one makes sense."""


def places(currency: str) -> int:
    """Return how many decimal places ``currency`` has (ISO 4217 minor unit)."""
    return _PLACES.get(currency, 2)


def round_amount(amount: Decimal, currency: str) -> Decimal:
    """Round half up (away from zero) to the currency's minor unit. Nothing else in the core rounds money."""
    return amount.quantize(Decimal(1).scaleb(-places(currency)), rounding=ROUND_HALF_UP)


@dataclass(frozen=True, slots=True, order=False)
class Money:
    """An exact amount in a currency, always held at the currency's minor unit.

    Raises ``ValueError`` for a currency that is not three capital letters, for an amount that is
    not a finite number, or for one finer than the minor unit (use ``Money.rounded`` for those).
    """

    amount: Decimal
    currency: str

    def __post_init__(self) -> None:
        if len(self.currency) != 3 or not self.currency.isascii() or not self.currency.isupper():
            raise ValueError(say("“{currency}” is no currency", currency=self.currency))
        if not self.amount.is_finite():
            raise ValueError(say("{amount} is no amount", amount=f"{self.amount}"))
        exact = round_amount(self.amount, self.currency)
        if exact != self.amount:
            raise ValueError(
                say("{amount} is finer than {currency} allows", amount=self.amount, currency=self.currency)
            )
        object.__setattr__(self, "amount", exact)

    @classmethod
    def of(cls, amount: str | int | Decimal, currency: str) -> Money:
        """Make an amount from text, a whole number or a ``Decimal``."""
        return cls(Decimal(amount), currency)

    @classmethod
    def rounded(cls, amount: Decimal, currency: str) -> Money:
        """Make an amount from an unrounded figure."""
        return cls(round_amount(amount, currency), currency)

    @classmethod
    def from_minor(cls, minor: int, currency: str) -> Money:
        """Make an amount from whole minor units (cents, øre)."""
        return cls(Decimal(minor).scaleb(-places(currency)), currency)

    @classmethod
    def zero(cls, currency: str) -> Money:
        """Nothing, in ``currency``."""
        return cls(Decimal(0), currency)

    @property
    def minor(self) -> int:
        """The amount in whole minor units, as the database keeps it."""
        return int(self.amount.scaleb(places(self.currency)))

    def _same(self, other: Money) -> None:
        if self.currency != other.currency:
            raise CurrencyMismatch(
                say(
                    "{currency} and {currency_2} cannot be added or compared",
                    currency=self.currency,
                    currency_2=other.currency,
                )
            )

    def __add__(self, other: Money) -> Money:
        self._same(other)
        return Money(self.amount + other.amount, self.currency)

    def __sub__(self, other: Money) -> Money:
        self._same(other)
        return Money(self.amount - other.amount, self.currency)

    def __neg__(self) -> Money:
        return Money(-self.amount, self.currency)

    def __lt__(self, other: Money) -> bool:
        self._same(other)
        return self.amount < other.amount

    def __le__(self, other: Money) -> bool:
        self._same(other)
        return self.amount <= other.amount

    def __gt__(self, other: Money) -> bool:
        self._same(other)
        return self.amount > other.amount

    def __ge__(self, other: Money) -> bool:
        self._same(other)
        return self.amount >= other.amount

    def __bool__(self) -> bool:
        return self.amount != 0

    def times(self, factor: Decimal | int) -> Money:
        """Multiply and round once."""
        return Money.rounded(self.amount * factor, self.currency)

    def __str__(self) -> str:
        return f"{self.amount:,}"


def total(amounts: Iterable[Money], currency: str) -> Money:
    """Add up amounts that are all in ``currency``; nothing adds up to zero."""
    result = Money.zero(currency)
    for amount in amounts:
        result = result + amount
    return result


def add_up(rows: Iterable[tuple[K, Money]]) -> dict[K, Money]:
    """Add amounts up by what they are for, in the order met. Each key's amounts are in one currency."""
    sums: dict[K, Money] = {}
    for key, amount in rows:
        sums[key] = sums[key] + amount if key in sums else amount
    return sums


def share_out(amount: Money, weights: Sequence[Decimal | int]) -> list[Money]:
    """Share ``amount`` over ``weights`` by largest remainder, ties to the earlier share.

    The shares add up to the amount exactly, for negative sums too. Raises ``ValueError`` when
    there are no weights, one is negative, or they add up to nothing.
    """
    parts = [Decimal(weight) for weight in weights]
    if not parts or any(part < 0 for part in parts) or sum(parts) == 0:
        raise ValueError("weights must be there, not negative, and not all nothing")
    whole = sum(parts)
    minor = abs(amount.minor)
    exact = [minor * part / whole for part in parts]
    floors = [int(each) for each in exact]
    # Precision beyond Decimal's 28 digits may floor one too high or low; the remainder settles it.
    order = sorted(range(len(parts)), key=lambda i: (-(exact[i] - floors[i]), i))
    for i in order[: minor - sum(floors)]:
        floors[i] += 1
    sign = -1 if amount.minor < 0 else 1
    return [Money.from_minor(sign * each, amount.currency) for each in floors]
