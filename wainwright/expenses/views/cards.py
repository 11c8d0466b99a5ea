"""Card files: sent, looked at, their columns named, taken."""

from __future__ import annotations

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.expenses.models import CardFile
from wainwright.expenses.services import charges
from wainwright.fields import few, whole
from wainwright.formats.column_words import WORDS
from wainwright.formats.statement import MOST_BYTES
from wainwright.paging import page_of

COLUMN_NAMES = {
    "date": say("Date"), "merchant": say("Merchant"), "amount": say("Amount"), "debit": say("Charged"), "credit": say("Given back"), "currency": say("Currency"), "key": say("The bank's key"),
    "card": say("Card number"), "original": say("Amount in the other currency"), "original_currency": say("The other currency"),
    "direction": say("Charged or given back, in words"),
}  # fmt: skip
NAMES = {"new": say("new"), "booked": say("booked now"), "doubtful": say("doubtful"), "known": say("known already")}


@require_POST
def card_file(request):
    """Take a card file in, to be looked at before it is taken."""
    sent = request.FILES.get("file")
    if sent is None:
        raise Refusal(
            say("No file was chosen. Choose the card file from your bank: OFX, camt, MT940, QIF, CSV, XLSX or ODS.")
        )
    if sent.size > MOST_BYTES:
        raise Refusal(say("The file is larger than 64 MB. Ask the card's bank for a shorter period."))
    file = charges.look_at(request.member, sent.name, sent.read(), request.POST.get("card", ""))
    return redirect("card-look", file.pk)


@require_GET
def look(request, file_id: int):
    """What a file holds and what would become of each line."""
    file = get_object_or_404(CardFile, pk=file_id, member=request.member)
    currency = request.member.firm.currency
    counts = {what: sum(row["what"] == what for row in file.rows) for what in NAMES}
    rows = [(n, row, Money.from_minor(row["minor"], currency)) for n, row in enumerate(file.rows)]
    order = {"doubtful": 0, "booked": 1, "new": 2, "known": 3}
    rows.sort(key=lambda each: order[each[1]["what"]])
    page = page_of(rows, 100, request.GET.get("page"))
    columns = [(name, COLUMN_NAMES[name], file.mapping.get(name)) for name in WORDS] if file.header else []
    sums = [
        Money.from_minor(sum(way * row["minor"] for row in file.rows if way * row["minor"] > 0), currency)
        for way in (1, -1)
    ]
    context = {
        "file": file, "page": page, "charged": sums[0], "given_back": sums[1], "counts": counts, "names": NAMES, "cards": list(request.member.cards.order_by("-firm_pays", "id")),
        "columns": columns,
        "read_as": [(words, file.header[index]) for _, words, index in columns if index is not None and index < len(file.header)],
        "sample": file.sample, "size": file.file.size if file.state == "Reading" and file.file else 0, "seconds": int((clock.now() - file.time).total_seconds()),
        "left": page_of(file.left, 200, request.GET.get("left")), "wholly": counts["new"] + counts["booked"],
    }  # fmt: skip
    return render(request, "expenses/card_file.html", context)


@require_POST
def columns(request, file_id: int):
    """Say which column means what."""
    named = {}
    for name in WORDS:
        text = request.POST.get(f"column-{name}", "")
        if text.isdecimal() and len(text) < 4:
            named[name] = int(text)
    sign = {"below": True, "above": False}.get(request.POST.get("sign", ""))
    charges.name_columns(request.member, file_id, named, request.POST.get("card", ""), sign)
    return redirect("card-look", file_id)


@require_POST
def take_file(request, file_id: int):
    """Take what is new, and of the doubtful what was ticked."""
    ticked = [whole(n) for n in request.POST.getlist("doubtful")]
    file = charges.take_file(request.member, file_id, ticked)
    messages.info(
        request,
        say(
            "{file}: {taken} taken, {known} known already, {left_count} left out.",
            file=file.name,
            taken=file.taken,
            known=file.known,
            left_count=len(file.left),
        ),
    )
    for words in few([say("Left out: {where}: {why}.", where=where, why=why) for where, why in file.left]):
        messages.error(request, words)
    return redirect("tray")


@require_POST
def put_away(request, file_id: int):
    """Take nothing of it."""
    charges.put_file_away(request.member, file_id)
    messages.info(request, say("Nothing was taken of it."))
    return redirect("tray")
