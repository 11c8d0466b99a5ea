"""The trip's one page: what it shows, and the list of trips."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, time, timedelta
from functools import wraps

from django.contrib import messages
from django.http import HttpResponseRedirect
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET

from wainwright import clock
from wainwright.accounts.forms import blank_splits, coding_initial, split_columns
from wainwright.accounts.selectors import books
from wainwright.core.journey import Mode
from wainwright.core.money import Money
from wainwright.core.states import stage_reached
from wainwright.drawing.map import draw_map
from wainwright.drawing.ribbon import RibbonData, Spend, draw
from wainwright.errors import Refusal
from wainwright.fields import say
from wainwright.formats.places import best_place
from wainwright.paging import page_of
from wainwright.rulebook.selectors import rulebook
from wainwright.signoff.presenting import open_explains, reasons_of, route_preview, route_steps
from wainwright.signoff.selectors import remarks, steps
from wainwright.trail.selectors import history
from wainwright.trips.figures import TripFigures
from wainwright.trips.forms import (
    ByHandForm,
    EngagementForm,
    FullForm,
    HeadForm,
    HostForm,
    LegForm,
    OtherForm,
    PaperForm,
    PermissionForm,
    StayForm,
)
from wainwright.trips.models import Trip
from wainwright.trips.profile import FOR_ONE_TRIP, side_by_side
from wainwright.trips.selectors import TripFile, advance_words, load_file, shares_of, trip_for, trips_of
from wainwright.trips.services import plan
from wainwright.trips.versions import since_signed

REASONS = ["Only one available", "Needed for the work", "Cheaper as a whole", "Safety or health", "Another reason"]
CLAIMABLE = ("Under way", "Back", "Closed")
MEALS_OPEN = ("Authorised", "Under way", "Back")


@require_GET
def trip_list(request):
    """One's own trips."""
    page = page_of(trips_of(request.member), 25, request.GET.get("page"))
    rows = [
        (trip, stage_reached(trip.state, trip.state not in ("Authorised",), trip.claim.state if hasattr(trip, "claim") else ""))
        for trip in page
    ]  # fmt: skip
    return render(request, "trips/list.html", {"page": page, "rows": rows})


def start(request):
    """Start a trip in a minute."""
    member, ledger = request.member, books(request.member.firm)
    questions = rulebook(member.firm).policy.questions
    form = HeadForm(request.POST or None, books=ledger, keep=member.coding, initial=coding_initial(member.coding))
    answers = {q["code"]: request.POST.get(f"q-{q['code']}", "")[:300] for q in questions}
    if request.method == "POST" and form.is_valid():
        try:
            trip = plan.start_trip(
                member, form.cleaned_data["title"], form.cleaned_data["purpose"], form.coding, answers
            )
            return redirect("trip", trip.pk)
        except Refusal as refusal:
            say(form, refusal)
    status = 422 if request.method == "POST" else 200
    asked = [(q, answers[q["code"]]) for q in questions]
    return render(request, "trips/start.html", {"form": form, "questions": asked}, status=status)


def ribbon_of(file: TripFile, spends: list[Spend], room: int | None = None):
    """Draw the ribbon of a trip, with what holds still and what is due on which day."""
    booked = frozenset(f"leg:{leg.pk}" for leg in file.legs if leg.booking_id)
    asks: dict[date, str] = {}
    if file.trip.starts:
        for each in file.findings:
            if each.finding.cure.target == "papers" and each.open:
                asks.setdefault(_due_day(file, each.finding.target), _paper_words(each.finding.cure.label))
    ends = {stay[0].date: stay[-1].date for stay in file.stays if stay[0].booking_id is None}
    data = RibbonData(
        file.figures.journey, file.figures.allowance, file.figures.nights, spends, booked, asks, ends
    )  # fmt: skip
    return draw(data, room) if room else draw(data)


def _paper_words(label: str) -> str:
    return label.removeprefix("Attach the ").removeprefix("Attach ")


def _due_day(file: TripFile, target: str) -> date:
    """The day on which a paper is due: that of its night, the first with a supplied meal, else the first."""
    marks = sorted(day for day, _ in file.figures.journey.supplied)
    lifted = [night.date for night in file.nights if night.lifted]
    if target == "papers" and lifted:
        return lifted[0]
    return marks[0] if marks else file.trip.starts


