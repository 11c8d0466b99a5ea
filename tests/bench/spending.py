"""What a report costs over a million lines of the read model, beside the bare SQL of the same answer; what it costs to follow."""

from __future__ import annotations

import random
import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import timedelta

from django.db import connection, transaction
from django.test.utils import CaptureQueriesContext

from wainwright.accounts.models import CodingKept
from wainwright.people.models import Firm, Membership
from wainwright.reports import following
from wainwright.reports.answering import answer
from wainwright.reports.asked import read
from wainwright.reports.catalogue import reports
from wainwright.reports.models import Head, SpendLine, Stage
from wainwright.reports.reader import Reader

LINES, AT_ONCE, TIMES = 1_000_000, 5_000, 5
CATEGORIES = ("air", "lodging", "meals", "taxi", "parking", "fuel", "mileage", "allowance")


def fill(firm: Firm, lines: int = LINES) -> None:
    """Fill the read model with lines of three years under one head that no source knows; once."""
    there = SpendLine.objects.filter(firm=firm).count()
    if there >= lines:
        return
    seed = random.Random(18)
    head, _ = Head.objects.get_or_create(kind=Head.Kind.CLAIM, thing=2**40, defaults={"firm": firm, "mark": "bench"})
    members, kept = (
        list(firm.members.values_list("pk", flat=True)),
        list(CodingKept.objects.filter(firm=firm).values_list("pk", flat=True)) or [None],
    )
    today = Reader(firm.members.select_related("firm").first()).today
    for start in range(there, lines, AT_ONCE):
        rows = [
            SpendLine(
                firm=firm, head=head, stage=seed.choice(Stage.values), day=today - timedelta(days=seed.randrange(1100)), member_id=seed.choice(members),
                category=seed.choice(CATEGORIES), kept_id=seed.choice(kept), merchant=f"merchant {seed.randrange(4000)}", country=seed.choice(("NO", "IE", "NL", "PT")),
                town=f"town {seed.randrange(60)}", currency=firm.currency, paid_by="firm", key="bench", label="Bench", net_minor=seed.randrange(100, 90_000), tax_minor=0,
            )
            for _ in range(min(AT_ONCE, lines - start))
        ]  # fmt: skip
        with transaction.atomic():
            SpendLine.objects.bulk_create(rows, batch_size=500)
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")


def _ms(act: Callable[[], object], times: int = TIMES) -> float:
    taken = []
    for _ in range(times):
        began = time.perf_counter()
        act()
        taken.append((time.perf_counter() - began) * 1000)
    return statistics.median(taken)


def measure(member: Membership) -> list[tuple[str, float, float, int]]:
    """For each report of spending: its own time, that of the bare SQL of its answer, in ms, and its queries."""
    found = []
    for key, report in reports().items():
        if not report.follows:
            continue
        reader = Reader(member)
        asked = replace(read(report, reader, {}).asked)
        with CaptureQueriesContext(connection) as taken:
            answer(report, Reader(member), asked)
        bare = max((q["sql"] for q in taken.captured_queries if "reports_spendline" in q["sql"]), key=len)

        def plain(sql: str = bare) -> None:
            with connection.cursor() as cursor:
                cursor.execute(sql)
                cursor.fetchall()

        plain()
        found.append(
            (key, _ms(lambda report=report, asked=asked: answer(report, Reader(member), asked)), _ms(plain), len(taken))
        )
    return found


def report_of(member: Membership, lines: int = LINES) -> None:
    """Print the figures."""
    firm = member.firm
    following.look_again(firm)
    fill(firm, lines)
    print(
        f"\nReports over {SpendLine.objects.filter(firm=firm).count():,} lines of spending: ms, ms of the bare SQL, queries; wanted: at most 2 x + 30 ms"
    )
    for key, mine, bare, queries in measure(member):
        print(f"  {key:<22} {mine:8.0f} {bare:8.0f} {queries:4d}  {'ok' if mine <= 2 * bare + 30 else 'TOO SLOW'}")
    print(
        f"  nothing has changed: {_ms(lambda: following.catch_up(firm)):.1f} ms; the worker's look at everything: {_ms(lambda: following.look_again(firm), 2):.0f} ms"
    )
