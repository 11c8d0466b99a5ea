"""A claim's page: what is still asked, its lines, what it comes to, who signs."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright.accounts.forms import CodingForm, coding_initial
from wainwright.accounts.refusals import refusal_words
from wainwright.accounts.split_form import TypedSplit, editor
from wainwright.accounts.splits import shares_of
from wainwright.claims.comparing import against_plan, by_coding, signed_plans
from wainwright.claims.models import PAYS_BACK, Claim
from wainwright.claims.own_cards import own_cards
from wainwright.claims.own_findings import covered
from wainwright.claims.paying import free_advances
from wainwright.claims.pictures import ghost_ribbon
from wainwright.claims.profile import side_by_side
from wainwright.claims.questions import Asking, questions, shown
from wainwright.claims.selectors import (
    CLAIMS_SHOWN,
    ClaimFile,
    claim_for,
    claims_of,
    load_file,
    newest_of,
    posted_journal,
    posting_of,
)
from wainwright.claims.services import compose, drafting
from wainwright.claims.services.several import UNDECIDED, advances_on
from wainwright.claims.so_far import so_far
from wainwright.claims.statements import versions
from wainwright.core.money import Money, total
from wainwright.core.rules import Level
from wainwright.core.said import say
from wainwright.core.states import stage_reached
from wainwright.paging import page_of
from wainwright.rulebook.selectors import Explained
from wainwright.signoff.presenting import route_preview, route_steps
from wainwright.signoff.selectors import remarks, steps
from wainwright.trail.selectors import history
from wainwright.trips.models import Trip
from wainwright.trips.selectors import advance_words

# So few lines that agree are not worth folding.
FOLDED_FROM = 4
# More folded lines than this are fetched when they are opened.
SHOWN = 25
# What stands in a question's form before anything was typed.
NOT_ANSWERED = {"key": "", "said": "", "words": "", "ticked": [], "error": ""}


@require_GET
def claim_list(request):
    """One's own claims."""
    page = page_of(
        claims_of(request.member), CLAIMS_SHOWN, request.GET.get("page"), newest=lambda: newest_of(request.member.pk)
    )
    rows = [(c, stage_reached(c.trip.state if c.trip else "", True, c.state)) for c in page]
    return render(request, "claims/list.html", {"page": page, "rows": rows})


@require_POST
def claim_trip(request, trip_id: int):
    """Make the claim, or the supplement, of a trip."""
    return redirect("claim", drafting.claim_trip(request.member, trip_id).pk)


@require_POST
def claim_loose(request):
    """Make a claim of what is loose."""
    return redirect("claim", compose.claim_loose(request.member, request.POST.get("title", "")).pk)


def ticked(request) -> list[int]:
    """The numbers of the costs that were ticked."""
    given = request.POST.getlist("row") if request.method == "POST" else request.GET.getlist("row")
    return [int(text) for text in given if text.isdecimal() and len(text) < 18]


