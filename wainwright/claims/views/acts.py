"""What is done on a claim's page."""

from __future__ import annotations

from dataclasses import replace

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.db import transaction
from django.db.models import Q
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from wainwright import clock
from wainwright.accounts.forms import CodingForm
from wainwright.accounts.selectors import books
from wainwright.accounts.split_form import TypedSplit, do_split
from wainwright.claims import questions
from wainwright.claims.selectors import claim_for, load_file
from wainwright.claims.services import closing, compose, issuing, lines, road, several, splitting
from wainwright.claims.views.page import page_context, split_abouts, ticked, whole_of
from wainwright.core.said import say, say_many
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.forms import CostForm
from wainwright.expenses.models import Expense
from wainwright.expenses.services import taking
from wainwright.expenses.services.receipts import attach, take_in
from wainwright.fields import AmountField, whole
from wainwright.fields import tell as say_at


def _again(request, claim_id: int, status: int = 422, **typed):
    """The page with what was typed and what is wrong with it."""
    claim = claim_for(request.member, claim_id)
    return render(request, "claims/claim.html", page_context(request, claim, **typed), status=status)


def _open(request, claim_id: int):
    """A claim that its claimant may change now. Raises ``NotAllowed``, ``Stale``."""
    claim = claim_for(request.member, claim_id)
    compose.must_be_claimant(request.member, claim)
    compose.must_be_open(claim)
    return claim


def _on(claim_id: int):
    """Back to the claim, with the next question open."""
    return redirect(f"/claims/{claim_id}/?asked=1")


@require_POST
def answer(request, claim_id: int):
    """Answer a question; the next one is shown."""
    claim, post = _open(request, claim_id), request.POST
    asking = questions.Asking(request.member, claim, load_file(request.member, claim))
    key, said, words = post.get("key", "")[:80], post.get("said", "")[:200], post.get("words", "")[:1000]
    file = request.FILES.get("file")
    try:
        if file is not None:
            messages.info(request, _attached(request, asking, key, file))
        else:
            done = questions.answer(asking, key, said, words, post.getlist("tick"))
            messages.info(request, done)
    except Stale:
        raise
    except Refusal as refusal:
        typed = {"key": key, "said": said, "words": words, "ticked": post.getlist("tick"), "error": refusal.message}
        request.GET = request.GET.copy()
        request.GET["q"] = key
        return _again(request, claim_id, answering=typed)
    return _on(claim_id)


def _attached(request, asking: questions.Asking, key: str, file) -> str:
    """Take a file in and put it with the cost that asks for its paper. Raises ``Refusal``."""
    question = next((each for each in questions.questions(asking) if each.key == key and each.file), None)
    if question is None:
        raise Stale(say("That is not asked any more. Look at the next question."))
    taken = take_in(request.member, file.name, file.read())
    if taken.receipt is None:
        raise Refusal(taken.problem)
    expense = asking.expenses[question.line]
    attach(request.member, taken.receipt.pk, expense)
    return say("The paper is with {expense_label} now.", expense_label=expense.label)


@require_POST
def send(request, claim_id: int):
    """Certify and send."""
    try:
        road.send(request.member, claim_id, whole(request.POST.get("version")), request.POST.get("name", ""))
    except Refusal as refusal:
        claim = claim_for(request.member, claim_id)
        if isinstance(refusal, Stale) or not claim.editable or claim.claimant_id != request.member.pk:
            raise
        return _again(request, claim_id, send_error=refusal.message, send_name=request.POST.get("name", ""))
    messages.info(request, say("The claim is on its way to be signed off."))
    return redirect("claim", claim_id)


@require_POST
def ready(request, claim_id: int):
    """Whoever prepared it says that it can be signed."""
    claim = road.ready(request.member, claim_id)
    messages.info(request, say("It waits on {claimant}'s desk for one signature.", claimant=claim.claimant.person.name))
    return redirect("claim", claim_id)


@require_POST
def take_back(request, claim_id: int):
    """Take the claim back."""
    road.take_back(request.member, claim_id)
    return redirect("claim", claim_id)


@require_POST
def withdraw(request, claim_id: int):
    """Give the claim up; what is on it goes back to the tray."""
    closing.withdraw(request.member, claim_id, whole(request.POST.get("version")))
    messages.info(request, say("The claim is withdrawn. What was on it lies in your tray."))
    return redirect("claims")


@require_POST
def close_trip(request, trip_id: int):
    """Close a trip of which nothing is claimed."""
    closing.nothing_to_claim(request.member, trip_id)
    messages.info(request, say("The trip is closed. Nothing was claimed."))
    return redirect("trip", trip_id)


@require_POST
def pays_back(request, claim_id: int):
    """Say how what is owed back is paid."""
    closing.choose_pays_back(request.member, claim_id, request.POST.get("how", ""))
    return redirect("claim", claim_id)


@require_POST
def to_issuer(request, claim_id: int):
    """Say how much of it goes to the issuer of one's own card."""
    typed = request.POST.get("amount", "")[:40]
    try:
        try:
            amount = AmountField(label=say("The amount")).clean(typed or "0")
        except ValidationError as fault:
            raise Refusal(" ".join(fault.messages)) from fault
        issuing.send_to_issuer(request.member, claim_id, whole(request.POST.get("card")), amount)
    except (Stale, NotAllowed):
        raise
    except Refusal as refusal:
        claim = claim_for(request.member, claim_id)
        context = page_context(request, claim, issuer_error=refusal.message, issuer_typed=typed)
        return render(request, "claims/claim.html", context, status=422)
    return redirect("claim", claim_id)


