"""Keeping what has to be read again and is nobody's business: sealed with the installation's own key."""

from __future__ import annotations

import base64
import hashlib

from cryptography.fernet import Fernet, InvalidToken, MultiFernet
from django.conf import settings


def _box() -> MultiFernet:
    keys = [settings.SECRET_KEY, *settings.SECRET_KEY_FALLBACKS]
    return MultiFernet(
        [Fernet(base64.urlsafe_b64encode(hashlib.sha256(f"sealing:{key}".encode()).digest())) for key in keys]
    )


def seal(text: str) -> str:
    """Return a text sealed; nothing stays nothing."""
    return _box().encrypt(text.encode()).decode() if text else ""


def unseal(sealed: str) -> str:
    """Return what was sealed, nothing where the key was lost since."""
    try:
        return _box().decrypt(sealed.encode()).decode() if sealed else ""
    except InvalidToken:
        return ""
