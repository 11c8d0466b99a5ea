"""Pages of paying: what is owed and due, runs and the bank's answers, what comes back."""

from __future__ import annotations

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.accounts.models import BankAnswer, FirmAccounts, PayRun, Posting
from wainwright.accounts.refusals import refusal_words
from wainwright.accounts.selectors import (
    books,
    pay_runs,
)
from wainwright.claims.beside import owes
from wainwright.claims.models import Claim
from wainwright.claims.paying import (
    advance_text,
    advances_out,
    advances_to_pay,
    at_bank,
    objected,
    owed_back,
    owing,
    parts_of,
    payable,
    waiting_for_bank,
)
from wainwright.claims.services import advances, answers, closing, paying_out
from wainwright.claims.services import books as booking
from wainwright.core.money import Money
from wainwright.core.said import joined, said_by, say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.fields import AmountField, day_of, whole
from wainwright.formats.bank_text import bank_text
from wainwright.formats.pain001 import NAME, NO_NAME, NO_TEXT, TEXT
from wainwright.formats.problems import Unreadable
from wainwright.formats.tables import write_csv
from wainwright.paging import page_of
from wainwright.people.may import must
from wainwright.profile import services as accounts_of_people

MOST_ANSWER = 5_000_000
# What the forms of what was paid by hand begin with.
BLANK = {"method": "", "reference": "", "note": ""}
# So many claims stand on a page to be paid, and go into one run.
AT_ONCE = 100


@require_GET
def pay_page(request):
    """What can be paid, what is owed back, advances that are out, and earlier runs."""
    return _pay(request)


def _pay(request, status: int = 200, **more):
    must(request.member, "read_books")
    more = {
        "back_error": "",
        "back_claim": 0,
        "back_words": "",
        "hand_error": "",
        "hand_claim": 0,
        "hand_trip": 0,
        "advance_error": "",
        "advance_trip": 0,
        "advance_typed": {},
        "hand": BLANK,
        "blank": BLANK,
    } | more
    firm, bank = request.member.firm, at_bank(request.member.firm_id)
    in_all = owing(request.member, bank)
    owed = page_of(payable(request.member, bank), AT_ONCE, request.GET.get("owed"), in_all.claims)
    due = page_of(advances_to_pay(request.member, bank), AT_ONCE, request.GET.get("due"), in_all.advances)
    held = waiting_for_bank(request.member, bank) if bank.advances else Claim.objects.none()
    parts = parts_of(owed)
    owing_back = _owing_back(firm, [claim.claimant_id for claim in owed])
    people = {m.pk: m for m in (*(claim.claimant for claim in owed), *(trip.traveller for trip in due))}
    context = {
        "changed": [m for m in people.values() if m.account_from and m.pk != request.member.pk],
        "ready": [(claim, parts[claim.pk], _as_bank(claim.claimant, joined("", (claim.code, " ", claim.title)))) for claim in owed],
        "owing_back": owing_back,
        "advances": [(trip, _as_bank(trip.traveller, advance_text(trip))) for trip in due],
        "objected": page_of(objected(request.member), AT_ONCE, request.GET.get("objected")), "owed": owed, "due": due, "waiting": page_of(held, AT_ONCE, request.GET.get("held")),
        "methods": paying_out.methods_of(request.member), "written_off": FirmAccounts.objects.filter(firm=firm).values_list("written_off", flat=True).first() or "",
        "ledger_accounts": books(firm).account_names,
        "sum": Money.from_minor(in_all.minor, firm.currency),
        "page": page_of(pay_runs(firm), 20, request.GET.get("page")),
        "out": page_of(advances_out(request.member), AT_ONCE, request.GET.get("out")), "today": clock.today(firm.zone),
    }  # fmt: skip
    back = page_of(owed_back(request.member), AT_ONCE, request.GET.get("back"))
    left = (
        {each.claim.pk: each.left for each in owes(Claim.objects.filter(pk__in=[claim.pk for claim in back]))}
        if back
        else {}
    )
    context |= {"back": back, "rows_back": [(claim, left.get(claim.pk)) for claim in back]}
    return render(request, "journals/pay.html", context | more, status=status)


def _owing_back(firm, claimants: list[int]) -> dict[int, str]:
    """What those who are paid owe back on other claims, in words, by the person. Two queries at most, none where nobody is paid."""
    if not claimants:
        return {}
    rows = Claim.objects.filter(firm=firm, claimant__in=claimants, state="Posted", statement__due_minor__lt=0)
    said: dict[int, list[str]] = {}
    for each in owes(rows.select_related("statement")):
        said.setdefault(each.claim.claimant_id, []).append(
            say("{left} on {claim_code}", left=each.left, claim_code=each.claim.code)
        )
    return {who: joined(say(" and "), words) for who, words in said.items()}


