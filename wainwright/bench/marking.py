"""Marks a request as one that decided something, so that the next page asks whether it can be undone, and others do not."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps

from django.views.decorators.http import require_POST


def decides(view: Callable) -> Callable:
    """A view that decides: only by POST; where it is refused nothing is marked."""

    @require_POST
    @wraps(view)
    def wrapped(request, *args, **kwargs):
        response = view(request, *args, **kwargs)
        request.session["decided"] = True
        return response

    return wrapped
