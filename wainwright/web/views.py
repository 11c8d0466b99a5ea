"""The desk, finding, news, the firm switch, rules to read, the trail, and the demo's own pages."""

from __future__ import annotations

from datetime import datetime, time, timedelta
from email import message_from_bytes
from urllib.parse import quote
from zoneinfo import ZoneInfo

from allauth.usersessions.models import UserSession
from django.conf import settings
from django.contrib import messages
from django.contrib.auth import login
from django.db import transaction
from django.db.models import Count, Q, QuerySet
from django.http import Http404, HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright import clock
from wainwright.claims.services.drafting import draft_what_is_back
from wainwright.core.said import as_figure, say
from wainwright.errors import NotAllowed, Refusal
from wainwright.expenses.models import Charge
from wainwright.fields import tell, whole
from wainwright.news.daily import choose, member_of
from wainwright.news.models import Notice
from wainwright.news.services import mark_read
from wainwright.paging import page_of
from wainwright.people.acting import prepared_by
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.people.providers import opened_by
from wainwright.prepared import prepared
from wainwright.reports.reader import Reader
from wainwright.rulebook import ahead
from wainwright.rulebook.forms import SafeguardsForm
from wainwright.rulebook.safeguards import safeguards_of
from wainwright.rulebook.safeguards import set_safeguards as keep_safeguards
from wainwright.rulebook.safeguards import subject as safeguards_subject
from wainwright.rulebook.selectors import rulebook
from wainwright.standins.mailbox.models import Mail
from wainwright.standins.market.moods import MOODS, moods, set_moods
from wainwright.trail.selectors import length_of, of_firm
from wainwright.trail.services import record
from wainwright.trips.models import Trip
from wainwright.trips.services.road import move_along
from wainwright.web.archive import archive_of
from wainwright.web.desk import asks
from wainwright.web.desk.traveller import own_year, paid_lately
from wainwright.web.finding import find
from wainwright.web.sought import SHORTEST, words_of

NEWS_SHOWN = 40


@require_GET
def desk(request):
    """What asks for an act of whoever sits there, in the order of what it costs to wait; and one picture of their own year."""
    member = request.member
    reader = Reader(member)
    travels = member.may["travel"]
    context = {
        "asks": [(ask, ask.age(reader.today)) for ask in asks(reader)], "paid": paid_lately(reader) if travels and member.prepared_by is None else [],
        "year": own_year(reader) if travels else None, "policy": rulebook(member.firm).policy_text,
        "prepares_for": prepared_by(member.doer.pk, reader.today) if member.prepared_by is None else [],
    }  # fmt: skip
    return render(request, "web/desk.html", context)


@require_GET
def find_page(request):
    """Find anything one may see."""
    text = request.GET.get("q", "")[:80]
    found = find(request.member, text, request.GET)
    short = bool(text.strip()) and not words_of(text)
    context = {"text": text, "found": found, "more": f"q={quote(text)}&", "short": short, "shortest": SHORTEST}
    return render(request, "web/find.html", context)


@require_GET
def find_charge(request, charge_id: int):
    """Where a charge lies: in one's own tray, or among what lies loose in the firm."""
    charge = get_object_or_404(Charge.objects.visible_to(request.member), pk=charge_id)
    return redirect("tray" if charge.owner_id == request.member.pk else "loose")


def _news(member: int) -> QuerySet[Notice]:
    return Notice.objects.filter(member_id=member).order_by("-time")


@prepared
def _newest(member: int) -> QuerySet[Notice]:
    return _news(member)[: NEWS_SHOWN + 1]


@require_GET
def news_page(request):
    """News, the latest first."""
    page = page_of(
        _news(request.member.pk), NEWS_SHOWN, request.GET.get("page"), newest=lambda: _newest(request.member.pk)
    )
    return render(request, "web/news.html", {"page": page})


@csrf_exempt
@require_http_methods(["GET", "POST"])
def news_mail(request, token: str):
    """Choose how news comes by mail, by the link in every mail: a mail reader's one press does it too (RFC 8058)."""
    whose = member_of(token)
    if request.method == "POST" and whose is not None:
        choose(whose, request.POST.get("how", "daily") != "at-once")
        return redirect("news-mail", token)
    return render(request, "news/choose.html", {"whose": whose}, status=200 if whose is not None else 404)


@require_POST
def news_read(request):
    """Mark all as read."""
    mark_read(request.member)
    return redirect("news")


@require_POST
def archive(request):
    """One's own data as a file: everything that is theirs in this firm. Asked for by a form, so that no link fetches it unasked."""
    member = request.member
    if member.prepared_by is not None:
        raise NotAllowed(say("Only {member} takes their own data along.", member=member.person.name))
    with transaction.atomic():
        record(member, say("took their own data along"), f"member:{member.pk}")
    response = StreamingHttpResponse(archive_of(member), content_type="application/zip")
    response["Content-Disposition"] = f'attachment; filename="{member.firm.slug}-{clock.today(member.firm.zone)}.zip"'
    return response


@require_GET
def firms_page(request):
    """The firms one is a member of."""
    members = Membership.objects.filter(person=request.user, active=True).select_related("firm")
    shut = members.none()
    if request.by:
        members, shut = (
            members.filter(firm_id__in=opened_by(request.by)),
            members.exclude(firm_id__in=opened_by(request.by)),
        )
    return render(request, "web/firms.html", {"members": members, "shut": shut})


