"""The bench: what waits, and deciding on it."""

from __future__ import annotations

from datetime import timedelta
from urllib.parse import quote

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.accounts.ahead import would_refuse
from wainwright.accounts.forms import CodingForm, coding_initial
from wainwright.accounts.models import Posting
from wainwright.accounts.refusals import refusal_words
from wainwright.accounts.selectors import books
from wainwright.bench import services, undoing
from wainwright.bench.evidence import pages_of
from wainwright.bench.marking import decides
from wainwright.bench.models import Undoable
from wainwright.bench.selectors import bench
from wainwright.claims.comparing import by_coding
from wainwright.claims.models import Claim
from wainwright.claims.paying import free_advances
from wainwright.claims.risk import risk_as_kept
from wainwright.claims.selectors import claim_for, earlier_of, load_file, planned_of, posted_journal, postings_of
from wainwright.claims.services import books as booking
from wainwright.claims.services import correcting
from wainwright.claims.services import recalling as calling_back
from wainwright.claims.services.lines import CORRECTABLE
from wainwright.claims.statements import versions
from wainwright.core.risk import Risk
from wainwright.core.said import say, say_many
from wainwright.core.states import stage_reached
from wainwright.errors import Refusal
from wainwright.fields import day_or_none, whole
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.signoff.models import SignOff
from wainwright.signoff.presenting import route_steps
from wainwright.signoff.selectors import remarks, steps
from wainwright.trips.bearing import plan_by_coding
from wainwright.trips.pictures import map_of, ribbon_of, spends_of
from wainwright.trips.selectors import advance_words, trip_for
from wainwright.trips.selectors import load_file as load_trip
from wainwright.trips.versions import between

WIDEST = 76
# In these it is said beforehand what the ledger would refuse.
UNPOSTED = ("In finance check", "Cleared", "Posting refused")
# So many that agree are shown beside what is out of line; more are folded.
UNFOLDED = 3
# For so long it is said that a decision can be undone.
SHOWN_FOR = timedelta(seconds=10)
# What the ribbon has beside the list of what waits.
BENCH_WIDTH = 856


@require_GET
def bench_page(request):
    """Open the first thing that waits, or say that nothing does."""
    must(request.member, "bench")
    found = bench(request.member)
    if found.waiting:
        first = found.waiting[0]
        return redirect("bench-item", first.kind, first.object_id)
    return render(request, "bench/empty.html", {"bench": found, "undo": _undo(request)})


def item(request, kind: str, object_id: int):
    """One thing on the bench; whoever reads it and does not decide is led to its own page."""
    if not request.member.may["bench"]:
        thing = trip_for(request.member, object_id) if kind == "trip" else claim_for(request.member, object_id)
        return redirect(kind, thing.pk)
    return _trip(request, object_id) if kind == "trip" else _claim(request, object_id)


def _mine(signoffs: list[SignOff], member) -> SignOff | None:
    return next((s for s in signoffs if s.signer_id == member.pk and s.state == SignOff.State.WAITING and s.turn), None)


def _others(request, owner_id: int) -> list[Membership]:
    """To whom a decision can be passed on."""
    found = Membership.objects.filter(firm_id=request.member.firm_id, approver=True, active=True)
    return list(found.exclude(pk__in=[request.member.pk, owner_id]).select_related("person"))


def _trip(request, trip_id: int):
    trip = trip_for(request.member, trip_id)
    file = load_trip(trip.traveller, trip)
    signoffs = steps(trip.subject)
    mine = _mine(signoffs, request.member)
    context = {
        "bench": bench(request.member), "undo": _undo(request), "kind": "trip", "thing": trip, "trip": trip, "file": file, "mine": mine,
        "stage": stage_reached(trip.state, False, ""), "route": route_steps(signoffs),
        "ribbon": ribbon_of(file, spends_of(file, []), BENCH_WIDTH), "map": map_of(file.figures),
        "changes": between(list(trip.versions.all())) if any(each.round > 1 for each in signoffs) else [], "permissions": [(p, file.comment_on(p)) for p in file.permissions],
        "categories": file.categories, "by_coding": plan_by_coding(file), "remarks": remarks(trip.subject),
        "others": _others(request, trip.traveller_id) if mine else [],
    }  # fmt: skip
    return render(request, "bench/trip.html", context)


