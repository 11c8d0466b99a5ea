"""A class above what the firm allows."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.fares import CABINS
from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param


@kind
class ClassAbove(Kind):
    """``cabin`` is the highest class allowed: economy, premium or business."""

    code = "class_above"
    title = "Class above what is allowed"
    about = "A class above what the firm allows."
    by_category = True
    params = (Param("cabin", "choice", "Highest class", CABINS[0], choices=tuple((each, each) for each in CABINS)),)
    on = frozenset({"plan"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every way whose class is higher."""
        most = CABINS.index(setting.params["cabin"])
        for item in subject.items:
            if item.cabin in CABINS and CABINS.index(item.cabin) > most and setting.applies_to(item.category):
                text = f"{item.label} is in {item.cabin} class at {item.amount}. The firm allows {CABINS[most]}."
                yield Hit(item.key, text, Cure(f"Choose {CABINS[most]} class", item.key), item.amount)
