"""What stands in the text of what a firm has laid down: how each sort is said there, read and kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from wainwright.core.rules import kinds
from wainwright.core.said import joined, say
from wainwright.errors import Faults
from wainwright.people.models import Firm, Membership
from wainwright.rehearsal.in_force import Kept
from wainwright.rehearsal.laying_down import RULES, Typed, keep_rule, read_rule, typed_of
from wainwright.rehearsal.questions import QUESTIONS, keep_question, read_meant
from wainwright.rehearsal.routing import ROUTES, RouteTyped, keep_route, read_route
from wainwright.rehearsal.routing import typed_of as typed_route
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.models import FirmQuestion, RouteSetting, RuleSetting
from wainwright.rulebook.questions import QuestionTyped, typed_question

DAYS = frozenset({"code", "from", "until"})
Read = tuple[Any, list[str]]


@dataclass(frozen=True)
class Section:
    """One sort: its name in the text, its keys and which of them are lists of texts; how a row is said, read and kept."""

    name: str
    kept: Kept
    keys: frozenset[str]
    lists: tuple[str, ...]
    say: Callable[[Any, Groups], dict[str, Any]]
    read: Callable[[Firm, Mapping[str, Any]], Read]
    keep: Callable[[Membership, Any, str], Any]
    same_sort: Callable[[Any, Any], bool] = lambda row, typed: True


def _named(faults: Faults, **names: str) -> list[str]:
    """Faults with the keys of the text before them."""
    known = {"named": "for", "left_out": "not_for"} | names
    return [
        joined("", (known.get(name, name.replace("param_", "params.")), ": ", words))
        for name, words in faults.faults.items()
    ]


def _say_rule(row: RuleSetting, groups: Groups) -> dict[str, Any]:
    typed = typed_of(row, groups)
    return {
        "kind": row.kind, "level": row.level, "text": row.text, "params": dict(row.params), "categories": list(row.categories),
        "subjects": list(typed.subjects), "for": typed.named.splitlines(), "not_for": typed.left_out.splitlines(), "reasons": list(row.reasons),
        "paragraph": row.paragraph,
    }  # fmt: skip


def _read_rule(firm: Firm, data: Mapping[str, Any]) -> Read:
    params = data.get("params", {})
    if not isinstance(params, dict) or not all(isinstance(each, str | int | float | bool) for each in params.values()):
        return None, [say("params: is a table of figures and texts.")]
    kind = str(data.get("kind", ""))
    said = {
        name: ("yes" if value else "no") if isinstance(value, bool) else str(value) for name, value in params.items()
    }
    subjects = data.get("subjects", []) or (sorted(kinds()[kind].on) if kind in kinds() else [])
    typed = Typed(
        kind, str(data.get("level", "")), str(data.get("text", "")), said, data.get("categories", []), subjects, "\n".join(data.get("for", [])),
        "\n".join(data.get("not_for", [])), "\n".join(data.get("reasons", [])), str(data.get("paragraph", "")),
    )  # fmt: skip
    try:
        read_rule(firm, typed)
    except Faults as wrong:
        return typed, _named(wrong)
    return typed, []


def _say_route(row: RouteSetting, groups: Groups) -> dict[str, Any]:
    typed = typed_route(row, groups)
    return {
        "text": row.text, "signer": typed.signer, "place": row.place, "over": f"{typed.over:f}" if typed.over is not None else "", "on": list(row.kinds),
        "categories": list(row.categories), "codes": _parted(typed.codes), "countries": list(row.countries), "for": typed.named.splitlines(),
        "not_for": typed.left_out.splitlines(), "rules": list(row.rules),
    }  # fmt: skip


def _parted(text: str) -> list[str]:
    return [each.strip() for each in text.split(",") if each.strip()]


def _read_route(firm: Firm, data: Mapping[str, Any]) -> Read:
    over, faults = data.get("over"), []
    if over in (None, ""):
        amount = None
    else:
        amount = _decimal(over)
        if amount is None:
            faults.append(say("over: “{over}” is no amount. Write it as 1240.50.", over=str(over)[:20]))
    typed = RouteTyped(
        str(data.get("text", "")), str(data.get("signer", "")), str(data.get("place", "owners")), amount, data.get("on", ["plan", "claim"]), data.get("categories", []),
        joined(", ", data.get("codes", [])), joined(", ", data.get("countries", [])), "\n".join(data.get("for", [])), "\n".join(data.get("not_for", [])), data.get("rules", []),
    )  # fmt: skip
    try:
        read_route(firm, typed)
    except Faults as wrong:
        faults += _named(wrong, kinds="on")
    return typed, faults


def _decimal(value: Any) -> Decimal | None:
    try:
        number = Decimal(str(value))
    except ArithmeticError:
        return None
    return number if number.is_finite() and not isinstance(value, bool) else None


def _say_question(row: FirmQuestion, groups: Groups) -> dict[str, Any]:
    typed = typed_question(row)
    named, left_out = groups.lines(row.groups)
    return {
        "text": row.text, "about": row.about, "kind": row.kind, "choices": list(row.choices), "required": row.required or None, "entitles": [dict(each) for each in typed.entitles],
        "where": row.where, "after": row.after, "answer": row.answer, "for": named.splitlines(), "not_for": left_out.splitlines(),
    }  # fmt: skip


def _read_question(firm: Firm, data: Mapping[str, Any]) -> Read:
    entitles = data.get("entitles", [])
    if not isinstance(entitles, list) or not all(isinstance(each, dict) for each in entitles):
        return None, [say("entitles: is a list of tables.")]
    typed = QuestionTyped(
        str(data.get("text", "")), str(data.get("about", "trip")), str(data.get("kind", "")), "\n".join(data.get("choices", [])), data.get("required") is True,
        entitles, str(data.get("where", "")), str(data.get("after", "")), str(data.get("answer", "")),
    )  # fmt: skip
    whole = typed, "\n".join(data.get("for", [])), "\n".join(data.get("not_for", []))
    try:
        read_meant(firm, *whole)
    except Faults as wrong:
        return whole, _named(wrong)
    return whole, []


SECTIONS = {
    each.name: each
    for each in (
        Section(
            "rule", RULES, DAYS | {"kind", "level", "text", "params", "categories", "subjects", "for", "not_for", "reasons", "paragraph"},
            ("categories", "subjects", "for", "not_for", "reasons"), _say_rule, _read_rule, lambda by, typed, code: keep_rule(by, typed, code=code),
            lambda row, typed: typed is None or row.kind == typed.kind,
        ),
        Section(
            "route", ROUTES, DAYS | {"text", "signer", "place", "over", "on", "categories", "codes", "countries", "for", "not_for", "rules"},
            ("on", "categories", "codes", "countries", "for", "not_for", "rules"), _say_route, _read_route, lambda by, typed, code: keep_route(by, typed, code=code),
        ),
        Section(
            "question", QUESTIONS, DAYS | {"text", "about", "kind", "choices", "required", "entitles", "where", "after", "answer", "for", "not_for"},
            ("choices", "for", "not_for"), _say_question, _read_question, lambda by, typed, code: keep_question(by, *typed, code=code),
        ),
    )
}  # fmt: skip
