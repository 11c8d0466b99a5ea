"""More than one advance out."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say


@kind
class AdvancesOut(Kind):
    """``most``: how many advances may be out at once."""

    code = "advances_out"
    title = say("Advances still out")
    about = say("More than one advance out.")
    params = (
        Param(
            "most",
            "count",
            say("Advances at once"),
            "1",
            say("So many may be out; one more is found. Empty: one."),
            needed=False,
        ),
    )
    on = frozenset({"plan"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit when more advances are out than the firm likes."""
        if subject.advances_out > int(setting.number("most", "1")):
            text = say(
                "{advances_out} advances are out already. Claim the earlier trips first.",
                advances_out=subject.advances_out,
            )
            yield Hit(subject.key, text, Cure(say("Take the advance off"), subject.key))
