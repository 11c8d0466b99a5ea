"""What pays money, opens doors or changes who may do what is done by somebody who has just shown who they are.

Signing in shows it for a quarter of an hour; after that such an act asks for the password, or what the authenticator shows,
on a page that keeps what was typed and sends it on. One table says which acts these are.
"""

from __future__ import annotations

from datetime import datetime, timedelta

from django.contrib.auth.signals import user_logged_in
from django.shortcuts import render

from wainwright import clock
from wainwright.errors import Refusal
from wainwright.people.proof import must_be_who
from wainwright.people.second_factor import has_authenticator

HOLDS = timedelta(minutes=15)
# Of ``urls``, the names of what is sent there.
ASKED = frozenset({
    # Money, and where it goes.
    "pay-make", "pay-release", "pay-by-hand", "advance-by-hand", "account-confirm", "write-off", "bank-accounts", "issuer-set",
    # Who may do what.
    "person", "invite", "bring-back", "people-table-take", "limits-set", "set-safeguards", "factor-off", "leave",
    # Doors for others.
    "provider-set", "provider-drop", "door-make", "group-set", "api-token", "api-webhook", "masters-connect", "masters-hand-over", "firm-new",
    # Everything at once.
    "firm-archive", "firm-archive-file", "firm-keeping", "archive",
})  # fmt: skip
KEY, FIELD = "shown", "proof"
# What a page may carry on; more than this nobody types.
MOST_FIELDS = 3_000


def listen() -> None:
    """Connect once, at start-up: who signs in has shown who they are."""
    user_logged_in.connect(_signed_in, dispatch_uid="shown-by-signing-in")


def _signed_in(sender, request, user, **_) -> None:
    if request is not None and hasattr(request, "session"):
        request.session[KEY] = clock.machine().isoformat()


def has_shown(request) -> bool:
    """Say whether somebody has shown who they are lately."""
    try:
        at = datetime.fromisoformat(request.session[KEY])
    except (KeyError, ValueError, TypeError):
        return False
    return timedelta(0) <= clock.machine() - at < HOLDS


class ProofMiddleware:
    """Asks who it is before such an act, and lets it go on with what was typed."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        return self.get_response(request)

    def process_view(self, request, view, args, kwargs):
        """Let an act through, or answer with the page that asks."""
        member = getattr(request, "member", None)
        if (
            request.method != "POST"
            or member is None
            or request.resolver_match.url_name not in ASKED
            or has_shown(request)
        ):
            return None
        given, why = request.POST.get(FIELD), ""
        if given is not None:
            try:
                must_be_who(request.user, given)
            except Refusal as refusal:
                why = refusal.message
            else:
                request.session[KEY] = clock.machine().isoformat()
                kept = request.POST.copy()
                del kept[FIELD]
                kept._mutable = False
                request.POST = kept
                return None
        return _asked(request, why)


def _asked(request, why: str):
    fields = [
        (name, value)
        for name, values in request.POST.lists()
        if name not in (FIELD, "csrfmiddlewaretoken")
        for value in values
    ]
    context = {
        "fields": fields[:MOST_FIELDS], "why": why, "lost": bool(request.FILES), "has_code": has_authenticator(request.user),
        "has_password": request.user.has_usable_password(), "minutes": int(HOLDS.total_seconds() // 60),
    }  # fmt: skip
    response = render(request, "web/proof.html", context, status=422 if why else 200)
    response.refused = True
    if request.htmx:
        # Whatever part of a page the act would have answered in: this is the whole page.
        response["HX-Retarget"], response["HX-Reswap"] = "body", "innerHTML"
    return response
