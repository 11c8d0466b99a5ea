"""The ledger area: journals, and what was refused."""

from __future__ import annotations

from urllib.parse import quote

from django.contrib import messages
from django.db.models import Q
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.accounts.models import Posting, PostingLine
from wainwright.accounts.refusals import refusal_words
from wainwright.accounts.selectors import (
    books,
    coded_to,
    journal_of,
    postings,
    read_coding,
    sums_by,
)
from wainwright.claims.models import Claim
from wainwright.claims.services import books as booking
from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.core.posting import t_accounts
from wainwright.errors import NotAllowed, Refusal
from wainwright.journals.models import PostingRun
from wainwright.paging import page_of

# So many claims stand on a page to be posted.
AT_ONCE = 100


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
    page = page_of(rows, 30, request.GET.get("page"))
    open_claims = Claim.objects.none() if typed else (
        Claim.objects.filter(firm=firm, state__in=["Cleared", "Posting refused"])
        .select_related("claimant__person", "statement")
        .defer("statement__workings", "statement__marks")
        .order_by("sent", "id")
    )  # fmt: skip
    context = {
        "page": page, "open_claims": page_of(open_claims, AT_ONCE, request.GET.get("open")), "typed": typed, "sums": sums, "fault": fault,
        "old": books(firm).old, "more": f"coded={quote(typed)}&" if typed else "", "today": clock.today(firm.zone),
        "runs_open": PostingRun.objects.filter(firm=firm).with_open().filter(Q(to_mend=True) | Q(finished__isnull=True))[:5] if not typed else [],
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
            "t_accounts": t_accounts(journal_of(posting)),
            "refused": words,
            "claim_id": number if kind == "claim" else "",
            "may_post": request.member.finance
            and posting.state == Posting.State.REFUSED
            and not posting.key.startswith(("claim:", "reverse:")),
        },
    )


@require_POST
def post_again(request, posting_id: int):
    """Send a refused journal of a payment or an advance again."""
    posting = booking.post_again(request.member, posting_id)
    if posting.state == Posting.State.REFUSED:
        messages.error(request, f"The ledger refused it again. {refusal_words(posting)}")
    elif posting.state == Posting.State.SENDING:
        messages.error(request, "The ledger does not answer. It is sent again by itself under the same key.")
    else:
        messages.info(request, f"It stands in the ledger as {posting.number}.")
    return redirect("journal", posting_id)
