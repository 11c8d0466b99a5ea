"""What machines ask: does it answer, can it work, what does it measure, what did a browser refuse."""

from __future__ import annotations

import io
import json
import logging
from hmac import compare_digest

from django.conf import settings
from django.contrib import messages
from django.db import transaction
from django.http import FileResponse, Http404, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from wainwright.core.said import say
from wainwright.core.text import one_line
from wainwright.errors import NotAllowed, Refusal
from wainwright.fields import day_of
from wainwright.operating import archiving, beats, health, keeping, measures, trail_export
from wainwright.operating.models import FirmArchive
from wainwright.paging import page_of
from wainwright.people.may import must
from wainwright.trail.services import record

log = logging.getLogger(__name__)
# A report of a browser is a few lines.
MOST = 8_000


@require_safe
def up(request):
    """Say that a process answers, whatever becomes of what it needs."""
    return HttpResponse("up", content_type="text/plain")


@require_safe
def ready(request):
    """Say which part can do its work; 503 where one cannot."""
    found = health.ready()
    return JsonResponse(
        {name: "ready" if fit else "fails" for name, fit in found.items()}, status=200 if all(found.values()) else 503
    )


@require_safe
def metrics(request):
    """Give Prometheus what is measured, for the token of the setting alone; without one there is nothing here."""
    if not settings.METRICS_TOKEN:
        raise Http404
    given = request.headers.get("Authorization", "").removeprefix("Bearer ")
    if not compare_digest(given.encode(), settings.METRICS_TOKEN.encode()):
        return HttpResponse(
            "The token of WAINWRIGHT_METRICS_TOKEN is asked for.", status=401, content_type="text/plain"
        )
    text, kind = measures.text()
    return HttpResponse(text, content_type=kind)


@require_safe
def running(request):
    """Show finance, administrators and auditors whether what is done by itself is done."""
    member = request.member
    if not (member.may["post"] or member.may["firm"] or member.may["read_trail"]):
        raise NotAllowed(say("Whether everything runs is for finance, administrators and auditors."))
    return render(
        request, "operating/running.html", {"parts": health.runs(member.firm.zone), "still": beats.stands_still()}
    )


@require_safe
def trail_part(request):
    """The acts between two days as a file that proves itself. Asked by a link, since auditors send nothing; it stands in the trail."""
    member = request.member
    must(member, "read_trail")
    since, until = (
        day_of(request.GET.get(name), say("Say from which day to which."), name) for name in ("since", "until")
    )
    span = trail_export.span_of(member.firm, since, until)
    target = io.BytesIO()
    line = trail_export.write(member.firm, span, target)
    with transaction.atomic():
        record(
            member,
            say("took a part of the trail along"),
            "trail",
            after={"since": since, "until": until, "first": span.first, "last": span.last, "signed": line[-43:]},
        )
    target.seek(0)
    return FileResponse(
        target,
        content_type="application/zip",
        as_attachment=True,
        filename=f"trail-{member.firm.slug}-{since}-{until}.zip",
    )


@require_http_methods(["GET", "POST"])
def archive_page(request):
    """Everything of the firm as a file: asked for here, taken along when it is made."""
    member = request.member
    must(member, "firm")
    if request.method == "POST":
        archiving.ask(member)
        messages.info(request, say("It is being made. This page says when it is there."))
        return redirect("firm-archive")
    rows = FirmArchive.objects.filter(firm=member.firm).select_related("by__person")
    return render(
        request,
        "operating/archive.html",
        {"page": page_of(rows.order_by("-time"), 20, request.GET.get("page")), "days": archiving.KEPT.days},
    )


@require_POST
def archive_file(request, archive_id: int):
    """One archive, as a file. Sent by a form, so that no link fetches it unasked."""
    row = archiving.taken(request.member, archive_id)
    response = FileResponse(
        row.file.open("rb"),
        content_type="application/zip",
        as_attachment=True,
        filename=row.file.name.rpartition("/")[2],
    )
    response["X-Content-Type-Options"] = "nosniff"
    return response


@require_http_methods(["GET", "POST"])
def keeping_page(request):
    """What need not be kept any more: counted, taken away; and for how long the firm keeps what it has."""
    member = request.member
    must(member, "firm")
    typed, error = request.POST.get("years", "").strip()[:3], ""
    if request.method == "POST":
        try:
            if request.POST.get("act") == "take":
                keeping.take_away(member, day_of(request.POST.get("until"), say("Say up to which day."), "until"))
                messages.info(request, say("It is being taken away. This page says when it is done."))
            else:
                keeping.set_years(member, int(typed) if typed.isdecimal() else None)
                messages.info(request, say("Papers and names are kept for {typed} full fiscal years.", typed=typed))
            return redirect("firm-keeping")
        except Refusal as refusal:
            if refusal.field != "years":
                raise
            error = refusal.message
    firm = member.firm
    rows, years = firm.taken_away.select_related("by__person").order_by("-time"), keeping.years_of(firm)
    context = {
        "over": keeping.over(firm), "years": years, "typed": typed or years, "error": error, "least": keeping.LEAST, "most": keeping.MOST,
        "page": page_of(rows, 20, request.GET.get("page")), "going_on": firm.taken_away.filter(done=None).first(),
    }  # fmt: skip
    return render(request, "operating/keeping.html", context, status=422 if error else 200)


@csrf_exempt
@require_POST
def refused_by_browser(request):
    """Log what a browser refused to load by the content security policy: a fault of ours, or somebody's try."""
    try:
        said = json.loads(request.read(MOST))["csp-report"]
        words = [one_line(str(said.get(key, "")), 200) for key in ("violated-directive", "blocked-uri", "document-uri")]
    except (ValueError, KeyError, TypeError, AttributeError):
        return HttpResponse(status=400)
    # Without what is behind a question mark: it may be of people.
    log.warning("a browser refused by %s what %s offered on %s", *(word.partition("?")[0] for word in words))
    return HttpResponse(status=204)
