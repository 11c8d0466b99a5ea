"""That a person is who they say: password or code, and how often one may guess."""

from __future__ import annotations

from datetime import timedelta

from wainwright import clock
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.people.models import Guess, Person
from wainwright.people.second_factor import code_is_right

MOST, WITHIN = 5, timedelta(minutes=15)


def too_many(person: Person, what: str) -> bool:
    """Say whether a person has guessed wrong too often lately. One query."""
    return Guess.objects.filter(person=person, what=what, time__gt=clock.now() - WITHIN).count() >= MOST


def must_be_who(person: Person, typed: str, field: str = "password") -> None:
    """Raise ``Refusal`` unless ``typed`` is the person's password, or the code that their authenticator shows now.

    A wrong one is kept even where the act is undone, so it is called outside the act's transaction.
    """
    _guarded(person, "password", person.check_password(typed) or code_is_right(person, typed), field,
             say("Type your password, or the code of your authenticator, to change this."))  # fmt: skip


def must_be_code(person: Person, typed: str, field: str = "name") -> None:
    """Raise ``Refusal`` unless ``typed`` is what the person's authenticator shows now; only so many guesses are taken."""
    _guarded(
        person,
        "code",
        code_is_right(person, typed),
        field,
        say("Type the six digits that your authenticator shows now."),
    )


def _guarded(person: Person, what: str, right: bool, field: str, words: str) -> None:
    if too_many(person, what):
        raise Refusal(say("That was wrong too often. Wait a quarter of an hour, then try again."), field)
    if not right:
        Guess.objects.create(person=person, what=what, time=clock.now())
        raise Refusal(words, field)