def _claim(request, claim_id: int, status: int = 200, **more):
    claim = claim_for(request.member, claim_id)
    if claim.claimant_id == request.member.pk and not request.member.signs_own:
        return redirect("claim", claim_id)
    file = load_file(claim.claimant, claim)
    signoffs = steps(claim.subject)
    mine = _mine(signoffs, request.member)
    said: dict[str, list] = {}
    for remark in remarks(claim.subject):
        said.setdefault(remark.line, []).append(remark)
    rows = _rows(file.out_of_line, said)
    odd = [row for row in rows if row["found"] or not row["line"].agrees or row["said"]]
    chosen = next((row for row in rows if row["line"].key == request.GET.get("line")), (odd or rows or [None])[0])
    finance = request.member.may["check"] and claim.claimant_id != request.member.pk
    posting, reversal = postings_of(claim) if finance else (None, None)
    risk = risk_as_kept(claim.statement) if claim.statement else Risk(0, ())
    context = {
        "bench": bench(request.member), "undo": _undo(request), "kind": "claim", "thing": claim, "claim": claim, "file": file, "mine": mine,
        "stage": stage_reached(claim.trip.state if claim.trip else "", True, claim.state),
        "odd": odd, "agreeing": [row for row in rows if row not in odd], "chosen": chosen,
        "fold": bool(odd) and len(rows) - len(odd) > UNFOLDED,
        "pages": pages_of(chosen["line"].receipts if chosen else (), request.GET.get("pages") == "all"), "route": route_steps(signoffs), "remarks": said.get("", []),
        "others": _others(request, claim.claimant_id) if mine else [],
        "settlement": file.figures.settlement, "journal": posted_journal(posting) or file.journal,
        "advance_words": advance_words(claim.trip), "planned": planned_of(claim),
        "may_correct": finance and claim.state in CORRECTABLE,
        "may_allow": bool(mine) or (finance and claim.state == "In finance check"),
        "may_check": finance and claim.state == "In finance check",
        "may_post": finance and claim.state in ("Cleared", "Posting refused"),
        "may_recall": finance and claim.state in ("Posted", "Settled"), "recall_refused": refusal_words(reversal) if reversal and reversal.state == "Refused" else "",
        "may_recode": finance and claim.state in ("In finance check", "Cleared", "Posting refused"),
        "recode_form": CodingForm(books=file.books, every=True, initial=coding_initial(claim.coding)) if finance else None,
        "recode_old": posting.refusal_about if posting else "",
        "codes": sorted({(d, c) for d, c in file.figures.by_code if d != "account"}),
        "accounts_on_it": sorted({c for d, c in file.figures.by_code if d == "account"}),
        "old": finance and claim.state in UNPOSTED and file.books.old,
        "ahead": would_refuse(claim.firm, file.journal, clock.today(claim.firm.zone)) if finance and claim.state in UNPOSTED else [],
        "free_advances": list(free_advances(claim.claimant_id, claim.currency)) if finance and claim.state == "In finance check" else [],
        "posting": posting, "refused": refusal_words(posting) if posting and posting.state == "Refused" else "",
        "risk": risk, "risk_words": say("Risk {points}", points=risk.points), "today": clock.today(claim.firm.zone), "by_coding": by_coding(file),
    }  # fmt: skip
    return render(request, "bench/claim.html", context | more, status=status)


@require_GET
def earlier(request, object_id: int):
    """The claims of the same person that were sent before: a part of the page, or by itself."""
    claim = claim_for(request.member, object_id)
    context = {"claim": claim, "earlier": earlier_of(request.member, claim)}
    return render(request, "bench/_earlier.html" if request.htmx else "bench/earlier.html", context)


