"""More than one advance out."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param


@kind
class AdvancesOut(Kind):
    """``most``: how many advances may be out at once."""

    code = "advances_out"
    title = "Advances still out"
    about = "More than one advance out."
    params = (
        Param(
            "most", "count", "Advances at once", "1", "So many may be out; one more is found. Empty: one.", needed=False
        ),
    )
    on = frozenset({"plan"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit when more advances are out than the firm likes."""
        if subject.advances_out > int(setting.number("most", "1")):
            text = f"{subject.advances_out} advances are out already. Claim the earlier trips first."
            yield Hit(subject.key, text, Cure("Take the advance off", subject.key))
