"""How signing in by allauth is narrowed to what a firm's tool needs."""

from __future__ import annotations

import base64

from allauth.account.adapter import DefaultAccountAdapter
from allauth.mfa.adapter import DefaultMFAAdapter
from cryptography.fernet import Fernet, InvalidToken, MultiFernet
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from django.conf import settings
from django.contrib.sites.shortcuts import get_current_site

from wainwright.people.guarding import address_of, begin, right
from wainwright.people.post import post

SEALED = "sealed:"


class Adapter(DefaultAccountAdapter):
    """People are invited by the firm; nobody signs up by themselves."""

    def is_open_for_signup(self, request):
        """Refuse signing up."""
        return False

    def send_mail(self, template_prefix, email, context):
        """Send as every mail goes out: by the queue, and never in the way of the request."""
        given = {"request": self.request, "email": email, "current_site": get_current_site(self.request)}
        post(self.render_mail(template_prefix, email, given | context))

    def get_client_ip(self, request):
        """Where a request comes from, as everything here counts it."""
        return address_of(request)

    def pre_authenticate(self, request, **credentials):
        """Count the attempt, and refuse one too many."""
        typed = credentials.get("email") or credentials.get("username") or ""
        request.attempt = begin(typed, address_of(request))
        if request.attempt is None:
            raise self.validation_error("too_many_login_attempts")

    def authenticate(self, request, **credentials):
        """Sign in; a right password ends the counting."""
        person = super().authenticate(request, **credentials)
        if person is not None and getattr(request, "attempt", None):
            right(request.attempt)
        return person


class FactorAdapter(DefaultMFAAdapter):
    """Secrets of authenticators and recovery codes are kept sealed: whoever reads the database alone has none of them."""

    def encrypt(self, text):
        """Seal a secret."""
        return SEALED + _fernet().encrypt(text.encode()).decode()

    def decrypt(self, encrypted_text):
        """Open a secret; one that was kept before they were sealed is as it stands."""
        if not encrypted_text.startswith(SEALED):
            return encrypted_text
        try:
            return _fernet().decrypt(encrypted_text.removeprefix(SEALED).encode()).decode()
        except InvalidToken as error:
            raise RuntimeError("a secret was sealed with another key: see WAINWRIGHT_SECRET_KEY") from error


def _fernet() -> MultiFernet:
    """The key in use, and those before it, so that a key can be changed."""
    keys = (settings.SECRET_KEY, *settings.SECRET_KEY_FALLBACKS)
    return MultiFernet([Fernet(_derived(key)) for key in keys])


def _derived(key: str) -> bytes:
    made = HKDF(algorithm=hashes.SHA256(), length=32, salt=None, info=b"second factor").derive(key.encode())
    return base64.urlsafe_b64encode(made)
