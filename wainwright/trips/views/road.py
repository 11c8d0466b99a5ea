"""Signing, sending, taking back; the order of travel, the itinerary and the calendar."""

from __future__ import annotations

from django.conf import settings
from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright.core.said import say
from wainwright.errors import NotAllowed, Refusal
from wainwright.fields import whole
from wainwright.language import read_by
from wainwright.people.second_factor import has_authenticator
from wainwright.signoff.presenting import route_preview, route_steps
from wainwright.signoff.selectors import steps
from wainwright.trips import letters
from wainwright.trips.models import Subscription, Trip
from wainwright.trips.moving import whole_move
from wainwright.trips.pictures import map_of, ribbon_of, spends_of
from wainwright.trips.profile import side_by_side
from wainwright.trips.selectors import load_file, trip_for
from wainwright.trips.services import calendar, road, standing
from wainwright.trips.versions import lines_of, since_signed


def _sections(file) -> list[tuple[str, list]]:
    """The lines that are signed, by section, in their order."""
    found: dict[str, list] = {}
    for line in lines_of(file):
        found.setdefault(line.section, []).append(line)
    return list(found.items())


def _along(member, trip: Trip) -> list[tuple]:
    """The parties of a move that can be signed together with the employee's own plan: each with its file and its lines."""
    if not trip.is_move or trip.moves_with_id is not None:
        return []
    found = []
    for party in whole_move(trip)[1:]:
        if party.editable:
            party.firm, party.traveller = trip.firm, trip.traveller
            file = load_file(member, party)
            found.append((party, file, _sections(file)))
    return found


def _versions(given: list[str]) -> dict[int, int]:
    """Which parties are signed along, each at the version that was shown."""
    found = {}
    for each in given[:20]:
        number, _, version = each.partition(":")
        found[whole(number)] = whole(version)
    return found


def _sign_page(request, trip: Trip, status: int = 200, error: str = "", typed: str = ""):
    file = load_file(request.member, trip)
    policy = file.book.policy
    context = {
        "trip": trip, "file": file, "sections": _sections(file), "route": route_preview(file.route), "policy": policy,
        "changes": since_signed(file, trip.signed) if trip.sent else [], "error": error, "typed": typed,
        "details": [d for d in side_by_side(trip) if d.differs], "ribbon": ribbon_of(file, spends_of(file, [])),
        "along": _along(request.member, trip), "needs_code": policy.certify_by == "code", "has_code": has_authenticator(request.user),
    }  # fmt: skip
    return render(request, "trips/sign.html", context, status=status)


@require_GET
def sign(request, trip_id: int):
    """Everything that will be signed, on one page."""
    trip = trip_for(request.member, trip_id)
    if trip.traveller_id != request.member.pk:
        raise NotAllowed(say("Only the traveller certifies this trip."))
    if not trip.editable:
        return redirect("trip", trip_id)
    return _sign_page(request, trip)


@require_POST
def send(request, trip_id: int):
    """Certify and send, or buy."""
    typed = request.POST.get("name", "")
    try:
        trip = road.send(
            request.member, trip_id, whole(request.POST.get("version")), typed, "advance_confirmed" in request.POST,
            _versions(request.POST.getlist("with")),
        )  # fmt: skip
    except Refusal as refusal:
        trip = trip_for(request.member, trip_id)
        if not trip.editable or trip.traveller_id != request.member.pk:
            raise
        return _sign_page(request, trip, 422, refusal.message, typed[:120])
    words = (
        say("The trip is on its way to be signed off.")
        if trip.state == "Awaiting sign-off"
        else say("The trip is authorised; what is held is being bought.")
    )
    messages.info(request, words)
    return redirect("trip", trip_id)


@require_POST
def take_back(request, trip_id: int):
    """Take the trip back."""
    road.take_back(request.member, trip_id)
    return redirect("trip", trip_id)


