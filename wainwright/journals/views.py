"""The ledger area: journals, what was refused, pay runs."""

from __future__ import annotations

from urllib.parse import quote

from django.contrib import messages
from django.core.paginator import Paginator
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.accounts.models import PayRun, Posting, PostingLine
from wainwright.accounts.selectors import (
    books,
    coded_to,
    journal_of,
    pay_runs,
    postings,
    read_coding,
    refusal_words,
    sums_by,
)
from wainwright.claims.models import Claim
from wainwright.claims.selectors import advances_to_pay, payable, waiting_for_bank
from wainwright.claims.services import books as booking
from wainwright.core.coding import Coding
from wainwright.core.money import Money, total
from wainwright.errors import NotAllowed, Refusal
from wainwright.fields import whole


def _may_read(request) -> None:
    if not request.member.reads_all:
        raise NotAllowed("The ledger is for finance and auditors.")


@require_GET
def ledger_page(request):
    """Journals, the refused first, and what is to be posted."""
    _may_read(request)
    firm, typed = request.member.firm, request.GET.get("coded", "").strip()[:120]
    rows, sums, fault = postings(firm), [], ""
    if typed:
        try:
            coding = read_coding(typed, books(firm))
            rows = coded_to(rows, coding, "lines__kept").distinct()
            sums = _sums(firm, coding)
        except Refusal as refusal:
            fault, rows = refusal.message, rows.none()
    page = Paginator(rows, 30).get_page(request.GET.get("page"))
    open_claims = list(
        Claim.objects.filter(firm=firm, state__in=["Cleared", "Posting refused"])
        .select_related("claimant__person", "statement")
        .order_by("sent")[:50]
    )
    context = {
        "page": page, "open_claims": [] if typed else open_claims, "typed": typed, "sums": sums, "fault": fault,
        "more": f"&coded={quote(typed)}" if typed else "",
    }  # fmt: skip
    return render(request, "journals/ledger.html", context)


def _sums(firm, coding: Coding) -> list[tuple[str, Money]]:
    """What stands on the lines coded so that the ledger entered: by each dimension, a query for each."""
    entered = PostingLine.objects.filter(posting__firm=firm, posting__state=Posting.State.ENTERED)
    lines = coded_to(entered, coding)
    picks = books(firm).picks
    return [
        (picks(each.code).words(code), Money.from_minor(minor, firm.currency))
        for each in books(firm).dimensions
        for code, minor in sums_by(lines, each.code)
    ]  # fmt: skip


@require_GET
def journal_page(request, posting_id: int):
    """One journal as debit and credit."""
    _may_read(request)
    posting = get_object_or_404(Posting.objects.select_related("firm"), firm=request.member.firm, pk=posting_id)
    words = refusal_words(posting) if posting.state == Posting.State.REFUSED else ""
    kind, _, number = posting.subject.partition(":")
    return render(
        request,
        "journals/journal.html",
        {
            "posting": posting,
            "journal": journal_of(posting),
            "refused": words,
            "claim_id": number if kind == "claim" else "",
        },
    )


@require_GET
def pay_page(request):
    """What can be paid, and earlier runs."""
    _may_read(request)
    ready = list(payable(request.member)[:200])
    advances = list(advances_to_pay(request.member)[:200])
    owed = [*(claim.owed for claim in ready), *(trip.advance for trip in advances)]
    sum_ = total(owed, request.member.firm.currency)
    page = Paginator(pay_runs(request.member.firm), 20).get_page(request.GET.get("page"))
    context = {"ready": ready, "advances": advances, "sum": sum_, "page": page}
    return render(request, "journals/pay.html", context | {"waiting": list(waiting_for_bank(request.member)[:200])})


@require_POST
def pay(request):
    """Make a pay run of what was chosen."""
    ids = [whole(each) for each in request.POST.getlist("claim")]
    advances = [whole(each) for each in request.POST.getlist("advance")]
    run = booking.pay(request.member, ids, clock.today(request.member.firm.zone), advances)
    failed = run.payments.filter(state="Failed").count()
    words = f"Pay run {run.number} went to the bank and was answered."
    messages.info(request, words if not failed else f"{words} {failed} failed and can be paid again.")
    return redirect("pay-run", run.pk)


@require_GET
def run_page(request, run_id: int):
    """One pay run with the bank's answers."""
    _may_read(request)
    run = get_object_or_404(pay_runs(request.member.firm).select_related("made_by__person"), pk=run_id)
    return render(
        request, "journals/run.html", {"run": run, "payments": run.payments.select_related("member__person", "run")}
    )


@require_GET
def run_file(request, run_id: int, which: str):
    """The payment file, or the bank's answer."""
    _may_read(request)
    run = get_object_or_404(PayRun, firm=request.member.firm, pk=run_id)
    content, name = (run.file, "pain.001") if which == "file" else (run.answer, "pain.002")
    response = HttpResponse(bytes(content), content_type="application/xml")
    response["Content-Disposition"] = f'attachment; filename="{run.message_id}.{name}.xml"'
    return response
