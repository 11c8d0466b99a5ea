"""Gives out the service behind each port, as named in the settings."""

from __future__ import annotations

from functools import cache
from typing import Any

from django.conf import settings
from django.utils.module_loading import import_string


@cache
def _made(path: str) -> Any:
    return import_string(path)()


def service(port: str) -> Any:
    """Return the service behind ``port`` ("market", "ledger", "bank", "roads", "reader")."""
    return _made(settings.PORTS[port])
