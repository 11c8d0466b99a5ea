"""The tray, its papers, and their files."""

from __future__ import annotations

import re
from datetime import timedelta

from django.contrib import messages
from django.db.models import Exists, OuterRef, QuerySet
from django.http import JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.claims.models import Claim
from wainwright.claims.services import compose
from wainwright.core.said import joined, say, say_many
from wainwright.errors import Refusal
from wainwright.expenses.models import HeldMail
from wainwright.expenses.selectors import Narrow, tray
from wainwright.expenses.services import feeds, mails, receipts, sorting, taking
from wainwright.fields import whole
from wainwright.formats.pictures import MOST_BYTES
from wainwright.paging import page_of
from wainwright.people.models import Card
from wainwright.prepared import prepared
from wainwright.reading import read_out
from wainwright.trips.models import Trip

CLAIMABLE = ("Authorised", "Under way", "Back", "Closed")
MONTH = re.compile(r"^20\d\d-(0[1-9]|1[0-2])$")
KINDS = [
    ("papers", say("all papers")),
    ("receipt", say("receipts")),
    ("invoice", say("invoices")),
    ("mail", say("mails")),
    ("calendar", say("calendar files")),
    ("track", say("tracks of rides")),
    ("charges", say("charges")),
]


def _narrow(query) -> Narrow:
    month, kind = query.get("month", ""), query.get("kind", "")
    return Narrow(
        query.get("card", "")[:4], month if MONTH.match(month) else "", kind if kind in dict(KINDS) else "",
        "old" in query, "aside" in query, whole(query.get("trip")),
    )  # fmt: skip


def _kept_query(request) -> str:
    """What is narrowed, to be kept from page to page."""
    kept = request.GET.copy()
    kept.pop("page", None)
    return f"{kept.urlencode()}&" if kept else ""


@prepared
def _trips(traveller: int) -> QuerySet[Trip]:
    """The latest trips; whether one has an open claim comes with each."""
    open_ = Claim.objects.filter(state__in=["Open", "Sent back"])
    along = Claim.also.through.objects.filter(claim__in=open_, trip_id=OuterRef("pk"))
    has = Exists(open_.filter(trip_id=OuterRef("pk"))) | Exists(along)
    rows = Trip.objects.filter(traveller_id=traveller, starts__isnull=False).annotate(has_open=has)
    return rows.order_by("-starts")[:20]


@prepared
def _held(member: int) -> QuerySet[HeldMail]:
    return HeldMail.objects.filter(member_id=member)


@prepared
def _cards(owner: int) -> QuerySet[Card]:
    return Card.objects.filter(owner_id=owner, firm_pays=True).order_by("last_four")


@prepared
def _open_claims(claimant: int) -> QuerySet[Claim]:
    return Claim.objects.filter(claimant_id=claimant, state__in=["Open", "Sent back"]).order_by("-id")[:20]


@require_GET
def tray_page(request):
    """The tray as a matching board, narrowed if wanted."""
    member = request.member
    narrow, today = _narrow(request.GET), clock.today(member.firm.zone)
    board = tray(member, narrow, request.GET.get("costs"))
    months = [(today.replace(day=1) - timedelta(days=30 * n)).strftime("%Y-%m") for n in range(6)]
    trips = _trips(member.pk)
    held = _held(member.pk)
    context = {
        "tray": board, "page": page_of(board.rows, 50, request.GET.get("page")), "more": _kept_query(request), "narrow": narrow, "months": list(dict.fromkeys(months)), "kinds": KINDS,
        "held": [m for m in held if m.state != HeldMail.State.OPENING], "opening": sum(m.state == HeldMail.State.OPENING for m in held), "address": member.tray_address,
        "undo": request.session.get("undo_pair") or request.session.get("undo", []), "cards": _cards(member.pk),
        "claims": _open_claims(member.pk),
        "claimable": [t for t in trips if t.state in CLAIMABLE and not t.has_open],
        "trips": trips, "today": today,
    }  # fmt: skip
    return render(request, "tray/tray.html", context)


