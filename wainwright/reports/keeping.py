"""What is kept of reports: questions under names, on one's own shelf or the firm's; answers as they were."""

from __future__ import annotations

from typing import Any

from django.db import IntegrityError, transaction
from django.db.models import Max, Q, QuerySet

from wainwright import clock
from wainwright.core.said import as_figure, say
from wainwright.core.table import Table, as_data, from_data
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.people.models import Membership
from wainwright.reports.answering import answer, thing_columns, thing_rows, things
from wainwright.reports.asked import Asked, read_rightly, sentence
from wainwright.reports.models import Kept, Run, Sending
from wainwright.reports.reader import Reader
from wainwright.reports.report import Report
from wainwright.trail.services import record

MOST_THINGS, MOST_RUN_ROWS, MOST_KEPT = 100_000, 20_000, 200


def on_shelves(member: Membership) -> list[Kept]:
    """What somebody kept, and what stands on the firm's shelf; their own first. Two queries."""
    rows = Kept.objects.filter(Q(owner=member) | Q(shared=True), firm=member.firm).select_related("owner__person")
    found = list(rows.prefetch_related("sendings"))
    return sorted(found, key=lambda each: (each.owner_id != member.pk, each.name.casefold()))


def last_runs(member: Membership) -> dict[str, Run]:
    """The last answer of each report that somebody kept, by the report. Two queries."""
    newest = Run.objects.filter(by=member).order_by().values("report").annotate(pk=Max("pk")).values("pk")
    return {run.report: run for run in Run.objects.filter(pk__in=newest).defer("result")}


def kept_of(member: Membership, kept_id: int) -> Kept:
    """A kept question that somebody may ask. Raises ``Stale`` where there is none."""
    found = Kept.objects.filter(Q(owner=member) | Q(shared=True), firm=member.firm, pk=kept_id).first()
    if found is None:
        raise Stale(say("That question is not kept any more."))
    return found


@transaction.atomic
def keep(member: Membership, report: Report, asked: Asked, name: str, shared: bool) -> Kept:
    """Keep a question under a name; one's own of the same name is kept anew. Raises ``Refusal``, ``NotAllowed``."""
    if member.prepared_by is not None:
        raise NotAllowed(say("Only {member} keeps reports of theirs.", member=member.person.name))
    name = " ".join(name.split())[:80]
    if len(name) < 2:
        raise Refusal(say("Give it a name of two letters or more."), "name")
    if shared and not member.may["read_all"]:
        raise NotAllowed(say("Only finance and auditors put a question on the firm's shelf. Keep it for yourself."))
    if Kept.objects.filter(owner=member).exclude(name=name).count() >= MOST_KEPT:
        raise Refusal(say("You keep {most_kept} questions already. Drop one first.", most_kept=MOST_KEPT), "name")
    if shared and Kept.objects.filter(firm=member.firm, name=name, shared=True).exclude(owner=member).exists():
        raise Refusal(say("Another question of that name stands on the firm's shelf. Choose another name."), "name")
    try:
        with transaction.atomic():
            kept, new = Kept.objects.update_or_create(
                owner=member,
                name=name,
                defaults={
                    "firm": member.firm,
                    "report": report.key,
                    "asked": asked.data(),
                    "shared": shared,
                    "time": clock.now(),
                },
            )
    except IntegrityError as error:
        raise Stale(say("Somebody kept one under that name just now. Look again.")) from error
    record(
        member,
        say("kept a report"),
        f"firm:{member.firm_id}",
        after={"name": name, "report": report.key, "asked": asked.data(), "shared": shared, "new": new},
    )
    return kept