def page_context(request, claim: Claim, **typed) -> dict:
    """Everything the claim's page shows; ``typed`` is what was typed and what is wrong with it."""
    file = load_file(request.member, claim)
    own = claim.claimant_id == request.member.pk
    editable = own and claim.editable
    signoffs = [] if claim.state == "Open" and claim.sent is None else steps(claim.subject)
    posting = posting_of(claim)
    by_line: dict[str, list] = {}
    for remark in remarks(claim.subject):
        by_line.setdefault(remark.line, []).append(remark)
    rows = [(line, found, by_line.get(line.key, [])) for line, found in file.out_of_line]
    odd, agreeing = [], []
    for line, found, said in rows:
        stands_out = any(e.open or e.finding.level.value != "note" for e in found) or not line.agrees or said
        (odd if stands_out else agreeing).append((line, found, said))
    context = {
        "claim": claim, "file": file, "own": own, "editable": editable, "odd": odd, "agreeing": agreeing,
        "folded": len(agreeing) >= FOLDED_FROM and (bool(odd) or editable),
        "later": len(agreeing) > SHOWN and not ticked(request), "agree_sum": total((line.says for line, *_ in agreeing), claim.currency),
        "stage": stage_reached(claim.trip.state if claim.trip else "", True, claim.state),
        "sums": file.figures.settlement.sums, "settlement": file.figures.settlement,
        "route": route_steps(signoffs) if signoffs and not editable else route_preview(file.route),
        "findings": [each for each in file.findings if _still_counts(claim, each, editable)],
        "known": [each for each in file.findings if each.finding.level.value != "stop" and not each.open] if editable else [], "remarks": [remark for remark in by_line.get("", []) if not remark.mended],
        "entries": history(claim.subject) if "history" in request.GET else None,
        "so_far": so_far(claim, posting, [remark for remark in by_line.get("", []) if remark.mended]),
        # Whoever is asked to sign a claim was not asked about its trip for that.
        "opens_trips": own or request.member.may["read_all"] or Trip.objects.visible_to(request.member).filter(pk__in=[t.pk for t in claim.trips]).exists(),
        "may_profile": own or request.member.may["check"],
        "profile_rows": side_by_side(claim) if "profile" in request.GET and (own or request.member.may["check"]) else None,
        "advance_words": advance_words(claim.trip), "versions": versions(claim) if claim.statement and claim.statement.number > 1 else [],
        "journal": posted_journal(posting) or file.journal, "others": _others(claim) if own or request.member.may["read_all"] else [], "edit": None, "ticked": [], "split_rows": [],
        "no_row": {"rows": []}, "open_claims": file.beside.open if file.beside else (), "answering": NOT_ANSWERED, "send_name": "",
        "posting": posting, "refused": refusal_words(posting) if posting and posting.state == "Refused" else "",
        "may_take_back": own and claim.state == "In sign-off" and not any(s.state == "Given" and s.round == signoffs[-1].round for s in signoffs),
        "may_answer": own and claim.state not in (*Claim.OVER, "Settled"), "pays_back": PAYS_BACK,
        "head_form": CodingForm(books=file.books, initial=coding_initial(claim.coding)) if editable and "coding" in request.GET else None,
        "may_object": own and claim.statement is not None and claim.statement.number > 1 and not claim.editable
        and claim.state not in (*Claim.OVER, "Settled"),
        "send_error": "", "free_advances": _free_advances(claim, file) if own else [],
        "taken": advances_on(claim) if file.figures.advance else [], "more_trips": _more_trips(claim) if editable and "trips" in request.GET else None,
        "own_cards": own_cards(claim, file.figures) if editable else [], "issuer_error": "", "issuer_typed": "",
    }  # fmt: skip
    if editable:
        context |= _asked(request, claim, file, "asked" in request.GET or "answering" in typed)
        context |= _splitting(request, claim, file, typed)
    return context | typed


def _still_counts(claim: Claim, each: Explained, editable: bool) -> bool:
    """Whether a finding is shown above the lines: what is only worth knowing means nothing once the claim is over."""
    if claim.state in Claim.OVER:
        return each.finding.level != Level.NOTE
    return each.finding.level == Level.STOP or not editable


def _free_advances(claim: Claim, file: ClaimFile) -> list[Trip]:
    """The paid advances that no claim takes and that can be set against this one."""
    may = file.beside.free if file.beside is not None else claim.state in UNDECIDED
    return list(free_advances(claim.claimant_id, claim.currency)) if may else []


def _more_trips(claim: Claim) -> list[Trip]:
    """The claimant's trips that can be claimed here too, the latest first."""
    sent = Claim.objects.live().exclude(state__in=["Open", "Sent back"]).filter(trip__isnull=False).values("trip_id")
    rows = Trip.objects.filter(
        traveller_id=claim.claimant_id, currency=claim.currency, kind="trip", authorised__isnull=False
    )
    rows = rows.filter(state__in=["Authorised", "Under way", "Back", "Called off"]).exclude(pk__in=sent)
    return list(rows.exclude(pk__in=[trip.pk for trip in claim.trips]).order_by("-starts", "-pk")[:30])


def _others(claim: Claim) -> list[Claim]:
    """The other claims of the same trip that count, where they were read with it."""
    return [other for trip in claim.trips for other in trip.live_claims if other.pk != claim.pk]


def _asked(request, claim: Claim, file: ClaimFile, whole: bool) -> dict:
    """The questions: all of them with the first one open, or only how many the findings make, to be fetched by the page."""
    asking = Asking(request.member, claim, file)
    if not whole:
        return {"asked": None, "question": None}
    found = questions(asking)
    return {"asked": found, "question": shown(asking, found, request.GET.get("q", ""))}


