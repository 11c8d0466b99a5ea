"""A paper of a kind that the rules require is not on the trip."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject


@kind
class PaperMissing(Kind):
    """``paper`` is the kind wanted; ``only_abroad`` "yes" asks it of journeys abroad alone."""

    code = "paper_missing"
    title = "Required paper missing"
    params = ("paper", "only_abroad")

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit while the paper is not there."""
        paper = setting.params["paper"]
        if paper in subject.papers or (setting.params.get("only_abroad") == "yes" and not subject.abroad):
            return
        yield Hit(subject.key, f"The {paper} is missing. {setting.text}", Cure(f"Attach the {paper}", "papers"))
