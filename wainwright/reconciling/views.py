"""Pages of reconciling."""

from __future__ import annotations

from datetime import date

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.db.models import Exists, OuterRef
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.template.loader import render_to_string
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright import clock
from wainwright.accounts.selectors import books, read_coding
from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.core.reconciling import best_for
from wainwright.core.said import joined, say, say_many
from wainwright.drawing.agreement import draw
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.fields import AmountField, day_of, few, whole
from wainwright.formats.csv_statement import propose
from wainwright.formats.statement import MOST_BYTES
from wainwright.paging import page_of
from wainwright.people.may import must
from wainwright.reconciling.models import BankAccount, Line, Reconciliation, StatementFile
from wainwright.reconciling.selectors import accounts_of, agreed, as_core, by_day, expected, label_of, labels, lay
from wainwright.reconciling.services import closing as periods
from wainwright.reconciling.services import matching, taking
from wainwright.reconciling.services import rules as telling
from wainwright.trips.printing import printed

AT_ONCE = 40
# What a column of a bank's table may mean, as people call it.
COLUMNS = {
    "date": say("Day"), "merchant": say("Name or text"), "amount": say("Amount, out below zero"), "debit": say("Money out"), "credit": say("Money in"), "direction": say("In or out, in words"), "currency": say("Currency"), "key": say("The bank's own key"),
}  # fmt: skip
# What the forms of an account's page begin with.
BLANK = dict.fromkeys(("until", "closing", "why_left", "words", "ledger_account", "coding"), "")


def _account(request, account_id: int) -> BankAccount:
    must(request.member, "read_books")
    return get_object_or_404(BankAccount.objects.select_related("firm"), firm=request.member.firm, pk=account_id)


@require_http_methods(["GET", "POST"])
def accounts_page(request):
    """The firm's accounts at banks and card issuers; one is added here."""
    must(request.member, "read_books")
    # What a link knows already stands in the form: of a card without an account, whose and which.
    empty = {"name": "", "number": "", "kind": "bank", "ledger_account": ""}
    typed, error, field = {name: request.GET.get(name, value)[:80] for name, value in empty.items()}, "", ""
    if request.method == "POST":
        typed = {name: request.POST.get(name, "")[:80] for name in typed}
        try:
            made = taking.keep_account(request.member, **typed)
            messages.info(request, say("{made} is kept. Take a statement in.", made=made.name))
            return redirect("bank-account", made.pk)
        except NotAllowed:
            raise
        except Refusal as refusal:
            error, field = refusal.message, refusal.field
    context = {
        "accounts": accounts_of(request.member.firm), "typed": typed, "error": error, "field": field, "kinds": BankAccount.Kind.choices,
        "ledger_accounts": books(request.member.firm).account_names,
    }  # fmt: skip
    return render(request, "reconciling/accounts.html", context, status=422 if error else 200)


def account_page(request, account_id: int):
    """One account: what agrees, what is proposed, what is left."""
    if request.method != "GET":
        raise NotAllowed(say("This page is read; what is done on it has addresses of its own."))
    return _show(request, _account(request, account_id))


def _show(request, account: BankAccount, status: int = 200, **more):
    laid = lay(account)
    rules = list(account.rules.all())
    told = {line.pk: rule for line in laid.loose if (rule := telling.fitting_rule(line, rules))}
    loose = [line for line in laid.loose if line.pk not in told]
    page = page_of(loose, AT_ONCE, request.GET.get("page"))
    likely = page_of(laid.likely, AT_ONCE, request.GET.get("likely"))
    sure = laid.sure[:500]
    found = agreed(account)
    last_file = account.files.filter(state="taken", closing_minor__isnull=False).first()
    context = {
        "account": account, "agreed": found, "picture": draw(by_day(account)), "sure": labels(laid, sure[:8]), "sure_count": len(laid.sure), "sure_values": [f"{','.join(m.lines)}>{','.join(m.things)}" for m in sure],
        "sure_at_once": len(sure), "sure_more": max(0, len(sure) - 8), "likely": labels(laid, likely.object_list), "likely_page": likely, "page": page, "beyond": laid.beyond,
        "by_rule": [(line, told[line.pk]) for line in laid.loose if line.pk in told][:8], "by_rule_count": len(told), "rules": rules,
        "files": account.files.select_related("by__person", "account")[:6], "reading": [(each, int((clock.now() - each.time).total_seconds())) for each in account.files.filter(state="reading")[:5]], "unnamed": account.files.filter(state="columns")[:5],
        "matches": account.matches.select_related("by__person").prefetch_related("lines__account").annotate(closed=Exists(Line.objects.filter(match=OuterRef("pk"), reconciliation__isnull=False)))[:8], "closed": account.reconciliations.select_related("by__person")[:6],
        "bank_says": last_file.closing if last_file else None, "error": "", "close_error": "", "typed": BLANK, "rule_error": "", "rule_line": 0,
        "ledger_accounts": books(account.firm).account_names, "until": found.until,
    }  # fmt: skip
    return render(request, "reconciling/account.html", context | more, status=status)


