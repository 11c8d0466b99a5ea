"""A large firm, built in bulk: 2,000 people, 50,000 claims, 1,000,000 costs, 5,000,000 entries of the trail (times a scale)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import datetime, timedelta
from itertools import islice

from django.contrib.sessions.backends.db import SessionStore
from django.core.management import call_command
from django.db import connection, transaction
from django.db.models import Model, OuterRef, Subquery

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
STATES = ["Settled"] * 18 + ["In finance check", "Open"]
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


def _all(rows: Iterable[Model]) -> None:
    for _ in _put(rows):
        pass


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
    firm, today, now = model.firm, load.here(), clock.now()
    kept = keep_codings(firm, [coded("3120")])[coded("3120")]
    claims = (
        Claim(firm=firm, claimant=members[n % len(members)], number=FIRST + n, title=f"Survey {n}", currency=firm.currency, created=now, sent=now,
              state=STATES[n % len(STATES)], codes=[["cost_centre", "3120"]])
        for n in range(count)
    )  # fmt: skip
    for batch in _put(claims, 2_000):
        costs = [
            Expense(firm=firm, owner_id=claim.claimant_id, claim=claim, date=today - timedelta(days=(claim.number * 7 + n) % 900), merchant=f"Merchant {n * claim.number % 900}",
                    category="taxi", currency=firm.currency, amount_minor=1_000 + (claim.number + n) % 9_000, created=now)
            for claim in batch for n in range(LINES)
        ]  # fmt: skip
        _all(costs)
        by_claim: dict[int, list[Expense]] = {}
        for cost in costs:
            by_claim.setdefault(cost.claim_id, []).append(cost)
        stated = [claim for claim in batch if claim.state != "Open"]
        statements = [
            Statement(claim=claim, number=1, act="certified and sent", by_id=claim.claimant_id, time=now, budget_day=today, total_minor=total, own_money_minor=total,
                      allowance_minor=0, mileage_minor=0, firm_paid_minor=0, personal_minor=0, advance_minor=0, due_minor=total, workings=[], marks=[])
            for claim in stated for total in [sum(cost.amount_minor for cost in by_claim[claim.pk])]
        ]  # fmt: skip
        made = [statement for some in _put(statements) for statement in some]
        lines = (
            StatementLine(statement=statement, order=n, key=cost.key, kind="cost", label=cost.label, day=cost.date, merchant=cost.merchant, category="taxi",
                          category_name="Taxi", paid_by="self", says_minor=cost.amount_minor, allows_minor=cost.amount_minor, allows_by="no limit")
            for statement in made for n, cost in enumerate(by_claim[statement.claim_id])
        )  # fmt: skip
        for some in _put(lines):
            _all(
                StatementCoding(line=line, order=0, text=line.label, category="taxi", account="6445", kept=kept, codes=[["cost_centre", "3120"]],
                                net_minor=line.says_minor, tax_minor=0, recoverable_minor=0)
                for line in some
            )  # fmt: skip
    own = Statement.objects.filter(claim=OuterRef("pk")).values("pk")[:1]
    Claim.objects.filter(number__gte=FIRST).exclude(state="Open").update(statement=Subquery(own))


def _trail(firm: Firm, count: int) -> None:
    number, previous = last_entry()
    now = clock.now()

    def entries() -> Iterator[Entry]:
        nonlocal previous
        for n in range(number + 1, number + 1 + count):
            core = CoreEntry(
                n,
                now,
                "Person <person@brackwater.example>",
                "",
                "changed a cost",
                f"claim:{n % 50_000}",
                "",
                "",
                previous,
                firm.pk,
            )
            digest = core.digest()
            yield Entry(
                number=n,
                time=now,
                firm_id=firm.pk,
                who=core.who,
                what=core.what,
                subject=core.subject,
                previous=previous,
                digest=digest,
            )
            previous = digest

    _all(entries())


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
