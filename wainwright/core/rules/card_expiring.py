"""A card that expires before the trip ends."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.said import say
from wainwright.core.workings import day_text


@kind
class CardExpiring(Kind):
    """Looks at the card that the trip will use."""

    code = "card_expiring"
    title = say("Card expires before the end")
    about = say("A card that expires before the trip ends.")
    on = frozenset({"plan"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit when the card does not last."""
        if subject.card_expires and subject.ends and subject.card_expires < subject.ends:
            text = say(
                "Your card expires on {card_expires}, before you are back.",
                card_expires=day_text(subject.card_expires, year=True),
            )
            yield Hit(subject.key, text, Cure(say("Change the card"), "profile"))