def page_context(request, trip: Trip, file: TripFile | None = None, **forms) -> dict:
    """Everything the trip's page shows."""
    member = request.member
    file = file or load_file(member, trip)
    own = trip.traveller_id == member.pk
    editable = own and trip.editable
    # What stands on a trip (its claim, its costs) is reached by the trip's own relations: their floors lie above.
    claim = getattr(trip, "claim", None) if trip.state in CLAIMABLE else None
    expenses = _expenses(claim, trip)
    booked = all(b.state == "Ticketed" for b in file.bookings if b.stands)
    signoffs = steps(trip.subject) if trip.sent else []
    version = trip.signed if trip.sent and trip.editable else None
    said = remarks(trip.subject)
    context = {
        "advance_words": advance_words(trip), "trip": trip, "file": file, "own": own, "editable": editable, "claim": claim,
        "stage": stage_reached(trip.state, booked, claim.state if claim else ""),
        "ribbon": ribbon_of(file, spends_of(file, expenses)), "map": map_of(file.figures),
        "meals_editable": own and (trip.editable or trip.state in MEALS_OPEN) and (claim is None or claim.editable),
        "route": route_steps(signoffs) if signoffs and not editable else route_preview(file.route),
        "explains": open_explains(file.findings), "reasons": reasons_of(file.findings, REASONS),
        "remarks": said, "line_remarks": {r.line: r.text for r in said if r.line},
        "entries": history(trip.subject) if "history" in request.GET else None,
        "stay_forms": [(stay, StayForm(initial=_stay_initial(stay, trip.currency))) for stay in file.stays] if editable else [],
        "spent": bool(expenses), "can_claim": own and claim is None and trip.state in ("Under way", "Back"),
        "categories": file.categories, "firm_pays": file.figures.sum("firm", "central"),
        "explain_error": "", "typed_words": "", "typed_line": "", "line_error": "", "split_error": "", "typed_shares": blank_splits(),
        "may_take_back": own and trip.state == "Awaiting sign-off", "may_reopen": own and trip.state == "Authorised",
        "may_cancel": own and (trip.editable or trip.state in ("Authorised", "Under way")),
        "may_record": own and (trip.editable or trip.state in MEALS_OPEN), "may_seat": own and trip.state not in ("Closed", "Called off"),
        "changes": since_signed(file, version), "version": version, "quarters": file.figures.quarters,
        "permissions": [(p, file.comment_on(p)) for p in file.permissions], "signs": file.book.policy.trip_signoff,
        "booking_groups": booking_groups(file), "reuse": cards_of(member) if own and any("was refused" in b.problem for b in file.bookings) else [],
        "may_paper": own and trip.state not in ("Closed", "Called off"), "hand_form": forms.get("hand_form") or hand_form(trip),
        "paper_form": forms.get("paper_form") or PaperForm(initial={"kind": _kind_due(file)}), "one_trip": FOR_ONE_TRIP,
    }  # fmt: skip
    if editable:
        context |= _plan_forms(file, member, forms)
    return context | {key: value for key, value in forms.items() if value is not None}


def _plan_forms(file: TripFile, member, forms) -> dict:
    trip = file.trip
    span = {"first": trip.starts, "last": trip.ends}
    return {
        "leg_form": forms.get("leg_form") or LegForm(initial=next_leg(file, member)),
        "other_form": forms.get("other_form") or OtherForm(categories=file.book.categories.values()),
        "head_form": forms.get("head_form")
        or HeadForm(books=file.books, initial={"title": trip.title, "purpose": trip.purpose, **coding_initial(trip.coding)}),
        "engagement_form": forms.get("engagement_form") or EngagementForm(initial={"day": trip.starts}),
        "permission_form": forms.get("permission_form") or PermissionForm(),
        "host_form": forms.get("host_form") or HostForm(initial=span), "full_form": forms.get("full_form") or FullForm(),
        "questions": [(q, trip.answers.get(q["code"], "")) for q in file.book.policy.questions],
        "details": side_by_side(trip), "split_rows": split_rows(file), "split_abouts": split_abouts(file),
        "split_columns": split_columns(file.books),
    }  # fmt: skip


def _kind_due(file: TripFile) -> str:
    for each in file.findings:
        if each.finding.cure.target == "papers" and each.open:
            return _paper_words(each.finding.cure.label)
    return "agenda"


def cards_of(member) -> list:
    """The firm's cards of a person, to pay with."""
    return [card for card in member.cards.all() if card.firm_pays]


def split_abouts(file: TripFile) -> list[tuple[str, str]]:
    """What can be split: the whole, each category, each cost."""
    found = [("all", "The whole trip")]
    names = file.book.names | {"allowance": "Daily allowance"}
    for code in dict.fromkeys([e.category for e in file.figures.estimates] + ["allowance"]):
        found.append((f"category:{code}", names.get(code, code)))
    found += [(f"line:{e.key}", f"{e.label}, {e.amount}") for e in file.figures.estimates]
    return found


