"""The regions of a trip's page: rendered whole, or only those that differ from what the browser has.

The browser says with each request which regions it shows, by a digest of each. So an act answers with its own panel and
with whatever it changed elsewhere, and nobody has to remember what that is.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from hashlib import blake2b
from typing import Any
from urllib.parse import urlencode

from django.contrib.messages import get_messages
from django.http import HttpResponse
from django.shortcuts import render
from django.template.loader import render_to_string
from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe

from wainwright import clock
from wainwright.bookings.models import Booking
from wainwright.core.money import Money, add_up
from wainwright.core.said import say
from wainwright.core.states import stage_reached
from wainwright.drawing.ribbon import Ribbon
from wainwright.rulebook.selectors import Explained
from wainwright.trips.models import Trip
from wainwright.trips.panels import LinePanel, Page, doors, find, opens, panels
from wainwright.trips.panels.base import Line
from wainwright.trips.panels.booked import PAYS
from wainwright.trips.panels.why import opened_by
from wainwright.trips.pictures import papers_asked, ribbon_of, spends_of
from wainwright.trips.selectors import advance_words
from wainwright.trips.versions import since_signed
from wainwright.trips.views.coming import coming_up

SEARCHED = ("air", "rail", "ferry", "coach")
HAS, OPEN = "X-Regions", "X-Open"
# What is another in every rendering, and no difference: the token against forms from elsewhere, a form's own key.
_FRESH = re.compile(r'name="(?:csrfmiddlewaretoken|once)" value="[^"]*"')
_BETWEEN = re.compile(r">\s+<")


def _digest(html: str) -> str:
    return blake2b(_FRESH.sub("", html).encode(), digest_size=5).hexdigest()


def _head(page: Page) -> dict[str, Any]:
    booked = all(b.state == "Ticketed" for b in page.file.bookings if b.stands)
    days = panels()["days"].there(page)
    return {"stage": stage_reached(page.trip.state, booked, page.claim.state if page.claim else ""), "days": days}


def _line(page: Page) -> dict[str, Any]:
    return {
        "typed_line": page.typed.get("typed_line", ""), "line_error": page.typed.get("line_error", ""),
        "search": search_of(page) if page.editable else "",
    }  # fmt: skip


def search_of(page: Page) -> str:
    """The search for what is planned and not booked: there, or there and back; nothing where that is not all there is."""
    today = clock.today(page.trip.firm.zone)
    legs = [leg for leg in page.file.legs if leg.booking_id is None]
    simple = 0 < len(legs) <= 2 and all(leg.mode in SEARCHED and leg.leaves.date() >= today for leg in legs)
    if not simple:
        return ""
    said = []
    for leg in legs:
        said += [
            ("from", leg.origin["code"]),
            ("to", leg.target["code"]),
            ("on", leg.leaves.date().isoformat()),
            ("when", "any"),
            ("at", ""),
        ]
    return f"?{urlencode(said)}"


def _ribbon(page: Page) -> dict[str, Any]:
    ribbon: Ribbon | None = ribbon_of(page.file, spends_of(page.file, page.expenses))
    return {"ribbon": ribbon}


def _doors(page: Page) -> dict[str, Any]:
    return {"doors": [(panel, panel.says(page), panel.asks(page)) for panel in doors(page)]}


def lines_of(page: Page) -> list[tuple[str, list[Line]]]:
    """The lines of the journey in time's order, by day; those without a day at the end."""
    lines = [line for panel in panels().values() if isinstance(panel, LinePanel) for line in panel.lines(page)]
    days: dict[str, list[Line]] = {}
    for line in sorted(lines, key=lambda line: (line.at, line.name)):
        days.setdefault(line.at.date().isoformat() if line.at.year < 9999 else "", []).append(line)
    return list(days.items())


def _journey(page: Page) -> dict[str, Any]:
    earned = {day.day.isoformat(): day.amount for day in page.file.figures.allowance.days}
    return {"days": [(day, lines, earned.get(day)) for day, lines in lines_of(page)]}


def booked_by_payer(page: Page) -> list[tuple[str, Money]]:
    """What the bookings come to by who pays, those bought elsewhere apart."""

    def payer(b: Booking) -> str:
        card = say("card {card}", card=b.card) if b.paid_by == "firm" and b.card else PAYS[b.paid_by]
        return card + (say(", bought elsewhere") if b.by_hand else "")

    return list(add_up((payer(b), b.price) for b in page.file.bookings if b.stands).items())


def _money(page: Page) -> dict[str, Any]:
    done, file, trip = page.file.figures, page.file, page.trip
    costs = [cost for cost in page.expenses if not cost.personal and cost.amount.currency == trip.currency]
    spent = add_up((file.book.names.get(cost.category, cost.category), cost.amount) for cost in costs)
    planned = dict(file.categories)
    rows = [(name, planned.get(name), spent.get(name)) for name in dict.fromkeys([*planned, *spent])]
    return {
        "rows": rows, "spent": spent, "firm_pays": done.sum("firm", "central"), "own_pays": done.sum("self") + done.allowance.amount,
        "booked": booked_by_payer(page), "advance_words": advance_words(trip), "signs": file.book.policy.trip_signoff,
        "may_take_back": page.own and trip.state == "Awaiting sign-off", "may_reopen": page.own and trip.state == "Authorised",
        "may_call_off": page.own and trip.state in ("Planning", "Sent back", "Authorised"),
        "can_claim": page.own and page.claim is None and (trip.state in ("Under way", "Back") or _off_with_costs(trip)),
        "can_supplement": page.own and page.claim is not None and not page.claim.editable,
        "can_close": page.own and page.claim is None and trip.state == "Back", "claims": trip.live_claims if page.claim else [],
        "may_stand": page.editable and bool(trip.standing),
    }  # fmt: skip