@require_POST
def take(request, account_id: int):
    """Take a statement in."""
    account, given = _account(request, account_id), request.FILES.get("file")
    try:
        if given is not None and given.size > MOST_BYTES:
            raise Refusal(say("The file is larger than 64 MB. Ask the bank for a shorter period."), "file")
        taking.take_statement(
            request.member, account_id, given.name or "" if given else "", given.read() if given else b""
        )
    except NotAllowed:
        raise
    except Refusal as refusal:
        return _show(request, account, 422, error=refusal.message)
    return redirect("bank-account", account_id)


@require_http_methods(["GET", "POST"])
def columns_page(request, account_id: int, file_id: int):
    """A statement's file: what was left out of it; or which column of it means what, kept for the next file like it."""
    account = _account(request, account_id)
    file = get_object_or_404(account.files, pk=file_id)
    if request.method == "GET" and file.state != StatementFile.State.COLUMNS:
        page = page_of(file.left, 200, request.GET.get("page"))
        return render(request, "reconciling/file.html", {"account": account, "file": file, "page": page})
    named, error = propose(file.header), ""
    if request.method == "POST":
        given = {name: request.POST.get(f"column-{name}", "") for name in COLUMNS}
        named = {name: int(text) for name, text in given.items() if text.isdecimal() and len(text) < 4}
        try:
            taking.name_columns(request.member, account_id, file_id, named)
            return redirect("bank-account", account_id)
        except (NotAllowed, Stale):
            raise
        except Refusal as refusal:
            error = refusal.message
    columns = [(name, words, named.get(name)) for name, words in COLUMNS.items()]
    context = {"account": account, "file": file, "columns": columns, "error": error}
    return render(request, "reconciling/columns.html", context, status=422 if error else 200)


@require_POST
def put_away(request, account_id: int, file_id: int):
    """Take nothing of a table whose columns nobody has named."""
    _account(request, account_id)
    taking.put_away(request.member, account_id, file_id)
    messages.info(request, say("Nothing was taken of it."))
    return redirect("bank-account", account_id)


def _chosen(values: list[str]) -> list[tuple[list[str], list[str]]]:
    found = []
    for value in values[:500]:
        lines, parted, things = value.partition(">")
        if parted and lines and things:
            found.append((lines.split(","), things.split(",")))
    return found


@require_POST
def confirm(request, account_id: int):
    """Confirm what was proposed: a heap, or one."""
    _account(request, account_id)
    done, left = matching.confirm(request.member, account_id, _chosen(request.POST.getlist("match")))
    if done:
        messages.info(request, say("{done} confirmed.", done=done))
    for words in few(left):
        messages.error(request, words)
    return redirect("bank-account", account_id)


@require_GET
def line_page(request, account_id: int, line_id: int):
    """One line, with the best three that it may be, and a rule that can be made of it."""
    account = _account(request, account_id)
    line = get_object_or_404(Line.objects.select_related("account", "match__by__person"), account=account, pk=line_id)
    things = {each.key: each for each in expected(account, line.day, line.day)} if line.match_id is None else {}
    best = best_for(as_core(line), list(things.values()))
    context = {
        "account": account, "line": line, "ledger_accounts": books(account.firm).account_names, "rule_error": "", "typed": BLANK | {"words": line.name.casefold()[:80]},
        "best": [{"label": label_of(m.things[0], things[m.things[0]]), "score": m.score, "why": m.why, "value": f"line:{line.pk}>{m.things[0]}"} for m in best],
    }  # fmt: skip
    return render(request, "reconciling/line.html", context)


