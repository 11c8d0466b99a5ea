"""The catalogue, and a report: its question as a sentence that can be changed, its answer as table and picture, its files."""

from __future__ import annotations

from typing import Any
from urllib.parse import parse_qs, urlencode

from django.core.cache import cache
from django.http import Http404
from django.shortcuts import render
from django.utils.text import slugify
from django.views.decorators.http import require_GET

from wainwright.core.picking import folded
from wainwright.core.said import both, joined, say
from wainwright.core.spans import NAMES
from wainwright.core.table import Row, Table
from wainwright.downloads import kept_file
from wainwright.errors import NotAllowed, Refusal
from wainwright.paging import page_of
from wainwright.people.models import Membership
from wainwright.reports import keeping
from wainwright.reports.answering import Answer, answer, thing_columns, thing_rows, things
from wainwright.reports.asked import AGAINST, PICTURES, Asked, Read, condition_words, read, sentence
from wainwright.reports.catalogue import reports
from wainwright.reports.files import FORMS, TYPES, Told, as_of, file_of, written
from wainwright.reports.following import Current, catch_up
from wainwright.reports.pictures import picture_of
from wainwright.reports.reader import Reader
from wainwright.reports.report import SUBJECTS, Report

AT_ONCE, THINGS = 100, 50
LATELY = 6


def report_of(member: Membership, key: str) -> Report:
    """The report of an address. Raises ``Http404`` for none, ``NotAllowed`` for one that is not open to somebody."""
    found = reports().get(key)
    if found is None:
        raise Http404
    if not found.open_to(member):
        raise NotAllowed(
            say("{title} is not open to you. Your own figures stand under the other reports.", title=found.title)
        )
    return found


@require_GET
def catalogue(request):
    """Every report that one may ask, by subject; what is kept; what was asked lately."""
    member = request.member
    text = request.GET.get("q", "")[:80]
    wanted = folded(text)
    shown = [each for each in reports().values() if each.open_to(member) and _named_like(each, wanted)]
    runs = keeping.last_runs(member)
    subjects = [
        (subject, [(each, runs.get(each.key)) for each in shown if each.subject == subject]) for subject in SUBJECTS
    ]
    context = {
        "text": text, "subjects": [(subject, found) for subject, found in subjects if found], "kept": keeping.on_shelves(member),
        "lately": [each for each in request.session.get("asked", []) if each["report"] in reports()], "count": len(shown),
    }  # fmt: skip
    return render(request, "reports/catalogue.html", context)


def _current(report: Report, member: Membership) -> Current | None:
    return catch_up(member.firm) if report.follows else None


def _asked(request, report: Report, reader: Reader) -> Read:
    return read(report, reader, {name: request.GET.getlist(name) for name in request.GET})


@require_GET
def report_page(request, report_key: str):
    """A question and its answer. A link of a mail says of which firm it is: the same of another would be another answer."""
    report = report_of(request.member, report_key)
    at = request.GET.get("at", "")
    if at and at != request.member.firm.slug:
        there = (
            Membership.objects.filter(person=request.user, firm__slug=at[:60], active=True)
            .select_related("firm")
            .first()
        )
        asked = request.GET.copy()
        del asked["at"]
        context = {"report": report, "there": there, "here": asked.urlencode()}
        return render(request, "reports/elsewhere.html", context)
    return show(request, report)


def show(request, report: Report, status: int = 200, **more: Any):
    """Show a report as it is asked, with what was refused beside it."""
    reader = Reader(request.member)
    current = _current(report, request.member)
    found = _asked(request, report, reader)
    asked, refused, answered = found.asked, "", None
    try:
        answered = answer(report, reader, asked)
    except Refusal as refusal:
        refused = refusal.message
    dims = report.dims(reader)
    context = {
        "report": report, "asked": asked, "address": asked.address(), "faults": found.faults, "choices": found.choices, "typed": found.typed, "refused": refused,
        "conditions": [(words, label, asked.address(of=tuple(pair for pair in asked.of if f"{pair[0]}:{pair[1]}" != of)), of) for words, label, of in condition_words(report, reader, asked)],
        "dims": dims, "spans": NAMES.items(), "against": AGAINST.items(), "pictures": PICTURES.items(), "measures": [*report.measures],
        "groupable": bool(report.measures), "sentence": sentence(report, reader, asked), "current": current, "forms": FORMS.items(),
        "by": [(n, asked.by[n] if n < len(asked.by) else "") for n in range(min(3, len(asked.by) + 1))], "kept_name": report.title, "keep_error": "",
    }  # fmt: skip
    if answered is not None:
        context |= _answered(request, report, reader, asked, answered)
        _remember(request, report, context["sentence"], context["address"])
    else:
        context |= {"table": None, "picture": None}
    return render(request, "reports/report.html", context | more, status=status)


