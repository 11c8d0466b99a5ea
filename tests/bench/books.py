"""The accounts' half at its largest: a run of 500 claims, the ledger's pages at 1,000,000 lines, 5,000 lines against 5,000 payments."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import date, timedelta

from django.db import transaction
from django.test import Client

from tests.codings import coded
from wainwright import clock
from wainwright.accounts.models import Posting, PostingLine
from wainwright.accounts.services import keep_codings
from wainwright.claims.models import Claim
from wainwright.journals.models import PostingRun
from wainwright.journals.services import go_on, outcome, outcome_words, start_run
from wainwright.people.models import Membership
from wainwright.standins.ledger.models import LedgerEntry

JOURNALS, LINES, IN_A_RUN = 200_000, 5, 500
BATCH = 5000


def build(priya: Membership, today: date) -> None:
    """Fill the ledger once: so many journals of so many lines, over three years."""
    if Posting.objects.filter(key__startswith="bench:").count() >= JOURNALS:
        return
    firm, begun = priya.firm, time.monotonic()
    coding = coded("3120")
    with transaction.atomic():
        kept = keep_codings(firm, [coding])[coding]
        for start in range(0, JOURNALS, BATCH):
            rows = Posting.objects.bulk_create(
                Posting(firm=firm, key=f"bench:{n}", subject=f"bench:{n}", title=f"C-{n:06d} Survey {n}", date=today - timedelta(days=n % 1000),
                        currency="EUR", total_minor=4000 + n % 900, state="Entered", number=f"B-{n}", time=clock.now() - timedelta(minutes=n))
                for n in range(start, start + BATCH)
            )  # fmt: skip
            PostingLine.objects.bulk_create(
                (PostingLine(posting=row, order=k, account="2320" if k == LINES - 1 else "6445", debit_minor=0 if k == LINES - 1 else 1000, text="Pier taxi",
                             credit_minor=4000 if k == LINES - 1 else 0, kept=None if k == LINES - 1 else kept, codes=[["cost_centre", "3120"]]) for row in rows for k in range(LINES)),
                batch_size=BATCH,
            )  # fmt: skip
    print(f"The ledger of {JOURNALS * LINES:,} lines was filled in {time.monotonic() - begun:.0f} s, once.")


def posting_run(priya: Membership) -> None:
    """Post so many claims in one run, as the queue does, and put everything back."""
    rows = Claim.objects.filter(firm=priya.firm, state="In finance check", number__gte=1000).exclude(claimant=priya)
    chosen = list(rows.values_list("pk", flat=True)[:IN_A_RUN])
    Claim.objects.filter(pk__in=chosen).update(state="Cleared", cleared_by=priya)
    begun = time.perf_counter()
    run = start_run(priya, chosen)
    go_on(run.pk)
    taken = time.perf_counter() - begun
    print(f"{'a run of 500 claims':<34}{taken:>10.1f} s, {outcome_words(outcome(run))}")
    with transaction.atomic():
        subjects = [f"claim:{pk}" for pk in chosen]
        keys = list(Posting.objects.filter(subject__in=subjects).values_list("key", flat=True))
        PostingRun.objects.filter(pk=run.pk).delete()
        Posting.objects.filter(subject__in=subjects).delete()
        LedgerEntry.objects.filter(key__in=keys).delete()
        Claim.objects.filter(pk__in=chosen).update(state="In finance check", cleared_by=None)


def measure(page: Callable[[Client, str], tuple[float, float, int, float]], today: date) -> None:
    """Print what the pages and the run take; ``page`` measures one address."""
    priya = Membership.objects.select_related("person", "firm").get(person__email__startswith="priya", firm__slug="ltd")
    build(priya, today)
    client = Client()
    client.force_login(priya.person)
    for name, path in [
        ("ledger, 1,000,000 lines", "/ledger/"), ("ledger, page 5,000", "/ledger/?page=5000"), ("coded to one of them", "/ledger/?coded=3120"),
        ("an account's month", f"/ledger/accounts/2320/?month={today:%Y-%m}"), ("the month's end", f"/ledger/month/?month={today - timedelta(days=31):%Y-%m}"),
        ("billed to the firm", "/ledger/billed/"),
    ]:  # fmt: skip
        median, high, queries, ratio = page(client, path)
        print(f"{name:<34}{median:>10.1f}{high:>10.1f}{queries:>9}{ratio:>12.1f}")
    posting_run(priya)