@require_GET
def changed(request, object_id: int):
    """How a claim differs from what was certified: a part of the page, or by itself."""
    claim = claim_for(request.member, object_id)
    context = {"claim": claim, "versions": versions(claim)}
    return render(request, "bench/_changed.html" if request.htmx else "bench/changed.html", context)


def _rows(lines, said) -> list[dict]:
    """Lines with the widths of their three bars, against the largest figure."""
    largest = max((max(float(line.says.amount), float(line.allows.amount)) for line, _ in lines), default=0.0) or 1.0

    def width(amount) -> float:
        return round(max(0.0, float(amount.amount)) / largest * WIDEST, 1) if amount is not None else 0.0

    return [
        {"line": line, "found": found, "said": said.get(line.key, []), "says": width(line.says), "shows": width(line.shows),
         "allows": width(line.allows),
         "grave": "bad" if any(e.finding.level == "stop" for e in found) else "odd" if any(e.finding.level == "explain" for e in found) or not line.agrees else ""}
        for line, found in lines
    ]  # fmt: skip


def _after(request, kind: str, object_id: int):
    """Go on to what waits next, or stay where there is nothing more."""
    waiting = bench(request.member).waiting
    return redirect("bench-item", waiting[0].kind, waiting[0].object_id) if waiting else redirect("bench")


@decides
def approve(request, kind: str, object_id: int):
    """Approve."""
    through = services.approve(request.member, kind, object_id, request.POST.get("comment", ""), _version(request))
    after = say("authorised") if kind == "trip" else say("with finance")
    messages.info(
        request,
        say("Approved: it is {after} now.", after=after)
        if through
        else say("Approved: the next on the route are asked."),
    )
    return _after(request, kind, object_id)


@require_POST
def undo(request, kind: str, object_id: int):
    """Undo one's own decision of just before."""
    undone = undoing.undo(request.member, kind, object_id)
    messages.info(request, say("Undone: you {act}. It stands as it stood before.", act=undone.act))
    return redirect("bench-item", kind, object_id)


def _undo(request) -> Undoable | None:
    """What was just decided and can be undone; shown once."""
    if not request.session.pop("decided", False):
        return None
    found = undoing.undoable(request.member)
    return found if found is not None and clock.now() - found.time < SHOWN_FOR else None


@decides
def end(request, kind: str, object_id: int, act: str):
    """Send back or turn down, with remarks on lines."""
    lines = {key.removeprefix("line-"): text for key, text in request.POST.items() if key.startswith("line-")}
    services.end(
        request.member,
        kind,
        object_id,
        act.replace("-", "_"),
        request.POST.get("comment", ""),
        lines,
        _version(request),
    )
    messages.info(request, say("Sent back with your comment.") if act == "send-back" else say("Turned down."))
    return _after(request, kind, object_id)


@decides
def pass_on(request, kind: str, object_id: int):
    """Pass on."""
    to = whole(request.POST.get("to"))
    person = services.pass_on(request.member, kind, object_id, to, request.POST.get("comment", ""), _version(request))
    messages.info(request, say("Passed on to {person}.", person=person.person.name))
    return _after(request, kind, object_id)


@require_POST
def remark_on(request, kind: str, object_id: int):
    """Ask or say something."""
    services.remark_on(request.member, kind, object_id, request.POST.get("text", ""), request.POST.get("line", "")[:60])
    return redirect("bench-item", kind, object_id)


def _version(request) -> int:
    return whole(request.POST.get("version"))


@decides
def clear(request, object_id: int):
    """Finance clears a claim, and posts it in the same breath when asked to."""
    claim = services.clear(request.member, object_id, _version(request))
    messages.info(request, say("{claim_code} is cleared.", claim_code=claim.code))
    if "post" in request.POST:
        return _posted(request, booking.post(request.member, object_id, claim.version))
    return redirect("bench-item", "claim", object_id)


@require_POST
def post(request, object_id: int):
    """Finance posts a cleared claim, or one that the ledger refused, on the day that is chosen: its month may be closed by now."""
    on = day_or_none(request.POST.get("on"), say("Choose the day on which it is posted."), "")
    return _posted(request, booking.post(request.member, object_id, _version(request), on))


