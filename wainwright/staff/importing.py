"""People from a table: looked at first, then invited together; who is wrong stays behind, with the reason."""

from __future__ import annotations

from django.db import transaction

from wainwright import clock
from wainwright.core.roles import ROLES
from wainwright.core.said import joined, said_by, say
from wainwright.core.text import one_line
from wainwright.errors import Refusal, Stale
from wainwright.formats.apart import apart
from wainwright.formats.people_table import MOST_BYTES
from wainwright.formats.problems import Unreadable
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, Person
from wainwright.staff.checking import NEW, Checked, check, in_order
from wainwright.staff.inviting import welcome
from wainwright.staff.models import PeopleTable
from wainwright.trail.services import record


def read_table(by: Membership, name: str, content: bytes) -> PeopleTable:
    """Read a table of people and keep its rows; nobody is invited yet. Raises ``NotAllowed``, ``Refusal``."""
    must(by, "people")
    if not content:
        raise Refusal(say("Choose a file."), "file")
    if len(content) > MOST_BYTES:
        raise Refusal(say("The file is larger than 5 MB. Leave out what is not needed."), "file")
    try:
        rows = apart("people", content, list(by.firm.dimensions.values_list("name", flat=True)))
    except Unreadable as error:
        raise Refusal(said_by(error), "file") from error
    if not rows:
        raise Refusal(say("There are no rows below the header."), "file")
    return PeopleTable.objects.create(
        firm=by.firm, by=by, time=clock.now(), name=one_line(name, 120) or "table",
        rows=[[row.number, row.cells] for row in rows],
    )  # fmt: skip


def checked(table: PeopleTable) -> list[Checked]:
    """Return the rows of a table with what each would do now."""
    return check(table.firm, [(number, cells) for number, cells in table.rows])


@transaction.atomic
def invite_all(by: Membership, table_id: int, said: int) -> PeopleTable:
    """Invite everybody of a table who is new and right, in one act; ``said`` is how many the page showed.

    Raises ``NotAllowed``; ``Stale`` where others fit by now than were shown, or it was taken already.
    """
    must(by, "people")
    Firm.objects.select_for_update(no_key=True).get(pk=by.firm_id)
    table = (
        PeopleTable.objects.select_for_update(of=("self",), no_key=True)
        .select_related("firm")
        .get(pk=table_id, firm=by.firm_id)
    )
    if table.taken is not None:
        raise Stale(say("It was taken already: the people of it are invited."))
    rows = in_order([row for row in checked(table) if row.what == NEW])
    if len(rows) != said:
        raise Stale(
            say("{rows_count} can be invited by now, not {said}. Look at it again.", rows_count=len(rows), said=said)
        )
    if not rows:
        raise Refusal(say("Nobody of it can be invited: put right what is said beside the rows."))
    members = make_members(by, rows)
    table.taken, table.invited = clock.now(), len(rows)
    table.save(update_fields=["taken", "invited"])
    record(
        by, say("invited people from a table"), f"firm:{by.firm_id}",
        after={"table": table.name, "people": [joined("", (row.name, ": ", ', '.join(row.roles))) for row in rows]},
    )  # fmt: skip
    for member in members:
        welcome(by, member)
    return table


def make_members(by: Membership, rows: list[Checked]) -> list[Membership]:
    """Make people and members, whoever leads first. A few statements, however many they are."""
    fresh = [row for row in rows if row.person is None]
    for row in fresh:
        row.person = Person(email=row.email, name=row.name)
        row.person.set_unusable_password()
    Person.objects.bulk_create([row.person for row in fresh if row.person is not None], batch_size=500)
    away = [row.person.pk for row in rows if row.person is not None and not row.person.is_active]
    Person.objects.filter(pk__in=away).update(is_active=True)
    made = {
        row.email: Membership(
            firm=by.firm, person=row.person, job=row.job, manager=row.leader,
            codes=[list(pair) for pair in row.coding.codes] or (row.leader.codes if row.leader else []),
            limit_minor=None if row.limit is None else row.limit.minor, **{role: role in row.roles for role in ROLES},
        )
        for row in rows
    }  # fmt: skip
    Membership.objects.bulk_create(made.values(), batch_size=500)
    led = []
    for row in rows:
        if row.led_by:
            member, leader = made[row.email], made[row.led_by]
            member.manager = leader
            member.codes = member.codes or leader.codes
            led.append(member)
    Membership.objects.bulk_update(led, ["manager", "codes"], batch_size=500)
    return list(made.values())