@require_POST
def object_to(request, claim_id: int):
    """Object to what was changed after sending."""
    lines.object_to(request.member, claim_id, request.POST.get("words", ""))
    messages.info(request, say("Finance is told; nothing is paid until they have answered."))
    return redirect("claim", claim_id)


@require_POST
def add_trip(request, claim_id: int):
    """Claim a further trip here."""
    several.add_trip(request.member, claim_id, whole(request.POST.get("trip")))
    messages.info(request, say("The trip is claimed here too: its allowance, and the costs of its days."))
    return redirect("claim", claim_id)


@require_POST
def take_trip_off(request, claim_id: int, trip_id: int):
    """Claim a further trip elsewhere."""
    several.take_trip_off(request.member, claim_id, trip_id)
    messages.info(request, say("The trip is not claimed here any more. Its costs lie in your tray."))
    return redirect("claim", claim_id)


@require_POST
def set_advance(request, claim_id: int, trip_id: int):
    """Set the advance of another trip against the claim, or no more."""
    act = several.take_advance_off if "off" in request.POST else several.set_advance
    act(request.member, claim_id, trip_id)
    return redirect("bench-item", "claim", claim_id) if "bench" in request.POST else redirect("claim", claim_id)


@require_POST
def put_in(request, claim_id: int):
    """Put in everything that is loose, but for what was turned down before."""
    rows = Expense.objects.filter(owner=request.member, claim__isnull=True)
    if whole(request.POST.get("expense")):
        rows = rows.filter(pk=whole(request.POST.get("expense")))
    else:
        rows = rows.filter(Q(turned_down_in__isnull=True))
    ids = list(rows.values_list("pk", flat=True))
    if not ids:
        raise Refusal(say("Nothing is loose. Take costs from the tray first, or type them."))
    count = compose.put_in(request.member, claim_id, ids)
    messages.info(request, say("{count} put in.", count=count))
    return redirect("claim", claim_id)


@require_http_methods(["GET", "POST"])
def type_cost(request, claim_id: int):
    """Type a cost that goes on this claim at once; what was typed stays where something is wrong."""
    claim, member = _open(request, claim_id), request.member
    day = (
        min(claim.trip.ends, clock.today(claim.firm.zone))
        if claim.trip and claim.trip.ends
        else clock.today(claim.firm.zone)
    )
    initial = {"date": day, "currency": claim.currency, "heads": 1}
    form = CostForm(request.POST or None, member=claim.claimant, initial=initial)
    if request.method == "POST" and form.is_valid():
        try:
            with transaction.atomic():
                expense = taking.type_cost(member, **form.values())
                compose.put_in(member, claim_id, [expense.pk])
            messages.info(
                request,
                say(
                    "{expense_label}, {expense_amount} is on the claim.",
                    expense_label=expense.label,
                    expense_amount=expense.amount,
                ),
            )
            return _on(claim_id)
        except Stale:
            raise
        except Refusal as refusal:
            say_at(form, refusal)
    context = {"form": form, "claim": claim, "back": f"/claims/{claim_id}/"}
    return render(request, "expenses/new.html", context, status=422 if request.method == "POST" else 200)


@require_POST
def move(request, claim_id: int):
    """Move the ticked lines to another claim or back to the tray."""
    to = request.POST.get("to", "")
    count = compose.move(request.member, claim_id, ticked(request), whole(to) if to != "tray" else 0)
    messages.info(request, say("{count} moved.", count=count))
    return redirect("claim", claim_id)


@require_POST
def split(request, claim_id: int):
    """Split the whole, a category, the allowance or what is ticked; or fill the editor in."""
    claim, typed, rows = _open(request, claim_id), TypedSplit.of(request.POST), ticked(request)
    try:
        file = load_file(request.member, claim)
        names = dict(split_abouts(claim, file, rows))
        if typed.about not in names and typed.do != "off":
            raise Refusal(
                say("Say what is to be split.") if typed.about != "ticked" else say("Tick the lines first."), "about"
            )
        whole_ = whole_of(file, typed.about, rows)
        parts, filled = do_split(request.member, typed, books(claim.firm), claim.coding, whole_)
        if parts is None:
            return _again(request, claim_id, 200, typed_split=filled)
        if typed.about == "ticked":
            count = splitting.split_ticked(request.member, claim_id, rows, parts)
            messages.info(
                request,
                say_many("{count} cost is split.", "{count} costs are split.", count)
                if parts
                else say("{count} split no more.", count=count),
            )
        else:
            splitting.split_claim(request.member, claim_id, typed.about, names.get(typed.about, ""), parts, whole_)
    except Stale:
        raise
    except Refusal as refusal:
        return _again(request, claim_id, typed_split=replace(typed, error=refusal.message))
    return redirect("claim", claim_id)


@require_POST
def change_coding(request, claim_id: int):
    """Change the coding that counts for the whole claim."""
    claim = claim_for(request.member, claim_id)
    form = CodingForm(request.POST, books=books(claim.firm), keep=claim.coding)
    if form.is_valid():
        try:
            compose.change_coding(request.member, claim_id, form.coding)
            return redirect("claim", claim_id)
        except (Stale, NotAllowed):
            raise
        except Refusal as refusal:
            form.add_error(None, refusal.message)
    _open(request, claim_id)
    return _again(request, claim_id, head_form=form)


@require_POST
def remark(request, claim_id: int):
    """Say something on the claim or on a line."""
    road.remark(request.member, claim_id, request.POST.get("text", ""), request.POST.get("line", "")[:60])
    return redirect("claim", claim_id)