@require_POST
def switch_firm(request, slug: str):
    """Work in another of one's firms."""
    found = get_object_or_404(Membership, person=request.user, active=True, firm__slug=slug)
    if request.by and found.firm_id not in opened_by(request.by):
        raise NotAllowed(
            say("You came by the provider of another firm. Sign in by password, or by this firm's own, to work here.")
        )
    request.session["firm"] = found.firm_id
    return redirect("desk")


@require_GET
def safeguards(request):
    """What must be two people, and how people prove who they are; administrators set it here."""
    return _safeguards(request, SafeguardsForm(initial=safeguards_of(request.member.firm)))


@require_POST
def set_safeguards(request):
    """Set what must be two people, and who needs a second factor."""
    form = SafeguardsForm(request.POST)
    if not form.is_valid():
        return _safeguards(request, form, 422)
    try:
        keep_safeguards(request.member, form.wanted(request.member.firm.currency), form.cleaned_data["on"])
    except Refusal as refusal:
        tell(form, Refusal(refusal.message, "on") if refusal.field == "since" else refusal)
        return _safeguards(request, form, 422)
    messages.info(request, say("The safeguards are set."))
    return redirect("safeguards")


def _safeguards(request, form: SafeguardsForm, status: int = 200):
    firm = request.member.firm
    must(request.member, "read_rules")
    context = {
        "safeguards": safeguards_of(firm), "form": form, "policy": rulebook(firm).policy, "coming": ahead.coming(firm, safeguards_subject(firm.pk)),
    }  # fmt: skip
    return render(request, "web/safeguards.html", context, status=status)


@require_GET
def trail_page(request):
    """The trail, the latest first."""
    must(request.member, "read_trail")
    page = page_of(of_firm(request.member.firm_id), 60, request.GET.get("page"), length_of(request.member.firm_id))
    today = clock.today(request.member.firm.zone)
    return render(request, "web/trail.html", {"page": page, "since": today - timedelta(days=30), "until": today})


def _demo_only() -> None:
    if not settings.DEMO:
        raise Http404


@require_POST
def demo_sign_in(request):
    """Sign in as one of the demo's people. Nothing of this exists outside the demo."""
    _demo_only()
    found = get_object_or_404(
        Membership.objects.select_related("person"), pk=whole(request.POST.get("member")), active=True
    )
    login(request, found.person, backend="allauth.account.auth_backends.AuthenticationBackend")
    request.session["firm"] = found.firm_id
    UserSession.objects.create_from_request(request)
    return redirect("desk")


@require_POST
def move_clock(request):
    """Move the demo's clock to nine in the morning of a day; trips and holds move along."""
    _demo_only()
    try:
        day = datetime.strptime(request.POST.get("day", ""), "%Y-%m-%d").date()
        moment = datetime.combine(day, time(9), ZoneInfo(request.member.firm.zone))
        clock.move_to(moment)
    except (ValueError, OverflowError) as error:
        raise Refusal(say("Choose a day within two years for the clock.")) from error
    moved = move_along(clock.now())
    draft_what_is_back()
    messages.info(
        request,
        say(
            "It is {moment} now. {moved} trips and holds moved along.",
            moment=as_figure(moment, "%a %d %b %Y"),
            moved=moved,
        ),
    )
    return redirect("desk")


def stand_ins(request):
    """What can go wrong outside, switched on by hand, and the clock. In the demo only."""
    _demo_only()
    if request.method == "POST":
        set_moods(frozenset(request.POST.getlist("mood")))
        messages.info(request, say("The stand-ins behave like this from now on."))
        return redirect("stand-ins")
    return render(request, "web/stand_ins.html", {"moods": MOODS, "on": moods()})


@require_GET
def mailbox(request):
    """What was sent to the person, in the mailbox stand-in."""
    _demo_only()
    page = page_of(
        Mail.objects.filter(to=request.user.email).defer("raw").order_by("-time"), 30, request.GET.get("page")
    )
    return render(request, "web/mailbox.html", {"page": page})


@require_GET
def mail_page(request, mail_id: int):
    """One mail to the person."""
    _demo_only()
    mail = get_object_or_404(Mail, pk=mail_id, to=request.user.email)
    return render(request, "web/mail.html", {"mail": mail})


@require_GET
def mail_attachment(request, mail_id: int, number: int):
    """An attachment of a mail to the person."""
    _demo_only()
    mail = get_object_or_404(Mail, pk=mail_id, to=request.user.email)
    parts = [part for part in message_from_bytes(bytes(mail.raw)).walk() if part.get_filename()]
    if number >= len(parts):
        raise Http404
    response = HttpResponse(parts[number].get_payload(decode=True), content_type=parts[number].get_content_type())
    response["Content-Disposition"] = f'attachment; filename="{parts[number].get_filename()}"'
    response["X-Content-Type-Options"] = "nosniff"
    return response


@require_GET
def look(request):
    """All components on one page, in debug and in the demo."""
    if not (settings.DEBUG or settings.DEMO or settings.TESTING):
        raise Http404
    trip = (
        Trip.objects.visible_to(request.member)
        .annotate(n=Count("legs", filter=Q(legs__isnull=False)))
        .filter(n__gt=1)
        .first()
    )
    return render(request, "web/look.html", {"trip": trip, "stages": range(9), "levels": ("stop", "explain", "note")})
