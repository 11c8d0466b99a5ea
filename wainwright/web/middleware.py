"""Who is asking, in which firm; and what a refusal looks like on the way back."""

from __future__ import annotations

import hashlib
import json
import logging
import random
import time
from contextlib import suppress
from urllib.parse import urlsplit

from django.contrib import messages
from django.contrib.auth.views import redirect_to_login
from django.core.exceptions import ObjectDoesNotExist
from django.db import IntegrityError, transaction
from django.http import Http404, HttpResponseRedirect, QueryDict
from django.shortcuts import redirect, render
from django.urls import Resolver404, resolve
from django.utils import translation
from django_htmx.http import HttpResponseClientRedirect

from wainwright import clock
from wainwright.core.said import say
from wainwright.core.states import NotNow
from wainwright.core.text import clean, one_line
from wainwright.errors import NotAllowed, Refusal
from wainwright.language import ENGLISH, code_of
from wainwright.people.acting import acting_for, may_prepare_for
from wainwright.people.models import Once
from wainwright.people.providers import came_by, opened_by
from wainwright.people.second_factor import asked_from
from wainwright.web.again import TRIES, in_the_way
from wainwright.web.selectors import membership_of

log = logging.getLogger(__name__)
# A calendar address is its own key: calendars that subscribe to it cannot sign in.
OPEN = (
    "/api/v1/",
    "/scim/v2/",
    "/accounts/",
    "/static/",
    "/up/",
    "/ready/",
    "/metrics/",
    "/refused-by-browser/",
    "/demo-sign-in/",
    "/favicon.ico",
    "/calendar/",
    "/away/",
    "/manifest.webmanifest",
    "/worker.js",
    "/news/mail/",
)


BAD = 400
# What is meant as often as it is pressed: looks at what is being typed, and steps by so much.
REPEATED = frozenset({"check", "ride-check", "leg-move", "meal", "stay-stretch", "shift"})
READING = ("GET", "HEAD", "OPTIONS")
# What somebody who prepares for another works on.
PREPARED = (
    "/trips/", "/tray/", "/receipts/", "/expenses/", "/claims/", "/places/", "/codes/", "/rates/", "/find/", "/look/", "/stand-ins/",
)  # fmt: skip
# What is nobody's but one's own: which firm one looks at, which news one has read.
THEIR_OWN = ("/firms/", "/news/", "/clock/")


class TextMiddleware:
    """Cleans what people type and how files are called, before anything reads it."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        request.GET = _cleaned(request.GET)
        if request.method == "POST":
            request.POST = _cleaned(request.POST)
            for files in request.FILES.lists():
                for file in files[1]:
                    file.name = one_line(file.name, 200) or "file"
        return self.get_response(request)


def _cleaned(given: QueryDict) -> QueryDict:
    if all(clean(value) == value for values in given.lists() for value in values[1]):
        return given
    kept = QueryDict(mutable=True, encoding=given.encoding)
    for name, values in given.lists():
        kept.setlist(clean(name), [clean(value) for value in values])
    kept._mutable = False
    return kept


class NoStoreMiddleware:
    """Nothing of people is kept by a browser or on the way to it, so that nobody reads it there after them."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        response = self.get_response(request)
        if not request.path.startswith("/static/"):
            response["Cache-Control"] = "no-store, private"
        # Nobody else's page takes a picture or a file of ours into itself.
        response["Cross-Origin-Resource-Policy"] = "same-origin"
        return response


class OnceMiddleware:
    """The second press of a form leads where the first led, and does nothing.

    A press is the form's own key and all that was typed: another text in the same form is another press. What was
    refused, or only looked at, may be sent again.
    """

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        response = self.get_response(request)
        row = getattr(request, "once", None)
        if row is not None:
            led_to = response.headers.get("Location") or response.headers.get("HX-Redirect")
            if led_to and response.status_code < BAD and not getattr(response, "refused", False):
                Once.objects.filter(pk=row.pk).update(led_to=led_to[:300])
            else:
                row.delete()
        return response

    def process_view(self, request, *_):
        """Keep the press, or answer a second one."""
        member = getattr(request, "member", None)
        if request.method != "POST" or member is None or not request.POST.get("once"):
            return None
        if request.resolver_match.url_name in REPEATED:
            return None
        key = _press(request, member)
        try:
            with transaction.atomic():
                request.once = Once.objects.create(key=key, member=member, time=clock.now())
        except IntegrityError:
            first = Once.objects.filter(key=key).first()
            messages.info(request, say("That was sent twice, and done once."))
            return HttpResponseRedirect(first.led_to if first and first.led_to else _back(request))
        return None


