"""The page on which finance lets an outside ledger in: tokens, webhooks, what was sent to them."""

from __future__ import annotations

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright.api import services
from wainwright.api.models import EVENTS, SCOPES, Delivery
from wainwright.core.said import say
from wainwright.errors import NotAllowed, Refusal
from wainwright.fields import whole
from wainwright.paging import page_of
from wainwright.people.may import must


@require_GET
def page(request):
    """Tokens, webhooks, deliveries."""
    return _show(request)


def _show(request, status: int = 200, **more):
    must(request.member, "read_books")
    firm = request.member.firm
    context = {
        "tokens": firm.api_tokens.select_related("made_by__person")[:60], "webhooks": firm.webhooks.select_related("made_by__person"), "scopes": SCOPES.items(), "events": EVENTS.items(),
        "page": page_of(Delivery.objects.filter(webhook__firm=firm).select_related("webhook"), 20, request.GET.get("page")), "shown": "", "error": "", "at": "", "typed": "",
    }  # fmt: skip
    return render(request, "api/page.html", context | more, status=status)


@require_POST
def make_token(request):
    """Make a token; its text is shown on this answer and never again."""
    try:
        row, text = services.make_token(request.member, request.POST.get("name", ""), request.POST.getlist("scopes"))
    except NotAllowed:
        raise
    except Refusal as refusal:
        return _show(request, 422, error=refusal.message, at="token", typed=request.POST.get("name", "")[:60])
    return _show(request, shown=say("The token of {name}: {secret}", name=row.name, secret=text))


@require_POST
def revoke(request, token_id: int):
    """Take a token back."""
    row = services.revoke(request.member, token_id)
    messages.info(request, say("The token of {name} is taken back: it lets nobody in any more.", name=row.name))
    return redirect("api")


@require_POST
def add_webhook(request):
    """Add a webhook; its secret is shown on this answer and never again."""
    try:
        row, secret = services.add_webhook(
            request.member, request.POST.get("address", ""), request.POST.getlist("events")
        )
    except NotAllowed:
        raise
    except Refusal as refusal:
        return _show(request, 422, error=refusal.message, at="webhook", typed=request.POST.get("address", "")[:300])
    return _show(request, shown=say("The secret of {address}: {secret}", address=row.address, secret=secret))


@require_POST
def drop_webhook(request):
    """Drop a webhook."""
    services.drop_webhook(request.member, whole(request.POST.get("webhook")))
    messages.info(request, say("It is told no more."))
    return redirect("api")