@require_POST
def rule(request, account_id: int):
    """Make a rule for what comes again, and apply it."""
    account, member = _account(request, account_id), request.member
    line = whole(request.POST.get("line"))
    try:
        text = request.POST.get("coding", "").strip()
        coding = read_coding(text, books(account.firm)) if text else Coding()
        telling.make_rule(
            member, account_id, request.POST.get("words", ""), request.POST.get("ledger_account", "")[:20], coding
        )
    except (NotAllowed, Stale):
        raise
    except Refusal as refusal:
        return _show(
            request, account, 422, rule_error=refusal.message, typed=BLANK | request.POST.dict(), rule_line=line
        )
    return _apply(request, account_id)


def _apply(request, account_id: int):
    done, left = telling.apply_rules(request.member, account_id)
    messages.info(request, say_many("{count} line is posted by rule.", "{count} lines are posted by rule.", done))
    for words in few(left):
        messages.error(request, words)
    return redirect("bank-account", account_id)


@require_POST
def apply_rules(request, account_id: int):
    """Post what rules tell."""
    _account(request, account_id)
    return _apply(request, account_id)


@require_POST
def undo(request, account_id: int, match_id: int):
    """Undo a match."""
    _account(request, account_id)
    matching.undo(request.member, match_id)
    messages.info(request, say("Undone: its lines are open again."))
    return redirect("bank-account", account_id)


@require_POST
def close(request, account_id: int):
    """Close a period."""
    account, post = _account(request, account_id), request.POST
    try:
        until = day_of(post.get("until"), say("Choose the day to which it is closed."), "until")
        try:
            closing = AmountField(label=say("The balance"), min_value=None).clean(post.get("closing", "")[:40])
        except ValidationError as fault:
            raise Refusal(
                say("Type the balance that the bank says. {list}", list=joined(" ", fault.messages)), "closing"
            ) from fault
        made = periods.close(
            request.member, account_id, until, Money.rounded(closing, account.currency), post.get("why_left", "")
        )
    except (NotAllowed, Stale):
        raise
    except Refusal as refusal:
        return _show(request, account, 422, close_error=refusal.message, typed=BLANK | post.dict())
    return redirect("reconciliation", account_id, made.pk)


def _closed(request, account_id: int, number: int) -> Reconciliation:
    account = _account(request, account_id)
    return get_object_or_404(
        Reconciliation.objects.select_related("account__firm", "by__person"), account=account, pk=number
    )


def _paper(row: Reconciliation) -> dict:
    money = {
        name: Money.from_minor(getattr(row, f"{name}_minor"), row.account.currency)
        for name in ("opening", "in", "out", "closing", "left")
    }
    left = [
        (date.fromisoformat(day), name, Money.from_minor(minor, row.account.currency)) for day, name, minor in row.left
    ]
    return {"row": row, "money": money, "came_in": money["in"], "left": left}


@require_GET
def reconciliation(request, account_id: int, number: int):
    """A closed period."""
    return render(request, "reconciling/closed.html", _paper(_closed(request, account_id, number)))


@require_GET
def reconciliation_pdf(request, account_id: int, number: int):
    """The same as a PDF."""
    row = _closed(request, account_id, number)
    content = printed(render_to_string("reconciling/closed_pdf.html", _paper(row)))
    response = HttpResponse(content, content_type="application/pdf")
    response["Content-Disposition"] = (
        f'attachment; filename="reconciliation-{row.account.last_four}-{row.until:%Y-%m-%d}.pdf"'
    )
    return response


@require_POST
def reopen(request, account_id: int, number: int):
    """Open a closed period again."""
    _closed(request, account_id, number)
    periods.reopen(request.member, number, request.POST.get("why", ""))
    messages.info(request, say("The period is open again."))
    return redirect("bank-account", account_id)
