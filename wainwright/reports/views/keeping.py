"""What is kept: questions under names, answers as they were, and what is sent by itself."""

from __future__ import annotations

from django.contrib import messages
from django.http import Http404
from django.shortcuts import redirect, render
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.core.said import as_figure, kept, say
from wainwright.core.table import Table, differences
from wainwright.downloads import kept_file
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.fields import whole
from wainwright.paging import page_of
from wainwright.reports import keeping, sending
from wainwright.reports.asked import read
from wainwright.reports.catalogue import reports
from wainwright.reports.files import FORMS, TYPES, Told, file_of, written
from wainwright.reports.models import Run, Sending
from wainwright.reports.reader import Reader
from wainwright.reports.views.asking import address_of, question_of, report_of, show

AT_ONCE = 40


@require_POST
def keep(request, report_key: str):
    """Keep a question under a name, or its answer as it is now."""
    report = report_of(request.member, report_key)
    data = question_of(request.POST.get("asked", ""))
    try:
        if request.POST.get("answer"):
            run = keeping.keep_answer(request.member, report, data)
            return redirect("report-run", run.pk)
        asked = read(report, Reader(request.member), data).asked
        kept = keeping.keep(
            request.member, report, asked, request.POST.get("name", ""), bool(request.POST.get("shared"))
        )
    except (NotAllowed, Stale):
        raise
    except Refusal as refusal:
        request.GET = request.GET.copy()
        for name, values in data.items():
            request.GET.setlist(name, values)
        return show(request, report, 422, keep_error=refusal.message, kept_name=request.POST.get("name", "")[:80])
    return redirect("report-kept", kept.pk)


@require_GET
def kept_page(request, kept_id: int):
    """A kept question: when it goes out, to whom; its answer is a step away."""
    return _kept(request, kept_id)


def _kept(request, kept_id: int, status: int = 200, typed: sending.SendingTyped | None = None, error: str = ""):
    member = request.member
    try:
        kept = keeping.kept_of(member, kept_id)
    except Stale as error_:
        raise Http404 from error_
    report = reports().get(kept.report)
    if report is None:
        raise Http404
    today = clock.today(member.firm.zone)
    mine = kept.owner_id == member.pk
    rows = kept.sendings.filter(by=member).prefetch_related("members__person") if mine else kept.sendings.none()
    context = {
        "kept": kept, "report": report, "mine": mine, "ask": f"/reports/{report.key}/?{address_of(kept.asked)}", "open": report.open_to(member),
        "sendings": [(row, sending.when_words(row, today), [each.person.name for each in row.members.all()] + row.addresses, [FORMS[form] for form in row.forms if form in FORMS]) for row in rows],
        "runs": keeping.runs_of(member).filter(kept=kept)[:12], "every": Sending.Every.choices, "forms": FORMS.items(),
        "weekdays": enumerate(("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")),
        "typed": typed or sending.SendingTyped("week", forms=("pdf",), to=member.person.name), "error": error, "today": today,
    }  # fmt: skip
    return render(request, "reports/kept.html", context, status=status)


@require_POST
def drop(request, kept_id: int):
    """Drop a kept question."""
    keeping.drop(request.member, kept_id)
    messages.info(request, say("It is dropped. Answers that you kept of it stay."))
    return redirect("reports")


@require_POST
def send(request, kept_id: int):
    """Let a kept question be sent."""
    typed = sending.SendingTyped(
        request.POST.get("every", ""), request.POST.get("weekday", "0"), request.POST.get("day", ""), request.POST.get("hour", "7"), request.POST.getlist("forms"),
        request.POST.get("to", "")[:4000],
    )  # fmt: skip
    try:
        made = sending.set_sending(request.member, kept_id, typed)
    except (NotAllowed, Stale):
        raise
    except Refusal as refusal:
        return _kept(request, kept_id, 422, typed, refusal.message)
    began = made.runs.exists()
    messages.info(
        request,
        say("It is on its way.")
        if began
        else say(
            "It goes out {when_words}.", when_words=sending.when_words(made, clock.today(request.member.firm.zone))
        ),
    )
    return redirect("report-kept", kept_id)


@require_POST
def send_no_more(request, sending_id: int):
    """Take a sending away."""
    kept = (
        Sending.objects.filter(pk=sending_id, kept__firm=request.member.firm).values_list("kept_id", flat=True).first()
    )
    sending.take_away(request.member, sending_id)
    messages.info(request, say("It is sent no more."))
    return redirect("report-kept", kept)


@require_GET
def runs(request):
    """Every answer that one kept, or that was sent for one, the newest first."""
    page = page_of(keeping.runs_of(request.member), AT_ONCE, request.GET.get("page"))
    return render(request, "reports/runs.html", {"page": page})


def _run(request, ran_id: int) -> Run:
    try:
        return keeping.run_of(request.member, ran_id)
    except Run.DoesNotExist as error:
        raise Http404 from error


@require_GET
def run_page(request, ran_id: int):
    """An answer as it was; beside another of the same report where one is chosen."""
    run = _run(request, ran_id)
    table = keeping.table_of(run)
    other = Run.objects.filter(pk=whole(request.GET.get("with")), by=request.member, report=run.report).first()
    shown = differences(table, keeping.table_of(other)) if other is not None else table
    page = page_of(list(shown.rows), 100, request.GET.get("page"))
    told = written(Table(shown.columns, tuple(page.object_list), () if other is not None else shown.total, shown.notes))
    context = {
        "run": run, "other": other, "others": keeping.others_like(run), "heads": told.heads, "total": told.total, "notes": told.notes, "page": page,
        "rows": list(zip(told.rows, [row.link for row in page.object_list], strict=True)), "more": f"with={other.pk}&" if other is not None else "",
        "ask": f"/reports/{run.report}/?{address_of(run.asked)}", "forms": FORMS.items(), "known": run.report in reports(),
        "stuck": run.state == Run.State.WAITING and (run.beat or run.time) < clock.now() - sending.BROKEN_OFF,
    }  # fmt: skip
    return render(request, "reports/run.html", context)


@require_GET
def run_file(request, ran_id: int, form: str):
    """A kept answer as a file, with its figures as they were."""
    run = _run(request, ran_id)
    if form not in FORMS:
        raise Http404
    day = clock.day_of(run.time, run.firm.zone)
    try:
        content = file_of(
            form,
            Told(kept(run.title), run.question, run.by, as_figure(day, "%-d %b %Y")),
            keeping.table_of(run),
        )
    except Refusal as refusal:
        messages.error(request, refusal.message)
        return redirect("report-run", run.pk)
    return kept_file(f"{slugify(run.title) or 'report'}-{day}.{form}", content, TYPES[form])


@require_POST
def run_drop(request, ran_id: int):
    """Drop a kept answer."""
    keeping.drop_run(request.member, ran_id)
    messages.info(request, say("The answer is dropped."))
    return redirect("report-runs")


@require_POST
def run_stop(request, ran_id: int):
    """Call off a run on its way."""
    sending.call_off(request.member, ran_id)
    messages.info(request, say("It is called off; whoever was sent it already has it."))
    return redirect("report-run", ran_id)
