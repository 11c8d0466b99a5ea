"""Signing in by a firm's own identity provider: whom it may bring in, and how far that reaches.

A provider speaks for the firm that named it, and for no other: what it says of an address opens that firm alone, even
where the person is of other firms as well.
"""

from __future__ import annotations

from typing import Any

import requests
from allauth.account.internal.flows.login import get_authentication_records
from allauth.core.exceptions import ImmediateHttpResponse
from allauth.socialaccount.adapter import DefaultSocialAccountAdapter
from allauth.socialaccount.models import SocialAccount, SocialApp
from django.contrib import messages
from django.db import transaction
from django.http import HttpRequest
from django.shortcuts import redirect

from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.people.models import Membership, Person, SignInBy
from wainwright.people.reachable import must_be_reachable
from wainwright.people.sealing import unseal

WAITS, MOST_BYTES = 10, 1_000_000
# What a provider's answer may raise, where it is nonsense, in the libraries that read it.
NONSENSE = (KeyError, TypeError, ValueError, AttributeError, requests.RequestException)


class Bounded(requests.Session):
    """Asks a provider: addresses outside alone, within bounds of time and size, and follows nothing elsewhere."""

    def request(self, method, url, **options):
        """Ask. Raises ``requests.RequestException`` for whatever is out of bounds."""
        try:
            must_be_reachable(str(url))
        except Refusal as refusal:
            raise requests.exceptions.InvalidURL(refusal.message) from refusal
        answer = super().request(method, url, **{**options, "timeout": WAITS, "allow_redirects": False, "stream": True})
        content = b""
        for piece in answer.iter_content(64_000):
            content += piece
            if len(content) > MOST_BYTES:
                raise requests.exceptions.ContentDecodingError(say("the provider's answer is larger than 1 MB"))
        answer._content = content
        return answer


class ProviderAdapter(DefaultSocialAccountAdapter):
    """How signing in by a provider is narrowed to what a firm's tool needs."""

    def list_apps(self, request, provider=None, client_id=None):
        """The provider of the firm that is called so; there are no others."""
        row = SignInBy.objects.select_related("firm").filter(firm__slug=provider).first() if provider else None
        return [app_of(row)] if row is not None else []

    def is_open_for_signup(self, request, sociallogin):
        """Refuse signing up: people are invited, or brought in by the firm's provider."""
        return False

    def get_requests_session(self):
        """Ask within bounds."""
        return Bounded()

    def send_notification_mail(self, *args, **kwargs):
        """Tell nothing: that somebody came by their firm's own provider is no news."""

    def pre_social_login(self, request, sociallogin):
        """Find whom the provider speaks of among the firm's people, or say why nobody comes in."""
        row = SignInBy.objects.select_related("firm").get(firm__slug=sociallogin.account.provider)
        try:
            with transaction.atomic():
                person = _whom(row, sociallogin)
                if not sociallogin.is_existing:
                    sociallogin.connect(request, person)
        except Refusal as refusal:
            messages.error(request, refusal.message)
            raise ImmediateHttpResponse(redirect("account_login")) from refusal

    def on_authentication_error(self, request, provider, error=None, exception=None, extra_context=None):
        """Whatever went wrong on the way there and back is said on the sign-in page."""
        messages.error(request, words_for(provider.name, str(error or "")))
        raise ImmediateHttpResponse(redirect("account_login"))


def words_for(name: str, error: str = "") -> str:
    """What is said where a provider did not let somebody in."""
    if error == "cancelled":
        return say("Signing in by the provider of {name} was called off.", name=name)
    return say(
        "The provider of {name} gave no answer that could be read. Try again, or ask your administrator.", name=name
    )


def app_of(row: SignInBy) -> SocialApp:
    """A firm's provider as the sign-in package has it. Never kept: ours is."""
    return SocialApp(
        provider="openid_connect", provider_id=row.firm.slug, name=row.firm.name, client_id=row.client_id,
        secret=unseal(row.secret), settings={"server_url": row.issuer, "oauth_pkce_enabled": True},
    )  # fmt: skip


def _whom(row: SignInBy, sociallogin: Any) -> Person:
    """Return the person of the firm of whom a provider speaks. Raises ``Refusal``."""
    members = Membership.objects.filter(firm=row.firm, active=True, person__is_active=True).select_related("person")
    ask = say("Ask an administrator of {name}.", name=row.firm.name)
    data = sociallogin.account.extra_data or {}
    userinfo, token = data.get("userinfo"), data.get("id_token")
    if not isinstance(userinfo, dict | None) or (userinfo and token and userinfo.get("sub") != token.get("sub")):
        # OpenID Connect Core 1.0, 5.3.2: both are about the same person, or neither is believed.
        raise Refusal(words_for(row.firm.name))
    if sociallogin.is_existing:
        member = members.filter(person=sociallogin.user).first()
        if member is None:
            raise Refusal(say("You are not of {name} any more. {ask}", name=row.firm.name, ask=ask))
        return member.person
    said = next(iter(sociallogin.email_addresses), None)
    email = (said.email if said is not None else "").strip().lower()
    claim = (userinfo or token or data).get("email_verified")
    # A provider that does not say whether it has seen the address is believed for the firm's own domain alone.
    if not email or claim in (False, "false") or (claim is None and not email.endswith(f"@{row.domain}")):
        raise Refusal(say("Your provider vouches for no address of yours. {ask}", ask=ask))
    member = members.filter(person__email__iexact=email).first()
    if member is None:
        raise Refusal(say("{email} is nobody of {name} here yet. {ask}", email=email, name=row.firm.name, ask=ask))
    if SocialAccount.objects.filter(user=member.person, provider=row.firm.slug).exists():
        raise Refusal(
            say("Another account of the provider is {member}'s here already. {ask}", member=member.person.name, ask=ask)
        )
    return member.person


def came_by(request: HttpRequest) -> str | None:
    """Return the firm, by its short name, whose provider alone vouches for a session; nothing where a password or a code does too."""
    records = get_authentication_records(request, request.user)
    methods = {record.get("method") for record in records}
    if "socialaccount" not in methods or "password" in methods:
        return None
    return next(str(r.get("provider")) for r in records if r.get("method") == "socialaccount")


def opened_by(slug: str) -> list[int]:
    """Return which firms a provider opens: the one that named it, and those that named the very same. One query."""
    rows = list(SignInBy.objects.values_list("firm__slug", "firm_id", "issuer", "client_id"))
    same = next(((issuer, client) for each, _, issuer, client in rows if each == slug), None)
    return [firm for _, firm, issuer, client in rows if (issuer, client) == same]
