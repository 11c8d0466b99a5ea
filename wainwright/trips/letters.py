"""What a trip says in writing: itinerary as text, HTML and calendar; order of travel as HTML and PDF."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from django.db.models import QuerySet
from django.template.loader import render_to_string
from django.utils import translation
from django.utils.text import capfirst
from django.utils.translation import gettext, ngettext

from wainwright import clock
from wainwright.core.journey import place_said
from wainwright.core.said import joined, say
from wainwright.core.workings import moment_text
from wainwright.formats.calendar import Appointment, write_calendar
from wainwright.language import ENGLISH, day_words, reason_words, written_for
from wainwright.prepared import prepared
from wainwright.trips.frozen import Row, thaw
from wainwright.trips.models import Leg, Subscription, Trip, TripVersion
from wainwright.trips.printing import printed
from wainwright.trips.selectors import TripFile, load_file
from wainwright.trips.versions import frozen_of

# Trips in one calendar that programs fetch again and again.
SUBSCRIBED = 40


def rows_of(file: TripFile) -> list[Row]:
    """Return moves, stays and cars of a trip in the order of their local times."""
    by_id = {b.pk: b for b in file.bookings}
    rows = [_leg_row(leg, by_id.get(leg.booking_id)) for leg in file.legs]
    for stay in file.stays:
        first, last = stay[0], stay[-1]
        booking = by_id.get(first.booking_id)
        note = joined(
            ", ",
            filter(
                None,
                [
                    gettext("quarters supplied") if first.supplied else "",
                    _stands(booking) if booking else "",
                    booking.reach if booking else "",
                ],
            ),
        )
        nights = ngettext("%(count)d night until %(day)s", "%(count)d nights until %(day)s", len(stay))
        leaves = last.date + timedelta(days=1)
        rows.append(
            Row(f"stay:{first.date}", datetime.combine(first.date, time(21)), datetime.combine(leaves, time(9)), "stay",
                _lodging(first), first.place["town"],
                nights % {"count": len(stay), "day": day_words(leaves)} + (joined("; ", ("", note)) if note else ""))
        )  # fmt: skip
    for b in file.bookings:
        if b.stands and b.kind == "car":
            _, _, since, _, back, *_ = b.keys[0].split("/")
            begin, end = datetime.fromisoformat(since), datetime.fromisoformat(back)
            until = gettext("until %(time)s") % {"time": moment_text(end)}
            rows.append(
                Row(f"car:{b.pk}", begin, end, say("hire car"), joined("", (b.label, ", ", b.carrier)), b.rows[1][1], joined("", (until, "; ", _stands(b))))
            )  # fmt: skip
    return sorted(rows, key=lambda row: row.at)


def _stands(booking: Any) -> str:
    """How a booking stands, and its number."""
    return joined("", (gettext(booking.state.lower()), ", ", booking.ticket_number or booking.reference))


def _lodging(night: Any) -> str:
    name = night.name or gettext("Lodging")
    return joined("", (name, ", ", night.place["town"]))


def _seat(row: Row) -> str:
    return gettext("seat %(seats)s") % {"seats": row.seats}


def _leg_row(leg: Leg, booking: Any) -> Row:
    note, seats = "", ""
    if booking is not None:
        moves = moves_of(leg, booking)
        numbers = joined(", ", (booking.hops[n]["number"] for n in moves)) or booking.carrier
        note = joined("", (booking.carrier, " ", numbers, "; ", _stands(booking)))
        seats = joined(", ", seats_of(booking, moves))
    where = {"origin": place_said(leg.origin["name"]), "target": place_said(leg.target["name"])}
    title = capfirst(gettext(leg.mode)) + " " + gettext("%(origin)s to %(target)s") % where
    return Row(f"leg:{leg.pk}", leg.leaves, leg.arrives, leg.mode, title, leg.origin["name"], note, seats)


def seats_of(booking: Any, moves: Sequence[int] | None = None) -> list[str]:
    """The seats of some of a booking's moves (of all): one for each, or a single wish in words that holds for all of them."""
    wish = len(booking.seats) == 1 and not any(each.isdigit() for each in booking.seats[0])
    chosen = booking.seats if wish or moves is None else [booking.seats[n] for n in moves if n < len(booking.seats)]
    return [seat for seat in chosen if seat]


def moves_of(leg: Leg, booking: Any) -> list[int]:
    """The places, among a booking's moves, of those that make up a leg: a way there and a way back are two legs of one."""
    ways: dict[str, list[int]] = {}
    for number, hop in enumerate(booking.hops):
        ways.setdefault(hop["key"], []).append(number)
    for moves in ways.values():
        if datetime.fromisoformat(booking.hops[moves[0]]["leaves"]) == leg.leaves:
            return moves
    return []


def itinerary_text(file: TripFile) -> str:
    """The itinerary in plain text, with local times."""
    local = gettext("All times are local.")
    lines = [joined("", (file.trip.title, ", ", file.trip.code, ". ", local)), ""]
    for row in rows_of(file):
        until = f"{row.ends:%H:%M}" if row.ends.date() == row.at.date() else moment_text(row.ends)
        when = day_words(row.at) if row.mode == "stay" else joined(" – ", (moment_text(row.at), until))
        lines.append(
            joined("", (when, "  ", row.title))
            + (joined("", (" (", row.note, ")")) if row.note else "")
            + (f", {_seat(row)}" if row.seats else "")
        )
    return "\n".join(map(str, lines))


