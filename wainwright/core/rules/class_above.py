"""A class above what the firm allows."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.fares import CABINS
from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import kept, say


@kind
class ClassAbove(Kind):
    """``cabin`` is the highest class allowed: economy, premium or business."""

    code = "class_above"
    title = say("Class above what is allowed")
    about = say("A class above what the firm allows.")
    by_category = True
    params = (
        Param("cabin", "choice", say("Highest class"), CABINS[0], choices=tuple((each, kept(each)) for each in CABINS)),
    )
    on = frozenset({"plan"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every way whose class is higher."""
        most = CABINS.index(setting.params["cabin"])
        for item in subject.items:
            if item.cabin in CABINS and CABINS.index(item.cabin) > most and setting.applies_to(item.category):
                text = say(
                    "{item_label} is in {cabin} class at {item_amount}. The firm allows {cabins}.",
                    item_label=item.label,
                    cabin=item.cabin,
                    item_amount=item.amount,
                    cabins=CABINS[most],
                )
                yield Hit(
                    item.key, text, Cure(say("Choose {cabins} class", cabins=CABINS[most]), item.key), item.amount
                )
