"""What boxes for codes ask while somebody types."""

from __future__ import annotations

from django.shortcuts import render
from django.views.decorators.http import require_GET

from wainwright.accounts.selectors import books
from wainwright.fields import FEW


@require_GET
def codes(request, kind: str = ""):
    """What fits a text in a box for a code: of one dimension or other kind, or the last piece of a coding in one box."""
    ledger, text = books(request.member.firm), next(iter(request.GET.values()), "")[:120]
    if kind:
        found = [ledger.picks(kind).words(code) for code in ledger.picks(kind).find(text, FEW)]
    else:
        before, parted, piece = text.rpartition("/")
        start = f"{before.strip()} / " if parted else ""
        found = [
            f"{start}{code}"
            for each in ledger.dimensions
            for code in ledger.picks(each.code).find(piece, FEW)
        ][:FEW]  # fmt: skip
    return render(request, "accounts/_codes.html", {"found": found})