def split_rows(file: TripFile) -> list[tuple[dict, list]]:
    """The splits as they stand: what about, and each coding with its share."""
    shares = shares_of(file.trip)
    return [(row, shares[row["about"]]) for row in file.trip.shares]


def booking_groups(file: TripFile) -> list[tuple[str, Money]]:
    """What the bookings come to by who pays, those bought elsewhere apart."""
    words = {"self": "Paid by the traveller", "firm": "The firm's card", "central": "Billed to the firm"}
    sums: dict[str, Money] = {}
    for b in file.bookings:
        if b.stands:
            name = words[b.paid_by] + (", bought elsewhere" if b.by_hand else "")
            sums[name] = sums[name] + b.price if name in sums else b.price
    return list(sums.items())


def hand_form(trip: Trip) -> ByHandForm:
    """A blank form for what was bought elsewhere."""
    return ByHandForm(initial={"day": trip.starts or clock.today(trip.firm.zone)})


def map_of(done: TripFigures):
    """The journey on the map."""
    legs = [(leg.origin, leg.target, Mode(leg.mode)) for leg in done.journey.legs]
    return draw_map(legs, [night.place for night in done.journey.nights])


def _expenses(claim, trip: Trip) -> list:
    if claim is not None:
        rows = claim.expenses.all()
    elif trip.starts and trip.state in ("Under way", "Back"):
        rows = trip.traveller.expenses.filter(claim__isnull=True, date__gte=trip.starts, date__lte=trip.ends)
    else:
        return []
    return list(rows.prefetch_related("receipts"))


def spends_of(file: TripFile, expenses: list) -> list[Spend]:
    """What was spent, day by day; before that, what is expected."""
    if expenses:
        return [
            Spend(e.date, e.label, e.amount, e.paid_by != "self",
                  e.kind == "mileage" or e.personal or bool(e.receipts.all()), f"/expenses/{e.pk}/")
            for e in expenses
        ]  # fmt: skip
    return [Spend(e.day, e.label, e.amount, e.paid_by != "self", True) for e in file.figures.estimates if e.day]


def _stay_initial(stay, currency: str) -> dict:
    night = stay[0]
    return {
        "name": night.name, "cost": Money.from_minor(night.cost_minor, currency).amount, "paid_by": night.paid_by,
        "supplied": night.supplied, "lifted": night.lifted,
    }  # fmt: skip


def next_leg(file: TripFile, member) -> dict:
    """The next leg starts from where and when the last one ended; the first starts at home."""
    if file.legs:
        last = file.legs[-1]
        moment = last.arrives + timedelta(hours=1)
        return {
            "mode": last.mode, "origin": f"{last.target['name']} ({last.target['code']})", "leaves_day": last.arrives.date(),
            "leaves_time": moment.time().replace(minute=0, second=0), "paid_by": last.paid_by,
        }  # fmt: skip
    code = file.trip.profile.get("home") or member.home_code
    home = best_place(code) if code else None
    return {
        "mode": "air",
        "origin": f"{home.name} ({home.code})" if home else "",
        "leaves_day": clock.today(member.firm.zone) + timedelta(days=21),
    }


def show_trip(request, trip: Trip, status: int = 200, **forms):
    """Render the page."""
    return render(request, "trips/trip.html", page_context(request, trip, **forms), status=status)


@require_GET
def trip_page(request, trip_id: int):
    """The trip: stage line, ribbon, what is in the way, what it comes to."""
    return show_trip(request, trip_for(request.member, trip_id))


def says_was_and_is(view: Callable) -> Callable:
    """After an act that changed what the trip comes to, say what the sums were and are."""

    @wraps(view)
    def wrapped(request, trip_id: int, *args, **kwargs):
        before = load_file(request.member, trip_for(request.member, trip_id)).figures
        response = view(request, trip_id, *args, **kwargs)
        if isinstance(response, HttpResponseRedirect):
            after = load_file(request.member, trip_for(request.member, trip_id)).figures
            words = _was_and_is(before, after)
            if words:
                messages.info(request, words)
        return response

    return wrapped


def _was_and_is(before: TripFigures, after: TripFigures) -> str:
    parts = []
    lodging = [sum((n.cost.amount for n in f.nights if not n.night.supplied), 0) for f in (before, after)]
    if before.allowance.amount != after.allowance.amount:
        parts.append(f"The daily allowance was {before.allowance.amount}, is {after.allowance.amount}.")
    if lodging[0] != lodging[1]:
        parts.append(f"Lodging was {lodging[0]:,.2f}, is {lodging[1]:,.2f}.")
    if before.total != after.total:
        parts.append(f"The whole trip was {before.total}, is {after.total}.")
    return " ".join(parts)


def midnight(day: date) -> datetime:
    """The beginning of a local day."""
    return datetime.combine(day, time())