@require_POST
def paid_back(request, claim_id: int):
    """Take note that what was owed back on a claim came in."""
    words = request.POST.get("reference", "")
    try:
        on = day_of(request.POST.get("on"), say("Choose the day on which it came in."))
        closing.take_note_paid_back(request.member, claim_id, on, words)
    except (Stale, NotAllowed):
        raise
    except Refusal as refusal:
        return _pay(request, 422, back_error=refusal.message, back_claim=claim_id, back_words=words)
    messages.info(request, say("It is noted, booked, and the claim is settled."))
    return redirect("pay")


def _by_hand(request, act, number: int, which: str):
    """Say that something was paid without a file: a claim, an advance; what was typed stays where it is refused."""
    post = request.POST
    typed = {name: post.get(name, "")[:120] for name in BLANK}
    try:
        on = day_of(post.get("on"), say("Choose the day on which it was paid."))
        run = act(request.member, number, typed["method"], on, typed["reference"], typed["note"])
    except (Stale, NotAllowed):
        raise
    except Refusal as refusal:
        return _pay(request, 422, hand_error=refusal.message, hand=typed, **{which: number})
    messages.info(request, say("It is paid: {by_hand}.", by_hand=run.by_hand))
    return redirect("pay-run", run.pk)


@require_POST
def pay_by_hand(request, claim_id: int):
    """Say that a claim was paid without a file."""
    return _by_hand(request, paying_out.pay_by_hand, claim_id, "hand_claim")


@require_POST
def advance_by_hand(request, trip_id: int):
    """Say that an advance was paid without a file."""
    return _by_hand(request, advances.pay_advance_by_hand, trip_id, "hand_trip")


@require_POST
def advance_back(request, trip_id: int):
    """Take note that an advance, or a part of it, came back before a claim took it."""
    post = request.POST
    typed = {name: post.get(name, "")[:120] for name in ("amount", "reference")}
    try:
        on = day_of(post.get("on"), say("Choose the day on which it came in."))
        try:
            amount = AmountField(label=say("What came back")).clean(typed["amount"][:40])
        except ValidationError as fault:
            raise Refusal(say("Type what came back. {list}", list=joined(" ", fault.messages)), "amount") from fault
        money = Money.rounded(amount, request.member.firm.currency)
        advances.take_note_advance_back(request.member, trip_id, money, on, typed["reference"])
    except (Stale, NotAllowed):
        raise
    except Refusal as refusal:
        return _pay(request, 422, advance_error=refusal.message, advance_trip=trip_id, advance_typed=typed)
    messages.info(request, say("It is noted and booked."))
    return redirect("pay")


@require_POST
def release(request, run_id: int):
    """Release a pay run."""
    run = paying_out.release(request.member, run_id)
    messages.info(request, say("Pay run {number} is released and went to the bank.", number=run.number))
    return redirect("pay-run", run_id)


@require_POST
def drop_run(request, run_id: int):
    """Take a pay run back that was not released."""
    try:
        run = paying_out.drop(request.member, run_id, request.POST.get("why", ""))
    except (Stale, NotAllowed):
        raise
    except Refusal as refusal:
        return _run_page(request, run_id, refusal.message, 422)
    messages.info(
        request, say("Pay run {number} is taken back; what it would have paid is open again.", number=run.number)
    )
    return redirect("pay-run", run_id)


@require_GET
def run_csv(request, run_id: int):
    """The payments of a run as a table, for banks without payment files."""
    must(request.member, "read_books")
    run = get_object_or_404(pay_runs(request.member.firm), pk=run_id)
    rows = (
        [p.member.person.name, p.iban, p.amount.amount, run.currency, p.text, p.end_to_end, run.date]
        for p in run.payments.select_related("member__person", "run")
    )
    response = HttpResponse(
        "".join(write_csv(("Name", "IBAN", "Amount", "Currency", "Text", "End-to-end", "On"), rows)),
        content_type="text/csv; charset=utf-8",
    )
    response["Content-Disposition"] = f'attachment; filename="{run.message_id}.csv"'
    return response


@require_POST
def remind_owed(request, claim_id: int):
    """Remind of what is owed back."""
    claim = paying_out.remind_owed_back(request.member, claim_id)
    messages.info(request, say("{claimant} is reminded.", claimant=claim.claimant.person.name))
    return redirect("pay")


@require_POST
def write_off(request, claim_id: int):
    """Give up what is owed back."""
    post = request.POST
    try:
        posting = paying_out.write_off(request.member, claim_id, post.get("account", "")[:20], post.get("why", ""))
    except (Stale, NotAllowed):
        raise
    except Refusal as refusal:
        return _pay(request, 422, back_error=refusal.message, back_claim=claim_id, back_words=post.get("why", "")[:200])
    if posting.state == Posting.State.REFUSED:
        messages.error(
            request,
            say(
                "The ledger refused its journal: {refusal_words} It is posted again on the journal's page.",
                refusal_words=refusal_words(posting),
            ),
        )
        return redirect("journal", posting.pk)
    messages.info(request, say("It is written off, and the claim settled."))
    return redirect("pay")


