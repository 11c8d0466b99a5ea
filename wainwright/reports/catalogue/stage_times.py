"""How long claims stand at each stage of their road, and where they hang now."""

import json
from collections import defaultdict
from collections.abc import Iterable
from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

from django.db.models import Q

from wainwright import clock
from wainwright.claims.models import Claim
from wainwright.core.durations import days_of, of_all
from wainwright.core.said import kept, say
from wainwright.core.states import CLAIM
from wainwright.core.table import Column, Row, Table
from wainwright.reports.asked import Asked
from wainwright.reports.dims import person
from wainwright.reports.reader import Reader
from wainwright.reports.report import Report
from wainwright.trail.models import Entry

# States in the order of the road, with who is to act in each.
ROAD = {
    "Open": say("the traveller"), "Sent back": say("the traveller"), "In sign-off": say("the approver"), "In finance check": say("finance"),
    "Cleared": say("finance and the ledger"), "Posting refused": say("finance"), "Posted": say("finance and the bank"),
}  # fmt: skip
# Acts whose entries name no state, and the one that they lead to.
LEADS_TO = {
    "certified and sent the claim": "In sign-off", "entered in the ledger": "Posted", "refused by the ledger": "Posting refused",
    "asked the route again, since it comes to more": "In sign-off", "asked the owners of the new coding": "In sign-off",
}  # fmt: skip
COLUMNS = (
    Column("state", say("stands at")), Column("who", say("who is to act")), Column("count", say("times"), "count"), Column("median", say("median, days"), "days"),
    Column("most", say("nine of ten within, days"), "days"), Column("now", say("there now"), "count"), Column("oldest", say("the longest for, days"), "days"),
)  # fmt: skip


def stays(
    entries: Iterable[tuple[str, datetime, str]], since: datetime, until: datetime
) -> tuple[dict[str, list[timedelta]], dict[str, tuple[str, datetime]]]:
    """How long each subject stood at each state that it left between two moments; and where each stands, since when."""
    left: dict[str, list[timedelta]] = defaultdict(list)
    at: dict[str, tuple[str, datetime]] = {}
    for subject, moment, state in entries:
        if not state:
            continue
        before = at.get(subject)
        if before is not None and before[0] == state:
            continue
        if before is not None and since <= moment < until:
            left[before[0]].append(moment - before[1])
        at[subject] = (state, moment)
    return left, at


def state_after(what: str, after: str) -> str:
    """The state that an act left a claim in, nothing where it changed none."""
    if what in LEADS_TO:
        return LEADS_TO[what]
    try:
        said = json.loads(after or "null")
    except ValueError:
        return ""
    found = str(said.get("state", "")) if isinstance(said, dict) else ""
    return found if found in CLAIM.states else ""


def table(reader: Reader, asked: Asked) -> Table:
    """A row for each state of the road. Two queries."""
    zone = ZoneInfo(reader.firm.zone)
    since = datetime.combine(asked.days.since, time(), zone)
    until = datetime.combine(asked.days.until + timedelta(days=1), time(), zone)
    claims = Claim.objects.filter(firm=reader.firm)
    people = asked.people()
    if people:
        claims = claims.filter(claimant__in=people)
    states = {f"claim:{pk}": (state, created) for pk, state, created in claims.values_list("pk", "state", "created")}
    says = Q(what__in=LEADS_TO) | Q(after__contains='"state"')
    entries = Entry.objects.filter(says, firm_id=reader.firm.pk, subject__startswith="claim:", time__lt=until).order_by(
        "number"
    )
    made = ((subject, created, "Open") for subject, (_, created) in states.items())
    told = (
        (subject, moment, state_after(what, after))
        for subject, moment, what, after in entries.values_list("subject", "time", "what", "after").iterator(
            chunk_size=5000
        )
        if subject in states
    )
    left, at = stays((*made, *told), since, until)
    now = clock.now()
    rows = []
    for state, who in ROAD.items():
        there = [now - at[subject][1] for subject, (stands, _) in states.items() if stands == state and subject in at]
        spread = of_all(left.get(state, []))
        if spread is None and not there:
            continue
        rows.append(Row((
            kept(state), who, len(left.get(state, [])), spread.median if spread else None, spread.nine_of_ten if spread else None, len(there),
            days_of(max(there)) if there else None,
        ), (), f"/firm/claims/?state={state.replace(' ', '%20')}"))  # fmt: skip
    return Table(
        COLUMNS,
        tuple(rows),
        (),
        (say("Of claims that left the state in this time; days of 24 hours, weekends with them."),),
    )


REPORT = Report(
    "stage-times", say("How long it takes"), say("How long does each stage take, and where does it hang?"), say("Work"), table=table, figure="median", span="12-months",
    dims=lambda reader: [person("claimant_id")], may="read_all", act=(say("See what waits"), "/bench/queue/"),
)  # fmt: skip
