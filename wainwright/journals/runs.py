"""Pages of posting runs."""

from __future__ import annotations

from django.contrib import messages
from django.db.models import Sum
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.fields import day_or_none, whole
from wainwright.journals import services
from wainwright.journals.models import PostingRun, PostingRunItem
from wainwright.paging import page_of
from wainwright.people.may import must

AT_ONCE = 50


@require_POST
def start(request):
    """Begin a posting run of what was ticked."""
    ids = [whole(each) for each in request.POST.getlist("claim")]
    run = services.start_run(
        request.member, ids, day_or_none(request.POST.get("on"), say("Choose the day on which it is posted."))
    )
    return redirect("posting-run", run.pk)


@require_GET
def run_page(request, run_id: int):
    """One posting run: how far it is, what was entered, refused, left out."""
    must(request.member, "read_books")
    rows = PostingRun.objects.filter(firm=request.member.firm).select_related("by__person").with_open()
    run = get_object_or_404(rows, pk=run_id)
    counted = services.outcome(run)
    items = run.items.select_related("claim__claimant__person", "posting").order_by("-state", "pk")
    page = page_of(items, AT_ONCE, request.GET.get("page"), sum(counted.values()))
    entered = run.items.filter(state=PostingRunItem.State.ENTERED).aggregate(s=Sum("amount_minor", default=0))["s"]
    context = {
        "run": run, "page": page, "counted": counted, "words": services.outcome_words(counted), "count": sum(counted.values()),
        "done": sum(counted.values()) - counted["Waiting"], "sum": Money.from_minor(entered, run.firm.currency),
    }  # fmt: skip
    return render(request, "journals/posting_run.html", context)


@require_GET
def runs_page(request):
    """All posting runs, the newest first."""
    must(request.member, "read_books")
    rows = PostingRun.objects.filter(firm=request.member.firm).select_related("by__person").with_open()
    page = page_of(rows, AT_ONCE, request.GET.get("page"))
    found = services.outcomes(list(page))
    context = {"page": page, "rows": [(run, services.outcome_words(found[run.pk])) for run in page]}
    return render(request, "journals/posting_runs.html", context)


@require_POST
def go_on(request, run_id: int):
    """Look again what is left of a run that stands still: the worker may be down."""
    run = get_object_or_404(PostingRun, firm=request.member.firm, pk=run_id)
    must(request.member, "post")
    services.go_on(run.pk)
    messages.info(
        request,
        say(
            "Posting run {number}: {outcome_words}.",
            number=run.number,
            outcome_words=services.outcome_words(services.outcome(run)),
        ),
    )
    return redirect("posting-run", run.pk)
