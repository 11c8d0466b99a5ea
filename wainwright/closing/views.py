"""Pages of a month's end: the closing, an account's movements, a card's statement, tables that go out."""

from __future__ import annotations

import json
from datetime import date

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.accounts.models import FirmAccounts, Period, Posting
from wainwright.accounts.periods import last_of, month_before, next_month
from wainwright.accounts.refusals import refusal_words
from wainwright.accounts.selectors import books, journal_of
from wainwright.closing import exports, services
from wainwright.closing.selectors import accrued, closed, month_of, movements, steps, unpaid_by_person
from wainwright.core.accruals import NAMES
from wainwright.core.money import Money, total
from wainwright.core.said import as_figure, say
from wainwright.downloads import XLSX, csv_file
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Charge
from wainwright.fields import whole
from wainwright.formats.tables import write_csv, write_xlsx
from wainwright.masters.services.posting_to import name_account
from wainwright.paging import page_of
from wainwright.people.may import must
from wainwright.people.models import Card

AT_ONCE = 60


def _month(request) -> date:
    text = request.POST.get("month") or request.GET.get("month", "")
    return month_of(text, clock.today(request.member.firm.zone))


def _around(month: date) -> dict[str, date]:
    """A month and those beside it, to be looked at."""
    return {"month": month, "before": month_before(month), "after": next_month(month)}


@require_GET
def month_page(request):
    """The closing of a month."""
    return _show(request, _month(request))


def _show(request, month: date, status: int = 200, **more):
    must(request.member, "read_books")
    firm = request.member.firm
    accrual = services.standing_accrual(firm, month)
    rows = [] if accrual else accrued(firm, month)
    found = steps(firm, month)
    of = page_of(accrual.of if accrual else [], AT_ONCE, request.GET.get("of"))
    context = {
        "until": last_of(month), **_around(month),
        "over": last_of(month) <= clock.today(firm.zone), "steps": found, "left": sum(1 for step in found if step.count), "closed": closed(firm, month),
        "accrual": accrual, "accrual_page": of, "accrual_rows": [(label, coding, Money.from_minor(minor, firm.currency)) for _, label, coding, minor in of], "month_more": f"month={month:%Y-%m}&", "accrued": rows, "accrued_sum": total((row.amount for row in rows), firm.currency), "unpaid": unpaid_by_person(firm)[:12],
        "refused": Posting.objects.filter(firm=firm, subject=f"accrual:{firm.pk}:{month:%Y-%m}", state="Refused").first(),
        "refused_words": "",
        "liability": FirmAccounts.objects.get(firm=firm).accrued, "advances_account": books(firm).accounts.advances, "error": "", "typed_why": "",
        "ledger_accounts": books(firm).account_names,
        "periods": Period.objects.filter(firm=firm).select_related("by__person")[:6],
    }  # fmt: skip
    if context["refused"] is not None:
        context["refused_words"] = refusal_words(context["refused"])
    return render(request, "closing/month.html", context | more, status=status)


@require_GET
def accrued_csv(request):
    """Everything that would be accrued in a month, as a table."""
    must(request.member, "read_books")
    month = _month(request)
    rows = (
        [NAMES[each.what], each.label, each.coding.account, str(each.coding), each.amount.amount, each.amount.currency]
        for row in accrued(request.member.firm, month)
        for each in row.of
    )
    names = (say("What"), say("Of"), say("Account"), say("Coding"), say("Amount"), say("Currency"))
    response = HttpResponse(
        "".join(write_csv([str(name) for name in names], rows)), content_type="text/csv; charset=utf-8"
    )
    response["Content-Disposition"] = f'attachment; filename="accrued-{month:%Y-%m}.csv"'
    return response


def _after(request, month: date, act):
    """Do an act and show the month again; what is refused stands on it with what was typed."""
    must(request.member, "read_books")
    try:
        words = act()
    except (NotAllowed, Stale):
        raise
    except Refusal as refusal:
        return _show(request, month, 422, error=refusal.message, typed_why=request.POST.get("why", "")[:300])
    messages.info(request, words)
    return redirect(f"/ledger/month/?month={month:%Y-%m}")


@require_POST
def accrue(request):
    """Post the accruals."""
    month = _month(request)

    def act() -> str:
        made = services.post_accruals(request.member, month)
        if made.posting.state == Posting.State.REFUSED:
            raise Refusal(say("The ledger refused it. {refusal_words}", refusal_words=refusal_words(made.posting)))
        return say(
            "{total} {currency} are accrued as {number}; they are reversed on {reversed_on} by itself.",
            total=made.total,
            currency=made.currency,
            number=made.posting.number,
            reversed_on=as_figure(made.reversed_on, "%d %b %Y"),
        )

    return _after(request, month, act)


@require_POST
def take_back(request):
    """Take the accruals back, to make them anew."""
    month = _month(request)

    def act() -> str:
        services.take_back(request.member, month)
        return say("They are taken back, and can be made anew.")

    return _after(request, month, act)


@require_POST
def account(request):
    """Name the account on which accruals are owed."""
    month = _month(request)

    def act() -> str:
        account = request.POST.get("account", "").strip()[:20]
        if not account:
            raise Refusal(say("Say on which account accruals are owed."), "account")
        name_account(request.member, "accrued", account)
        return say("The account is named.")

    return _after(request, month, act)


@require_POST
def close(request):
    """Close the month."""
    month = _month(request)

    def act() -> str:
        services.close_period(request.member, month, request.POST.get("why", ""))
        return say(
            "{month} is closed. What comes later is posted into the next month.", month=as_figure(month, "%B %Y")
        )

    return _after(request, month, act)


