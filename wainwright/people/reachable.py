"""Which addresses outside may be asked or told at all: in the open nothing is sent, and nothing of this machine's own is reached."""

from __future__ import annotations

import ipaddress
from urllib.parse import urlsplit

from django.conf import settings

from wainwright.core.said import say
from wainwright.errors import Refusal

# The stand-ins that ship listen here; outside the demo and the tests nothing of this machine is asked.
_HERE = {"127.0.0.1", "localhost"}


def must_be_reachable(address: str, field: str = "address") -> None:
    """Raise ``Refusal`` unless an address is https with a name of its own, or the stand-in's in the demo."""
    try:
        parts = urlsplit(address)
        host, _ = parts.hostname or "", parts.port
    except ValueError as error:
        raise Refusal(say("That is no address. It begins with https://."), field) from error
    if (settings.DEMO or settings.TESTING) and parts.scheme == "http" and host in _HERE:
        return
    if parts.scheme != "https" or not host or parts.username or parts.password:
        raise Refusal(
            say("The address begins with https:// and has no name or password in it: nothing is sent in the open."),
            field,
        )
    if host in _HERE or host.endswith((".localhost", ".local", ".internal")) or _is_private(host):
        raise Refusal(say("That address is one of this machine's or its network's own. Name one outside."), field)


def _is_private(host: str) -> bool:
    try:
        return not ipaddress.ip_address(host).is_global
    except ValueError:
        return False
