"""A field that the category asks for is empty."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import FIELDS, Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say


@kind
class RequiredField(Kind):
    """``field`` is its name, ``word`` how people call it."""

    code = "required_field"
    title = say("Required field")
    about = say("A field that the category asks for is empty.")
    by_category = True
    params = (
        Param("field", "choice", say("Field"), "guests", choices=FIELDS),
        Param("word", "words", say("In words"), needed=False, help=say("As the sentence says it: who was there.")),
    )
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item whose field is empty."""
        word = setting.params.get("word", setting.params["field"])
        for item in subject.items:
            if setting.applies_to(item.category) and setting.params["field"] not in item.filled:
                text = say(
                    "{item_label} does not say {word}. {name} asks for it.",
                    item_label=item.label,
                    word=word,
                    name=subject.name(item.category),
                )
                yield Hit(item.key, text, Cure(say("Say {word}", word=word), item.key))
