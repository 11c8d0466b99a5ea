"""What people have asked and kept: a question on the first firm's shelf that goes out each month, answers of today."""

from __future__ import annotations

from wainwright.people.models import Membership
from wainwright.reports import keeping, sending
from wainwright.reports.asked import read
from wainwright.reports.catalogue import reports
from wainwright.reports.following import look_again
from wainwright.reports.reader import Reader

# Whose page of kept answers has one to look at.
KEPT_BY = ("priya", "maren", "tobias", "benedikt", "liv")


def tell(people: dict[str, Membership]) -> None:
    """Keep two questions and an answer; one is sent at each month's end."""
    priya, maren = people["priya"], people["maren"]
    for firm in (priya.firm, people["liv"].firm):
        look_again(firm)
    _keep(
        priya,
        "spend-by-coding",
        "What projects cost, month by month",
        {"by": ["month"], "across": ["coding.project"], "picture": ["stacked"]},
        True,
    )
    kept = _keep(priya, "loose-things", "Who to remind", {}, False)
    sending.set_sending(
        priya, kept.pk, sending.SendingTyped("week", weekday="0", forms=("xlsx",), to=priya.person.name)
    )
    _keep(maren, "spend-by-month", "My months", {"by": ["month"], "across": ["category"]}, False)
    for name in KEPT_BY:
        keeping.keep_answer(people[name], reports()["spend-by-category"], {})


def _keep(member: Membership, key: str, name: str, data: dict[str, list[str]], shared: bool) -> keeping.Kept:
    report = reports()[key]
    return keeping.keep(member, report, read(report, Reader(member), data).asked, name, shared)
