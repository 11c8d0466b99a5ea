"""What every page's frame needs."""

from __future__ import annotations

from django.conf import settings

from wainwright import clock

# Area, its name, its address, the key after "g", and the roles that open it (none: everybody).
AREAS = (
    ("desk", "Desk", "/", "d", ()),
    ("trips", "Trips", "/trips/", "t", ()),
    ("tray", "Tray", "/tray/", "y", ("traveller",)),
    ("claims", "Claims", "/claims/", "c", ()),
    ("bench", "Bench", "/bench/", "b", ("approver", "finance")),
    ("ledger", "Ledger", "/ledger/", "l", ("finance", "auditor")),
    ("rules", "Rules", "/rules/", "r", ("administrator", "finance", "auditor")),
    ("people", "People", "/people/", "p", ("auditor", "administrator")),
    ("trail", "Trail", "/trail/", "a", ("auditor", "administrator")),
)


def frame(request):
    """Return the areas that the person's roles open, and the demo's own additions."""
    member = getattr(request, "member", None)
    areas = []
    if member:
        held = set(member.roles)
        areas = [
            {"code": code, "name": name, "link": link, "key": key, "here": _here(request.path, link)}
            for code, name, link, key, roles in AREAS
            if not roles or held & set(roles)
        ]
    demo = {"demo": settings.DEMO, "demo_now": clock.now() if settings.DEMO else None}
    return {"member": member, "areas": areas, **demo}


def _here(path: str, link: str) -> bool:
    return path == link if link == "/" else path.startswith(link)
