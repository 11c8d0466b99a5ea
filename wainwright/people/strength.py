"""Passwords that are guessed at once are refused, however long they are."""

from __future__ import annotations

from django.core.exceptions import ValidationError
from zxcvbn import zxcvbn

from wainwright.core.said import say

# The measure's own steps, from 0 (the first few guesses) to 4; from 3 on it takes more than ten thousand million guesses.
LEAST = 3
MOST_SIGNS = 128
# zxcvbn goes through a text many times: what is longer is strong by its first signs, or not at all.
_LOOKED_AT = 64
_OURS = ["wainwright", "brackwater", "travel", "expense", "claim"]


class Guessable:
    """A validator of Django's kind: how many guesses a password takes, by what people use and by what is known of them."""

    def validate(self, password, user=None):
        """Raise ``ValidationError`` for one that is guessed too soon."""
        if len(password) > MOST_SIGNS:
            raise ValidationError(
                say("A password has at most {most_signs} signs.", most_signs=MOST_SIGNS), code="password_too_long"
            )
        known = [word for text in (getattr(user, "name", ""), getattr(user, "email", "")) for word in _words(text)]
        if zxcvbn(password[:_LOOKED_AT], user_inputs=[*_OURS, *known])["score"] < LEAST:
            raise ValidationError(
                say("This is guessed too soon: repeated signs, names, and words that many use do not count. "
"Take several words that have nothing to do with each other."), code="password_guessable",
            )  # fmt: skip

    def get_help_text(self):
        """What is said beside the field."""
        return say("Several words that have nothing to do with each other are easy to keep and hard to guess.")


def _words(text: str) -> list[str]:
    return [word for word in text.casefold().replace("@", " ").replace(".", " ").split() if len(word) > 2]
