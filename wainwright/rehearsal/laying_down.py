"""Rules as an administrator keeps them: drafts, put in force from a day on; what was in force stays for its days."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

from django.db import transaction
from django.db.models import F, Q, QuerySet

from wainwright import clock
from wainwright.core.rules import Kind, Level, kinds
from wainwright.core.rules.params import ParamFaults, read_params
from wainwright.core.text import one_line
from wainwright.core.workings import day_text
from wainwright.errors import Refusal, Stale
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, new_version
from wainwright.rehearsal.whom import Groups, NoGroup
from wainwright.rulebook.models import Category, RuleSetting
from wainwright.trail.services import record

MOST_RULES, MOST_REASONS, MOST_LETTERS = 300, 12, 300
REASON_LETTERS = 80
DAY, OPEN = timedelta(days=1), "open"


class RuleFaults(ValueError):
    """What is wrong with a rule that was typed, each by the field where it stands."""

    def __init__(self, faults: Mapping[str, str]) -> None:
        super().__init__("; ".join(faults.values()))
        self.faults = dict(faults)


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


def rule_subject(firm_id: int, code: str) -> str:
    """Return the name of a rule in the trail, over all its days."""
    return f"rule:{firm_id}:{code}"


def digest(row: RuleSetting) -> str:
    """Return what tells whether a rule is still as somebody saw it."""
    return hashlib.sha256(json.dumps(_said(row), sort_keys=True).encode()).hexdigest()[:16]


def _said(row: RuleSetting) -> dict[str, Any]:
    """A rule as the trail keeps it."""
    return {
        "kind": row.kind, "level": row.level, "text": row.text, "params": row.params, "categories": row.categories, "on": row.subjects,
        "for": row.groups, "reasons": row.reasons, "paragraph": row.paragraph, "from": str(row.since or ""), "until": str(row.until or ""),
    }  # fmt: skip


def read_rule(firm: Firm, typed: Typed, row: RuleSetting | None = None) -> RuleSetting:
    """Return what is typed as a rule, not kept. Raises ``RuleFaults`` with everything that is wrong. Four queries."""
    kind = kinds().get(typed.kind)
    if kind is None:
        raise RuleFaults({"kind": "There is no such kind of rule. Choose one of the list."})
    faults: dict[str, str] = {}
    row = row or RuleSetting(firm=firm, kind=typed.kind, draft=True)
    row.level, row.text = typed.level, one_line(typed.text).strip()
    if typed.level not in [level.value for level in Level]:
        faults["level"] = "Choose Stop, Explain or Note."
    if not 5 <= len(row.text) <= MOST_LETTERS:
        faults["text"] = f"Say it in a sentence of 5 to {MOST_LETTERS} letters, as a traveller will read it."
    try:
        row.params = read_params(kind.params, typed.params, firm.currency)
    except ParamFaults as wrong:
        faults |= {f"param_{name}": words for name, words in wrong.faults.items()}
    row.subjects = _subjects(kind, typed, faults)
    known = set(Category.objects.filter(firm=firm).values_list("code", flat=True)) if typed.categories else set()
    if lost := sorted(set(typed.categories) - known):
        faults["categories"] = f"There is no category {', '.join(lost)}."
    elif typed.categories and not kind.by_category:
        faults["categories"] = "This kind of rule looks at the whole; leave the categories empty."
    row.categories = list(dict.fromkeys(typed.categories))
    row.reasons = _reasons(typed, faults)
    row.paragraph = one_line(typed.paragraph, 80).strip()
    try:
        row.groups = Groups.of(firm).read(typed.named, typed.left_out) if typed.named or typed.left_out else []
    except NoGroup as wrong:
        faults["named"] = str(wrong)
    if faults:
        raise RuleFaults(faults)
    return row


def _subjects(kind: Kind, typed: Typed, faults: dict[str, str]) -> list[str]:
    chosen = [each for each in ("plan", "claim") if each in typed.subjects]
    if not chosen or not kind.on.issuperset(chosen):
        meant = " or ".join(sorted(kind.on, reverse=True))
        faults["subjects"] = f"This kind of rule looks at a {meant}. Tick what it is for."
    return chosen


def _reasons(typed: Typed, faults: dict[str, str]) -> list[str]:
    found = list(dict.fromkeys(word for line in typed.reasons.splitlines() if (word := one_line(line).strip())))
    if len(found) > MOST_REASONS:
        faults["reasons"] = f"At most {MOST_REASONS} reasons: nobody reads more."
    elif any(len(each) > REASON_LETTERS for each in found):
        faults["reasons"] = f"A reason has at most {REASON_LETTERS} letters."
    elif found and typed.level != Level.EXPLAIN.value:
        faults["reasons"] = "Only what asks to be explained takes reasons. Leave them out, or choose Explain."
    return found


def versions(firm: Firm, code: str) -> QuerySet[RuleSetting]:
    """Return a rule for all its days, the latest first; drafts left out."""
    return RuleSetting.objects.filter(firm=firm, code=code, draft=False).order_by(F("since").desc(nulls_last=True))


@transaction.atomic
def keep_rule(by: Membership, typed: Typed, rule_id: int | None = None, seen: str = "", code: str = "") -> RuleSetting:
    """Keep a rule as a draft: a new one, a draft that is there, or the change of the rule ``code``.

    Raises ``NotAllowed``, ``RuleFaults``, ``Refusal``, ``Stale``.
    """
    must(by, "rules")
    firm = Firm.objects.select_for_update().get(pk=by.firm_id)
    if rule_id is not None:
        row = _draft(firm, rule_id, seen)
        if typed.kind != row.kind:
            raise RuleFaults({"kind": "A rule stays of its kind. Begin another for another kind."})
        before = _said(row)
        row = read_rule(firm, typed, row)
    else:
        row, before = read_rule(firm, typed), {}
        row.code = _code_for(firm, row.kind, code)
    row.save()
    record(by, "kept a draft of a rule", rule_subject(firm.pk, row.code), before=before or None, after=_said(row))
    return row


def _code_for(firm: Firm, kind: str, code: str) -> str:
    """The code of a new draft: that of the rule it changes, else one that was never used."""
    if code:
        there = versions(firm, code).first()
        if there is None:
            raise Stale("That rule is gone. Begin a new one.")
        if there.kind != kind:
            raise RuleFaults({"kind": "A rule stays of its kind. Begin another for another kind."})
        if RuleSetting.objects.filter(firm=firm, code=code, draft=True).exists():
            raise Stale(
                "Somebody has begun to change this rule already: their draft stands under it. Go on with that one."
            )
        return code
    taken = set(RuleSetting.objects.filter(firm=firm).values_list("code", flat=True))
    if len(taken) >= MOST_RULES:
        raise Refusal(f"There are {MOST_RULES} rules. End some before you begin another.")
    # What is found is kept under its rule's code: one that was used is not used again, so it ends in what no other has.
    name = re.sub(r"_", "-", kind)[:22]
    return next(free for n in range(2, 10_000) if (free := f"{name}-{n}") not in taken)


@transaction.atomic
def rule_in_force(by: Membership, rule_id: int, since: date | None, seen: str) -> RuleSetting:
    """Put a draft in force from a day on, today or later; the one before ends on the day before it.

    Raises ``NotAllowed``, ``Refusal``, ``Stale``.
    """
    must(by, "rules")
    firm = Firm.objects.select_for_update().get(pk=by.firm_id)
    row = _draft(firm, rule_id, seen)
    today = clock.today(firm.zone)
    if since is None or not today <= since <= today + 732 * DAY:
        raise Refusal(
            "Choose from which day on: today or later, within two years. What was before stays as it was.", "since"
        )
    later = versions(firm, row.code).filter(since__gte=since).first()
    if later is not None and later.since is not None:
        raise Refusal(
            f"The same rule begins anew on {day_text(later.since, year=True)} already. Choose a later day, or take that out first.",
            "since",
        )
    try:
        # What the rule names may be gone since it was typed.
        read_rule(firm, typed_of(row, Groups.of(firm)), row)
    except RuleFaults as wrong:
        raise Refusal(f"It cannot be put in force as it is: {wrong}") from wrong
    before = versions(firm, row.code).filter(Q(until=None) | Q(until__gte=since)).first()
    row.cut = ""
    if before is not None:
        row.cut = str(before.until or OPEN)
        before.until = since - DAY
        before.save(update_fields=["until"])
    row.since, row.until, row.draft = since, None, False
    row.save()
    _renew(firm)
    after = {**_said(row), "the one before ends": str(since - DAY)} if before is not None else _said(row)
    record(
        by,
        "put a rule in force",
        rule_subject(firm.pk, row.code),
        before=_said(before) if before else None,
        after=after,
    )
    return row


@transaction.atomic
def drop_draft(by: Membership, rule_id: int, seen: str) -> RuleSetting:
    """Drop a draft, with what it was rehearsed on. Raises ``NotAllowed``, ``Stale``."""
    must(by, "rules")
    firm = Firm.objects.select_for_update().get(pk=by.firm_id)
    row = _draft(firm, rule_id, seen)
    record(by, "dropped a draft of a rule", rule_subject(firm.pk, row.code), before=_said(row))
    row.delete()
    return row


@transaction.atomic
def end_rule(by: Membership, code: str, until: date | None, seen: str) -> RuleSetting:
    """Say on which day a rule is in force for the last time, today or later. Raises ``NotAllowed``, ``Refusal``, ``Stale``."""
    must(by, "rules")
    firm = Firm.objects.select_for_update().get(pk=by.firm_id)
    row = _last(firm, code, seen)
    today = clock.today(firm.zone)
    if row.until is not None and row.until < today:
        raise Stale(f"It ended on {day_text(row.until, year=True)}.")
    if until is None or not today <= until <= today + 732 * DAY:
        raise Refusal("Choose its last day: today or later, within two years.", "until")
    if row.since is not None and until < row.since:
        raise Refusal(f"It begins on {day_text(row.since, year=True)} only. Take it out instead.", "until")
    before, row.until = _said(row), until
    row.save(update_fields=["until"])
    _renew(firm)
    record(by, "ended a rule", rule_subject(firm.pk, code), before=before, after=_said(row))
    return row


@transaction.atomic
def take_out(by: Membership, code: str, seen: str) -> RuleSetting:
    """Take what of a rule has not begun back to a draft; the one before goes on. Raises ``NotAllowed``, ``Refusal``, ``Stale``."""
    must(by, "rules")
    firm = Firm.objects.select_for_update().get(pk=by.firm_id)
    row = _last(firm, code, seen)
    if row.since is None or row.since <= clock.today(firm.zone):
        raise Refusal("It has begun: what was found by it stays. End it, or change it from a day on.")
    if RuleSetting.objects.filter(firm=firm, code=code, draft=True).exists():
        raise Refusal("There is a draft of this rule already. Drop that first.")
    said = _said(row)
    cut, row.since, row.until, row.draft, row.cut = row.cut, None, None, True, ""
    row.save()
    before = versions(firm, code).first()
    if before is not None and cut:
        before.until = None if cut == OPEN else date.fromisoformat(cut)
        before.save(update_fields=["until"])
    _renew(firm)
    record(by, "took a rule out before it began", rule_subject(firm.pk, code), before=said)
    return row


def _draft(firm: Firm, rule_id: int, seen: str) -> RuleSetting:
    row = RuleSetting.objects.select_for_update().filter(firm=firm, pk=rule_id, draft=True).first()
    if row is None:
        raise Stale("That draft is gone: somebody dropped it or put it in force meanwhile.")
    return _as_seen(row, seen)


def _last(firm: Firm, code: str, seen: str) -> RuleSetting:
    row = versions(firm, code).select_for_update().first()
    if row is None:
        raise Stale("That rule is gone.")
    return _as_seen(row, seen)


def _as_seen(row: RuleSetting, seen: str) -> RuleSetting:
    if digest(row) != seen:
        raise Stale("Somebody changed it meanwhile. Look at it as it is now; what you typed stands below.")
    return row


def _renew(firm: Firm) -> None:
    firm.rules_version = new_version()
    firm.save(update_fields=["rules_version"])
