"""Addresses for mail, as people sign in by them."""

from __future__ import annotations

from django.core.exceptions import ValidationError
from django.core.validators import validate_email

LONGEST = 254


def as_kept(typed: str) -> str:
    """Return an address as it is kept and compared."""
    return typed.strip().lower()[:LONGEST]


def is_address(text: str) -> bool:
    """Say whether a text is an address for mail."""
    try:
        validate_email(text)
    except ValidationError:
        return False
    return True
