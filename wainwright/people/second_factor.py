"""The second factor of a person, as the sign-in package keeps it."""

from __future__ import annotations

from allauth.mfa.models import Authenticator
from allauth.mfa.totp.internal.auth import TOTP

from wainwright.people.models import Person


def has_authenticator(person: Person) -> bool:
    """Say whether a person has set up an authenticator."""
    return Authenticator.objects.filter(user=person, type=Authenticator.Type.TOTP).exists()


def code_is_right(person: Person, code: str) -> bool:
    """Say whether ``code`` is what the person's authenticator shows now; nobody's code is right without one."""
    row = Authenticator.objects.filter(user=person, type=Authenticator.Type.TOTP).first()
    return row is not None and bool(TOTP(row).validate_code(code.strip().replace(" ", "")))
