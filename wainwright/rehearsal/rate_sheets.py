"""Allowance rates from a table: what each row would change first, then in one act."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright import clock
from wainwright.core.said import joined, say, say_many
from wainwright.downloads import csv_file
from wainwright.errors import NotAllowed, Refusal
from wainwright.fields import whole
from wainwright.formats.allowance_table import MOST_BYTES, MOST_ROWS, columns_of
from wainwright.paging import page_of
from wainwright.people.may import must
from wainwright.rehearsal.models import Rehearsal
from wainwright.rehearsal.rule_form import SpanForm
from wainwright.rulebook import rate_sheets as kept
from wainwright.rulebook.models import RateSheet
from wainwright.rulebook.rate_sheets import CHANGED, NEW, SAME, WRONG

AT_ONCE = 50


@require_http_methods(["GET", "POST"])
def sheets(request):
    """Send a table of rates in."""
    member = request.member
    must(member, "rules")
    error = ""
    if request.method == "POST":
        given = request.FILES.get("file")
        try:
            if given is not None and given.size > MOST_BYTES:
                raise Refusal(say("The file is larger than 8 MB. Leave out what is not needed."), "file")
            name, content = (given.name or "", given.read()) if given is not None else ("", b"")
            return redirect("rate-sheet", kept.read_sheet(member, name, content).pk)
        except NotAllowed:
            raise
        except Refusal as refusal:
            error = refusal.message
    waiting = (
        RateSheet.objects.filter(firm=member.firm, taken__isnull=True).defer("rows").select_related("by__person")[:5]
    )
    columns = [(name, words[1:4]) for name, words in columns_of(kept.names_of(member.firm)).items()]
    context = {"error": error, "columns": columns, "most": MOST_ROWS, "waiting": waiting}
    return render(request, "rehearsal/rate_sheets.html", context, status=422 if error else 200)


def _of(request, sheet_id: int) -> RateSheet:
    must(request.member, "rules")
    return get_object_or_404(RateSheet.objects.select_related("firm"), pk=sheet_id, firm=request.member.firm)


@require_GET
def look(request, sheet_id: int):
    """What it would do: what is wrong first, with the cell and the cure, then what changes."""
    return sheet_page(request, sheet_id)


def sheet_page(request, sheet_id: int, status: int = 200, **more: Any):
    """Show a table that was sent in, with what was refused on its page."""
    sheet = _of(request, sheet_id)
    rows = kept.checked(sheet) if sheet.taken is None else []
    by_what = {what: [row for row in rows if row.what == what] for what in (WRONG, CHANGED, NEW, SAME)}
    doing = by_what[CHANGED] + by_what[NEW]
    context = {
        "sheet": sheet, "count": len(rows), "counts": {what: len(each) for what, each in by_what.items()}, "doing": len(doing),
        "wrong": page_of(by_what[WRONG], AT_ONCE, request.GET.get("wrong")), "page": page_of(doing, AT_ONCE, request.GET.get("page")),
        "span_form": SpanForm.of_last_year(clock.today(sheet.firm.zone)), "rehearsals": Rehearsal.objects.filter(by=request.member, sheet=sheet)[:5],
        "seen": str(sheet.pk), **more,
    }  # fmt: skip
    return render(request, "rehearsal/rate_sheet.html", context, status=status)


@require_POST
def take(request, sheet_id: int):
    """Take what is new and changed."""
    done = kept.take_sheet(request.member, sheet_id, whole(request.POST.get("said")))
    messages.info(request, say_many("{count} rate is in.", "{count} rates are in.", done.kept))
    return redirect("rate-sheet", sheet_id)


@require_GET
def wrong_rows(request, sheet_id: int):
    """The rows that are wrong, as a table to put right and send in again."""
    sheet = _of(request, sheet_id)
    rows = [row for row in kept.checked(sheet) if row.what == WRONG]
    names = list(dict.fromkeys(name for row in rows for name in row.cells))
    return csv_file(
        f"rates-{sheet.pk}-to-put-right",
        [*("from" if name == "since" else name for name in names), say("what is wrong")],
        (
            [*(row.cells.get(name, "") for name in names), joined("; ", (words for _, words in row.faults))]
            for row in rows
        ),
    )


@require_GET
def as_csv(request):
    """All rates as a table that can be sent in again."""
    must(request.member, "read_rules")
    return csv_file("allowance-rates", *kept.as_rows(request.member.firm))
