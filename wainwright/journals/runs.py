"""Pages of posting runs."""

from __future__ import annotations

from datetime import date

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright.core.money import Money
from wainwright.errors import NotAllowed, Refusal
from wainwright.fields import whole
from wainwright.journals import services
from wainwright.journals.models import PostingRun, PostingRunItem
from wainwright.paging import page_of

AT_ONCE = 50


def day_of(text: str) -> date | None:
    """A day as a form sends it, nothing where none was typed. Raises ``Refusal``."""
    text = text.strip()
    try:
        return date.fromisoformat(text) if text else None
    except ValueError as error:
        raise Refusal(f"“{text[:20]}” is no day. Choose the day on which it is posted.", "on") from error


@require_POST
def start(request):
    """Begin a posting run of what was ticked."""
    ids = [whole(each) for each in request.POST.getlist("claim")]
    run = services.start_run(request.member, ids, day_of(request.POST.get("on", "")))
    return redirect("posting-run", run.pk)


@require_GET
def run_page(request, run_id: int):
    """One posting run: how far it is, what was entered, refused, left out."""
    if not request.member.reads_all:
        raise NotAllowed("Posting runs are for finance and auditors.")
    rows = PostingRun.objects.filter(firm=request.member.firm).select_related("by__person").with_open()
    run = get_object_or_404(rows, pk=run_id)
    counted = services.outcome(run)
    items = run.items.select_related("claim__claimant__person").order_by("-state", "pk")
    page = page_of(items, AT_ONCE, request.GET.get("page"), sum(counted.values()))
    entered = run.items.filter(state=PostingRunItem.State.ENTERED).values_list("amount_minor", flat=True)
    context = {
        "run": run, "page": page, "counted": counted, "words": services.outcome_words(counted), "count": sum(counted.values()),
        "done": sum(counted.values()) - counted["Waiting"], "sum": Money.from_minor(sum(entered), run.firm.currency),
    }  # fmt: skip
    return render(request, "journals/posting_run.html", context)


@require_GET
def runs_page(request):
    """All posting runs, the newest first."""
    if not request.member.reads_all:
        raise NotAllowed("Posting runs are for finance and auditors.")
    rows = PostingRun.objects.filter(firm=request.member.firm).select_related("by__person").with_open()
    page = page_of(rows, AT_ONCE, request.GET.get("page"))
    context = {"page": page, "rows": [(run, services.outcome_words(services.outcome(run))) for run in page]}
    return render(request, "journals/posting_runs.html", context)


@require_POST
def go_on(request, run_id: int):
    """Look again what is left of a run that stands still: the worker may be down."""
    run = get_object_or_404(PostingRun, firm=request.member.firm, pk=run_id)
    if not request.member.finance:
        raise NotAllowed("Only finance posts.")
    services.go_on(run.pk)
    messages.info(request, f"Posting run {run.number}: {services.outcome_words(services.outcome(run))}.")
    return redirect("posting-run", run.pk)
