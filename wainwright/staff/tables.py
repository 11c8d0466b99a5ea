"""Pages of a table of people: sent in, looked at, taken."""

from __future__ import annotations

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright.core.said import joined, say, say_many
from wainwright.downloads import csv_file
from wainwright.errors import NotAllowed, Refusal
from wainwright.fields import whole
from wainwright.formats.people_table import MOST_BYTES, MOST_ROWS, WORDS, words_of
from wainwright.paging import page_of
from wainwright.people.may import must
from wainwright.staff import importing
from wainwright.staff.checking import HERE, NEW, WRONG
from wainwright.staff.models import PeopleTable

AT_ONCE = 50


@require_http_methods(["GET", "POST"])
def table(request):
    """Send a table of people in."""
    member = request.member
    must(member, "people")
    error = ""
    if request.method == "POST":
        given = request.FILES.get("file")
        try:
            if given is not None and given.size > MOST_BYTES:
                raise Refusal(say("The file is larger than 5 MB. Leave out what is not needed."), "file")
            name, content = (given.name or "", given.read()) if given is not None else ("", b"")
            return redirect("people-table", importing.read_table(member, name, content).pk)
        except NotAllowed:
            raise
        except Refusal as refusal:
            error = refusal.message
    columns = [
        (name, words[1:4]) for name, words in words_of(member.firm.dimensions.values_list("name", flat=True)).items()
    ]
    tables = (
        PeopleTable.objects.filter(firm=member.firm, taken__isnull=True).defer("rows").select_related("by__person")[:5]
    )
    context = {"error": error, "columns": columns, "most": MOST_ROWS, "tables": tables}
    return render(request, "staff/table.html", context, status=422 if error else 200)


def _of(request, table_id: int) -> PeopleTable:
    must(request.member, "people")
    return get_object_or_404(
        PeopleTable.objects.select_related("firm", "by__person"), pk=table_id, firm=request.member.firm
    )


@require_GET
def look(request, table_id: int):
    """What it would do: who is wrong first, with the cell and the cure."""
    found = _of(request, table_id)
    rows = importing.checked(found) if found.taken is None else []
    by_what = {what: [row for row in rows if row.what == what] for what in (WRONG, NEW, HERE)}
    context = {
        "table": found, "count": len(rows), "new": len(by_what[NEW]), "here": len(by_what[HERE]), "wrong_count": len(by_what[WRONG]),
        "wrong": page_of(by_what[WRONG], AT_ONCE, request.GET.get("wrong")), "page": page_of(by_what[NEW], AT_ONCE, request.GET.get("page")),
    }  # fmt: skip
    return render(request, "staff/table_look.html", context)


@require_POST
def take(request, table_id: int):
    """Invite everybody who is new and right."""
    done = importing.invite_all(request.member, table_id, whole(request.POST.get("said")))
    messages.info(
        request,
        say_many(
            "{count} person is invited: a mail is on its way.",
            "{count} people are invited: a mail to each is on its way.",
            done.invited,
        ),
    )
    return redirect("people-table", table_id)


@require_GET
def wrong_rows(request, table_id: int):
    """The rows that are wrong, as a table to put right and send in again."""
    found = _of(request, table_id)
    rows = [row for row in importing.checked(found) if row.what == WRONG]
    return csv_file(
        f"people-{found.pk}-to-put-right",
        [*WORDS, say("what is wrong")],
        (
            [*(row.cells.get(name, "") for name in WORDS), joined("; ", (words for _, words in row.faults))]
            for row in rows
        ),
    )