def _off_with_costs(trip: Trip) -> bool:
    """Whether a trip that was called off after it was authorised is still to be accounted for: what was spent, what was advanced."""
    return trip.state == "Called off" and trip.authorised is not None


def _way(page: Page) -> dict[str, Any]:
    return {"findings": [_finding(page, each) for each in page.file.findings]}


def _finding(page: Page, each: Explained) -> dict[str, Any]:
    """A finding with its ways on: what opens where it is cured, and the reason that it takes."""
    cure = opens(each.finding.cure.target, page) or opens(each.finding.target, page) if page.editable else ""
    why = opened_by(each) if page.editable and each.open and each.finding.level == "explain" else ""
    label = each.finding.cure.label
    if why and label.startswith("Say "):
        cure = ""
    # The one paper that is asked for can be given where it is asked.
    paper = asked[0] if cure == "papers" and len(asked := papers_asked(page.file)) == 1 else ""
    return {"each": each, "cure": cure, "label": label, "why": why, "paper": paper}


def _changes(page: Page) -> dict[str, Any]:
    version = page.trip.signed if page.trip.sent and page.trip.editable else None
    last = max((s.round for s in page.signoffs), default=0)
    back = (
        [s for s in page.signoffs if s.round == last and s.state == "Sent back"]
        if page.trip.state == "Sent back"
        else []
    )
    return {"changes": since_signed(page.file, version), "sent_back": back}


def _next(page: Page) -> dict[str, Any]:
    unseated = [
        b
        for b in page.file.bookings
        if page.may_seat and b.stands and not b.by_hand and b.seat_choice == "map" and not any(b.seats)
    ]
    return {"coming": coming_up(page), "unseated": unseated}


REGIONS: dict[str, Callable[[Page], dict[str, Any]]] = {
    "head": _head, "next": _next, "line": _line, "ribbon": _ribbon, "doors": _doors, "changes": _changes, "journey": _journey,
    "money": _money, "way": _way,
}  # fmt: skip


def _rendered(page: Page, name: str) -> str:
    context = {"page": page, "trip": page.trip, "file": page.file, "member": page.member, "editable": page.editable}
    html = render_to_string(f"trips/regions/{name}.html", context | REGIONS[name](page), request=page.request)
    return _BETWEEN.sub("> <", html).strip()


def panel_html(page: Page) -> str:
    """The panel that stands open, in its frame; nothing where none does."""
    found = find(page)
    if found is None:
        return ""
    panel, which = found
    context = {"page": page, "trip": page.trip, "member": page.member, "editable": page.editable, "panel": panel, "opened": page.opened}  # fmt: skip
    html = render_to_string(f"trips/panels/{panel.name}.html", context | panel.load(page, which), request=page.request)
    html = _BETWEEN.sub("> <", html).strip()
    return format_html(
        '<div class="panel" data-panel="{}" data-is="{}">{}</div>', page.opened, _digest(html), mark_safe(html)
    )


def slot_of(page: Page) -> str:
    """Where the open panel stands: below its line, below its finding, else below the doors."""
    found = find(page)
    if found is None:
        return ""
    panel, _ = found
    return f"slot-{page.opened}" if isinstance(panel, LinePanel) or panel.name == "why" else "slot-doors"


def _framed(name: str, html: str, inner: str, slot: str, swap: bool) -> SafeString:
    digest = _digest(html)
    if slot and inner:
        html = html.replace(f'id="{slot}">', f'id="{slot}">{inner}', 1)
    return format_html(
        '<div id="r-{}" class="region" data-is="{}"{}>{}</div>', name, digest,
        mark_safe(' hx-swap-oob="true"') if swap else "", mark_safe(html),
    )  # fmt: skip


def whole(page: Page, status: int = 200) -> HttpResponse:
    """The page with all its regions."""
    inner, slot = panel_html(page), slot_of(page)
    regions = {name: _framed(name, _rendered(page, name), inner, slot, False) for name in REGIONS}
    context = {"page": page, "trip": page.trip, "regions": regions, "editable": page.editable}
    return render(page.request, "trips/trip.html", context, status=status)


def changed(page: Page, status: int = 200) -> HttpResponse:
    """What differs from what the browser has: regions, the open panel, and always what is to be said."""
    headers = page.request.headers
    has = dict(part.partition("=")[::2] for part in headers.get(HAS, "").split(","))
    inner, slot = panel_html(page), slot_of(page)
    said = list(get_messages(page.request))
    words = {"messages": said, "opened": page.opened if inner else ""}
    parts = [render_to_string("trips/regions/messages.html", words, request=page.request)]
    placed = False
    for name in REGIONS:
        html = _rendered(page, name)
        if has.get(name) != _digest(html):
            parts.append(_framed(name, html, inner, slot, True))
            placed = placed or (bool(inner) and f'id="{slot}">' in html)
    if inner and not placed and (headers.get(OPEN) != page.opened or f'data-is="{has.get("panel")}"' not in inner):
        parts.append(format_html('<div id="{}" class="slot" hx-swap-oob="true">{}</div>', slot, mark_safe(inner)))
    return HttpResponse("".join(parts), status=status)


def shown(page: Page, status: int = 200) -> HttpResponse:
    """The answer that the request asks for: the whole page, or what differs."""
    return changed(page, status) if HAS in page.request.headers else whole(page, status)
