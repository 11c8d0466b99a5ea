"""Pages of what is billed to the firm before any claim."""

from __future__ import annotations

from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.fields import day_or_none
from wainwright.journals import billed
from wainwright.paging import page_of
from wainwright.people.may import must

AT_ONCE = 40


@require_GET
def billed_page(request):
    """What suppliers and card issuers bill the firm and the ledger was not told of: of each kind how much, and one by one."""
    must(request.member, "read_books")
    firm, today = request.member.firm, clock.today(request.member.firm.zone)
    currency = firm.currency
    bookings = page_of(billed.bookings_billed(firm), AT_ONCE, request.GET.get("bookings"))
    charges = page_of(billed.charges_untold(firm), AT_ONCE, request.GET.get("charges"))
    gone = page_of(billed.bookings_taken_off(firm), AT_ONCE, request.GET.get("gone"))
    differ = page_of(billed.charges_that_differ(firm, today), AT_ONCE, request.GET.get("differ"))

    def money(minor: int) -> Money:
        return Money.from_minor(minor, currency)

    context = {
        "open": {each.kind: each for each in billed.open_of(firm)}, "today": today, "accounts": books(firm).accounts,
        "bookings": bookings, "booking_rows": [(row, money(row.due)) for row in bookings],
        "gone": gone, "taken_off": [(row["supplier"], money(row["due"])) for row in gone],
        "charges": charges, "differ": differ,
        "differ_rows": [(row, money(row.claimed), money(row.due)) for row in differ],
    }  # fmt: skip
    return render(request, "journals/billed.html", context)


@require_POST
def post_billed(request):
    """Tell the ledger of a kind of it, as a run."""
    on = day_or_none(request.POST.get("on"), say("Choose the day on which it is posted."))
    run = billed.post_billed(request.member, request.POST.get("kind", "")[:20], on)
    return redirect("posting-run", run.pk)
