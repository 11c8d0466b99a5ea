"""Signing in, failing to, and changing how one signs in: each stands in the trail, changes are told to the address."""

from __future__ import annotations

from typing import Any

from allauth.account import signals as account
from allauth.mfa import signals as factor
from django.contrib.auth.signals import user_logged_in, user_login_failed
from django.db import transaction

from wainwright.core.said import say
from wainwright.news.services import tell
from wainwright.people.models import Membership, Person
from wainwright.trail.services import record

WARNING = say(
    "If this was not you, reset your password from the sign-in page at once and tell an administrator of your firm."
)


def listen() -> None:
    """Connect once, at start-up."""
    user_logged_in.connect(_signed_in, dispatch_uid="trail-signed-in")
    user_login_failed.connect(_failed, dispatch_uid="trail-failed")
    for signal, words, act in (
        (account.password_changed, say("Your password was changed"), say("the password was changed")),
        (account.password_reset, say("Your password was reset by mail"), say("the password was reset by mail")),
        (account.password_set, say("A password was set for you"), say("a password was set")),
        (factor.authenticator_added, say("A second factor was set up for you"), say("a second factor was set up")),
        (
            factor.authenticator_removed,
            say("A second factor of yours was taken off"),
            say("a second factor was taken off"),
        ),
        (
            factor.authenticator_reset,
            say("Your recovery codes were made anew"),
            say("the recovery codes were made anew"),
        ),
    ):
        signal.connect(_changed(words, act), weak=False, dispatch_uid=f"told-{words}")


def _of(person: Any) -> list[Membership]:
    rows = Membership.objects.filter(person=person, active=True).select_related("person", "firm").order_by("id")
    return list(rows) if isinstance(person, Person) else []


@transaction.atomic
def _signed_in(sender: Any, request: Any, user: Any, **_: Any) -> None:
    for member in _of(user)[:1]:
        record(member, say("signed in"), f"member:{member.pk}")


@transaction.atomic
def _failed(sender: Any, credentials: dict[str, Any], **_: Any) -> None:
    typed = str(credentials.get("email") or credentials.get("username") or "")[:254]
    for member in _of(Person.objects.filter(email__iexact=typed).first())[:1]:
        record(None, say("failed to sign in"), f"member:{member.pk}", firm_id=member.firm_id)


def _changed(words: str, act: str) -> Any:
    @transaction.atomic
    def told(sender: Any, user: Any = None, **_: Any) -> None:
        for number, member in enumerate(_of(user)):
            record(member, act, f"member:{member.pk}")
            if number == 0:
                tell(member, words, "/profile/", WARNING)

    return told
