"""Acts on a firm's own identity provider."""

from __future__ import annotations

import re
from dataclasses import dataclass

from allauth.socialaccount.models import SocialAccount
from django.db import transaction

from wainwright import clock
from wainwright.core.said import joined, say
from wainwright.errors import Refusal
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, SignInBy
from wainwright.people.providers import NONSENSE, Bounded
from wainwright.people.reachable import must_be_reachable
from wainwright.people.sealing import seal
from wainwright.trail.services import record

NEEDED = ("authorization_endpoint", "token_endpoint", "userinfo_endpoint", "jwks_uri")
_DOMAIN = re.compile(r"^(?=.{4,120}$)([a-z0-9]([a-z0-9-]*[a-z0-9])?\.)+[a-z]{2,}$")


@dataclass(frozen=True)
class Provider:
    """An identity provider as it is set; an empty secret keeps the one there is."""

    issuer: str
    client_id: str
    secret: str
    domain: str
    required: bool = False
    asks_factor: bool = False


def set_provider(by: Membership, wanted: Provider) -> SignInBy:
    """Set by which provider the firm's people sign in; it is asked first whether it is one. Raises ``NotAllowed``, ``Refusal``."""
    must(by, "firm")
    issuer, domain = wanted.issuer.strip().rstrip("/"), wanted.domain.strip().lower().lstrip("@")
    must_be_reachable(issuer, "issuer")
    if not _DOMAIN.match(domain):
        raise Refusal(say("Type what stands behind the @ of your people's addresses, as example.org."), "domain")
    if not wanted.client_id.strip():
        raise Refusal(say("The provider gave you a name for this application: type it."), "client_id")
    before = SignInBy.objects.filter(firm_id=by.firm_id).first()
    same = before is not None and (before.issuer, before.client_id) == (issuer, wanted.client_id.strip())
    if not wanted.secret and not same:
        raise Refusal(say("The provider gave you a secret for this application: type it."), "secret")
    # Asked before anything is locked: it may take its time.
    describe(issuer)
    with transaction.atomic():
        Firm.objects.select_for_update(no_key=True).get(pk=by.firm_id)
        row = SignInBy.objects.filter(firm_id=by.firm_id).first() or SignInBy(firm=by.firm, time=clock.now())
        said = _said(row) if row.pk else None
        row.issuer, row.client_id, row.domain, row.time = issuer, wanted.client_id.strip()[:200], domain, clock.now()
        row.required, row.asks_factor = wanted.required, wanted.asks_factor
        row.secret = seal(wanted.secret) if wanted.secret else row.secret
        row.save()
        if not same:
            # Whom another provider spoke of is not who this one speaks of.
            SocialAccount.objects.filter(provider=by.firm.slug).delete()
        record(by, say("set the sign-in by a provider"), f"firm:{by.firm_id}", before=said, after=_said(row))
    return row


def describe(issuer: str) -> dict[str, object]:
    """Ask a provider how it describes itself (OpenID Connect Discovery 1.0). Raises ``Refusal`` where it is none, or another."""
    try:
        with Bounded() as session:
            answer = session.get(f"{issuer}/.well-known/openid-configuration")
            answer.raise_for_status()
            found = answer.json()
        missing = [name for name in NEEDED if not isinstance(found.get(name), str)]
        said = str(found.get("issuer", "")).rstrip("/")
    except NONSENSE as error:
        raise Refusal(
            say("Nothing at {issuer} describes a provider: it gave no answer that could be read.", issuer=issuer),
            "issuer",
        ) from error
    if missing:
        raise Refusal(say("The provider's description lacks {list}.", list=joined(", ", missing)), "issuer")
    if said != issuer:
        raise Refusal(
            say("It calls itself {said}: type that, if it is the one you mean.", said=said[:100] or "nothing"), "issuer"
        )
    return found


@transaction.atomic
def drop_provider(by: Membership) -> None:
    """Let people sign in by password again. Raises ``NotAllowed``, ``Refusal``."""
    must(by, "firm")
    row = SignInBy.objects.filter(firm_id=by.firm_id).first()
    if row is None:
        raise Refusal(say("No provider is set."))
    record(by, say("dropped the sign-in by a provider"), f"firm:{by.firm_id}", before=_said(row))
    SocialAccount.objects.filter(provider=by.firm.slug).delete()
    row.delete()


def _said(row: SignInBy) -> dict[str, object]:
    return {
        "issuer": row.issuer, "name there": row.client_id, "domain": row.domain, "required": row.required,
        "asks the second factor": row.asks_factor,
    }  # fmt: skip
