"""How long a session lasts: so long without a click, and so long at most, whatever is clicked."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import logout

from wainwright import clock
from wainwright.core.said import say

BEGAN, SEEN = "began", "seen"
# A click is noted no more often than this: a session that is written at each click costs each page a write.
NOTED = timedelta(minutes=2)


class LastingMiddleware:
    """Ends a session that was idle for ``SESSION_IDLE``, or is older than ``SESSION_LONGEST``."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        if request.user.is_authenticated:
            now = clock.machine()
            began, seen = _moment(request.session.get(BEGAN)) or now, _moment(request.session.get(SEEN)) or now
            if now - seen > settings.SESSION_IDLE or now - began > settings.SESSION_LONGEST:
                idle = now - seen > settings.SESSION_IDLE
                logout(request)
                messages.info(
                    request,
                    say("You were away for long: sign in again.")
                    if idle
                    else say("You have been signed in for a whole day's work: sign in again."),
                )
            elif BEGAN not in request.session or not timedelta(0) <= now - seen < NOTED:
                request.session[BEGAN], request.session[SEEN] = began.isoformat(), now.isoformat()
        return self.get_response(request)


def _moment(text) -> datetime | None:
    try:
        return datetime.fromisoformat(text)
    except (TypeError, ValueError):
        return None