@require_POST
def reopen(request):
    """Open the month again."""
    month = _month(request)

    def act() -> str:
        services.reopen_period(request.member, month, request.POST.get("why", ""))
        return say("{month} is open again.", month=as_figure(month, "%B %Y"))

    return _after(request, month, act)


@require_GET
def account_page(request, code: str):
    """An account's movements in a month: the advances that are out, a card's clearing, any other."""
    must(request.member, "read_books")
    firm, month = request.member.firm, _month(request)
    name = books(firm).codes.codes.get(("account", code))
    if name is None:
        raise Http404(f"the ledger has no account {code[:20]}")
    found = movements(firm, code, month)
    context = {
        "code": code, "name": name.name, **_around(month), "moved": found,
        "page": page_of(found.rows, AT_ONCE, request.GET.get("page")), "more": f"month={month:%Y-%m}&",
    }  # fmt: skip
    return render(request, "closing/account.html", context)


@require_GET
def choose_account(request):
    """Lead to the movements of the account that was chosen."""
    must(request.member, "read_books")
    return redirect(
        f"/ledger/accounts/{request.GET.get('code', '')[:20] or books(request.member.firm).accounts.advances}/?month={_month(request):%Y-%m}"
    )


@require_GET
def card_page(request, card_id: int):
    """A card's statement of a month: each charge and where it is."""
    must(request.member, "read_books")
    card = get_object_or_404(
        Card.objects.select_related("owner__person", "owner__firm"), owner__firm=request.member.firm, pk=card_id
    )
    month = _month(request)
    rows = (
        Charge.objects.filter(card=card, date__range=(month, last_of(month)))
        .select_related("expense__claim")
        .order_by("date", "pk")
    )
    sums: dict[str, int] = {}
    for state, minor in rows.values_list("state", "amount_minor"):
        sums[state] = sums.get(state, 0) + minor
    currency = card.owner.firm.currency
    context = {
        "card": card, **_around(month), "page": page_of(rows, AT_ONCE, request.GET.get("page")),
        "sums": [(state, Money.from_minor(minor, currency)) for state, minor in sums.items()], "whole": Money.from_minor(sum(sums.values()), currency),
        "more": f"month={month:%Y-%m}&",
    }  # fmt: skip
    return render(request, "closing/card.html", context)


@require_GET
def tables_page(request):
    """Tables that go out: what of, which columns, which days."""
    return _tables(request)


def _tables(request, status: int = 200, error: str = ""):
    must(request.member, "read_books")
    asked = request.POST or request.GET
    shape = request.member.firm.shapes.filter(pk=whole(asked.get("shape"))).first()
    kind = exports.KINDS.get(shape.kind if shape else asked.get("kind", ""), exports.KINDS["claims"])
    today = clock.today(request.member.firm.zone)
    first = month_before(today)
    chosen = shape.columns if shape else asked.getlist("columns") or list(kind.columns)
    context = {
        "kinds": exports.KINDS.values(), "kind": kind, "columns": [(name, name in chosen) for name in kind.columns], "error": error, "shapes": request.member.firm.shapes.all(),
        "since": asked.get("since") or first.isoformat(), "until": asked.get("until") or last_of(first).isoformat(), "shape": shape,
    }  # fmt: skip
    return render(request, "closing/tables.html", context, status=status)


@require_GET
def table(request):
    """The table itself, as CSV or XLSX."""
    must(request.member, "read_books")
    get = request.GET
    try:
        asked = exports.wanted(get.get("kind", ""), get.getlist("columns"), get.get("since", ""), get.get("until", ""))
        rows = asked.rows(request.member.firm)
    except Refusal as refusal:
        return _tables(request, 422, refusal.message)
    name = f"{asked.kind.key}-{asked.since}-{asked.until}"
    if get.get("format") == "xlsx":
        response = HttpResponse(write_xlsx(asked.kind.name, asked.columns, rows), content_type=XLSX)
        response["Content-Disposition"] = f'attachment; filename="{name}.xlsx"'
        return response
    return csv_file(name, asked.columns, rows)


@require_GET
def journal_json(request):
    """The journal of some days as JSON: each entry with its lines, as the documented shape says."""
    must(request.member, "read_books")
    get, firm = request.GET, request.member.firm
    try:
        asked = exports.wanted("journal", (), get.get("since", ""), get.get("until", ""))
    except Refusal as refusal:
        return _tables(request, 422, refusal.message)
    rows = Posting.objects.filter(
        firm=firm, state=Posting.State.ENTERED, date__range=(asked.since, asked.until)
    ).order_by("date", "pk")
    entries = [
        {
            "number": row.number, "date": row.date.isoformat(), "key": row.key, "title": row.title, "currency": row.currency,
            "lines": journal_of(row).plain_lines,
        }
        for row in rows.prefetch_related("lines")[: exports.MOST // 10]
    ]  # fmt: skip
    body = {"firm": firm.slug, "since": asked.since.isoformat(), "until": asked.until.isoformat(), "journals": entries}
    response = HttpResponse(json.dumps(body, ensure_ascii=False, indent=1), content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="journal-{asked.since}-{asked.until}.json"'
    return response


@require_POST
def keep_shape(request):
    """Keep a table under a name, or drop a kept one."""
    must(request.member, "read_books")
    if "drop" in request.POST:
        exports.drop_shape(request.member, whole(request.POST.get("drop")))
        return redirect("tables")
    try:
        shape = exports.keep_shape(
            request.member, request.POST.get("name", ""), request.POST.get("kind", ""), request.POST.getlist("columns")
        )
    except NotAllowed:
        raise
    except Refusal as refusal:
        return _tables(request, 422, refusal.message)
    messages.info(request, say("“{shape}” is kept.", shape=shape.name))
    return redirect(f"/ledger/tables/?shape={shape.pk}")