def _press(request, member) -> str:
    said = sorted((name, values) for name, values in request.POST.lists() if name != "csrfmiddlewaretoken")
    said += sorted((name, [f"{file.name}:{file.size}" for file in files]) for name, files in request.FILES.lists())
    return hashlib.sha256(json.dumps([member.pk, request.path, said]).encode()).hexdigest()


class MemberMiddleware:
    """Sets ``request.member``; every page but signing in asks for one."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        # Of whoever has not signed in, the browser says what they read; what is activated within ends here.
        with translation.override(_of_browser(request)):
            return self._entered(request)

    def _entered(self, request):
        request.member = None
        if request.path.startswith(OPEN):
            # Whoever is signed in has the same frame around these pages, and nothing is asked of them there.
            if request.path.startswith("/away/") and request.user.is_authenticated:
                _speak(request, _member(request))
            if request.path.startswith("/accounts/") and request.user.is_authenticated:
                request.member = _member(request)
                _speak(request, request.member)
                if (refused := _not_by_a_provider(request)) is not None:
                    return refused
            return self.get_response(request)
        if not request.user.is_authenticated:
            return _to_sign_in(request)
        request.member = _member(request)
        _speak(request, request.member)
        if request.member is None:
            return render(request, "web/no_firm.html", {"by": request.by}, status=403)
        if (refused := _must_come_by(request)) is not None:
            return refused
        asked = request.member.needs_factor and not request.path.startswith(THEIR_OWN)
        own = getattr(request.member.firm, "sign_in_by", None)
        if asked and not (request.by and own is not None and own.asks_factor):
            today = clock.today(request.member.firm.zone)
            request.factor_from = asked_from(request.member, today)
            if request.factor_from is not None and request.factor_from <= today:
                messages.info(
                    request,
                    say(
                        "{member} asks a second factor of you. Set it up, then go on.", member=request.member.firm.name
                    ),
                )
                return redirect("mfa_index")
        if request.session.get("for") and not request.path.startswith(("/delegate/", *THEIR_OWN)):
            refused = _for_another(request)
            if refused is not None:
                return refused
        if request.member.reads_only and request.method not in READING and not request.path.startswith(THEIR_OWN):
            words = say("Auditors read, and change nothing. Ask somebody of the firm to do it.")
            return render(request, "403.html", {"why": words}, status=403)
        return self.get_response(request)


def _of_browser(request) -> str:
    asked = translation.get_language_from_request(request)
    return code_of(asked.split("-")[0], ENGLISH)


def _speak(request, member) -> None:
    """From here on everything is said in the language of who asks: their own choice, else their firm's."""
    if member is not None:
        translation.activate(code_of(request.user.language, member.firm.language))


def _member(request):
    """The firm that somebody works in: of those they are of; and where a provider alone vouches for them, of those it opens."""
    request.by = came_by(request)
    only = opened_by(request.by) if request.by else None
    return membership_of(request.user, request.session.get("firm"), only)


def _must_come_by(request):
    """Lead whoever came by password to the firm's provider, where people come in by it alone; administrators may come by both."""
    member = request.member
    if request.by or member.administrator or request.path.startswith((*THEIR_OWN, "/news/")):
        return None
    # It came with the firm: no page asks for it a second time.
    row = getattr(member.firm, "sign_in_by", None)
    if row is None or not row.required:
        return None
    messages.info(request, say("{member} lets people in by its own provider alone.", member=member.firm.name))
    return redirect("sign-in-by")


def _not_by_a_provider(request):
    """What opens other firms as well (password, second factor) is not set by whom the provider of one alone vouches for."""
    own = ("/accounts/2fa/", "/accounts/password/change/")
    if not request.by or not request.path.startswith(own):
        return None
    if not request.user.memberships.filter(active=True).exclude(firm_id__in=opened_by(request.by)).exists():
        return None
    words = say(
        "You came by the provider of one firm, and are of others too. Sign in by password to set what opens them all."
    )
    return render(request, "403.html", {"why": words}, status=403)