def _posted(request, claim: Claim):
    if claim.state == "Posting refused":
        posting = Posting.objects.filter(subject=claim.subject, state="Refused").order_by("-id").first()
        messages.error(
            request,
            say("The ledger refused it. {refusal_words}", refusal_words=refusal_words(posting))
            if posting
            else say("The ledger refused it."),
        )
        return redirect("bench-item", "claim", claim.pk)
    if claim.state == "Cleared":
        messages.error(
            request,
            say("The ledger does not answer. The journal is kept, and sent again by itself under the same key."),
        )
        return redirect("bench-item", "claim", claim.pk)
    messages.info(request, say("{claim_code} is posted.", claim_code=claim.code))
    return _after(request, "claim", claim.pk)


@require_POST
def recall(request, object_id: int):
    """Finance calls a posted claim back from the ledger."""
    on = day_or_none(request.POST.get("on"), say("Choose the day of the reversal."), "")
    claim = calling_back.recall(request.member, object_id, _version(request), request.POST.get("why", ""), on)
    if claim.state in ("Posted", "Settled"):
        reversal = postings_of(claim)[1]
        words = refusal_words(reversal) if reversal else ""
        messages.error(request, say("It was not called back. {words}", words=words))
    else:
        messages.info(
            request,
            say(
                "{claim_code} was called back: its journal is reversed, and it stands at {state}.",
                claim_code=claim.code,
                state=claim.state,
            ),
        )
    return redirect("bench-item", "claim", object_id)


@decides
def finance_end(request, object_id: int, act: str):
    """Finance sends back or turns down."""
    services.finance_end(
        request.member, object_id, _version(request), act.replace("-", "_"), request.POST.get("comment", "")
    )
    messages.info(request, say("Sent back with your comment.") if act == "send-back" else say("Turned down."))
    return _after(request, "claim", object_id)


@decides
def allow_over(request, object_id: int):
    """Permit to pay what a line is over its ceiling."""
    line = request.POST.get("line", "")[:60]
    services.allow_over(request.member, object_id, _version(request), line, request.POST.get("comment", ""))
    messages.info(request, say("What is over the ceiling is paid; the claimant is told."))
    return redirect(f"/bench/claim/{object_id}/?line={quote(line)}#evidence")


@require_POST
def reaccount(request, object_id: int):
    """Finance puts another account in place of one."""
    claim = claim_for(request.member, object_id)
    typed = request.POST.get("account", "")[:60]
    try:
        account = books(claim.firm).picks("account").exact(typed)
    except ValueError as error:
        raise Refusal(
            say("The ledger does not know account {typed}.", typed=typed[:20] or say("(none)")), "account"
        ) from error
    old = request.POST.get("old", "")[:20]
    count = correcting.reaccount(request.member, object_id, _version(request), old, account)
    messages.info(
        request,
        say_many(
            "{count} line is on account {account} now.",
            "{count} lines are on account {account} now.",
            count,
            account=account,
        ),
    )
    return redirect("bench-item", "claim", object_id)


@require_POST
def recode(request, object_id: int):
    """Finance corrects the coding."""
    claim = claim_for(request.member, object_id)
    ledger = books(claim.firm)
    form = CodingForm(request.POST, books=ledger, every=True)
    chosen = request.POST.get("old", "")
    dimension, _, old = chosen.partition(":")
    if not form.is_valid() or dimension not in {each.code for each in ledger.dimensions}:
        messages.error(
            request, say("Choose what to replace and the coding to put in its place: its form says what is wrong.")
        )
        return _claim(request, object_id, 422, recode_form=form, recode_old=chosen)
    count = correcting.recode(request.member, object_id, _version(request), dimension, old, form.coding)
    places = say_many("{count} place", "{count} places", count)
    messages.info(request, say("The coding was corrected in {places}; the claimant is told.", places=places))
    return redirect("bench-item", "claim", object_id)
