"""A claim's page, and the acts of its claimant."""

from __future__ import annotations

from dataclasses import replace

from django.contrib import messages
from django.http import FileResponse, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright.accounts.forms import CodingForm, coding_initial
from wainwright.accounts.selectors import books, refusal_words
from wainwright.claims import binding
from wainwright.claims.models import Binder, Claim
from wainwright.claims.selectors import claim_for, claims_of, load_file, posted_journal, posting_of
from wainwright.claims.services import compose, drafting, road
from wainwright.claims.statements import versions
from wainwright.core.states import stage_reached
from wainwright.errors import Refusal
from wainwright.expenses.models import Expense
from wainwright.fields import whole
from wainwright.paging import page_of
from wainwright.signoff.presenting import Answering, asking, route_preview, route_steps
from wainwright.signoff.selectors import remarks, steps
from wainwright.trail.selectors import history
from wainwright.trips.models import Trip
from wainwright.trips.selectors import advance_words, trip_for


@require_GET
def claim_list(request):
    """One's own claims."""
    page = page_of(claims_of(request.member), 25, request.GET.get("page"))
    rows = [(c, stage_reached(c.trip.state if c.trip else "", True, c.state)) for c in page]
    return render(request, "claims/list.html", {"page": page, "rows": rows})


@require_POST
def claim_trip(request, trip_id: int):
    """Make the claim of a trip."""
    return redirect("claim", drafting.claim_trip(request.member, trip_id).pk)


@require_POST
def claim_loose(request):
    """Make a claim of what is loose."""
    return redirect("claim", compose.claim_loose(request.member, request.POST.get("title", "")).pk)


def page_context(request, claim: Claim, typed: Answering | None = None) -> dict:
    """Everything the claim's page shows."""
    file = load_file(request.member, claim)
    own = claim.claimant_id == request.member.pk
    editable = own and claim.editable
    signoffs = [] if claim.state == "Open" and claim.sent is None else steps(claim.subject)
    posting = posting_of(claim)
    said = remarks(claim.subject)
    by_line: dict[str, list] = {}
    for remark in said:
        by_line.setdefault(remark.line, []).append(remark)
    return {
        "claim": claim, "file": file, "own": own, "editable": editable,
        "stage": stage_reached(claim.trip.state if claim.trip else "", True, claim.state),
        "rows": [(line, found, by_line.get(line.key, [])) for line, found in file.out_of_line],
        "sums": file.figures.settlement.sums, "settlement": file.figures.settlement,
        "route": route_steps(signoffs) if signoffs and not editable else route_preview(file.route),
        "findings": asking(file.findings, typed),
        "remarks": [remark for remark in by_line.get("", []) if not remark.mended], "entries": history(claim.subject) if "history" in request.GET else None,
        "advance_words": advance_words(claim.trip), "versions": versions(claim) if claim.statement and claim.statement.number > 1 else [],
        "journal": posted_journal(posting) or file.journal,
        "posting": posting, "refused": refusal_words(posting) if posting and posting.state == "Refused" else "",
        "may_take_back": own and claim.state == "In sign-off" and not any(s.state == "Given" and s.round == signoffs[-1].round for s in signoffs),
        "head_form": CodingForm(books=file.books, initial=coding_initial(claim.coding)) if editable else None,
        "send_error": "",
    }  # fmt: skip


@require_GET
def claim_page(request, claim_id: int):
    """The claim: lines, findings, what it comes to, how it will post."""
    return render(request, "claims/claim.html", page_context(request, claim_for(request.member, claim_id)))


@require_GET
def owed(request, claim_id: int):
    """What an open claim comes to as it stands, for a list that shows several: each is worked out by itself."""
    claim = claim_for(request.member, claim_id)
    settlement = load_file(request.member, claim).figures.settlement
    if settlement.owed_back:
        return HttpResponse(f"{settlement.owed_back} to give back so far")
    return HttpResponse(f"{settlement.due} so far")