def _for_another(request):
    """Let a delegate work as whom they prepare for; return an answer where that is over, or the page is not theirs."""
    today = clock.today(request.member.firm.zone)
    row = may_prepare_for(request.member, today).filter(member=request.session["for"]).first()
    if row is None:
        del request.session["for"]
        messages.info(request, say("You do not prepare for them any more."))
        return redirect("desk")
    if request.path != "/" and not request.path.startswith(PREPARED):
        words = say(
            "You prepare for {member}: their trips, papers, costs and claims are open to you. Stop "
            "preparing for them, then open this.",
            member=row.member.person.name,
        )
        return render(request, "403.html", {"why": words}, status=403)
    request.member = acting_for(request.member, row.member)
    return None


# The largest number of a row in any of the databases.
MOST_NUMBER = 2**63 - 1


class RefusalMiddleware:
    """A refusal that a view did not show beside its form is said on the page that the act came from.

    An address that only takes what a form sends says so when it is opened by itself. Where a page stands at such an address,
    since something typed on it was wrong, its links lead to the page above: they name only what differs from it.
    """

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        response = self.get_response(request)
        if response.status_code == 405 and request.method == "GET":
            if above := _page_above(request):
                return redirect(above)
            return render(request, "405.html", {"back": _back(request)}, status=405)
        return response

    def process_view(self, request, view, args, kwargs):
        """A number in an address that no row can have is an address that is not there."""
        if any(isinstance(value, int) and value > MOST_NUMBER for value in kwargs.values()):
            raise Http404

    def process_exception(self, request, exception):
        """Turn what services raise into pages; what stood in another's way in the database is done once more."""
        if in_the_way(exception) and (tried := getattr(request, "tried", 0)) < TRIES:
            request.tried = tried + 1
            return self._again(request)
        if isinstance(exception, ObjectDoesNotExist):
            raise Http404 from exception
        if isinstance(exception, FileNotFoundError):
            log.error("a file is missing: %s", exception)
            return render(request, "404.html", {"missing": True}, status=404)
        if isinstance(exception, NotAllowed) and request.method != "POST":
            return render(request, "403.html", {"why": exception.message}, status=403)
        if isinstance(exception, (Refusal, NotNow)):
            messages.error(request, str(exception))
            response = HttpResponseRedirect(_back(request))
            response.refused = True
            return response
        return None

    def _again(self, request):
        """Call the view once more: what it began was undone whole by the database."""
        time.sleep(random.uniform(0.01, 0.1) * request.tried)
        for file in request.FILES.values():
            file.seek(0)
        match = request.resolver_match
        try:
            return match.func(request, *match.args, **match.kwargs)
        except Exception as again:
            answer = self.process_exception(request, again)
            if answer is None:
                raise
            return answer


def _to_sign_in(request):
    """Send to the sign-in, and from there back to a page that can be opened: never into the answer of a form."""
    if request.htmx and (not request.htmx.boosted or "X-Regions" in request.headers):
        # A fragment asked for by a page: the whole page goes to the sign-in, not its corner.
        return HttpResponseClientRedirect(redirect_to_login(_back(request)).url)
    return redirect_to_login(request.get_full_path() if request.method in ("GET", "HEAD") else _back(request))


def _page_above(request) -> str:
    """The page that a form was sent from, for a link ("?line=…") on its answer; nothing for whoever came otherwise."""
    came = urlsplit(request.META.get("HTTP_REFERER", ""))
    if not request.GET or (came.netloc, came.path) != (request.get_host(), request.path):
        return ""
    parts = request.path.strip("/").split("/")
    while len(parts) > 1:
        parts.pop()
        path = f"/{'/'.join(parts)}/"
        with suppress(Resolver404):
            resolve(path)
            return f"{path}?{request.GET.urlencode()}"
    return ""


def _back(request) -> str:
    """Where the act came from, if that was one of our own pages."""
    came = urlsplit(request.META.get("HTTP_REFERER", ""))
    if came.netloc == request.get_host() and came.path:
        return came.path + (f"?{came.query}" if came.query else "")
    return "/"
