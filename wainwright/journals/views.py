"""The ledger area: journals, and what was refused."""

from __future__ import annotations

from urllib.parse import quote

from django.contrib import messages
from django.db.models import Q
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.accounts.models import Posting
from wainwright.accounts.refusals import refusal_words
from wainwright.accounts.selectors import books, coded_so, journal_of, postings, read_coding
from wainwright.claims.models import Claim
from wainwright.claims.services import books as booking
from wainwright.core.money import Money
from wainwright.core.posting import t_accounts
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.journals.models import PostingRun
from wainwright.paging import page_of
from wainwright.people.may import must

# So many claims stand on a page to be posted.
AT_ONCE = 100


@require_GET
def ledger_page(request):
    """Journals, the refused first, and what is to be posted."""
    must(request.member, "read_books")
    firm, typed = request.member.firm, request.GET.get("coded", "").strip()[:120]
    rows, count, sums, fault = postings(firm), None, [], ""
    if typed:
        try:
            found = coded_so(firm, read_coding(typed, books(firm)))
            rows, count, sums = found.journals, found.count, _sums(firm, found.sums)
        except Refusal as refusal:
            fault, rows, count = refusal.message, rows.none(), 0
    page = page_of(rows, 30, request.GET.get("page"), count)
    open_claims = Claim.objects.none() if typed else (
        Claim.objects.filter(firm=firm, state__in=["Cleared", "Posting refused"])
        .select_related("claimant__person", "statement")
        .defer("statement__workings", "statement__marks")
        .order_by("sent", "id")
    )  # fmt: skip
    context = {
        "page": page, "refused": _refused(firm) if not typed else [], "open_claims": page_of(open_claims, AT_ONCE, request.GET.get("open")), "typed": typed, "sums": sums, "fault": fault,
        "old": books(firm).old, "more": f"coded={quote(typed)}&" if typed else "", "today": clock.today(firm.zone),
        "runs_open": PostingRun.objects.filter(firm=firm).with_open().filter(Q(to_mend=True) | Q(finished__isnull=True))[:5] if not typed else [],
    }  # fmt: skip
    return render(request, "journals/ledger.html", context)


def _refused(firm):
    """The refused journals that are no claim's, a page of them: each is sent again from its own page."""
    rows = postings(firm).filter(state=Posting.State.REFUSED)
    return page_of(rows.exclude(key__startswith="claim:").exclude(key__startswith="reverse:"), AT_ONCE, None)


def _sums(firm, sums: dict[str, dict[str, int]]) -> list[tuple[str, Money]]:
    """What stands on lines by each code, in words, in the firm's order of dimensions."""
    picks = books(firm).picks
    return [
        (picks(each.code).words(code), Money.from_minor(minor, firm.currency))
        for each in books(firm).dimensions
        for code, minor in sums.get(each.code, {}).items()
    ]


@require_GET
def journal_page(request, posting_id: int):
    """One journal as debit and credit."""
    must(request.member, "read_books")
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
            "about": posting.refusal_about.removeprefix("account:")
            if posting.refusal_about.startswith("account:")
            else "",
            "accounts": sorted({line.account for line in posting.lines.all()}),
            "claim_id": number if kind == "claim" else "",
            "may_post": request.member.may["post"]
            and posting.state == Posting.State.REFUSED
            and not posting.key.startswith(("claim:", "reverse:")),
        },
    )


@require_POST
def post_again(request, posting_id: int):
    """Send a refused journal that is no claim's again, on another account where one was chosen."""
    old, typed = request.POST.get("instead_of", "")[:20], request.POST.get("account", "").strip()[:60]
    try:
        account = books(request.member.firm).picks("account").exact(typed) if typed else ""
    except ValueError as error:
        raise Refusal(say("The ledger does not know account {typed}.", typed=typed[:20]), "account") from error
    posting = booking.post_again(request.member, posting_id, old if account else "", account)
    if posting.state == Posting.State.REFUSED:
        messages.error(
            request, say("The ledger refused it again. {refusal_words}", refusal_words=refusal_words(posting))
        )
    elif posting.state == Posting.State.SENDING:
        messages.error(request, say("The ledger does not answer. It is sent again by itself under the same key."))
    else:
        messages.info(request, say("It stands in the ledger as {number}.", number=posting.number))
    return redirect("journal", posting_id)
