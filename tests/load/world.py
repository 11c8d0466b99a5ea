"""A large firm, built in bulk: 2,000 people, 50,000 claims, 1,000,000 costs, 5,000,000 entries of the trail (times a scale)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import datetime
from itertools import islice

from django.contrib.sessions.backends.db import SessionStore
from django.core.management import call_command
from django.db import connection, transaction
from django.db.models import Model, OuterRef, Subquery, Sum

from demo import load
from tests.codings import coded
from wainwright import clock
from wainwright.accounts.services import keep_codings
from wainwright.claims.models import Claim, Statement, StatementCoding, StatementLine
from wainwright.core.trail import Entry as CoreEntry
from wainwright.expenses.models import Expense
from wainwright.people.models import Firm, Membership, Person, new_version
from wainwright.trail.models import Entry
from wainwright.trail.selectors import last_entry

PEOPLE, CLAIMS, LINES, ENTRIES = 2_000, 50_000, 20, 5_000_000
# Nine of ten were settled long ago; the rest are on their road.
FIRST = 10_000


def build(scale: float) -> None:
    """Build the world once. What is bought in bulk is what many years of sending would have left."""
    call_command("migrate", verbosity=0)
    if Claim.objects.filter(number__gte=FIRST).exists():
        return
    if not Firm.objects.exists():
        with clock.at(datetime.combine(load.here(), datetime.min.time(), tzinfo=clock.now().tzinfo)):
            load.load()
    model = Membership.objects.select_related("firm", "manager").get(mail_name="maren")
    with transaction.atomic():
        members = _people(model, int(PEOPLE * scale))
        _claims(model, members, int(CLAIMS * scale))
        _trail(model.firm, int(ENTRIES * scale))
    Firm.objects.update(rules_version=new_version())
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")


def _put(rows: Iterable[Model], at_once: int = 5_000) -> Iterator[list[Model]]:
    """Write rows in bulk, so many at a time; give each batch with its keys."""
    waiting = iter(rows)
    while batch := list(islice(waiting, at_once)):
        yield type(batch[0])._base_manager.bulk_create(batch, batch_size=500)


def _people(model: Membership, count: int) -> list[Membership]:
    people = [Person(email=f"load{n}@brackwater.example", name=f"Person {n}", password="!") for n in range(count)]
    made = [person for batch in _put(people) for person in batch]
    rows = (
        Membership(
            firm=model.firm,
            person=person,
            manager=model.manager,
            traveller=True,
            codes=[["cost_centre", "3120"]],
            home_code="ORK",
        )
        for person in made
    )
    return [member for batch in _put(rows) for member in batch]


def _claims(model: Membership, members: list[Membership], count: int) -> None:
    """One claim with one cost as a person would leave it; the database makes all others of it."""
    firm, today, now = model.firm, load.here(), clock.now()
    kept = keep_codings(firm, [coded("3120")])[coded("3120")]
    claim = Claim.objects.create(
        firm=firm, claimant=members[0], number=FIRST, title="Survey", currency=firm.currency, created=now, sent=now, state="Settled", codes=[["cost_centre", "3120"]]
    )  # fmt: skip
    cost = Expense.objects.create(
        firm=firm, owner=members[0], claim=claim, date=today, merchant="Merchant", category="taxi", currency=firm.currency, amount_minor=1_000, created=now
    )  # fmt: skip
    statement = Statement.objects.create(
        claim=claim, number=1, act="certified and sent", by=members[0], time=now, budget_day=today, total_minor=0, own_money_minor=0,
        allowance_minor=0, mileage_minor=0, firm_paid_minor=0, personal_minor=0, advance_minor=0, due_minor=0, workings=[], marks=[],
    )  # fmt: skip
    line = StatementLine.objects.create(
        statement=statement, order=0, key=cost.key, kind="cost", label=cost.label, day=cost.date, merchant=cost.merchant, category="taxi",
        category_name="Taxi", paid_by="self", says_minor=1_000, allows_minor=1_000, allows_by="no limit",
    )  # fmt: skip
    coding = StatementCoding.objects.create(
        line=line, order=0, text=cost.label, category="taxi", account="6445", kept=kept, codes=[["cost_centre", "3120"]],
        net_minor=1_000, tax_minor=0, recoverable_minor=0,
    )  # fmt: skip
    of = f"n.n / {LINES}"
    state = f"CASE {of} % 20 WHEN 18 THEN 'In finance check' WHEN 19 THEN 'Open' ELSE 'Settled' END"
    owner = f"{members[0].pk} + {{claim}} % {len(members)}"
    one, first = f"{of} = 0 AND n.n % {LINES} = 0", f"n.n % {LINES}"
    sent = f"{of} % 20 <> 19"
    worth = f"1000 + ({of} + {first}) % 9000"
    # Of each claim as many rows as it has lines are counted; the row that stands there already is left out.
    _copied(claim, count, f"n.n + {claim.pk}", "n.n > 0", number=f"{FIRST} + n.n", claimant_id=owner.format(claim="n.n"), title="'Survey ' || n.n",
            state=state.replace(of, "n.n"))  # fmt: skip
    _copied(cost, count * LINES, f"n.n + {cost.pk}", f"NOT ({one})", claim_id=f"{claim.pk} + {of}", owner_id=owner.format(claim=f"({of})"),
            date=f"date('{today}', '-' || (({of} * 7 + {first}) % 900) || ' days')", merchant=f"'Merchant ' || ({first} * {of} % 900)", amount_minor=worth)  # fmt: skip
    _copied(
        statement,
        count,
        f"n.n + {statement.pk}",
        "n.n > 0 AND n.n % 20 <> 19",
        claim_id=f"{claim.pk} + n.n",
        by_id=owner.format(claim="n.n"),
    )
    _copied(line, count * LINES, f"n.n + {line.pk}", f"NOT ({one}) AND {sent}", statement_id=f"{statement.pk} + {of}", order=first, key=f"'expense:' || (n.n + {cost.pk})",
            says_minor=worth, allows_minor=worth, label=f"'Merchant ' || ({first} * {of} % 900)", merchant=f"'Merchant ' || ({first} * {of} % 900)")  # fmt: skip
    _copied(
        coding,
        count * LINES,
        f"n.n + {coding.pk}",
        f"NOT ({one}) AND {sent}",
        line_id=f"{line.pk} + n.n",
        net_minor=worth,
    )
    said = StatementLine.objects.filter(statement=OuterRef("pk")).order_by().values("statement").annotate(s=Sum("says_minor")).values("s")  # fmt: skip
    rows = Statement.objects.filter(claim__number__gte=FIRST)
    rows.update(total_minor=Subquery(said), own_money_minor=Subquery(said), due_minor=Subquery(said))
    own = Statement.objects.filter(claim=OuterRef("pk")).values("pk")[:1]
    Claim.objects.filter(number__gte=FIRST).exclude(state="Open").update(statement=Subquery(own))


def _copied(pattern: Model, count: int, pk: str, only: str, **columns: str) -> None:
    """Copy a row so many times, by the database alone; ``columns`` are said in its SQL, by ``n.n`` from 0 up."""
    meta = pattern._meta
    names = [field.column for field in meta.concrete_fields]
    values = [pk if name == meta.pk.column else columns.get(name, f'p."{name}"') for name in names]
    listed = ", ".join(f'"{name}"' for name in names)
    with connection.cursor() as cursor:
        cursor.execute(
            f'INSERT INTO "{meta.db_table}" ({listed}) '
            f"WITH RECURSIVE n(n) AS (SELECT 0 UNION ALL SELECT n + 1 FROM n WHERE n < {count - 1}) "
            f'SELECT {", ".join(values)} FROM n, "{meta.db_table}" p WHERE p."{meta.pk.column}" = {pattern.pk} AND {only}'
        )


def _trail(firm: Firm, count: int) -> None:
    """Entries that each hold the one before, written past the ORM: nothing else of them is worked out."""
    number, previous = last_entry()
    now, who, what = clock.now(), "Person <person@brackwater.example>", "changed a cost"
    pattern = Entry(number=0, time=now, firm_id=firm.pk, who=who, what=what, subject="", previous="", digest="")
    fields = Entry._meta.concrete_fields
    given = [field.get_db_prep_save(field.pre_save(pattern, add=True), connection) for field in fields]
    at = {field.name: place for place, field in enumerate(fields)}

    def rows() -> Iterator[list[object]]:
        nonlocal previous
        for n in range(number + 1, number + 1 + count):
            subject = f"claim:{n % 50_000}"
            digest = CoreEntry(n, now, who, "", what, subject, "", "", previous, firm.pk).digest()
            row = given.copy()
            row[at["number"]], row[at["subject"]], row[at["previous"]], row[at["digest"]] = n, subject, previous, digest
            previous = digest
            yield row

    named, places = ", ".join(f'"{field.column}"' for field in fields), ", ".join(["%s"] * len(fields))
    with connection.cursor() as cursor:
        cursor.executemany(f'INSERT INTO "{Entry._meta.db_table}" ({named}) VALUES ({places})', rows())


def signed_in(count: int) -> list[tuple[int, str]]:
    """Sessions of so many people, as signing in would have made: (key of the person, key of the session)."""
    backend = "allauth.account.auth_backends.AuthenticationBackend"
    found = []
    for member in (
        Membership.objects.filter(person__email__startswith="load").select_related("person").order_by("pk")[:count]
    ):
        session = SessionStore()
        session.update(
            {
                "_auth_user_id": str(member.person_id),
                "_auth_user_backend": backend,
                "_auth_user_hash": member.person.get_session_auth_hash(),
                "firm": member.firm_id,
            }
        )
        session.create()
        found.append((member.pk, session.session_key))
    return found
