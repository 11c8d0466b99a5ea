"""A paper of a kind that the rules require is not on the trip."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import PAPERS, Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import kept, say


@kind
class PaperMissing(Kind):
    """``paper`` is the kind wanted; "yes" for ``only_abroad`` or ``only_supplied`` asks it of such journeys alone."""

    code = "paper_missing"
    title = say("Required paper missing")
    about = say("A paper of a kind that the rules require is not on the trip.")
    needs = frozenset({"journey", "papers"})
    params = (
        Param("paper", "choice", say("Paper"), PAPERS[0], choices=tuple((each, kept(each)) for each in PAPERS)),
        Param("only_abroad", "yes", say("Only of journeys abroad"), needed=False),
        Param("only_supplied", "yes", say("Only where a host supplies meals"), needed=False),
    )

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit while the paper is not there."""
        paper = setting.params["paper"]
        if subject.starts is None and subject.kind == "claim":
            # Papers belong to a trip: a claim without one has no place for them.
            return
        abroad = setting.params.get("only_abroad") != "yes" or subject.abroad
        supplied = setting.params.get("only_supplied") != "yes" or subject.meals_supplied
        if paper in subject.papers or not abroad or not supplied:
            return
        yield Hit(
            subject.key,
            say("The {paper} is missing.", paper=paper),
            Cure(say("Attach the {paper}", paper=paper), "papers"),
        )