@require_POST
def explain(request, claim_id: int):
    """Give a reason to findings."""
    claim = claim_for(request.member, claim_id)
    typed = Answering.of(request.POST, request.POST.getlist("identity"))
    found = [each.finding for each in load_file(request.member, claim).findings]
    try:
        compose.explain(request.member, claim_id, found, list(typed.chosen), typed.reasons, typed.words)
    except Refusal as refusal:
        context = page_context(request, claim, replace(typed, error=refusal.message))
        return render(request, "claims/claim.html", context, status=422)
    return redirect("claim", claim_id)


@require_POST
def send(request, claim_id: int):
    """Certify and send."""
    try:
        road.send(request.member, claim_id, whole(request.POST.get("version")), request.POST.get("name", ""))
    except Refusal as refusal:
        claim = claim_for(request.member, claim_id)
        if not claim.editable or claim.claimant_id != request.member.pk:
            raise
        context = page_context(request, claim) | {"send_error": refusal.message}
        return render(request, "claims/claim.html", context, status=422)
    messages.info(request, "The claim is on its way to be signed off.")
    return redirect("claim", claim_id)


@require_POST
def take_back(request, claim_id: int):
    """Take the claim back."""
    road.take_back(request.member, claim_id)
    return redirect("claim", claim_id)


@require_POST
def put_in(request, claim_id: int):
    """Put in everything that is loose."""
    ids = list(Expense.objects.filter(owner=request.member, claim__isnull=True).values_list("pk", flat=True))
    if not ids:
        raise Refusal("Nothing is loose. Take costs from the tray first, or type them.")
    count = compose.put_in(request.member, claim_id, ids)
    messages.info(request, f"{count} put in.")
    return redirect("claim", claim_id)


@require_POST
def take_out(request, claim_id: int, expense_id: int):
    """Take one out."""
    compose.move(request.member, claim_id, [expense_id])
    return redirect("claim", claim_id)


@require_POST
def change_coding(request, claim_id: int):
    """Change the coding that counts for the whole claim."""
    claim = claim_for(request.member, claim_id)
    form = CodingForm(request.POST, books=books(claim.firm), keep=claim.coding)
    if not form.is_valid():
        raise Refusal(" ".join(f"{form.fields[name].label}: {errors[0]}" for name, errors in form.errors.items()))
    compose.change_coding(request.member, claim_id, form.coding)
    return redirect("claim", claim_id)


@require_POST
def say(request, claim_id: int):
    """Say something on the claim or on a line."""
    road.say(request.member, claim_id, request.POST.get("text", ""), request.POST.get("line", "")[:60])
    return redirect("claim", claim_id)


@require_http_methods(["GET", "POST"])
def papers(request, claim_id: int):
    """All papers of a claim as one PDF; while they are being bound, how far that is. Posting tries a failed one again."""
    claim = claim_for(request.member, claim_id)
    binder = binding.claim_binder(request.member, claim)
    return _bound(request, binder, f"papers-{claim.code}.pdf", f"/claims/{claim_id}/", claim)


@require_http_methods(["GET", "POST"])
def trip_papers(request, trip_id: int):
    """All papers of a trip, and of its claims where one may see them too, as one PDF."""
    trip = trip_for(request.member, trip_id)
    claims = (
        Claim.objects.visible_to(request.member)
        .live()
        .select_related("firm", "claimant__person", "trip__signed", "statement")
        .filter(trip=trip)
        .order_by("pk")
    )
    binder = binding.trip_binder(request.member, trip, list(claims))
    return _bound(request, binder, f"papers-{trip.code}.pdf", f"/trips/{trip_id}/", trip)


def _bound(request, binder: Binder, name: str, back: str, of: Claim | Trip):
    if request.method == "POST":
        binding.bind_again(binder)
        return redirect(request.path)
    binder.refresh_from_db()
    if binder.state == Binder.State.READY and not request.htmx:
        return FileResponse(
            binder.file.open("rb"), content_type="application/pdf", as_attachment=True, filename=name,
            headers={"X-Content-Type-Options": "nosniff"},
        )  # fmt: skip
    return render(request, "claims/binder.html", {"binder": binder, "of": of, "back": back, "count": len(binder.plan)})