@require_POST
def reopen(request, trip_id: int):
    """Change the plan of an authorised trip."""
    road.reopen(request.member, trip_id)
    messages.info(
        request, say("The plan can be changed. Bookings and budgets stand; those whom a change concerns sign again.")
    )
    return redirect("trip", trip_id)


@require_POST
def call_off(request, trip_id: int):
    """Call the trip off."""
    road.call_off(request.member, trip_id)
    return redirect("trip", trip_id)


def _signers(trip: Trip) -> list[dict]:
    return [row for row in route_steps(steps(trip.subject)) if row["done"]]


@require_GET
def order(request, trip_id: int):
    """The order of travel as a page."""
    trip = trip_for(request.member, trip_id)
    road.must_be_signed(trip)
    return HttpResponse(letters.order_html(load_file(request.member, trip), _signers(trip)))


@require_GET
def order_pdf(request, trip_id: int):
    """The order of travel as PDF."""
    trip = trip_for(request.member, trip_id)
    road.must_be_signed(trip)
    content = letters.order_pdf(load_file(request.member, trip), _signers(trip))
    response = HttpResponse(content, content_type="application/pdf")
    response["Content-Disposition"] = f'attachment; filename="order-{trip.code}.pdf"'
    return response


@require_GET
def itinerary(request, trip_id: int):
    """The itinerary as a calendar file."""
    trip = trip_for(request.member, trip_id)
    content = letters.calendar_of([load_file(request.member, trip)], trip.title)
    response = HttpResponse(content, content_type="text/calendar")
    response["Content-Disposition"] = f'attachment; filename="{trip.code}.ics"'
    return response


@require_GET
def itinerary_page(request, trip_id: int):
    """The itinerary with its map, for reading and printing."""
    trip = trip_for(request.member, trip_id)
    file = load_file(request.member, trip)
    context = {
        "trip": trip, "own": trip.traveller_id == request.member.pk, "map": map_of(file.figures), "rows": letters.rows_of(file),
    }  # fmt: skip
    return render(request, "trips/itinerary.html", context)


@require_POST
def mail_itinerary(request, trip_id: int):
    """Send the itinerary to the address that the trip keeps."""
    to = road.mail_itinerary(request.member, trip_id)
    messages.info(request, say("The itinerary went to {to}.", to=to))
    return redirect("trip", trip_id)


@require_GET
def subscribed(request, secret: str):
    """A person's trips as a calendar, under a private address. Nobody signs in here: the address is the key."""
    found = Subscription.objects.filter(
        secret=secret, revoked__isnull=True, member__active=True, member__person__is_active=True
    )
    subscription = found.select_related("member__person", "member__firm").first()
    if subscription is None:
        raise Http404
    member = subscription.member
    with read_by(member.person.language, member.firm.language):
        response = HttpResponse(letters.subscription_calendar(subscription), content_type="text/calendar")
    response["Cache-Control"] = "private, max-age=300"
    return response


@require_POST
def subscribe(request):
    """Make a private calendar address, in place of the one before."""
    calendar.subscribe(request.member)
    return redirect("profile")


@require_POST
def unsubscribe(request):
    """Revoke the private calendar address."""
    calendar.revoke(request.member)
    messages.info(request, say("The address answers no more."))
    return redirect("profile")


def subscription_link(member) -> str:
    """The private address of a person, or nothing."""
    found = Subscription.objects.filter(member=member, revoked__isnull=True).first()
    return letters.link_of(found, settings.ADDRESS) if found else ""


@require_POST
def leave_as_signed(request, trip_id: int):
    """Give a change up: what was authorised stands as it was."""
    standing.leave_as_signed(request.member, trip_id)
    messages.info(request, say("The plan stands as it was signed."))
    return redirect("trip", trip_id)


@require_POST
def ready(request, trip_id: int):
    """Whoever prepared it says that it can be signed."""
    trip = road.ready(request.member, trip_id)
    messages.info(
        request, say("It waits on {traveller}'s desk for one signature.", traveller=trip.traveller.person.name)
    )
    return redirect("trip", trip_id)
