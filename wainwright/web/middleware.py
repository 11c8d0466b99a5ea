"""Who is asking, in which firm; and what a refusal looks like on the way back."""

from __future__ import annotations

from urllib.parse import urlsplit

from django.contrib import messages
from django.contrib.auth.views import redirect_to_login
from django.core.exceptions import ObjectDoesNotExist
from django.http import Http404, HttpResponseRedirect
from django.shortcuts import render

from wainwright.core.states import NotNow
from wainwright.errors import NotAllowed, Refusal
from wainwright.web.selectors import membership_of

# A calendar address is its own key: calendars that subscribe to it cannot sign in.
OPEN = ("/accounts/", "/static/", "/up/", "/demo-sign-in/", "/favicon.ico", "/calendar/")


class MemberMiddleware:
    """Sets ``request.member``; every page but signing in asks for one."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        request.member = None
        if request.path.startswith(OPEN):
            return self.get_response(request)
        if not request.user.is_authenticated:
            return redirect_to_login(request.get_full_path())
        request.member = membership_of(request.user, request.session.get("firm"))
        if request.member is None:
            return render(request, "web/no_firm.html", status=403)
        return self.get_response(request)


class RefusalMiddleware:
    """A refusal that a view did not show beside its form is said on the page that the act came from."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        return self.get_response(request)

    def process_exception(self, request, exception):
        """Turn what services raise into pages."""
        if isinstance(exception, ObjectDoesNotExist):
            raise Http404 from exception
        if isinstance(exception, NotAllowed) and request.method != "POST":
            return render(request, "403.html", {"why": exception.message}, status=403)
        if isinstance(exception, (Refusal, NotNow)):
            messages.error(request, str(exception))
            return HttpResponseRedirect(_back(request))
        return None


def _back(request) -> str:
    """Where the act came from, if that was one of our own pages."""
    came = urlsplit(request.META.get("HTTP_REFERER", ""))
    if came.netloc == request.get_host() and came.path:
        return came.path + (f"?{came.query}" if came.query else "")
    return "/"
