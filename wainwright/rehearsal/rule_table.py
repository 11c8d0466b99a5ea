"""What a firm has laid down as one text, TOML: rules, rules of the route, questions, figures and safeguards. It goes out and comes in again.

What comes in is looked at first; rules, routes and questions are kept as drafts, figures and safeguards are set, all of it or nothing.
"""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import tomli_w
from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods

from wainwright.core.said import joined, say, say_many
from wainwright.errors import Refusal
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.rehearsal.figure_text import TABLES, Table
from wainwright.rehearsal.sections import SECTIONS, Section
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.holding import locked

MOST_LETTERS, MOST = 200_000, 200


@dataclass
class Row:
    """One thing of a text: what it would do, and what is wrong with it, each with the key where it stands."""

    number: int
    section: Section | None = None
    table: Table | None = None
    code: str = ""
    text: str = ""
    typed: Any = None
    changes: bool = False
    does: list[str] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)


def as_text(firm: Firm) -> str:
    """Return everything of a firm that is in force, comes or was, as TOML."""
    groups, whole = Groups.of(firm), {}
    for section in SECTIONS.values():
        rows = section.kept.rows(firm).filter(draft=False).select_related("firm").order_by("code", "since")
        said = [
            section.say(row, groups) | {"code": row.code, "from": str(row.since or ""), "until": str(row.until or "")}
            for row in rows
        ]
        if said:
            whole[section.name] = [
                {key: value for key, value in each.items() if value not in ("", [], {}, None)} for each in said
            ]
    return tomli_w.dumps({table.name: table.now(firm) for table in TABLES.values()} | whole)


def read_text(by: Membership, text: str) -> list[Row]:
    """Return what stands in a text with what is wrong at each; nothing is kept. Raises ``Refusal`` where it is no such text."""
    if len(text) > MOST_LETTERS:
        raise Refusal(say("It is longer than {most_letters} letters.", most_letters=MOST_LETTERS), "text")
    try:
        data = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise Refusal(say("It cannot be read: {error}.", error=error), "text") from error
    if lost := sorted(set(data) - {*SECTIONS, *TABLES}):
        known = say("[[{list}]] and [{list_2}]", list=joined("]], [[", SECTIONS), list_2=joined("], [", TABLES))
        raise Refusal(
            say("There is nothing called “{lost}”. A text has {known}.", lost=lost[0][:30], known=known), "text"
        )
    found = [_table(by, table, data[table.name]) for table in TABLES.values() if table.name in data]
    for section in SECTIONS.values():
        found += _rows(by.firm, section, data.get(section.name, []))
    if not found:
        raise Refusal(say("It holds no rules. Each begins with a line [[rule]]."), "text")
    return found


def _table(by: Membership, table: Table, data: Any) -> Row:
    row = Row(0, table=table, code=table.name, text=table.words, changes=True)
    if not isinstance(data, dict):
        row.faults.append(say("{table}: is a table: [{table}].", table=table.name))
        return row
    row.typed, row.does, row.faults = table.read(by, data)
    return row


def _rows(firm: Firm, section: Section, given: Any) -> list[Row]:
    if not isinstance(given, list) or not all(isinstance(each, dict) for each in given):
        raise Refusal(
            say("“{section}” is no list. Each begins with a line [[{section}]].", section=section.name), "text"
        )
    if len(given) > MOST:
        raise Refusal(
            say(
                "It holds {given_count} of [[{section}]], more than {most}.",
                given_count=len(given),
                section=section.name,
                most=MOST,
            ),
            "text",
        )
    there = {row.code: row for row in section.kept.rows(firm).filter(draft=False)}
    drafted = set(section.kept.rows(firm).filter(draft=True).values_list("code", flat=True))
    found, seen = [], set()
    for number, data in enumerate(given, 1):
        row = Row(number, section, None, str(data.get("code", ""))[:30], str(data.get("text", ""))[:300])
        row.changes = row.code in there
        row.faults += [say("{key}: there is no such key.", key=key[:30]) for key in data if key not in section.keys]
        row.faults += [
            say("{key}: is a list of texts.", key=key) for key in section.lists if not _texts(data.get(key, []))
        ]
        if not row.faults:
            row.typed, row.faults = section.read(firm, data)
            if row.changes and not section.same_sort(there[row.code], row.typed):
                row.faults.append(say("kind: a rule stays of its kind. Leave the code out to begin another."))
        if row.changes and row.code in drafted:
            row.faults.append(say("code: there is a draft of this {noun} already.", noun=section.kept.noun))
        if row.code and row.code in seen:
            row.faults.append(say("code: stands there twice. Only what is to hold next comes in."))
        seen.add(row.code)
        found.append(row)
    return found


def _texts(value: Any) -> bool:
    return isinstance(value, list) and all(isinstance(each, str) for each in value)


@transaction.atomic
def take(by: Membership, text: str) -> int:
    """Keep everything of a text as drafts, and set its figures and safeguards, or nothing; return how many. Raises ``NotAllowed``, ``Refusal``."""
    locked(by)
    rows = read_text(by, text)
    if any(row.faults for row in rows):
        raise Refusal(say("Something is wrong with it: nothing was kept. Put it right below."), "text")
    for row in rows:
        if row.table is not None:
            row.table.set(by, row.typed)
        elif row.section is not None:
            row.section.keep(by, row.typed, row.code if row.changes else "")
    return len(rows)


@require_GET
def rules_toml(request):
    """All of it as a text that can be sent in again."""
    must(request.member, "read_rules")
    response = HttpResponse(as_text(request.member.firm), content_type="application/toml; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="rules.toml"'
    return response


@require_http_methods(["GET", "POST"])
def rules_import(request):
    """Look at a text; keep what stands in it once it is right."""
    member = request.member
    must(member, "rules")
    text, error, rows, status = "", "", [], 200
    if request.method == "POST":
        given = request.FILES.get("file")
        content = (
            given.read(MOST_LETTERS * 4).decode(errors="replace") if given is not None else request.POST.get("text", "")
        )
        text = content.replace("\x00", "")
        try:
            rows = read_text(member, text)
            if request.POST.get("act") == "take":
                take(member, text)
                messages.info(request, _taken(rows))
                return redirect("rules")
            status = 422 if any(row.faults for row in rows) else 200
        except Refusal as refusal:
            error, status = refusal.message, 422
    context = {"text": text, "error": error, "rows": rows, "good": bool(rows) and not any(row.faults for row in rows)}
    return render(request, "rehearsal/rules_import.html", context, status=status)


def _taken(rows: Sequence[Row]) -> str:
    drafts = sum(row.section is not None for row in rows)
    said = (
        say_many(
            "{count} draft is kept: nobody meets them yet.", "{count} drafts are kept: nobody meets them yet.", drafts
        )
        if drafts
        else ""
    )
    return joined(
        " ", filter(None, [said, *(say("{text}: set.", text=row.text) for row in rows if row.table is not None)])
    )
