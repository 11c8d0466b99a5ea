"""A claim's or a trip's papers as one PDF."""

from __future__ import annotations

from django.http import FileResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from wainwright.claims import binding
from wainwright.claims.models import Binder, Claim
from wainwright.claims.selectors import claim_for
from wainwright.trips.models import Trip
from wainwright.trips.selectors import trip_for


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
        .of_trip(trip.pk)
        .order_by("pk")
    )
    binder = binding.trip_binder(request.member, trip, list(claims))
    return _bound(request, binder, f"papers-{trip.code}.pdf", f"/trips/{trip_id}/", trip)


@require_http_methods(["GET", "POST"])
def document(request, claim_id: int):
    """The claim as a document with its evidence, as PDF; while it is put together, how far that is."""
    claim = claim_for(request.member, claim_id)
    binder = binding.claim_document(request.member, claim)
    return _bound(request, binder, f"{claim.code}.pdf", f"/claims/{claim_id}/", claim)


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
    return render(
        request,
        "claims/binder.html",
        {"binder": binder, "of": of, "back": back, "count": len(binder.plan), "file": request.path.rpartition("/")[2]},
    )