@require_POST
def sort(request):
    """Do one thing with every row that was ticked."""
    member, act = request.member, request.POST.get("act", "")
    rows = sorting.things(request.POST.getlist("row"))
    if act == "take":
        _taken(request, sorting.take_many(member, rows))
    elif act == "claim":
        kind, _, which = request.POST.get("to", "").partition(":")
        ids = {f"{kind}_id": whole(which)} if kind in ("claim", "trip") else {}
        if not any(ids.values()):
            raise Refusal(say("Choose the claim or the trip that they belong to."))
        _taken(request, compose.take_into(member, rows, **ids), say(" and on the claim"))
    elif act == "personal":
        _taken(request, sorting.all_personal(member, rows), say(" and personal"))
    elif act == "aside":
        reason = request.POST.get("reason", "").strip()
        if not reason:
            raise Refusal(say("Say in a word why they are put aside."))
        messages.info(
            request,
            say(
                "{put_aside} put aside: {reason}.",
                put_aside=sorting.put_aside(member, rows, reason),
                reason=reason[:120],
            ),
        )
    elif act == "back":
        messages.info(request, say("{put_aside} brought back.", put_aside=sorting.put_aside(member, rows, "")))
    elif act == "give":
        messages.info(
            request,
            say("Handed to {name}.", name=sorting.give_to(member, rows, request.POST.get("email", "")).person.name),
        )
    elif act == "refuse":
        sorting.refuse_pair(member, rows[0])
        request.session.pop("undo", None)
        request.session["undo_pair"] = request.POST.getlist("row")[:1]
        messages.info(request, say("They are not proposed together again. U undoes it."))
    else:
        raise Refusal(say("Choose what to do with the rows."))
    return redirect("tray")


def _taken(request, taken: list, more: str = "") -> None:
    request.session.pop("undo_pair", None)
    request.session["undo"] = [e.pk for e in taken]
    words = (
        say("{label}, {amount} is an expense now", label=taken[0].label, amount=taken[0].amount)
        if len(taken) == 1
        else say("{taken_count} are expenses now", taken_count=len(taken))
    )
    messages.info(request, say("{words}{more}. U undoes it.", words=words, more=more))


@require_POST
def undo(request):
    """Undo what was taken, or refused as a pair, last."""
    pair = request.session.pop("undo_pair", [])
    if pair:
        sorting.allow_pair(request.member, sorting.things(pair)[0])
        messages.info(request, say("They may be one cost again."))
        return redirect("tray")
    count = sorting.undo(request.member, request.session.pop("undo", []))
    messages.info(request, say("{count} undone; papers and charges lie loose again.", count=count))
    return redirect("tray")


@require_POST
def drop(request):
    """Take files in, each on its own: a bad one does not lose the good ones."""
    files = request.FILES.getlist("files")
    if not files:
        raise Refusal(say("No file was chosen. Choose pictures or PDFs of receipts."))
    taken, faults, here = 0, [], 0
    for file in files[: receipts.MOST_AT_ONCE]:
        if file.size > MOST_BYTES:
            faults.append(say("{file}: larger than 20 MB. Take the picture in a lower resolution.", file=file.name))
            continue
        done = mails.take_any(request.member, file.name, file.read())
        taken += not done.problem
        here += done.here
        faults += [joined("", (done.name, ": ", done.problem))] if done.problem else []
    if len(files) > receipts.MOST_AT_ONCE:
        faults.append(
            say(
                "{files_count} files were not taken: 50 at once. Send the rest again.",
                files_count=len(files) - receipts.MOST_AT_ONCE,
            )
        )
    if request.headers.get("X-One-By-One"):
        return JsonResponse({"taken": taken, "faults": read_out(faults), "here": here})
    for fault in faults:
        messages.error(request, fault)
    if taken:
        messages.info(
            request,
            say_many(
                "{count} paper taken in; they are being read.", "{count} papers taken in; they are being read.", taken
            ),
        )
    return redirect("tray")


def _id(request, name: str) -> int | None:
    return whole(request.POST.get(name)) or None


@require_POST
def take(request):
    """Take one row of the board."""
    names = (_id(request, name) for name in ("receipt", "charge", "booking"))
    _taken(request, [taking.take(request.member, *names)])
    return redirect("tray")


@require_POST
def take_all(request):
    """Take every row that fits without doubt."""
    rows = tray(request.member).fitting
    taken = [taking.take(request.member, *row.names) for row in rows]
    if taken:
        request.session.pop("undo_pair", None)
    request.session["undo"] = [e.pk for e in taken]
    messages.info(
        request,
        say("{rows_count} taken.", rows_count=len(rows))
        if rows
        else say("Nothing fits without doubt; look at the rows one by one."),
    )
    return redirect("tray")


@require_POST
def personal(request):
    """Mark a charge as personal."""
    expense = taking.mark_personal(request.member, _id(request, "charge") or 0)
    messages.info(
        request,
        say(
            "{title} is personal; you will owe {expense_amount} back.",
            title=expense.merchant.title(),
            expense_amount=expense.amount,
        ),
    )
    return redirect("tray")


@require_POST
def ask_issuer(request):
    """Ask a card's issuer what was charged."""
    return redirect("card-look", feeds.ask_issuer(request.member, _id(request, "card") or 0).pk)
