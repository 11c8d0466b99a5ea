"""The second factor of a person, as the sign-in package keeps it."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, timedelta

from allauth.mfa.models import Authenticator
from allauth.mfa.totp.internal.auth import TOTP

from wainwright.people.models import Membership, Person

# What may stand beside a password.
FACTORS = (Authenticator.Type.TOTP, Authenticator.Type.WEBAUTHN)


def has_second_factor(person: Person) -> bool:
    """Say whether a person has set up a second factor: an authenticator, or a passkey."""
    return Authenticator.objects.filter(user=person, type__in=FACTORS).exists()


def has_authenticator(person: Person) -> bool:
    """Say whether a person has set up an authenticator, which shows codes."""
    return Authenticator.objects.filter(user=person, type=Authenticator.Type.TOTP).exists()


def without_second_factor(members: Iterable[Membership]) -> list[Membership]:
    """Return who of several has set up none, in one query."""
    there = set(Authenticator.objects.filter(type__in=FACTORS).values_list("user_id", flat=True))
    return [member for member in members if member.person_id not in there]


def code_is_right(person: Person, code: str) -> bool:
    """Say whether ``code`` is what the person's authenticator shows now; nobody's code is right without one."""
    row = Authenticator.objects.filter(user=person, type=Authenticator.Type.TOTP).first()
    return row is not None and bool(TOTP(row).validate_code(code.strip().replace(" ", "")))


def asked_from(member: Membership, today: date) -> date | None:
    """Return from which day on a person cannot work without a second factor; nothing where none is asked or one is there.

    The days of grace begin when they first come here after the firm's day; that is kept, so that they end. Two queries.
    """
    if not member.needs_factor or has_second_factor(member.person):
        return None
    firm = member.firm
    begins = firm.factor_from or today
    if today < begins:
        return begins + timedelta(days=firm.factor_grace)
    if member.factor_due is None:
        member.factor_due = today + timedelta(days=firm.factor_grace)
        Membership.objects.filter(pk=member.pk).update(factor_due=member.factor_due)
    return member.factor_due


def take_off(person: Person) -> int:
    """Take a person's authenticator and recovery codes off, and return how many there were. Inside the caller's transaction."""
    return Authenticator.objects.filter(user=person).delete()[0]
