"""All rules as one text, TOML, that goes out and comes in again: what comes in is looked at, and kept as drafts."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import tomli_w
from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods

from wainwright.core.rules import kinds
from wainwright.errors import Faults, Refusal
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.rehearsal.laying_down import Typed, keep_rule, read_rule, typed_of
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.holding import locked
from wainwright.rulebook.models import RuleSetting

MOST_LETTERS, MOST = 200_000, 200
KEYS = {
    "code",
    "kind",
    "level",
    "text",
    "params",
    "categories",
    "subjects",
    "for",
    "not_for",
    "reasons",
    "paragraph",
    "from",
    "until",
}


@dataclass
class Row:
    """A rule of a text: what it would do, and what is wrong with it, each with the key where it stands."""

    number: int
    code: str = ""
    text: str = ""
    typed: Typed | None = None
    changes: bool = False
    faults: list[str] = field(default_factory=list)


def as_text(firm: Firm) -> str:
    """Return every rule of a firm that is in force, comes or was, as TOML. Four queries."""
    groups = Groups.of(firm)
    rows = []
    for row in RuleSetting.objects.filter(firm=firm, draft=False).order_by("code", "since"):
        typed = typed_of(row, groups)
        said = {
            "code": row.code, "kind": row.kind, "level": row.level, "text": row.text, "params": dict(row.params), "categories": list(row.categories),
            "subjects": list(typed.subjects), "for": typed.named.splitlines(), "not_for": typed.left_out.splitlines(), "reasons": list(row.reasons),
            "paragraph": row.paragraph, "from": str(row.since or ""), "until": str(row.until or ""),
        }  # fmt: skip
        rows.append({key: value for key, value in said.items() if value})
    return tomli_w.dumps({"rule": rows})


def read_text(firm: Firm, text: str) -> list[Row]:
    """Return the rules of a text with what is wrong at each; nothing is kept. Raises ``Refusal`` where it is no such text."""
    if len(text) > MOST_LETTERS:
        raise Refusal(f"It is longer than {MOST_LETTERS} letters.", "text")
    try:
        data = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise Refusal(f"It cannot be read: {error}.", "text") from error
    rules = data.get("rule")
    if (
        not isinstance(rules, list)
        or not rules
        or not all(isinstance(each, dict) for each in rules)
        or set(data) != {"rule"}
    ):
        raise Refusal("It holds no rules. Each begins with a line [[rule]].", "text")
    if len(rules) > MOST:
        raise Refusal(f"It holds {len(rules)} rules, more than {MOST}.", "text")
    there = {row.code: row.kind for row in RuleSetting.objects.filter(firm=firm, draft=False)}
    drafted = set(RuleSetting.objects.filter(firm=firm, draft=True).values_list("code", flat=True))
    found, seen = [], set()
    for number, rule in enumerate(rules, 1):
        row = _row(firm, number, rule)
        row.changes = row.code in there
        if row.changes and row.typed is not None and there[row.code] != row.typed.kind:
            row.faults.append("kind: a rule stays of its kind. Leave the code out to begin another.")
        if row.changes and row.code in drafted:
            row.faults.append("code: there is a draft of this rule already.")
        if row.code and row.code in seen:
            row.faults.append("code: stands there twice. Only what is to hold next comes in.")
        seen.add(row.code)
        found.append(row)
    return found


def _row(firm: Firm, number: int, rule: Mapping[str, Any]) -> Row:
    row = Row(number, str(rule.get("code", ""))[:30], str(rule.get("text", ""))[:300])
    row.faults += [f"{key[:30]}: there is no such key." for key in rule if key not in KEYS]
    lists = {key: rule.get(key, []) for key in ("categories", "subjects", "for", "not_for", "reasons")}
    row.faults += [f"{key}: is a list of texts." for key, value in lists.items() if not _texts(value)]
    params = rule.get("params", {})
    if not isinstance(params, dict) or not all(isinstance(each, str | int | float | bool) for each in params.values()):
        row.faults.append("params: is a table of figures and texts.")
    if row.faults:
        return row
    kind = str(rule.get("kind", ""))
    said = {
        name: ("yes" if value else "no") if isinstance(value, bool) else str(value) for name, value in params.items()
    }
    subjects = lists["subjects"] or (sorted(kinds()[kind].on) if kind in kinds() else [])
    row.typed = Typed(
        kind, str(rule.get("level", "")), str(rule.get("text", "")), said, lists["categories"], subjects, "\n".join(lists["for"]), "\n".join(lists["not_for"]),
        "\n".join(lists["reasons"]), str(rule.get("paragraph", "")),
    )  # fmt: skip
    try:
        read_rule(firm, row.typed)
    except Faults as wrong:
        names = {"named": "for", "left_out": "not_for"}
        row.faults += [
            f"{names.get(name, name.replace('param_', 'params.'))}: {words}" for name, words in wrong.faults.items()
        ]
    return row


def _texts(value: Any) -> bool:
    return isinstance(value, list) and all(isinstance(each, str) for each in value)


@transaction.atomic
def take(by: Membership, text: str) -> int:
    """Keep all rules of a text as drafts, or none; return how many. Raises ``NotAllowed``, ``Refusal``."""
    firm = locked(by)
    rows = read_text(firm, text)
    if any(row.faults for row in rows):
        raise Refusal("Something is wrong with it: nothing was kept. Put it right below.", "text")
    for row in rows:
        if row.typed is not None:
            keep_rule(by, row.typed, code=row.code if row.changes else "")
    return len(rows)


@require_GET
def rules_toml(request):
    """All rules as a text that can be sent in again."""
    must(request.member, "read_rules")
    response = HttpResponse(as_text(request.member.firm), content_type="application/toml; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="rules.toml"'
    return response


@require_http_methods(["GET", "POST"])
def rules_import(request):
    """Look at a text of rules; keep them as drafts once it is right."""
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
            rows = read_text(member.firm, text)
            if request.POST.get("act") == "take":
                count = take(member, text)
                messages.info(
                    request, f"{count} {'draft is' if count == 1 else 'drafts are'} kept: nobody meets them yet."
                )
                return redirect("rules")
            status = 422 if any(row.faults for row in rows) else 200
        except Refusal as refusal:
            error, status = refusal.message, 422
    context = {"text": text, "error": error, "rows": rows, "good": bool(rows) and not any(row.faults for row in rows)}
    return render(request, "rehearsal/rules_import.html", context, status=status)
