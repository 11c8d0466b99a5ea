"""What every page's frame needs."""

from __future__ import annotations

from django.conf import settings

from wainwright import clock
from wainwright.core.said import say

# Area, its name, its address, the key after "g", and the act of ``core.roles`` that opens it (none: everybody).
AREAS = (
    ("desk", say("Desk"), "/", "d", ""),
    ("trips", say("Trips"), "/trips/", "t", ""),
    ("tray", say("Tray"), "/tray/", "y", "travel"),
    ("claims", say("Claims"), "/claims/", "c", ""),
    ("bench", say("Bench"), "/bench/", "b", "bench"),
    ("ledger", say("Ledger"), "/ledger/", "l", "read_books"),
    ("reports", say("Reports"), "/reports/", "o", ""),
    ("rules", say("Rules"), "/rules/", "r", "read_rules"),
    ("people", say("People"), "/people/", "p", "read_people"),
    ("firm", say("Firm"), "/firm/", "f", "firm"),
    ("trail", say("Trail"), "/trail/", "a", "read_trail"),
)


def frame(request):
    """Return the areas that the person's roles open, and the demo's own additions."""
    member = getattr(request, "member", None)
    areas = []
    if member:
        may = member.may
        areas = [
            {"code": code, "name": name, "link": link, "key": key, "here": _here(request.path, link)}
            for code, name, link, key, act in AREAS
            if not act or may[act]
        ]
    demo = {
        "demo": settings.DEMO,
        "demo_now": clock.now() if settings.DEMO else None,
    }
    return {"member": member, "areas": areas, "factor_from": getattr(request, "factor_from", None), **demo}


def _here(path: str, link: str) -> bool:
    return path == link if link == "/" else path.startswith(link)
