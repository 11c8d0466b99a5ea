"""A merchant whose name the firm does not want on a claim."""

from __future__ import annotations

import re
from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say


@kind
class Unwanted(Kind):
    """``words`` are parted by commas; each is looked for in the merchant's name, as whole words."""

    code = "unwanted"
    title = say("Merchant not wanted")
    about = say("A merchant whose name the firm does not want on a claim.")
    by_category = True
    params = (Param("words", "words", say("Words of the name"), help=say("Parted by commas, as: casino, betting.")),)
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item whose merchant's name has one of the words."""
        words = [" ".join(each.casefold().split()) for each in setting.params["words"].split(",") if each.strip()]
        for item in subject.items:
            if not setting.applies_to(item.category):
                continue
            name = " ".join(item.merchant.casefold().split())
            word = next((each for each in words if re.search(rf"(?<!\w){re.escape(each)}(?!\w)", name)), None)
            if word is not None:
                text = say(
                    "{item_label}, {item_amount}: the firm does not want costs at {merchant} (“{word}”).",
                    item_label=item.label,
                    item_amount=item.amount,
                    merchant=item.merchant,
                    word=word,
                )
                yield Hit(item.key, text, Cure(say("Take it out"), item.key), item.amount)
