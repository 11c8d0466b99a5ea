"""Wainwright on a phone without a signal: what an installed page is made of, and what it takes along.

The page under ``/away/`` holds nothing of anybody; the browser keeps what ``/today/`` said last, and what was taken down
meanwhile, and sends that on when the signal is back: each by the address that its form on the full pages has, with a key of
its own, so that it is done once.
"""

from __future__ import annotations

import hashlib
from datetime import timedelta
from functools import cache
from pathlib import Path

from django.contrib.staticfiles.storage import staticfiles_storage
from django.http import HttpResponse, JsonResponse
from django.middleware.csrf import get_token
from django.shortcuts import render
from django.views.decorators.cache import never_cache
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_POST, require_safe

from wainwright import clock
from wainwright.core.said import joined, say
from wainwright.errors import NotAllowed
from wainwright.expenses.forms import RideForm, currencies_of
from wainwright.expenses.models import PAID_BY
from wainwright.reading import read_out
from wainwright.reports.reader import Reader
from wainwright.rulebook.selectors import rulebook
from wainwright.trips import letters
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file
from wainwright.web.desk.traveller import asks_of_traveller

HERE = Path(__file__).parent / "static" / "web"
# What the page is made of; each is kept in the browser when it is installed.
SHELL = (
    "web/dist/wainwright.css",
    "web/words.js",
    "web/away-send.js",
    "web/away.js",
    "web/wheel.svg",
    "web/icons/icon-192.png",
)
# Trips that are told: those under way or near, at most so many.
AHEAD, BEHIND, MOST_TRIPS, MOST_STEPS = timedelta(days=14), timedelta(days=1), 2, 8
MOVING = ("Authorised", "Under way", "Back")


@require_safe
@never_cache
def manifest(request):
    """What a phone is told of the application: its name, its pictures, and that papers can be shared to it."""
    icon = staticfiles_storage.url
    said = {
        "name": "Wainwright", "short_name": "Wainwright", "id": "/", "start_url": "/away/", "scope": "/", "display": "standalone",
        "background_color": "#f6f8f5", "theme_color": "#1e4636", "description": say("Business travel: plan it, record it, claim it."),
        "icons": [
            {"src": icon("web/icons/icon-192.png"), "sizes": "192x192", "type": "image/png"},
            {"src": icon("web/icons/icon-512.png"), "sizes": "512x512", "type": "image/png"},
            {"src": icon("web/icons/icon-maskable-512.png"), "sizes": "512x512", "type": "image/png", "purpose": "maskable"},
        ],
        "share_target": {
            "action": "/away/share/", "method": "POST", "enctype": "multipart/form-data",
            "params": {"files": [{"name": "files", "accept": ["image/*", "application/pdf", ".heic", ".pdf", ".eml", ".xml", ".ics", ".gpx"]}]},
        },
        "shortcuts": [{"name": say("Take a receipt"), "url": "/away/#paper"}, {"name": say("Type a cost"), "url": "/away/#cost"}],
    }  # fmt: skip
    return JsonResponse(read_out(said), content_type="application/manifest+json")


@cache
def _worker() -> str:
    addresses = ["/away/", *(staticfiles_storage.url(name) for name in SHELL)]
    version = hashlib.sha256(
        b"".join((HERE.parent / name).read_bytes() for name in SHELL) + (HERE / "worker.js").read_bytes()
    ).hexdigest()[:16]
    listed = ", ".join(f'"{address}"' for address in addresses)
    sends = staticfiles_storage.url("web/away-send.js")
    head = f'const VERSION = "{version}", SHELL = [{listed}], SENDS = "{sends}";\n'
    return head + (HERE / "worker.js").read_text()


@require_safe
@never_cache
def worker(request):
    """What stands between the pages and the net in the browser. It is served from the top, so that it is for every page."""
    return HttpResponse(_worker(), content_type="text/javascript", headers={"Service-Worker-Allowed": "/"})


@require_safe
def page(request):
    """The page that opens without a signal. Nothing of anybody stands in it."""
    return render(request, "web/away.html", {"away": True})


@csrf_exempt
@require_POST
def share(request):
    """Where a phone shares papers to, if the page's own worker did not take them: it is not installed yet. Nothing is taken."""
    return render(request, "web/away.html", {"away": True, "not_taken": True}, status=409)


@require_safe
def today(request):
    """What is taken along: who one is, the next steps, the days of the trips that are near, and what forms offer."""
    member = request.member
    if not member.may["travel"] or member.prepared_by is not None:
        raise NotAllowed(say("This is for those who travel, as themselves."))
    reader, book = Reader(member), rulebook(member.firm)
    steps = [
        {
            "what": joined("", (ask.count, " ", ask.what)) if ask.count else ask.what,
            "detail": ask.detail,
            "act": ask.act,
            "link": ask.link,
        }
        for ask in asks_of_traveller(reader)
    ]
    ride = RideForm(member=member)
    return JsonResponse(read_out({
        "csrf": get_token(request), "at": clock.now().isoformat(), "day": reader.today.isoformat(),
        "who": {"id": member.pk, "name": member.person.name, "firm": member.firm.name},
        "steps": steps[:MOST_STEPS], "more_steps": max(0, len(steps) - MOST_STEPS), "trips": [_told(member, trip) for trip in _near(member, reader.today)],
        "offers": {
            "currency": [code for code, _ in currencies_of(member)], "home": member.firm.currency,
            "category": [[each.code, each.name] for each in book.choices(member).values()],
            "paid_by": [[code, str(words)] for code, words in PAID_BY], "vehicle": [list(each) for each in ride.fields["vehicle"].choices],
        },
    }))  # fmt: skip


def _near(member, day) -> list[Trip]:
    rows = Trip.objects.filter(traveller=member, state__in=MOVING, starts__lte=day + AHEAD, ends__gte=day - BEHIND)
    return list(rows.select_related("traveller__person", "signed").order_by("starts")[:MOST_TRIPS])


def _told(member, trip: Trip) -> dict[str, object]:
    trip.firm, trip.traveller = member.firm, member
    rows = letters.rows_of(load_file(member, trip))
    return {
        "title": trip.title, "code": trip.code, "link": f"/trips/{trip.pk}/",
        "rows": [{"day": f"{row.at:%Y-%m-%d}", "time": f"{row.at:%H:%M}", "mode": row.mode, "what": row.title, "where": row.where, "note": row.note, "seats": row.seats} for row in rows],
    }  # fmt: skip
