"""Every form that changes something carries a key of its own, beside the token against forms from elsewhere."""

from __future__ import annotations

import secrets
from typing import Any

from django import template
from django.template.defaulttags import CsrfTokenNode
from django.utils.html import format_html

register = template.Library()


class OnceNode(CsrfTokenNode):
    """Both hidden fields, under the one tag that no form forgets."""

    def render(self, context: Any) -> str:
        """Return the token's field and the key's."""
        token = super().render(context)
        return (
            token + format_html('<input type="hidden" name="once" value="{}">', secrets.token_urlsafe(12))
            if token
            else token
        )


@register.tag
def csrf_token(parser: Any, token: Any) -> OnceNode:
    """Django's own tag, with the key that makes a second press harmless."""
    return OnceNode()
