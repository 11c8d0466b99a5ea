"""Acts on tokens and webhooks, and telling addresses of events."""

from __future__ import annotations

import hashlib
import hmac
import json
import logging
import secrets
from collections.abc import Sequence
from datetime import timedelta
from typing import Any

import requests
from django.db import transaction

from wainwright import clock
from wainwright.api.models import EVENTS, SCOPES, ApiToken, Delivery, Webhook, digest_of
from wainwright.claims.models import Claim
from wainwright.core.said import say
from wainwright.errors import Refusal, Stale
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.people.reachable import must_be_reachable
from wainwright.people.sealing import seal, unseal
from wainwright.trail.models import Entry
from wainwright.trail.services import record

log = logging.getLogger(__name__)
# Minutes between tries; after the last it is given up.
AGAIN = (1, 5, 30, 120, 600, 1440)
TIMEOUT = (4, 10)
MOST = 20


@transaction.atomic
def make_token(member: Membership, name: str, scopes: Sequence[str]) -> tuple[ApiToken, str]:
    """Make a token; return it and its text, which is shown this once. Raises ``NotAllowed``, ``Refusal``."""
    must(member, "let_in")
    name, chosen = " ".join(name.split())[:60], [scope for scope in SCOPES if scope in scopes]
    if len(name) < 2:
        raise Refusal(say("Say what it is for: the ledger's name."), "name")
    if not chosen:
        raise Refusal(say("Choose what it may do."), "scopes")
    if member.firm.api_tokens.filter(revoked__isnull=True).count() >= MOST:
        raise Refusal(say("{most} are enough. Take one back first.", most=MOST), "name")
    text = f"ww_{secrets.token_urlsafe(32)}"
    row = ApiToken.objects.create(
        firm=member.firm,
        name=name,
        digest=digest_of(text),
        begins=text[:8],
        scopes=chosen,
        made_by=member,
        time=clock.now(),
    )
    record(
        member,
        say("made a token"),
        f"firm:{member.firm_id}",
        after={"name": name, "scopes": chosen, "begins": row.begins},
    )
    return row, text


@transaction.atomic
def revoke(member: Membership, token_id: int) -> ApiToken:
    """Take a token back: it lets nobody in from now on. Raises ``Stale``."""
    must(member, "let_in")
    row = (
        ApiToken.objects.select_for_update(no_key=True)
        .filter(pk=token_id, firm=member.firm, revoked__isnull=True)
        .first()
    )
    if row is None:
        raise Stale(say("That token was taken back already."))
    row.revoked = clock.now()
    row.save(update_fields=["revoked"])
    record(member, say("took a token back"), f"firm:{member.firm_id}", before={"name": row.name, "begins": row.begins})
    return row


@transaction.atomic
def add_webhook(member: Membership, address: str, events: Sequence[str]) -> tuple[Webhook, str]:
    """Tell an address of events from now on; return it and its secret, which is shown this once. Raises ``Refusal``."""
    must(member, "let_in")
    address, chosen = address.strip()[:300], [event for event in EVENTS if event in events]
    must_be_reachable(address)
    if not chosen:
        raise Refusal(say("Choose of what it is told."), "events")
    if member.firm.webhooks.count() >= MOST:
        raise Refusal(say("{most} are enough. Drop one first.", most=MOST), "address")
    secret = secrets.token_urlsafe(32)
    last = Entry.objects.order_by("-number").values_list("number", flat=True).first() or 0
    row = Webhook.objects.create(
        firm=member.firm,
        address=address,
        secret=seal(secret),
        events=chosen,
        made_by=member,
        time=clock.now(),
        seen=last,
    )
    record(member, say("added a webhook"), f"firm:{member.firm_id}", after={"address": address, "events": chosen})
    return row, secret


@transaction.atomic
def drop_webhook(member: Membership, webhook_id: int) -> None:
    """Tell an address no more. Raises ``Stale``."""
    must(member, "let_in")
    row = Webhook.objects.filter(pk=webhook_id, firm=member.firm).first()
    if row is None:
        raise Stale(say("That webhook was dropped already."))
    record(member, say("dropped a webhook"), f"firm:{member.firm_id}", before={"address": row.address})
    row.delete()