def _as_bank(member, text: str) -> str:
    """What the payment file says where a bank does not take the name or the text as it stands; nothing where it does."""
    name, said = bank_text(member.person.name, NAME, NO_NAME), bank_text(text, TEXT, NO_TEXT)
    return "" if (name, said) == (member.person.name, text) else joined("", (name, ", ", said))


@require_POST
def pay(request):
    """Make a pay run of what was chosen."""
    ids = [whole(each) for each in request.POST.getlist("claim")]
    advances = [whole(each) for each in request.POST.getlist("advance")]
    paid = booking.pay_what_can_be_paid(request.member, ids, clock.today(request.member.firm.zone), advances)
    run = paid.run
    failed, open_ = (run.payments.filter(state=state).count() for state in ("Failed", "Under way"))
    words = [say("Pay run {number} went to the bank and was answered.", number=run.number)]
    if run.to_release:
        words = [say("Pay run {number} is made. It waits for a second person, who releases it.", number=run.number)]
    words += [say("{failed} failed and can be paid again.", failed=failed)] if failed else []
    words += [say("{open} not settled yet.", open=open_)] if open_ and not run.to_release else []
    messages.info(request, joined(" ", words))
    if paid.left:
        messages.error(request, say("Left out: {list}", list=joined(" ", paid.left)))
    return redirect("pay-run", run.pk)


@require_POST
def confirm_account(request, member_id: int):
    """Finance confirms a changed account after asking its owner."""
    whose = accounts_of_people.confirm_account(request.member, member_id)
    messages.info(request, say("The account of {whose} is confirmed: it can be paid to now.", whose=whose.person.name))
    return redirect("pay")


@require_GET
def run_page(request, run_id: int):
    """One pay run with the bank's answers."""
    return _run_page(request, run_id)


def _run_page(request, run_id: int, error: str = "", status: int = 200):
    must(request.member, "read_books")
    run = get_object_or_404(pay_runs(request.member.firm).select_related("made_by__person"), pk=run_id)
    context = {
        "run": run, "payments": run.payments.select_related("member__person", "run"), "error": error,
        "answers": run.answers.defer("content").select_related("by__person"),
    }  # fmt: skip
    return render(request, "journals/run.html", context, status=status)


@require_POST
def take_answer(request, run_id: int):
    """Finance takes in an answer of the bank as a file."""
    given = request.FILES.get("answer")
    try:
        if given is None:
            raise Refusal(say("Choose the file with the bank's answer (pain.002)."))
        if given.size > MOST_ANSWER:
            raise Refusal(say("That file is larger than an answer can be: 5 MB at most."))
        run = answers.take_answer(request.member, run_id, given.read())
    except NotAllowed:
        raise
    except (Refusal, Unreadable) as fault:
        return _run_page(request, run_id, said_by(fault), 422)
    messages.info(request, say("The answer was taken in. The pay run stands at {state}.", state=run.state))
    return redirect("pay-run", run_id)


@require_POST
def settle_payment(request, run_id: int, payment_id: int):
    """Finance says what became of a payment that the bank has not settled."""
    paid, words = request.POST.get("paid"), request.POST.get("words", "")
    if paid not in ("yes", "no"):
        raise Refusal(say("Say whether it was paid or not."))
    payment = answers.settle_by_hand(request.member, payment_id, paid == "yes", words)
    messages.info(request, say("The payment stands at {state}.", state=payment.state))
    return redirect("pay-run", run_id)


@require_GET
def run_file(request, run_id: int):
    """The payment file."""
    must(request.member, "read_books")
    run = get_object_or_404(PayRun, firm=request.member.firm, pk=run_id)
    if not run.file:
        # Paid by hand, or taken away after the time for which it was kept.
        raise Http404
    return _xml(bytes(run.file), f"{run.message_id}.pain.001.xml")


@require_GET
def answer_file(request, run_id: int, answer_id: int):
    """One of the bank's answers."""
    must(request.member, "read_books")
    answer = get_object_or_404(
        BankAnswer.objects.select_related("run"), run__firm=request.member.firm, run_id=run_id, pk=answer_id
    )
    if not answer.content:
        raise Http404
    return _xml(bytes(answer.content), f"{answer.run.message_id}.{answer.pk}.pain.002.xml")


def _xml(content: bytes, name: str) -> HttpResponse:
    response = HttpResponse(content, content_type="application/xml")
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response
