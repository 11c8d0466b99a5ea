"""Rules as an administrator keeps them: drafts, put in force from a day on; what was in force stays for its days."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db import transaction

from wainwright.core.rules import Kind, Level, kinds
from wainwright.core.rules.params import ParamFaults, read_params
from wainwright.core.said import joined, said_by, say
from wainwright.core.text import one_line
from wainwright.errors import Faults, Refusal
from wainwright.people.models import Firm, Membership
from wainwright.rehearsal.in_force import Kept
from wainwright.rehearsal.whom import Groups, NoGroup
from wainwright.rulebook.holding import locked
from wainwright.rulebook.models import Category, RuleSetting
from wainwright.trail.services import record

MOST_RULES, MOST_REASONS, MOST_LETTERS = 300, 12, 300
REASON_LETTERS = 80


@dataclass(frozen=True)
class Typed:
    """A rule as it is typed: ``params`` by name, ``named`` and ``left_out`` the people, ``reasons`` a line each."""

    kind: str
    level: str
    text: str
    params: Mapping[str, str] = field(default_factory=dict)
    categories: Sequence[str] = ()
    subjects: Sequence[str] = ()
    named: str = ""
    left_out: str = ""
    reasons: str = ""
    paragraph: str = ""


def typed_of(row: RuleSetting, groups: Groups) -> Typed:
    """Return a rule that is there as it would be typed."""
    named, left_out = groups.lines(row.groups)
    return Typed(
        row.kind, row.level, row.text, row.params, row.categories, row.subjects or sorted(kinds()[row.kind].on), named, left_out,
        "\n".join(row.reasons), row.paragraph,
    )  # fmt: skip


def _said(row: RuleSetting) -> dict[str, Any]:
    """A rule as the trail keeps it."""
    return {
        "kind": row.kind, "level": row.level, "text": row.text, "params": row.params, "categories": row.categories, "on": row.subjects,
        "for": row.groups, "reasons": row.reasons, "paragraph": row.paragraph, "from": str(row.since or ""), "until": str(row.until or ""),
    }  # fmt: skip


def read_rule(firm: Firm, typed: Typed, row: RuleSetting | None = None) -> RuleSetting:
    """Return what is typed as a rule, not kept. Raises ``Faults`` with everything that is wrong. Four queries."""
    kind = kinds().get(typed.kind)
    if kind is None:
        raise Faults({"kind": say("There is no such kind of rule. Choose one of the list.")})
    faults: dict[str, str] = {}
    row = row or RuleSetting(firm=firm, kind=typed.kind, draft=True)
    row.level, row.text = typed.level, one_line(typed.text).strip()
    if typed.level not in [level.value for level in Level]:
        faults["level"] = say("Choose Stop, Explain or Note.")
    if not 5 <= len(row.text) <= MOST_LETTERS:
        faults["text"] = say(
            "Say it in a sentence of 5 to {most_letters} letters, as a traveller will read it.",
            most_letters=MOST_LETTERS,
        )
    try:
        row.params = read_params(kind.params, typed.params, firm.currency)
    except ParamFaults as wrong:
        faults |= {f"param_{name}": words for name, words in wrong.faults.items()}
    row.subjects = _subjects(kind, typed, faults)
    known = (
        set(Category.objects.filter(firm=firm, draft=False).values_list("code", flat=True))
        if typed.categories
        else set()
    )
    if lost := sorted(set(typed.categories) - known):
        faults["categories"] = say("There is no category {list}.", list=joined(", ", lost))
    elif typed.categories and not kind.by_category:
        faults["categories"] = say("This kind of rule looks at the whole; leave the categories empty.")
    row.categories = list(dict.fromkeys(typed.categories))
    row.reasons = _reasons(typed, faults)
    row.paragraph = one_line(typed.paragraph, 80).strip()
    try:
        row.groups = Groups.of(firm).read(typed.named, typed.left_out) if typed.named or typed.left_out else []
    except NoGroup as wrong:
        faults["named"] = said_by(wrong)
    if faults:
        raise Faults(faults)
    return row


def _subjects(kind: Kind, typed: Typed, faults: dict[str, str]) -> list[str]:
    chosen = [each for each in ("plan", "claim") if each in typed.subjects]
    if not chosen or not kind.on.issuperset(chosen):
        meant = joined(say(" or "), sorted(kind.on, reverse=True))
        faults["subjects"] = say("This kind of rule looks at a {meant}. Tick what it is for.", meant=meant)
    return chosen


def _reasons(typed: Typed, faults: dict[str, str]) -> list[str]:
    found = list(dict.fromkeys(word for line in typed.reasons.splitlines() if (word := one_line(line).strip())))
    if len(found) > MOST_REASONS:
        faults["reasons"] = say("At most {most_reasons} reasons: nobody reads more.", most_reasons=MOST_REASONS)
    elif any(len(each) > REASON_LETTERS for each in found):
        faults["reasons"] = say("A reason has at most {reason_letters} letters.", reason_letters=REASON_LETTERS)
    elif found and typed.level != Level.EXPLAIN.value:
        faults["reasons"] = say("Only what asks to be explained takes reasons. Leave them out, or choose Explain.")
    return found


def _check(row: RuleSetting) -> None:
    try:
        read_rule(row.firm, typed_of(row, Groups.of(row.firm)), row)
    except Faults as wrong:
        raise Refusal(say("It cannot be put in force as it is: {wrong}", wrong=wrong)) from wrong


RULES = Kept(RuleSetting, "rule", _said, _check)


@transaction.atomic
def keep_rule(by: Membership, typed: Typed, rule_id: int | None = None, seen: str = "", code: str = "") -> RuleSetting:
    """Keep a rule as a draft: a new one, a draft that is there, or the change of the rule ``code``.

    Raises ``NotAllowed``, ``Faults``, ``Refusal``, ``Stale``.
    """
    firm = locked(by)
    if rule_id is not None:
        row = RULES.draft(firm, rule_id, seen)
        if typed.kind != row.kind:
            raise Faults({"kind": say("A rule stays of its kind. Begin another for another kind.")})
        before = _said(row)
        row = read_rule(firm, typed, row)
    else:
        row, before = read_rule(firm, typed), {}
        if code and RULES.may_change(firm, code).kind != row.kind:
            raise Faults({"kind": say("A rule stays of its kind. Begin another for another kind.")})
        row.code = code or RULES.free_code(firm, row.kind.replace("_", "-"), MOST_RULES)
    row.save()
    record(by, say("kept a draft of a rule"), RULES.subject(firm.pk, row.code), before=before or None, after=_said(row))
    return row