def signature(secret: str, sent: str, body: bytes) -> str:
    """How a delivery is signed: HMAC-SHA256 of the moment it was sent, a full stop and the body, in hex."""
    return hmac.new(secret.encode(), sent.encode() + b"." + body, hashlib.sha256).hexdigest()


# What the trail says, and which event it is.
TELLS = {
    "cleared the claim": "claim.cleared", "cleared by itself": "claim.cleared", "entered in the ledger": "claim.posted", "refused by the ledger": "claim.refused",
}  # fmt: skip


@transaction.atomic
def notice(webhook_id: int) -> int:
    """Put what happened since the last look on its way to an address, found in the trail, so that nothing is lost or told twice.

    Returns how much.
    """
    hook = Webhook.objects.select_for_update(no_key=True).get(pk=webhook_id)
    last = Entry.objects.order_by("-number").values_list("number", flat=True).first() or 0
    rows = Entry.objects.filter(
        firm_id=hook.firm_id, number__gt=hook.seen, number__lte=last, what__in=TELLS, subject__startswith="claim:"
    )
    found = list(rows.order_by("number").values_list("number", "what", "subject"))
    claims = Claim.objects.in_bulk([int(subject.partition(":")[2]) for _, _, subject in found])
    made = []
    for number, what, subject in found:
        claim, event = claims.get(int(subject.partition(":")[2])), TELLS[what]
        if claim is not None and event in hook.events:
            body = {"id": number, "event": event, "claim": claim.code}
            made.append(
                Delivery(webhook=hook, event=event, entry=number, body=body, next=clock.now(), time=clock.now())
            )
    Delivery.objects.bulk_create(made, ignore_conflicts=True)
    Webhook.objects.filter(pk=hook.pk).update(seen=last)
    return len(made)


def deliver_due() -> int:
    """Send what waits for its next try, of every firm; return how much was taken. Run by the worker each minute."""
    for webhook_id in Webhook.objects.values_list("pk", flat=True):
        notice(webhook_id)
    taken = 0
    for row in (
        Delivery.objects.filter(state=Delivery.State.WAITING, next__lte=clock.now())
        .select_related("webhook")
        .order_by("next")[:200]
    ):
        taken += _deliver(row)
    return taken


def _deliver(row: Delivery) -> int:
    body, sent = json.dumps(row.body, sort_keys=True).encode(), clock.now().isoformat()
    headers = {
        "Content-Type": "application/json", "Wainwright-Event": row.event, "Wainwright-Sent": sent, "Wainwright-Delivery": str(row.pk),
        "Wainwright-Signature": signature(unseal(row.webhook.secret), sent, body),
    }  # fmt: skip
    problem = ""
    try:
        with requests.post(
            row.webhook.address, data=body, headers=headers, timeout=TIMEOUT, allow_redirects=False, stream=True
        ) as response:
            if not 200 <= response.status_code < 300:
                problem = say("it answered {status}", status=response.status_code)
    except requests.RequestException as error:
        problem = say("it cannot be reached: {error}", error=type(error).__name__)
    row.tries, row.problem = row.tries + 1, problem
    if not problem:
        row.state = Delivery.State.TAKEN
        Webhook.objects.filter(pk=row.webhook_id).update(failing=None)
    else:
        Webhook.objects.filter(pk=row.webhook_id, failing__isnull=True).update(failing=clock.now())
        if row.tries > len(AGAIN):
            row.state = Delivery.State.GIVEN_UP
        else:
            row.next = clock.now() + timedelta(minutes=AGAIN[row.tries - 1])
    row.save()
    return int(not problem)


def plain_claim(claim: Claim, journal: Any, on: str) -> dict[str, Any]:
    """A cleared claim as an outside ledger gets it."""
    return {
        "number": claim.code, "version": claim.version, "title": claim.title, "claimant": claim.claimant.person.name, "state": claim.state, "currency": claim.currency,
        "total": str(claim.total.amount), "due": str(claim.owed.amount), "post_on": on,
        "journal": {
            "key": journal.key,
            "lines": journal.plain_lines,
        },
    }  # fmt: skip
