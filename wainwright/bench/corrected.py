"""The page of corrections: what finance corrects most, for whom, and each with what was before and after."""

from __future__ import annotations

from datetime import timedelta

from django.shortcuts import render
from django.views.decorators.http import require_GET

from wainwright import clock
from wainwright.claims.corrections import corrections_of, most_corrected
from wainwright.paging import page_of
from wainwright.people.may import must

SPANS = (30, 90, 365)
AT_ONCE = 25


@require_GET
def corrections(request):
    """What is corrected most, and each correction."""
    member = request.member
    must(member, "read_all")
    text = request.GET.get("days", "")
    days = int(text) if text in {str(each) for each in SPANS} else 90
    rows = corrections_of(member.firm, clock.now() - timedelta(days=days))
    by_category, by_person = most_corrected(rows, member.firm)
    context = {
        "days": days, "more": f"days={days}&", "spans": SPANS, "by_category": by_category, "by_person": by_person,
        "page": page_of(rows, AT_ONCE, request.GET.get("page")),
    }  # fmt: skip
    return render(request, "bench/corrections.html", context)
