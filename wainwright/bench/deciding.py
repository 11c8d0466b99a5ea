"""Deciding on one line: in part, back alone, down; corrected or added by finance; an objection answered."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from urllib.parse import quote

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from wainwright.accounts.selectors import books
from wainwright.accounts.split_form import TypedSplit, do_split, editor
from wainwright.bench import services
from wainwright.bench.evidence import pages_of
from wainwright.bench.marking import decides
from wainwright.claims.models import Claim
from wainwright.claims.selectors import claim_for
from wainwright.claims.services import lines
from wainwright.core.money import Money, total
from wainwright.core.said import joined, said_by, say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.forms import CostForm
from wainwright.expenses.models import Expense
from wainwright.expenses.services.editing import MEALS
from wainwright.expenses.views.breakdown import TypedParts, typed_parts
from wainwright.expenses.views.expense import cost_form, part_rows, with_blanks
from wainwright.fields import AmountField, tell, whole
from wainwright.formats.pictures import MOST_BYTES
from wainwright.formats.problems import Unreadable
from wainwright.rulebook.selectors import rulebook


def _back(claim_id: int, line: str = ""):
    return redirect(f"/bench/claim/{claim_id}/" + (f"?line={quote(line)}#evidence" if line else ""))


@decides
def in_part(request, object_id: int):
    """Approve a line in part."""
    post = request.POST
    line = post.get("line", "")[:60]
    try:
        amount: Decimal = AmountField(label=say("The amount"), min_value=None).clean(post.get("amount", "")[:40])
    except ValidationError as fault:
        raise Refusal(say("How much is approved? {list}", list=joined(" ", fault.messages)), "amount") from fault
    services.approve_in_part(request.member, object_id, whole(post.get("version")), line, amount, post.get("why", ""))
    messages.info(request, say("The line is approved in part; the claimant is told."))
    return _back(object_id, line)


@decides
def line_out(request, object_id: int):
    """Send one line back alone, or turn it down."""
    post, down = request.POST, "down" in request.POST
    services.take_line_out(
        request.member, object_id, whole(post.get("version")), post.get("line", "")[:60], post.get("why", ""), down
    )
    what = say("turned down") if down else say("sent back alone")
    messages.info(request, say("The line is {what}: it lies in the claimant's tray. The rest stands here.", what=what))
    return _back(object_id)


def _may_correct(request, object_id: int) -> Claim:
    claim = claim_for(request.member, object_id)
    if not request.member.may["check"] or claim.claimant_id == request.member.pk:
        raise NotAllowed(say("Only finance corrects a claim, and nobody their own."))
    lines.must_be_correctable(claim)
    return claim


def _expense(claim: Claim, expense_id: int) -> Expense:
    found = Expense.objects.filter(pk=expense_id, claim=claim)
    expense = found.select_related("owner__person", "owner__firm", "firm", "claim").first()
    if expense is None:
        raise Stale(say("That line is not on the claim any more."))
    return expense


def _correct_page(
    request,
    claim: Claim,
    expense: Expense,
    form,
    typed: TypedSplit | None = None,
    why: str = "",
    error: str = "",
    status: int = 200,
    parts: TypedParts | None = None,
):
    """The page on which a line is corrected: its fields, its split, its evidence."""
    standing = [share.as_core(claim.coding) for share in expense.shares.all()]
    split = typed or TypedSplit.from_parts(standing, "", str(expense.coding.filled_from(claim.coding)))
    context = {
        "claim": claim, "expense": expense, "form": form, "why": why, "error": error,
        "edit": editor(request.member, split, expense.amount, [], [str(claim.coding)]),
        "pages": pages_of([receipt.pk for receipt in expense.receipts.all()], request.GET.get("pages") == "all"),
        "editable": True, "categories": list(rulebook(claim.firm).categories.values()), "meals": MEALS,
        "has_parts": bool(expense.parts.all()), "left": expense.amount - total((Money.from_minor(p.amount_minor, expense.currency) for p in expense.parts.all()), expense.currency), "parts_error": "",
        "parts": with_blanks(expense, part_rows(expense)), "parts_version": claim.version, "parts_why": True,
        "parts_action": f"/bench/claim/{claim.pk}/correct/{expense.pk}/parts/",
        "may_break": expense.kind == "cost" and not expense.personal,
    }  # fmt: skip
    return render(request, "bench/correct.html", context | (parts.again() if parts else {}), status=status)


@require_http_methods(["GET", "POST"])
def correct(request, object_id: int, expense_id: int):
    """Finance corrects one cost, beside its evidence."""
    claim = _may_correct(request, object_id)
    expense = _expense(claim, expense_id)
    form = cost_form(expense, request.POST or None, by_finance=True)
    why, error = request.POST.get("why", "")[:250], ""
    if request.method == "POST" and form.is_valid():
        try:
            lines.correct_line(
                request.member, object_id, whole(request.POST.get("version")), expense_id, why, **form.values()
            )
            messages.info(request, say("The line is corrected; the claimant sees before and after, and is told."))
            return _back(object_id, expense.key)
        except (Stale, NotAllowed):
            raise
        except Refusal as refusal:
            error = refusal.message if refusal.field == "why" else ""
            if not error:
                tell(form, refusal)
    return _correct_page(request, claim, expense, form, None, why, error, 422 if request.method == "POST" else 200)


@require_POST
def split(request, object_id: int, expense_id: int):
    """Finance splits one cost over codings, or takes its split off."""
    claim = _may_correct(request, object_id)
    expense = _expense(claim, expense_id)
    typed, why = TypedSplit.of(request.POST), request.POST.get("why", "")[:250]
    try:
        if typed.do == "off":
            parts: list | None = []
        else:
            parts, typed = do_split(request.member, typed, books(claim.firm), claim.coding, expense.amount)
        if parts is None:
            return _correct_page(request, claim, expense, cost_form(expense, by_finance=True), typed, why)
        lines.split_line(request.member, object_id, whole(request.POST.get("version")), expense_id, why, parts)
    except (Stale, NotAllowed):
        raise
    except Refusal as refusal:
        typed = replace(typed, error=refusal.message)
        return _correct_page(request, claim, expense, cost_form(expense, by_finance=True), typed, why, status=422)
    messages.info(request, say("The line is split anew; the claimant sees before and after, and is told."))
    return _back(object_id, expense.key)


@require_POST
def break_down(request, object_id: int, expense_id: int):
    """Finance breaks one bill down anew."""
    claim = _may_correct(request, object_id)
    expense = _expense(claim, expense_id)
    why, version = request.POST.get("why", "")[:250], whole(request.POST.get("version"))
    again = typed_parts(
        request,
        expense,
        lambda parts: lines.break_line_down(request.member, object_id, version, expense_id, why, parts),
    )
    if again is not None:
        return _correct_page(
            request, claim, expense, cost_form(expense, by_finance=True), None, why, status=422, parts=again
        )
    messages.info(request, say("The bill is broken down anew; the claimant sees before and after, and is told."))
    return _back(object_id, expense.key)


@require_http_methods(["GET", "POST"])
def add(request, object_id: int):
    """Finance adds a line that is missing, with its paper."""
    claim = _may_correct(request, object_id)
    initial = {"currency": claim.currency, "paid_by": "self", "heads": 1}
    form = CostForm(
        request.POST or None, member=claim.claimant, initial=initial, categories=rulebook(claim.firm).categories
    )
    why, error, given = request.POST.get("why", "")[:250], "", request.FILES.get("file")
    if request.method == "POST" and form.is_valid():
        try:
            if given is not None and given.size > MOST_BYTES:
                raise Refusal(say("The file is larger than 20 MB."), "file")
            name, content = (given.name or "", given.read()) if given is not None else ("", b"")
            lines.add_line(
                request.member, object_id, whole(request.POST.get("version")), why, name, content, **form.values()
            )
            messages.info(request, say("The line is added; the claimant sees it, and is told."))
            return _back(object_id)
        except (Stale, NotAllowed):
            raise
        except Unreadable as fault:
            error = said_by(fault)
        except Refusal as refusal:
            error = refusal.message if refusal.field in ("why", "file") else ""
            if not error:
                tell(form, refusal)
    context = {"claim": claim, "expense": None, "form": form, "why": why, "error": error, "pages": None, "edit": None}
    return render(request, "bench/correct.html", context, status=422 if request.method == "POST" else 200)


@require_POST
def answer_objection(request, object_id: int):
    """Finance answers an objection."""
    lines.answer_objection(request.member, object_id, whole(request.POST.get("version")), request.POST.get("words", ""))
    messages.info(request, say("The objection is answered; the claimant is told."))
    return _back(object_id)