def _answered(request, report: Report, reader: Reader, asked: Asked, answered: Answer) -> dict[str, Any]:
    """The answer for its page: the first rows, in words, each with where it leads; the picture; the columns to choose from."""
    table = answered.table
    page = page_of(list(table.rows), AT_ONCE, request.GET.get("page"))
    shown = written(Table(table.columns, tuple(page.object_list), table.total, table.notes))
    rows = [(cells, leads(report, asked, row)) for cells, row in zip(shown.rows, page.object_list, strict=True)]
    heads = [
        (
            column,
            number,
            asked.address(order=column.key if asked.order == f"-{column.key}" else f"-{column.key}"),
            _way(asked, column.key),
        )
        for column, number in shown.heads
    ]
    kind = asked.picture if asked.picture in PICTURES else report.picture
    return {
        "table": table, "rows": rows, "heads": heads, "total": shown.total, "notes": shown.notes, "page": page, "more": asked.address() + "&",
        "picture": picture_of(answered, kind, lambda row: leads(report, asked, row)),
        "all_things": f"/reports/{report.key}/things/?{asked.address()}" if report.each else "",
        "every_column": [(column, column.key not in asked.without) for column in answered.whole.columns],
    }  # fmt: skip


def _way(asked: Asked, key: str) -> str:
    return {key: "up", f"-{key}": "down"}.get(asked.order, "")


def leads(report: Report, asked: Asked, row: Row) -> str:
    """Where a row leads: to the things behind it, else to the thing that it is."""
    if row.link or not (report.each and row.of):
        return row.link
    return f"/reports/{report.key}/things/?{asked.address(of=asked.narrowed(row.of))}"


def _named_like(report: Report, wanted: str) -> bool:
    """Whether a report is called so, in the reader's language or in English."""
    said = joined(" ", (report.title, report.question, report.subject))
    return any(wanted in folded(words) for words in both(said))


def _remember(request, report: Report, words: str, address: str) -> None:
    """Keep what was asked lately with the session, so that it is found again without looking."""
    before = [each for each in request.session.get("asked", []) if each["words"] != words]
    now = [{"report": report.key, "words": words[:200], "address": address[:2000]}, *before][:LATELY]
    if now != request.session.get("asked"):
        request.session["asked"] = now


@require_GET
def things_page(request, report_key: str):
    """The single things behind an answer or a row of it."""
    report = report_of(request.member, report_key)
    if report.rows is None or not report.each:
        raise Http404
    reader = Reader(request.member)
    current = _current(report, request.member)
    found = _asked(request, report, reader)
    page = page_of(things(report, reader, found.asked), THINGS, request.GET.get("page"))
    rows = thing_rows(report, reader, list(page.object_list))
    shown = written(Table(thing_columns(report), tuple(rows)))
    context = {
        "report": report, "sentence": sentence(report, reader, found.asked), "back": f"/reports/{report.key}/?{found.asked.address()}", "current": current,
        "heads": shown.heads, "rows": list(zip(shown.rows, [row.link for row in rows], strict=True)), "page": page, "more": found.asked.address() + "&",
        "faults": found.faults, "address": found.asked.address(),
        "conditions": [(words, label) for words, label, _ in condition_words(report, reader, found.asked)],
    }  # fmt: skip
    return render(request, "reports/things.html", context)


@require_GET
def small(request, report_key: str):
    """The small picture of a report's real figures, beside its name in the catalogue; kept for a quarter of an hour."""
    report = report_of(request.member, report_key)
    name = f"report-small:{request.member.pk}:{report_key}:{Reader(request.member).today}"
    figures = cache.get(name)
    if figures is None:
        figures = _small(report, Reader(request.member))
        cache.set(name, figures, 900)
    most = max((abs(figure) for figure in figures), default=0) or 1
    bars = [
        (n * 10, 28 - round(26 * abs(figure) / most, 1), round(26 * abs(figure) / most, 1))
        for n, figure in enumerate(figures)
    ]
    return render(request, "reports/_small.html", {"bars": bars, "report": report})


def _small(report: Report, reader: Reader) -> list[float]:
    try:
        answered = answer(report, reader, read(report, reader, {}).asked)
    except Refusal:
        return []
    table = answered.whole
    key = "all" if answered.across else answered.figure
    places = [n for n, column in enumerate(table.columns) if column.key == key]
    if not places:
        return []
    values = [row.cells[places[0]] for row in table.rows[-12:] if report.picture in ("stacked", "line", "heat")] or [
        row.cells[places[0]] for row in table.rows[:12]
    ]
    return [float(value) for value in values if value is not None and not isinstance(value, str)]  # type: ignore[arg-type]


@require_GET
def as_file(request, report_key: str, form: str):
    """An answer, or the things behind it, as a file."""
    report = report_of(request.member, report_key)
    if form not in FORMS:
        raise Http404
    reader = Reader(request.member)
    _current(report, request.member)
    found = _asked(request, report, reader)
    if found.faults:
        # Whoever takes a file does not see what was left out of its question.
        return show(request, report, 422)
    told = Told(report.title, sentence(report, reader, found.asked), request.member, as_of(request.member.firm.zone))
    try:
        if request.GET.get("things") and report.rows is not None and report.each:
            table = keeping.all_things(report, reader, found.asked)
        else:
            table = answer(report, reader, found.asked).table
        content = file_of(form, told, table)
    except Refusal as refusal:
        return show(request, report, 422, refused=refusal.message)
    return kept_file(f"{slugify(report.title)}-{reader.today}.{form}", content, TYPES[form])


def address_of(data: dict[str, list[str]]) -> str:
    """A kept question as an address."""
    return urlencode([(name, value) for name, values in data.items() for value in values])


def question_of(address: str) -> dict[str, list[str]]:
    """A question from an address, as it comes back with a form."""
    return parse_qs(address[:4000], keep_blank_values=True)