@transaction.atomic
def drop(member: Membership, kept_id: int) -> None:
    """Drop a kept question of one's own, with its sendings; answers that were kept stay. Raises ``Stale``, ``NotAllowed``."""
    kept = kept_of(member, kept_id)
    if kept.owner_id != member.pk:
        raise NotAllowed(say("Only {owner}, who kept it, drops it.", owner=kept.owner.person.name))
    record(
        member,
        say("dropped a kept report"),
        f"firm:{member.firm_id}",
        before={"name": kept.name, "report": kept.report, "asked": kept.asked},
    )
    kept.delete()


def all_things(report: Report, reader: Reader, asked: Asked) -> Table:
    """Every single thing behind an answer, as a table. Raises ``Refusal`` for more than a table holds."""
    rows = list(things(report, reader, asked)[: MOST_THINGS + 1])
    if len(rows) > MOST_THINGS:
        raise Refusal(
            say(
                "That would be more than {most_things} rows. Choose a shorter time, or add a condition.",
                most_things=as_figure(MOST_THINGS, ","),
            ),
            "form",
        )
    return Table(thing_columns(report), tuple(thing_rows(report, reader, rows)))


def worked_out(report: Report, reader: Reader, asked: Asked) -> Table:
    """The answer to be kept. Raises ``Refusal`` for more rows than are kept."""
    table = answer(report, reader, asked).table
    if len(table.rows) > MOST_RUN_ROWS:
        raise Refusal(
            say(
                "That is {rows_count} rows; {most_run_rows} at most are kept. Group by less, or take it as a file.",
                rows_count=as_figure(len(table.rows), ","),
                most_run_rows=as_figure(MOST_RUN_ROWS, ","),
            ),
            "form",
        )
    return table


@transaction.atomic
def keep_answer(
    member: Membership,
    report: Report,
    data: dict[str, list[str]],
    kept: Kept | None = None,
    sending: Sending | None = None,
) -> Run:
    """Keep an answer as it is now; its figures stay. Raises ``Refusal``."""
    reader = Reader(member)
    asked = read_rightly(report, reader, data)
    table = worked_out(report, reader, asked)
    run = Run.objects.create(
        firm=member.firm, by=member, report=report.key, kept=kept, sending=sending, title=kept.name if kept is not None else report.title,
        sentence=sentence(report, reader, asked)[:400], asked=asked.data(), result=as_data(table), count=len(table.rows),
        state=Run.State.DONE if table.rows else Run.State.EMPTY, done=100, time=clock.now(),
    )  # fmt: skip
    record(
        member,
        say("kept an answer"),
        f"firm:{member.firm_id}",
        after={"run": run.pk, "report": report.key, "asked": asked.data(), "rows": run.count},
    )
    return run


def runs_of(member: Membership) -> QuerySet[Run]:
    """One's own kept answers, the newest first, without their figures."""
    return Run.objects.filter(by=member, firm=member.firm).defer("result").select_related("kept")


def run_of(member: Membership, run_id: int) -> Run:
    """A kept answer of one's own. Raises ``Run.DoesNotExist``."""
    return Run.objects.select_related("kept", "sending", "by__person", "by__firm").get(
        pk=run_id, by=member, firm=member.firm
    )


def table_of(run: Run) -> Table:
    """The figures of a kept answer, as they were."""
    return from_data(run.result)


def others_like(run: Run) -> list[dict[str, Any]]:
    """Other kept answers of the same report by the same person, to be compared with, the newest first."""
    rows = Run.objects.filter(by=run.by_id, report=run.report).exclude(pk=run.pk).exclude(result={})
    return list(rows.values("pk", "title", "sentence", "time")[:30])


@transaction.atomic
def drop_run(member: Membership, run_id: int) -> None:
    """Drop a kept answer of one's own; one on its way ends. Raises ``Stale``."""
    run = Run.objects.filter(pk=run_id, by=member, firm=member.firm).first()
    if run is None:
        raise Stale(say("That answer is not kept any more."))
    record(
        member,
        say("dropped a kept answer"),
        f"firm:{member.firm_id}",
        before={"run": run.pk, "title": run.title, "time": run.time},
    )
    run.delete()