def itinerary_html(file: TripFile) -> str:
    """The itinerary as the HTML part of a mail."""
    return render_to_string("trips/itinerary_mail.html", {"trip": file.trip, "rows": rows_of(file)})


def calendar_of(files: list[TripFile], name: str) -> bytes:
    """The itineraries of trips as a calendar (RFC 5545) with zones, and an alarm two hours before each move."""
    entries = []
    for file in files:
        for leg in file.legs:
            booking = next((b for b in file.bookings if b.pk == leg.booking_id), None)
            row = _leg_row(leg, booking)
            entries.append(
                Appointment(f"{file.trip.subject}-leg-{leg.pk}@wainwright", joined("", (capfirst(gettext(leg.mode)), " ", leg.origin['town'], " – ", leg.target['town'])),
                            leg.leaves, leg.origin["zone"], leg.arrives, leg.target["zone"], place_said(leg.origin["name"]),
                            "\n".join(map(str, filter(None, [file.trip.title, row.note, capfirst(_seat(row)) if row.seats else ""]))), timedelta(hours=2))
            )  # fmt: skip
        for stay in file.stays:
            first, last, zone = stay[0], stay[-1], stay[0].place["zone"]
            entries.append(
                Appointment(f"{file.trip.subject}-stay-{first.date}@wainwright", _lodging(first),
                            datetime.combine(first.date, time(15)), zone, datetime.combine(last.date + timedelta(days=1), time(10)), zone,
                            first.place["town"], file.trip.title)
            )  # fmt: skip
    return write_calendar(name, entries, clock.now())


def subscription_calendar(subscription: Subscription) -> bytes:
    """Everything that a person has ahead or had lately, as one calendar; of very many trips the first, and it says so."""
    member = subscription.member
    since = clock.today(member.firm.zone) - timedelta(days=60)
    trips = Trip.objects.filter(traveller=member, state__in=["Authorised", "Under way", "Back"], ends__gte=since)
    trips = trips.select_related("firm", "traveller__person", "traveller__firm").order_by("starts", "pk")
    files = [load_file(member, trip) for trip in trips[:SUBSCRIBED]]
    name = say("Trips of {member}", member=member.person.name)
    if len(files) == SUBSCRIBED and (count := trips.count()) > SUBSCRIBED:
        name = say(
            "Trips of {member}, the first {most} of {count}", member=member.person.name, most=SUBSCRIBED, count=count
        )
    return calendar_of(files, name)


def order_context(file: TripFile) -> dict[str, Any]:
    """Everything that an order of travel says: what was signed, with the tickets and places of now where they fit."""
    trip = file.trip
    version = next(iter(_newest_version(trip.pk)), None)
    signed = trip.authorised or trip.sent
    plan = (thaw(version.frozen) if version else None) or frozen_of(file, rows_of(file))
    return {
        "trip": trip, "plan": plan, "rows": _as_written(file, plan.rows), "version": version, "certified": trip.signed or version, "firm": trip.firm,
        "state": gettext(trip.state), "permissions": [(gettext(title), comment) for title, comment in plan.permission_words],
        "signed": signed.astimezone(ZoneInfo(trip.firm.zone)) if signed else None,
    }  # fmt: skip


@prepared
def _newest_version(trip: int) -> QuerySet[TripVersion]:
    return TripVersion.objects.filter(trip_id=trip).order_by("-number")[:1]


def _as_written(file: TripFile, signed: Sequence[Row]) -> list[Row]:
    """The rows of a signed plan with the tickets of now; in the letter's language where they still say what was signed."""
    here = {row.key: row for row in rows_of(file)}
    with translation.override(ENGLISH):
        english = {row.key: row for row in rows_of(file)}
    rows = []
    for row in signed:
        if row.key in here:
            same = english[row.key].title == row.title
            row = replace(row, note=here[row.key].note, title=here[row.key].title if same else row.title)
        rows.append(row)
    return rows


def order_html(file: TripFile, signers: list[dict[str, Any]], screen: bool = True) -> str:
    """The order of travel, in the language of the firm's letters, as a page of its own; off the screen it brings no style."""
    with written_for(file.trip.firm):
        said = [{**each, "word": _signed(each), "why": reason_words(each["why"])} for each in signers]
        return render_to_string("trips/order.html", order_context(file) | {"signers": said, "screen": screen})


def _signed(step: dict[str, Any]) -> str:
    """That somebody signed, and on which day where they did so themselves."""
    did, on = step["did"], step["on"]
    return joined("", (gettext(did), " ", day_words(on))) if on else gettext(did)


def order_pdf(file: TripFile, signers: list[dict[str, Any]]) -> bytes:
    """The order of travel as PDF."""
    return printed(order_html(file, signers, screen=False))


def link_of(subscription: Subscription, address: str) -> str:
    """The private address of a subscription."""
    return f"{address}/calendar/{subscription.secret}.ics"