@require_GET
def asked(request, claim_id: int):
    """What an open claim still asks, for its page: read apart, since it looks into the tray."""
    claim = claim_for(request.member, claim_id)
    file = load_file(request.member, claim)
    editable = claim.editable and claim.claimant_id == request.member.pk
    if not editable:
        # Nothing is asked of a claim that was sent, or of anybody else.
        return HttpResponse("")
    context = {"claim": claim, "file": file, "editable": editable, "answering": NOT_ANSWERED}
    return render(request, "claims/_asked.html", context | _asked(request, claim, file, True))


def split_abouts(claim: Claim, file: ClaimFile, rows: list[int]) -> list[tuple[str, str]]:
    """What of a claim can be split: what was ticked, the whole, each category, the daily allowance."""
    names = file.book.names
    found = [("ticked", say("The {rows_count} ticked", rows_count=len(rows)))] if rows else []
    found.append(("all", say("The whole claim")))
    codes = dict.fromkeys(line.category for line in file.figures.lines if line.kind == "cost" and line.category)
    found += [(f"category:{code}", names.get(code, code)) for code in codes]
    if any(line.kind == "allowance" for line in file.figures.lines):
        found.append(("line:allowance", say("Daily allowance")))
    return found


def whole_of(file: ClaimFile, about: str, rows: list[int]) -> Money | None:
    """What a split is about comes to; nothing where there is nothing."""
    if about == "ticked":
        keys = {f"expense:{number}" for number in rows}
        found = total((line.says for line in file.figures.lines if line.key in keys), file.claim.currency)
    else:
        found = covered(file.figures, about)
    return found or None


def _splitting(request, claim: Claim, file: ClaimFile, typed: dict) -> dict:
    """The split editor, once it is asked for, and the splits that stand."""
    shares = shares_of(claim)
    found: dict = {"split_rows": [(row, shares[row["about"]]) for row in claim.shares], "edit": None}
    if "split" in request.GET or "typed_split" in typed:
        rows = ticked(request)
        about = request.GET.get("split", "") or ("ticked" if rows else "all")
        split = typed.get("typed_split") or TypedSplit.from_parts(shares.get(about, []), about, str(claim.coding))
        abouts = split_abouts(claim, file, rows)
        recent = [str(claim.coding), *(str(part.coding) for parts in shares.values() for part in parts)]
        found |= {
            "edit": editor(request.member, split, whole_of(file, split.about, rows), abouts, recent),
            "ticked": rows,
        }
    return found


@require_GET
def claim_page(request, claim_id: int):
    """The claim: what is asked, lines, what it comes to, who signs."""
    return render(request, "claims/claim.html", page_context(request, claim_for(request.member, claim_id)))


@require_GET
def lines(request, claim_id: int):
    """The lines that agree, where they are many: a part of its page once it is opened, or by itself."""
    context = page_context(request, claim_for(request.member, claim_id))
    return render(request, "claims/_agreeing.html" if request.htmx else "claims/lines.html", context)


@require_GET
def coding_summary(request, claim_id: int):
    """What each coding of a claim bears, with owners and budgets: a part of its page, or by itself."""
    claim = claim_for(request.member, claim_id)
    context = {"claim": claim, "rows": by_coding(load_file(request.member, claim))}
    return render(request, "ui/by_coding.html" if request.htmx else "claims/by_coding.html", context)


@require_GET
def planned(request, claim_id: int):
    """The authorised plan beside what is claimed, on the ribbon and line by line: a part of its page, or by itself."""
    claim = claim_for(request.member, claim_id)
    plans = signed_plans(claim)
    context = {
        "claim": claim,
        "rows": against_plan(plans, load_file(request.member, claim)),
        "ribbon": ghost_ribbon(plans.get(claim.trip_id or 0), claim),
    }
    return render(request, "claims/_planned.html" if request.htmx else "claims/planned.html", context)


@require_GET
def owed(request, claim_id: int):
    """What an open claim comes to as it stands, for a list that shows several: each is worked out by itself."""
    claim = claim_for(request.member, claim_id)
    settlement = load_file(request.member, claim).figures.settlement
    if settlement.owed_back:
        return HttpResponse(str(say("{amount} to give back so far", amount=settlement.owed_back)))
    return HttpResponse(str(say("{amount} so far", amount=settlement.due)))
