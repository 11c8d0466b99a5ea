"""Around each request: the page while nothing can be done, and a line in the log."""

from __future__ import annotations

import json
import logging
import time

from django.conf import settings
from django.http import HttpResponse
from django.template.loader import render_to_string

log = logging.getLogger("wainwright.requests")
# Who watches the machine is answered all the same.
STILL_ANSWERED = ("/up/", "/static/", "/metrics/")
RETRY = 120


class MaintenanceMiddleware:
    """While ``manage.py maintenance on`` holds, every page says so; nothing asks the database, which may be in pieces."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        if request.path.startswith(STILL_ANSWERED) or (said := words()) is None:
            return self.get_response(request)
        page = render_to_string("operating/maintenance.html", said)
        return HttpResponse(page, status=503, headers={"Retry-After": str(RETRY), "Cache-Control": "no-store"})


def words() -> dict[str, str] | None:
    """What is said while nothing can be done; nothing where all is as usual."""
    try:
        return json.loads(settings.MAINTENANCE.read_text())
    except FileNotFoundError:
        return None
    except ValueError:
        return {"words": "", "until": ""}


class LogMiddleware:
    """One line for each request: what was asked, what was answered, how long it took. What stands behind a question mark is left out."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        began = time.monotonic()
        response = self.get_response(request)
        member = getattr(request, "member", None)
        log.info(
            "%s %s %s", request.method, request.path, response.status_code,
            extra={"ms": round((time.monotonic() - began) * 1000), "member": member.pk if member else None, "firm": member.firm_id if member else None},
        )  # fmt: skip
        return response
