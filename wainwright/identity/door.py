"""The door of a firm's identity provider: SCIM 2.0 under ``/scim/v2/``."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import csrf_exempt


@csrf_exempt
def scim(request: HttpRequest, path: str) -> HttpResponse:
    """Answer one request of an identity provider. It shows a token, never a session."""
    from wainwright.identity.scim import answer  # noqa: PLC0415 - the protocol's models take two seconds, once a process

    return answer(request, path)
