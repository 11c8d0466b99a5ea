"""Distances by road."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from typing import Protocol

from wainwright.core.journey import Place


@dataclass(frozen=True, slots=True)
class Distance:
    """Kilometres by road, by way of which places, and whether it is only estimated."""

    km: Decimal
    via: tuple[str, ...]
    estimated: bool


class Roads(Protocol):
    """A source of road distances."""

    def between(self, origin: Place, target: Place) -> Distance:
        """Return the distance one way."""
